"""Running scans: cut into blocks that workers walk, each point kept as it comes, so that nothing done is lost."""

import logging
import threading
import time

from django.db import DatabaseError

from gulch.engine.document import load
from gulch.engine.flowsheet.variants import worked
from gulch.engine.scans import ScanError, blank, blocks, grid_of, mends, ready_plan
from gulch.engine.work import Ending, RefineScan, ScanPart
from gulch.engine.work.packing import unpack
from gulch.web.projects import solving
from gulch.web.projects.models import ScanPoint, ScanRun

log = logging.getLogger("gulch.scans")
_walks = {}  # run -> its Walk, while it is under way in this server
EVERY = 0.5  # s between two writes of finished points
WORDS = {
    Ending.OUT_OF_TIME: "The time limit ended a part of the scan.",
    Ending.DIED: "A process that worked on the scan ended unexpectedly (killed, or out of memory).",
    Ending.FAULT: "The scan stopped on a fault of Gulch's own; the process is unchanged.",
}


def start(row, scan_id):
    """Begin a scan of a project's current revision; returns the ScanRun. Raises ScanError."""
    document = worked(load(row.current.document))
    scan = document.scan(scan_id)
    if scan is None:
        raise ScanError("The scan is gone: reload the page.")
    grid = grid_of(document, scan)
    ready_plan(document)
    for older in row.scan_runs.filter(scan=scan_id, state__in=[ScanRun.WAITING, ScanRun.RUNNING]):
        stop(older)
    run = row.scan_runs.create(revision=row.current, scan=scan_id, total=grid.count, result=blank(document, scan).to_dict())
    Walk(run, document, solving.start_of(row)).begin()
    run.refresh_from_db()
    return run


def resume(run):
    """Compute the points that a run lacks."""
    if run.resumable:
        document = worked(load(run.revision.document))
        ScanRun.objects.filter(pk=run.pk).update(state=ScanRun.WAITING, why="")
        Walk(run, document, solving.start_of(run.project)).begin()


def stop(run):
    """Stop a run; its finished points stay."""
    ScanRun.objects.filter(pk=run.pk, state__in=[ScanRun.WAITING, ScanRun.RUNNING]).update(state=ScanRun.CANCELLED)
    solving.workers().stop(key_of(run))
    run.refresh_from_db()


def notice_lost(run):
    """A run that says it is under way while nobody works on it (its last word could not be written) can be gone on with."""
    if run.active and run.pk not in _walks:
        run.refresh_from_db()
        if run.active:
            run.state, run.why = ScanRun.FAILED, "How the scan ended could not be stored; its points are kept."
            run.done = run.points.count()
            run.save(update_fields=["state", "why", "done"])


def key_of(run):
    return ("scan", run.pk)


def result_of(run):
    """A run's record with the points that are there, as `ScanResult.to_dict` gives it; None before it began."""
    if run.result is None:
        return None
    if run.result.get("points"):  # of a run that an older version kept whole
        return run.result
    return run.result | {"points": [p.data for p in run.points.all()]}


class Walk:
    """A run under way: its parts in the workers' queue, its points on their way into the database."""

    def __init__(self, run, document, start):
        self.run, self.document, self.begin_from = run, document, start
        self.scan = document.scan(run.scan)
        self.grid = grid_of(document, self.scan)
        self.points = {p.place: p.data for p in run.points.all()}
        self.fresh, self.written = {}, time.monotonic()
        self.lock = threading.RLock()
        self.left, self.worst, self.mended = 0, None, False

    def begin(self):
        _walks[self.run.pk] = self
        self.hand_in(blocks(self.document, self.grid, self.points))

    def hand_in(self, parts):
        """Have some parts walked; without any, the run is over."""
        plain = self.document.dump()
        with self.lock:
            self.left += len(parts)
        for part in parts:
            solving.workers().submit(
                ScanPart(plain, self.scan.id, part, self.begin_from),
                key=key_of(self.run),
                replaces=False,
                owner=self.run.project.owner_id,
                lane="later",
                on_item=self.keep,
                on_end=self.part_ended,
            )
        if not parts:
            self.refine()

    def keep(self, job, item):
        """A point came in."""
        place, point = item
        with self.lock:
            if place in self.points and not point["solved"]:
                return
            self.points[place] = self.fresh[place] = point
            if time.monotonic() > self.written + EVERY:
                self.write()
        solving.leave_thread()

    def write(self):
        """Bring new points into the database; what cannot be written now is tried again with the next."""
        self.written = time.monotonic()
        rows = [ScanPoint(run=self.run, place=i, data=p) for i, p in self.fresh.items()]
        try:
            ScanPoint.objects.bulk_create(rows, update_conflicts=True, unique_fields=["run", "place"], update_fields=["data"])
            ScanRun.objects.filter(pk=self.run.pk, state=ScanRun.WAITING).update(state=ScanRun.RUNNING)
            ScanRun.objects.filter(pk=self.run.pk).update(done=len(self.points))
        except DatabaseError:
            log.exception("points of a scan could not be written yet")
            return False
        self.fresh = {}
        return True

    def part_ended(self, job):
        with self.lock:
            self.left -= 1
            if job.ending is not Ending.DONE:
                self.worst = job
            if self.left:
                return
            again = [] if self.mended or self.worst else mends(self.points, self.grid)
            self.mended = True
        if again:
            self.hand_in(again)
        else:
            self.refine()

    def refine(self):
        """Have edges and peaks solved between the points of one knob; then the run is over."""
        points = [self.points[i] for i in sorted(self.points)]
        if self.worst or len(self.grid.axes) > 1 or len(points) < self.grid.count:
            self.finish()
            return
        solving.workers().submit(
            RefineScan(self.document.dump(), self.scan.id, points, self.begin_from),
            key=key_of(self.run),
            replaces=False,
            owner=self.run.project.owner_id,
            lane="later",
            on_end=self.refined,
        )

    def refined(self, job):
        if job.ending is Ending.DONE:
            try:
                ScanRun.objects.filter(pk=self.run.pk).update(result=self.run.result | unpack(job.value[1]))
            except DatabaseError:
                log.exception("edges and peaks of a scan could not be written")
        else:
            self.worst = job
        self.finish()

    def finish(self):
        """Write what is left and how it ended."""
        try:
            state, why = self.outcome()
            with self.lock:
                if self.fresh and not self.write():
                    state = ScanRun.FAILED
                    why = "The last points could not be stored: the disk may be full. Go on with the rest later."
            ScanRun.objects.filter(pk=self.run.pk).update(state=state, why=why)
        finally:
            _walks.pop(self.run.pk, None)
            solving.leave_thread()

    def outcome(self):
        """(state, why) by the worst ending of its parts."""
        if self.worst is None:
            return ScanRun.DONE, ""
        if self.worst.ending in (Ending.STOPPED, Ending.REPLACED):
            return ScanRun.CANCELLED, ""
        return ScanRun.FAILED, self.worst.words or WORDS[self.worst.ending]


def abandon_unfinished():
    """Runs that were under way when the server stopped can be gone on with."""
    ScanRun.objects.filter(state__in=[ScanRun.WAITING, ScanRun.RUNNING]).update(
        state=ScanRun.CANCELLED, why="The server stopped while this scan ran: its points are kept."
    )
