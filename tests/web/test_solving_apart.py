"""Edits beside solves with real worker processes: kept at once, figures kept only where they belong, nothing lost to kills."""

import os
import signal
import sqlite3
import subprocess
import sys
import threading
import time

import pytest
from django.db import OperationalError, connections
from helpers import demo
from slow_tasks import Sleep

from gulch.engine.work import Ending
from gulch.web.projects import actions, solving
from gulch.web.projects.models import Project
from gulch.web.scans import jobs


@pytest.fixture
def apart(settings, transactional_db):
    """Real workers, as a server has them."""
    settings.GULCH_WORK_INLINE = False
    solving.close()
    assert solving.workers().submit(Sleep(0.0)).wait(300.0)
    yield solving.workers()
    solving.workers().stop_all()
    solving.close()


@pytest.fixture
def row(user):
    return actions.create_project(user, demo(), "Demo project")


def settled(row, seconds=60.0):
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        row.refresh_from_db()
        if row.outcome() is not None:
            row.refresh_from_db()  # it may have come between the two looks above
            return row
        time.sleep(0.02)
    raise AssertionError("no outcome came")


def test_workers_begin_while_an_edit_is_stored_and_one_that_cannot_be_stored_changes_nothing(apart, user, row, monkeypatch):
    settled(row)
    digests = []
    save = actions.Revision.save

    def stored(revision, *args, **more):
        job = apart.find(solving.key_of(row))
        digests.append((revision.digest, job and job.about))
        return save(revision, *args, **more)

    monkeypatch.setattr(actions.Revision, "save", stored)
    actions.edit(row, None, "Turn", lambda document: setattr(document.unit("SPLIT"), "drawn", "9 %"))
    assert digests[0][0] == digests[0][1] == row.current.digest, "the solve was under way before the revision was stored"
    settled(row)
    assert row.good_revision == row.current.number == 2

    def full(revision, *args, **more):
        raise OperationalError("database or disk is full")

    monkeypatch.setattr(actions.Revision, "save", full)
    with pytest.raises(OperationalError):
        actions.edit(row, None, "Turn", lambda document: setattr(document.unit("SPLIT"), "drawn", "11 %"))
    monkeypatch.setattr(actions.Revision, "save", save)
    apart.find(solving.key_of(row)).wait(60.0) if apart.find(solving.key_of(row)) else None
    row.refresh_from_db()
    assert row.current.number == 2 and row.good_revision == 2 and row.outcome().solved
    assert row.current.read.unit("SPLIT").drawn == "9 %"


def test_an_edit_is_kept_before_its_figures(apart, user, row, client, monkeypatch):
    settled(row)
    monkeypatch.setattr(solving, "PATIENCE", 0.0)
    apart.submit(Sleep(30.0), key="hold", owner="other")  # until it steps aside, nothing else is solved

    def change(document):
        document.unit("SPLIT").drawn = "9 %"

    actions.edit(row, None, "Turn", change)
    row.refresh_from_db()
    assert row.current.number == 2 and row.outcome() is None and row.good_revision == 1
    html = client.get(f"/p/{row.pk}/process/", headers={"HX-Request": "true"}).content.decode()
    assert 'id="solving"' in html and "figures are those of revision 1" in html and 'id="stop"' in html
    assert settled(row).latest["solved"] and row.good_revision == 2


def test_two_requests_on_one_revision_wait_for_one_solve(apart, row, monkeypatch):
    """A field and its form both send on Enter: had each its own solve, one page would come back without figures, for good."""
    settled(row)
    apart.submit(Sleep(30.0), key="hold", owner="other")
    actions.edit(row, None, "Turn", lambda d: setattr(d.unit("SPLIT"), "drawn", "9 %"))
    solving.workers().stop(solving.key_of(row))
    row.refresh_from_db()
    row.outcomes.filter(digest=row.current.digest).delete()
    start_of, others = solving.start_of, []

    def slow(project):
        if not others:
            twin = Project.objects.get(pk=row.pk)
            others.append(threading.Thread(target=lambda: others.append(solving.begin(twin))))
            others[0].start()
            others[0].join(0.5)
        return start_of(project)

    monkeypatch.setattr(solving, "start_of", slow)
    mine = solving.begin(row)
    others[0].join(10.0)
    assert others[1] is mine and not mine.ended


def test_a_page_whose_solve_was_replaced_waits_for_the_other(apart, row, monkeypatch):
    settled(row)
    apart.submit(Sleep(30.0), key="hold", owner="other")
    actions.edit(row, None, "Turn", lambda d: setattr(d.unit("SPLIT"), "drawn", "9 %"))
    row.refresh_from_db()
    awaited = solving.awaited

    def overtaken(job, patience=None):
        actions.edit(Project.objects.get(pk=row.pk), None, "Turn", lambda d: setattr(d.unit("SPLIT"), "drawn", "8 %"))
        monkeypatch.setattr(solving, "awaited", awaited)
        return awaited(job, 5.0)

    monkeypatch.setattr(solving, "awaited", overtaken)
    waits = solving.figures(row)
    assert waits is not None and waits is apart.find(solving.key_of(row))


