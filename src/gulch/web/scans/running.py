"""A run under way: its points on their way into the database, and how it ends."""

from __future__ import annotations

import logging
import threading
import time
from abc import ABC, abstractmethod
from typing import TYPE_CHECKING, Any

from django.db import DatabaseError

from gulch.engine.work import Ending
from gulch.web.projects import solving
from gulch.web.projects.models import ScanPoint, ScanRun

if TYPE_CHECKING:
    from gulch.engine.document.project import Project
    from gulch.engine.document.studies import ScanEntry, SearchEntry
    from gulch.engine.work.job import Job
    from gulch.engine.work.tasks import FindBest, RefineScan, ScanPart


log = logging.getLogger("gulch.scans")
under_way = {}  # run -> its Running, while it is under way in this server
changing = threading.Lock()  # held while a run begins or ends: a stopped one may end after it was gone on with
EVERY = 0.5  # s between two writes of finished points
WORDS = {
    Ending.OUT_OF_TIME: "The time limit ended a part of it.",
    Ending.DIED: "A process that worked on it ended unexpectedly (killed, or out of memory).",
    Ending.FAULT: "It stopped on a fault of Gulch's own; the process is unchanged.",
}


def key_of(run: ScanRun) -> tuple:
    """The name under which workers know a run's parts."""
    return ("scan", run.pk)


class Running(ABC):
    """A run whose points come in from workers, each kept as it comes. entry: the scan or search of the document."""

    def __init__(self, run: ScanRun, document: Project, start: bytes | None, entry: ScanEntry | SearchEntry) -> None:
        self.run, self.document, self.begin_from, self.entry = run, document, start, entry
        self.points = {p.place: p.data for p in run.points.all()}
        self.fresh, self.written = {}, time.monotonic()
        self.lock = threading.RLock()
        self.worst = None  # the job that ended worst

    def begin(self) -> None:
        """Hand the run's parts in, unless somebody else has begun it meanwhile."""
        with changing:
            if not ScanRun.objects.filter(pk=self.run.pk, state__in=ScanRun.RESTING).update(state=ScanRun.WAITING, why=""):
                return
            under_way[self.run.pk] = self
        self.hand_in_first()

    @abstractmethod
    def hand_in_first(self) -> None:
        """Hand in what a run begins with."""

    def submit(self, task: FindBest | RefineScan | ScanPart, **more: Any) -> None:
        """Have a part worked on."""
        solving.workers().submit(task, key=key_of(self.run), replaces=False, owner=self.run.project.owner_id, lane="later", **more)

    def keep(self, job: Job, item: tuple) -> None:
        """A point came in."""
        place, point = item
        with self.lock:
            if place in self.points and not point["solved"]:
                return
            self.points[place] = self.fresh[place] = point
            if time.monotonic() > self.written + EVERY:
                self.write()
        solving.leave_thread()

    def write(self) -> bool:
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

    def found(self, more: dict) -> bool:
        """Keep what a part answered beside its points; whether it could be written."""
        try:
            ScanRun.objects.filter(pk=self.run.pk).update(result=self.run.result | more)
        except DatabaseError:
            log.exception("what a scan found could not be written")
            return False
        return True

    def finish(self, why: str = "") -> None:
        """Write what is left and how it ended; why: a sentence where it cannot be done at all."""
        try:
            state, words = (ScanRun.FAILED, why) if why else self.outcome()
            with self.lock:
                if self.fresh and not self.write():
                    state = ScanRun.FAILED
                    words = "The last points could not be stored: the disk may be full. Go on with the rest later."
            self.leave(state=state, why=words)
        finally:
            self.leave()
            solving.leave_thread()

    def leave(self, **ending: Any) -> None:
        """Be under way no more. What has been stopped and gone on with since says nothing about how the run ended."""
        with changing:
            if under_way.get(self.run.pk) is not self:
                return
            del under_way[self.run.pk]
            if ending:
                ScanRun.objects.filter(pk=self.run.pk).update(**ending)

    def outcome(self) -> tuple:
        """(state, why) by the worst ending of its parts."""
        if self.worst is None:
            return ScanRun.DONE, ""
        if self.worst.ending in (Ending.STOPPED, Ending.REPLACED):
            return ScanRun.CANCELLED, ""
        return ScanRun.FAILED, self.worst.words or WORDS[self.worst.ending]
