"""Having projects solved: what is known, what is under way, and keeping what comes.

The outcome of a solve belongs to the digest of what was solved, so undo, redo, going back and variants find it again.
"""

from __future__ import annotations

import logging
import threading
from contextlib import contextmanager
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Any

from django.conf import settings
from django.db import DatabaseError, close_old_connections, transaction

from gulch.engine.document import Project as Document
from gulch.engine.flowsheet.solution import Solution
from gulch.engine.project.messages import Message
from gulch.engine.project.places import WHOLE
from gulch.engine.work import Ending, Inline, Solve, Workers, pack, solution_of
from gulch.web.operating import counts
from gulch.web.projects.models import Outcome, Project
from gulch.web.projects.turnstile import waited

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.engine.compiling.making import Progress
    from gulch.engine.work.job import Job
    from gulch.web.projects.models import Revision


log = logging.getLogger("gulch.web")
PATIENCE = 1.0  # s that an answer waits for figures
HURRIED = 0.35  # s that it waits where others wait too
TRY_PATIENCE = 3.0  # s that a slider's position may take
CROWDED = 3, 25  # jobs waiting for a worker from which on answers wait shorter, and not at all
KEPT = 60  # outcomes of a project besides the current one and the last good one
STORED_NOT = "The figures could not be stored: {}. Make room or mend the disk, then press “solve again”."

_lock = threading.Lock()
_beginning = threading.Lock()  # two requests on one revision are given one Job: neither takes the other's place
_writing = threading.RLock()
_pool = None
_patient = threading.Semaphore(40)  # answers that may wait at a time; more would leave no thread for pages
_untold = {}  # (project, digest) -> why an outcome could not be stored


@contextmanager
def changing() -> Iterator:
    """A short transaction that writes. One at a time in this process: SQLite lets only one write and wakes who waits at random."""
    with _writing, transaction.atomic():
        yield


def workers() -> Any:
    """The pool of this server process, made when it is first needed."""
    global _pool
    with _lock:
        if _pool is None:
            _pool = Inline() if settings.GULCH_WORK_INLINE else _processes()
        return _pool


def _processes() -> Any:
    """Worker processes here, or with the scans on a cluster where one is given."""
    sizes = settings.GULCH_WORKERS_NOW, settings.GULCH_WORKERS_LATER, settings.GULCH_TIME_LIMIT
    if not settings.GULCH_CLUSTER:
        return Workers(*sizes)
    from gulch.engine.work.cluster import Cluster

    return Cluster(settings.GULCH_CLUSTER, *sizes)


def close() -> None:
    """End the pool with everything under way."""
    global _pool
    with _lock:
        pool, _pool = _pool, None
    if pool is not None:
        pool.close()


def compiling() -> Progress | None:
    """How far the making of machine code is, while solves are slow for want of it; else None."""
    return workers().compiling()


def warm() -> None:
    """Have the first worker made, kernels loaded, before somebody waits for it."""
    workers().submit(Solve(Document(name="Warm up").dump()), key="warm-up")


def key_of(row: Project) -> tuple:
    return ("solve", row.pk)


def begin(row: Project, task: Solve | None = None) -> Job | None:
    """Have the current revision solved: a Job, or None where its outcome is known.

    task: the Solve to do whatever is known already.
    """
    with _beginning:
        return _begun(row, task)


def ahead(row: Project, revision: Revision) -> bool:
    """Hand in the solve of a revision that is about to be stored: workers begin while it is. `begin` finds it under way.

    Whether it was: not where its outcome is known.
    """
    pool = workers()
    if isinstance(pool, Inline) or (row.pk, revision.digest) in _untold or row.outcomes.filter(digest=revision.digest).exists():
        return False
    hand_in(row, Solve(revision.worked_data, start=start_of(row)), revision.digest, key_of(row))
    return True


def _begun(row: Project, task: Solve | None) -> Job | None:
    digest = row.current.digest
    if task is None:
        job = workers().find(key_of(row), stopping=True)
        if job is not None and job.about == digest:
            return job  # before any outcome: it may be solved once more, or gone on with
        if row.outcomes.filter(digest=digest).exists() or (row.pk, digest) in _untold:
            return None
        task = Solve(row.current.worked_data, start=start_of(row))
    _untold.pop((row.pk, digest), None)
    return hand_in(row, task, digest, key_of(row))


def answer(row: Project, task: Any, key: tuple, patience: float | None = None) -> tuple:
    """(Outcome of a task beside the current solve, or None; whether it is still being worked on)."""
    digest = task.digest
    found = row.outcomes.filter(digest=digest).first()
    if found is not None or (row.pk, digest) in _untold:
        return found, False
    job = workers().find(key)
    if job is None or job.about != digest:
        job = hand_in(row, task, digest, key)
    pending = awaited(job, patience) is not None
    return row.outcomes.filter(digest=digest).first(), pending


def hand_in(row: Project, task: Any, digest: str, key: tuple) -> Job:
    """A Job for a task on a project, whose answer is kept under a digest when it comes."""
    return workers().submit(task, key=key, owner=row.owner_id, about=digest, on_end=partial(_ended, row.pk, digest))


