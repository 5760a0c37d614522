"""Running solves elsewhere: tasks, worker processes, progress, stopping."""

from gulch.engine.work.inline import Inline
from gulch.engine.work.job import Ending, Job, Progress
from gulch.engine.work.packing import NotFinite, pack, unpack
from gulch.engine.work.pool import Workers
from gulch.engine.work.tasks import MoveKnobs, RefineScan, ScanPart, Size, Solve, document_digest, solution_of

__all__ = [
    "Ending",
    "Inline",
    "Job",
    "NotFinite",
    "Progress",
    "MoveKnobs",
    "RefineScan",
    "ScanPart",
    "Size",
    "Solve",
    "Workers",
    "document_digest",
    "pack",
    "solution_of",
    "unpack",
]
