"""Work in worker processes: answers, progress, stopping, dying, taking turns. Real processes throughout."""

import math
import os
import threading
import time

import numpy as np
import pytest
from helpers import demo
from slow_tasks import Die, Fault, Sleep, Stubborn, Tell

from gulch.demo import projects
from gulch.engine.document import SizingEntry
from gulch.engine.explain import solve
from gulch.engine.flowsheet.run import Run
from gulch.engine.scans import Grid, blocks, grid_of, mends, ready_plan, run_scan
from gulch.engine.scans.grid import Axis
from gulch.engine.settle import Reason, Watch
from gulch.engine.work import (
    Ending,
    NotFinite,
    ScanPart,
    Size,
    Solve,
    Workers,
    document_digest,
    pack,
    solution_of,
    unpack,
)
from gulch.engine.work.tasks import Shelf

pytestmark = pytest.mark.slow

LONG = 60.0


class Listening(Watch):
    """A watch in this process that keeps what it is told."""

    def __init__(self):
        self.items = []

    def tell(self, item):
        self.items.append(item)


@pytest.fixture(scope="module")
def workers():
    workers = Workers(now=1, later=2)
    first = workers.submit(Tell(()))
    assert first.wait(300.0) and workers.ready.is_set()
    yield workers
    workers.close()


def done(job, seconds=LONG):
    assert job.wait(seconds), "the job did not end"
    return job


def began(job):
    until = time.monotonic() + LONG
    while job.began is None and time.monotonic() < until:
        time.sleep(0.005)
    assert job.began is not None


def test_a_worker_answers_as_the_engine_does(workers):
    project = demo()
    alone = solve(project)
    job = done(workers.submit(Solve(project.dump())))
    solved, packed = job.value
    assert job.ending is Ending.DONE and solved
    found = solution_of(packed)
    assert found.gauges == pytest.approx(alone.gauges, rel=1e-12) and found.messages == alone.messages
    again = done(workers.submit(Solve(project.dump(), start=packed)))
    assert len(solution_of(again.value[1]).loops[0].history) < len(found.loops[0].history)


def test_progress_is_told_while_it_runs(workers):
    job = workers.submit(Sleep(0.6, "there"))
    seen = set()
    while not job.wait(0.05):
        seen.add(job.progress.passes)
    assert job.value == "there" and len(seen) > 2 and job.progress.residual == 1e-3


def test_stopping_ends_what_listens_and_what_does_not(workers):
    for task in (Sleep(LONG), Stubborn()):
        job = workers.submit(task, key="hard")
        began(job)
        time.sleep(0.3)
        assert workers.stop("hard") == 1
        done(job)
        assert job.ending is Ending.STOPPED
    assert done(workers.submit(Sleep(0.0, 1))).value == 1  # a fresh worker is there


def test_a_newer_job_replaces_the_older_whether_it_runs_or_waits(workers):
    jobs = [workers.submit(Sleep(LONG), key="p")]
    began(jobs[0])
    jobs += [workers.submit(Sleep(0.0, k), key="p") for k in range(3)]
    assert [done(j).ending for j in jobs] == [Ending.REPLACED] * 3 + [Ending.DONE] and jobs[-1].value == 2


def test_a_job_that_ends_is_found_until_what_hangs_on_its_end_is_done(workers):
    """Else whoever asks meanwhile would hand it in again; one that was stopped is found by who asks for that."""
    storing, stored = threading.Event(), threading.Event()

    def store(job):
        storing.set()
        stored.wait(LONG)

    for stopped in (False, True):
        storing.clear(), stored.clear()
        job = workers.submit(Sleep(LONG if stopped else 0.0), key="p", on_end=store)
        if stopped:
            began(job)
            workers.stop("p")
        assert storing.wait(LONG)
        assert workers.find("p", stopping=True) is job and (workers.find("p") is None) is stopped
        stored.set()
        assert job.wait(LONG) and workers.find("p", stopping=True) is None