def test_figures_of_an_overtaken_revision_do_not_become_the_good_ones(apart, row):
    settled(row)
    first = row.current.digest
    actions.edit(row, None, "Turn", lambda d: setattr(d.unit("SPLIT"), "drawn", "9 %"))
    row = settled(row)
    assert row.good_revision == 2
    solving.keep(row.pk, first, True, row.good_outcome.packed)  # comes late, for the revision before
    row.refresh_from_db()
    assert row.good_revision == 2 and row.good_outcome.digest == row.current.digest != first


def test_undo_comes_back_to_what_was_solved_without_solving(apart, row):
    settled(row)
    actions.edit(row, None, "Turn", lambda d: setattr(d.unit("SPLIT"), "drawn", "9 %"))
    settled(row)
    before = Project.objects.get(pk=row.pk).outcomes.count()
    actions.undo(row, None)
    row.refresh_from_db()
    assert solving.begin(row) is None and row.latest["solved"] and row.good_revision == 1
    assert row.outcomes.count() == before


def test_solving_again_is_under_way_although_an_outcome_is_there(apart, row, client, monkeypatch):
    settled(row)
    monkeypatch.setattr(solving, "PATIENCE", 0.0)
    apart.submit(Sleep(30.0), key="hold", owner="other")
    job = solving.again(row)
    assert solving.begin(row) is job
    html = client.get(f"/p/{row.pk}/process/", headers={"HX-Request": "true"}).content.decode()
    assert 'id="solving"' in html and "solving …" in html
    assert job.wait(60.0) and solving.begin(row) is None


def test_a_slider_is_answered_by_its_newest_position_only(apart, row):
    settled(row)
    hold = [apart.submit(Sleep(1.0), owner="other")]
    jobs_ = [apart.submit(Sleep(0.0, k), key=("try", row.pk, "page")) for k in range(5)]
    assert all(j.wait(30.0) for j in (*hold, *jobs_))
    assert [j.ending for j in jobs_] == [Ending.REPLACED] * 4 + [Ending.DONE]


def test_a_scan_outlives_a_killed_worker(apart, row):
    settled(row)

    def longer(document):
        document.scans[0].over[0].points = 60

    actions.edit(row, None, "Longer", longer)
    row.refresh_from_db()
    run = jobs.start(row, "scan1")
    until = time.monotonic() + 60.0
    while time.monotonic() < until and not run.points.exists():
        time.sleep(0.02)
    slot = next(s for j, s in apart.running.items() if j.key == jobs.key_of(run))
    os.kill(slot.process.pid, signal.SIGKILL)
    while time.monotonic() < until and run.active:
        time.sleep(0.05)
        run.refresh_from_db()
    assert run.state == run.FAILED and "ended unexpectedly" in run.why and 0 < run.done < 60 and run.resumable
    jobs.resume(run)
    run.refresh_from_db()
    while time.monotonic() < until + 60.0 and run.active:
        time.sleep(0.05)
        run.refresh_from_db()
    assert (run.state, run.done, run.points.count()) == (run.DONE, 60, 60)


SERVER = """
import os, sys
from gulch.web import serve
serve.prepare()
from django.contrib.auth import get_user_model
from gulch.demo import figures, projects
from gulch.web.projects import actions, solving
from gulch.web.projects.models import Project
from gulch.web.scans import jobs
user, _ = get_user_model().objects.get_or_create(username="ada")
document = projects()[0]
row = Project.objects.first() or actions.create_project(user, document, "Demo", figures(document))
jobs.abandon_unfinished()
run = row.scan_runs.first()
jobs.resume(run) if run is not None and run.resumable else jobs.start(row, "scan1")
number = row.current.number
while True:
    number += 1
    actions.edit(row, None, f"edit {number}", lambda d: setattr(d.unit("SPLIT"), "drawn", f"{5 + number % 50 / 10:.1f} %"))
    print(number, flush=True)
"""


def test_a_server_killed_again_and_again_loses_no_acknowledged_edit(tmp_path):
    """Kills in the middle of edits and a scan (`script/fuzz` makes 20); the file stays sound."""
    environment = os.environ | {"GULCH_HOME": str(tmp_path), "GULCH_WORKERS": "1"}
    acknowledged = 1
    for k in range(int(os.environ.get("GULCH_KILLS", "4"))):
        server = subprocess.Popen([sys.executable, "-c", SERVER], env=environment, stdout=subprocess.PIPE, text=True)
        for _ in range(1 + 3 * k % 7):
            acknowledged = int(server.stdout.readline())
        server.kill()
        rest = server.stdout.read().split()
        server.wait()
        acknowledged = int(rest[-1]) if rest else acknowledged
        base = sqlite3.connect(tmp_path / "gulch.sqlite3")
        assert base.execute("PRAGMA integrity_check").fetchone() == ("ok",)
        assert base.execute("SELECT max(number) FROM projects_revision").fetchone()[0] >= acknowledged
        base.close()
    connections.close_all()