def start_of(row: Any) -> bytes | None:
    """Packed Solution that a solve of the current revision begins from, or None."""
    return bytes(row.good_outcome.packed) if row.good_outcome else None


def figures(row: Project, patience: float | None = None) -> Any:
    """The current revision's figures are seen to: None once they are there, else the Job that is still under way.

    Where another Job took its place meanwhile, that one: whoever waits asks again when it ends.
    """
    job = begin(row)
    left = awaited(job, patience)
    return workers().find(key_of(row)) if left is None and job is not None and job.ending is Ending.REPLACED else left


def awaited(job: Job | None, patience: float | None = None) -> Any:
    """None once a Job has ended, else the Job; waits a moment, if not too many wait already."""
    if job is None or job.ended:
        return None
    before = workers().load()[1]
    if before > CROWDED[1] or not _patient.acquire(blocking=False):
        return job
    try:
        return None if waited(job, (HURRIED if before > CROWDED[0] else PATIENCE) if patience is None else patience) else job
    finally:
        _patient.release()


def progress_of(job: Any) -> Any:
    """How far a Job is, and how many come before it where it waits."""
    return replace(job.progress, before=workers().before(job))


def trouble_of(row: Project) -> str:
    """Why the current revision's figures could not be stored, or ''."""
    return _untold.get((row.pk, row.current.digest), "")


def tried(row: Project, document: Project, overrides: dict[str, float], client: str) -> Solution | None:
    """The Solution of a document with other values of some inputs, kept nowhere; None where it is overtaken or takes too long.

    overrides: {address: SI value}. client: the open page that asks; its newest question counts.
    """
    task = Solve(document.dump(), start_of(row), overrides, explain=False, again=False)
    job = workers().submit(task, key=("try", row.pk, client), owner=row.owner_id)
    if not waited(job, TRY_PATIENCE):
        workers().stop(job.key)
    return solution_of(job.value[1]) if job.ending is Ending.DONE else None


def go_on(row: Project) -> Job | None:
    """Continue the loops from the last iterate."""
    found = row.outcome()
    start = bytes(found.packed) if found else start_of(row)
    return begin(row, Solve(row.current.worked_data, start=start, max_passes=600, again=False))


def again(row: Project) -> Job | None:
    """Solve the current revision again, from the last good state."""
    return begin(row, Solve(row.current.worked_data, start=start_of(row)))


def stop(row: Project) -> None:
    """Stop what is under way for the current revision; the last good figures stay."""
    job = workers().find(key_of(row))
    workers().stop(key_of(row))
    if job is not None:
        waited(job, 5.0)


def _ended(pk: int, digest: str, job: Job) -> None:
    """Keep the answer of a job, and count it; called in a thread of the pool."""
    if job.ending is Ending.REPLACED:
        return counts.ended(job, stored=False)
    try:
        solved, packed = job.value if job.ending is Ending.DONE else (False, broken_off(job))
        keep(pk, digest, solved, packed)
        counts.ended(job, stored=solved)
    except DatabaseError as error:
        _untold[pk, digest] = STORED_NOT.format(error)
        log.warning("an outcome of project %s could not be stored: %s", pk, error)
    finally:
        leave_thread()


def leave_thread() -> None:
    """Give up the database connection of a thread of the pool, where threads do not keep theirs."""
    if threading.current_thread().name.startswith("gulch-work"):
        close_old_connections()


def broken_off(job: Any) -> bytes:
    """Packed Solution of a job that brought none."""
    why = job.words or f"Not solved: {job.ending.value}."
    message = Message("error", WHOLE, why, "Solve it again, or change what makes it hard.")
    return pack(Solution(False, [], messages=[message], broken_off=job.ending.value).to_dict())


def keep(pk: int, digest: str, solved: bool, packed: bytes) -> None:
    """Store an outcome; it becomes the good one only where the project still stands at what was solved."""
    with changing():
        held = Project.objects.select_for_update().select_related("current").defer("current__document")
        row = held.filter(pk=pk).first()
        if row is None:
            return
        (found,) = Outcome.objects.bulk_create(
            [Outcome(project=row, digest=digest, solved=solved, packed=packed)],
            update_conflicts=True,
            unique_fields=["project", "digest"],
            update_fields=["solved", "packed", "created"],
        )
        if digest == row.current.digest:
            know(row, found)
        if row.outcomes.count() > KEPT + 10:
            thin(row)


def know(row: Project, found: Outcome | None = None) -> None:
    """Take the current revision's outcome (looked up unless given) for the good one, where it is known and solved."""
    found = found or row.outcomes.filter(digest=row.current.digest, solved=True).first()
    if found is not None and found.solved:
        row.good_outcome, row.good_revision = found, row.current.number
        row.save(update_fields=["good_outcome", "good_revision"])


def thin(row: Project) -> None:
    """Drop the oldest outcomes; a revision that lost its own is solved again when somebody goes back to it."""
    spare = row.outcomes.exclude(pk=row.good_outcome_id or 0).exclude(digest=row.current.digest)
    old = list(spare.order_by("-created").values_list("pk", flat=True)[KEPT:])
    row.outcomes.filter(pk__in=old).delete()