def test_what_hangs_on_an_end_keeps_no_worker_from_its_next_job(workers):
    stored = threading.Event()
    first = workers.submit(Sleep(0.0), key="first", on_end=lambda job: stored.wait(LONG))
    second = workers.submit(Sleep(LONG), key="second")
    began(second)
    assert not first.ended and not stored.is_set()
    stored.set()
    workers.stop("second")
    assert done(first).ending is Ending.DONE and done(second).ending is Ending.STOPPED


def test_who_waits_is_told_how_many_come_before(workers):
    """Owners take turns: of another owner at most as many go first as this one has waiting itself."""
    began(workers.submit(Sleep(LONG), key="long", owner="a"))
    waiting = {name: workers.submit(Sleep(0.0, 0), key=name, owner=name[0]) for name in ("a1", "b1", "b2", "b3", "c1", "c2")}
    assert {name: workers.before(job) for name, job in waiting.items()} == {"a1": 2, "b1": 2, "b2": 4, "b3": 5, "c1": 2, "c2": 4}
    workers.stop("long")
    assert all(done(job).ending is Ending.DONE for job in waiting.values())
    assert workers.before(waiting["c2"]) == 0


def test_a_worker_that_dies_is_replaced_and_the_job_says_so(workers):
    assert done(workers.submit(Die())).ending is Ending.DIED
    assert done(workers.submit(Sleep(0.0, 2))).value == 2
    job = done(workers.submit(Fault()))
    assert job.ending is Ending.FAULT and "reference" in job.words and "ZeroDivision" not in job.words


def test_a_long_job_steps_aside(workers):
    hard = workers.submit(Stubborn(), key="hard", owner="a")
    began(hard)
    other = workers.submit(Sleep(0.0, "mine"), owner="b")
    done(other, 20.0)
    assert other.value == "mine" and not hard.ended
    workers.stop("hard")
    done(hard)


def test_the_clock_guards_what_its_counts_do_not_end():
    workers = Workers(now=1, later=1, limit=0.4)
    try:
        listens = done(workers.submit(Sleep(LONG)))
        assert listens.ending is Ending.OUT_OF_TIME
    finally:
        workers.close()


def busy(workers, what):
    """The second lane full, and (a list that takes one attribute of each job that ends, who puts it there)."""
    for job in [workers.submit(Sleep(LONG), key=f"hold{k}", lane="later", owner="x") for k in range(2)]:
        began(job)
    order, lock = [], threading.Lock()

    def note(job):
        with lock:
            order.append(getattr(job, what))

    return order, note


def test_owners_take_turns(workers):
    order, note = busy(workers, "owner")
    jobs = [workers.submit(Sleep(0.0), lane="later", owner="greedy", on_end=note) for _ in range(6)]
    jobs.append(workers.submit(Sleep(0.0), lane="later", owner="modest", on_end=note))
    workers.stop("hold0")
    for job in jobs:
        done(job)
    assert order.index("modest") <= 2
    workers.stop("hold1")


def test_what_ends_a_run_goes_ahead_of_what_its_owner_waits_for(workers):
    order, note = busy(workers, "about")
    jobs = [workers.submit(Sleep(0.0), lane="later", owner="x", about="wait", on_end=note) for _ in range(4)]
    jobs.append(workers.submit(Sleep(0.0), lane="later", owner="x", about="last part", on_end=note, ahead=True))
    workers.stop("hold0")
    for job in jobs:
        done(job)
    assert order[0] == "last part"
    workers.stop("hold1")


def test_items_come_in_order_and_from_low_priority(workers):
    got = []
    job = done(workers.submit(Tell((1, 2, 3)), lane="later", on_item=lambda j, item: got.append(item)))
    assert got == [1, 2, 3]
    assert os.getpriority(os.PRIO_PROCESS, job.value) >= 10


