"""The second lane on a real local cluster of two processes."""

import threading

import pytest
from helpers import demo
from slow_tasks import Die, Fault, Sleep, Tell

from gulch.engine.scans import blocks, grid_of, ready_plan, run_scan
from gulch.engine.work import Ending, ScanPart, Solve
from gulch.engine.work.cluster import Cluster

pytestmark = pytest.mark.slow

distributed = pytest.importorskip("distributed")


@pytest.fixture(scope="module")
def cluster():
    with distributed.LocalCluster(n_workers=2, threads_per_worker=1, processes=True, dashboard_address=None) as local:
        here = Cluster(local.scheduler_address)
        yield here
        here.close()


def done(job, seconds=300.0):
    assert job.wait(seconds), "the job did not end"
    return job


def test_scans_run_on_the_cluster_and_edits_here(cluster):
    project, points = demo(), {}
    whole, scan = run_scan(project, project.scans[0]), project.scans[0]
    jobs = [
        cluster.submit(
            ScanPart(project.dump(), scan.id, part),
            lane="later",
            key="scan",
            replaces=False,
            owner="a",
            on_item=lambda job, item: points.update([item]),
        )
        for part in blocks(ready_plan(project), grid_of(project, scan))
    ]
    edit = cluster.submit(Solve(project.dump()))
    assert all(done(j).ending is Ending.DONE for j in jobs) and sorted(points) == list(range(13))
    for i, point in enumerate(whole.points):
        assert points[i]["gauges"] == pytest.approx(point["gauges"], rel=1e-9)
    assert done(edit).value[0]


def test_stopping_ends_at_once_and_frees_the_cluster(cluster):
    jobs = [cluster.submit(Sleep(60.0), lane="later", key="long", replaces=False) for _ in range(8)]
    threading.Event().wait(1.0)
    assert cluster.find("long") is not None and cluster.stop("long") == 8
    assert all(done(j).ending is Ending.STOPPED for j in jobs) and cluster.find("long") is None
    assert done(cluster.submit(Sleep(0.0, 7), lane="later"), 30.0).value == 7


def test_faults_and_deaths_are_told(cluster):
    assert "reference" in done(cluster.submit(Fault(), lane="later")).words
    assert done(cluster.submit(Die(), lane="later")).ending is Ending.DIED
    got = []
    done(cluster.submit(Tell((1, 2)), lane="later", on_item=lambda job, item: got.append(item)))
    assert got == [1, 2]


def test_a_cluster_that_does_not_answer_is_said():
    absent = Cluster("tcp://127.0.0.1:9")
    try:
        job = done(absent.submit(Sleep(0.0), lane="later", owner="a"), 60.0)
        assert job.ending is Ending.FAULT and "does not answer" in job.words and "GULCH_CLUSTER" in job.words
        assert done(absent.submit(Sleep(0.0, 3))).value == 3  # the first lane is here
    finally:
        absent.close()
