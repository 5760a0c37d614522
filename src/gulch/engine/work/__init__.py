"""Running solves elsewhere: tasks, worker processes, progress, stopping."""

from gulch.engine.work.examining import Examine, look_at
from gulch.engine.work.inline import Inline
from gulch.engine.work.job import Ending, Job, Progress
from gulch.engine.work.packing import NotFinite, pack, unpack
from gulch.engine.work.pool import Workers
from gulch.engine.work.tasks import (
    Attain,
    BoilPair,
    DrawCourses,
    FindBest,
    FitLaws,
    MoveKnobs,
    RefineScan,
    SampleData,
    ScanPart,
    Size,
    Solve,
    TryModels,
    asked_digest,
    document_digest,
    solution_of,
    world_digest,
)

__all__ = [
    "BoilPair",
    "DrawCourses",
    "Ending",
    "Examine",
    "FindBest",
    "Inline",
    "Job",
    "NotFinite",
    "Progress",
    "MoveKnobs",
    "RefineScan",
    "SampleData",
    "ScanPart",
    "Attain",
    "Size",
    "Solve",
    "FitLaws",
    "TryModels",
    "Workers",
    "asked_digest",
    "document_digest",
    "look_at",
    "pack",
    "solution_of",
    "unpack",
    "world_digest",
]