def test_closing_ends_all():
    workers = Workers(now=1, later=1)
    jobs = [workers.submit(Sleep(LONG)) for _ in range(3)]
    began(jobs[0])
    workers.close()
    assert all(j.wait(5.0) and j.ending is Ending.STOPPED for j in jobs)
    with pytest.raises(RuntimeError):
        workers.submit(Sleep(0.0))


def test_parts_of_a_scan_make_the_whole_scan(workers):
    project = demo()
    whole, scan, points = run_scan(project, project.scans[0]), project.scans[0], {}
    grid = grid_of(project, scan)
    parts = blocks(ready_plan(project), grid)
    assert len(parts) == 2 and sorted(i for p in parts for i in p) == list(range(13))
    jobs = [
        workers.submit(ScanPart(project.dump(), scan.id, p), lane="later", on_item=lambda j, item: points.update([item])) for p in parts
    ]
    for job in jobs:
        done(job)
    for i, point in enumerate(whole.points):
        assert points[i]["gauges"] == pytest.approx(point["gauges"], rel=1e-12)
    assert blocks(ready_plan(project), grid, done=set(range(12))) == [(12,)]


def line(*counts):
    """A Grid of so many points along each axis."""
    return Grid(tuple(Axis(f"k{i}", f"a{i}", "ratio", "", np.arange(float(n))) for i, n in enumerate(counts)), [])


def test_failed_beginnings_of_blocks_are_tried_again():
    def point(solved):
        return {"solved": solved}

    points = {0: point(True), 1: point(False), 2: point(False), 3: point(True), 4: point(False)}
    assert mends(points, line(5)) == [(0, 1, 2), (3, 4)]
    assert mends({0: point(False), 1: point(True)}, line(2)) == []
    rows = {0: point(False), 1: point(False), 2: point(True), 3: point(True), 4: point(False), 5: point(False)}
    assert mends(rows, line(3, 2)) == [(3, 4, 5), (2, 1, 0)]
    rows = dict.fromkeys(range(6), point(True)) | {3: point(False)}
    assert mends(rows, line(3, 2)) == [(4, 3)]  # a row never goes on from the one before


def test_sizing_in_a_worker_says_what_is_missing():
    task = Size(demo().dump(), None, SizingEntry(set="main", stream="feed").model_dump())
    assert "not known" in unpack(task.perform(Listening(), Shelf())[1])["trouble"]


def test_the_digest_names_what_figures_hang_on():
    project = demo()
    before = document_digest(project.dump())
    project.name, project.scans = "Another", []
    assert document_digest(project.dump()) == before
    project.unit("H1").temperature = "251 degC"
    assert document_digest(project.dump()) != before


def test_nothing_that_is_not_finite_is_packed():
    told = {"x": [1.5, None, "é", 1e-300, -0.0], "words": "NaN is no number, and Infinity none to store", "nested": {"a": [[1, 2], []]}}
    assert unpack(pack(told)) == told
    for bad in (math.inf, -math.inf, math.nan):
        with pytest.raises(NotFinite):
            pack({"words": "NaN", "x": [{"y": bad}]})
    with pytest.raises(ValueError, match="damaged"):
        unpack(b"nothing of the kind")


def test_outcomes_do_not_hang_on_the_clock(monkeypatch):
    """A machine that is fifty times slower gets the same figures after the same passes."""
    project = projects()[4]
    quick = solve(project)
    visit = Run.compute

    def slow(self, unit):
        time.sleep(0.002)
        return visit(self, unit)

    monkeypatch.setattr(Run, "compute", slow)
    slowed = solve(project)
    assert slowed.gauges == quick.gauges and [lo.passes for lo in slowed.loops] == [lo.passes for lo in quick.loops]


def test_a_solve_broken_off_says_so():
    class Late(Watch):
        def __init__(self):
            self.made = 0

        def passed(self, residual):
            self.made += 1

        def ended(self):
            return Reason.OUT_OF_TIME if self.made >= 3 else None

    found = solve(demo(), watch=Late())
    assert not found.solved and found.broken_off and "time limit" in found.messages[0].what
