"""What the server has done since it began, for whoever watches it: in the text format that monitoring reads."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from prometheus_client import CollectorRegistry, Counter, Histogram

if TYPE_CHECKING:
    pass


REGISTRY = CollectorRegistry()
SOLVES = Counter("gulch_solves", "Solves of projects that ended, by how they did", ["ending"], registry=REGISTRY)
FIGURES = Histogram(
    "gulch_seconds_to_figures",
    "Seconds from the moment a solve was handed in until its figures were stored",
    buckets=(0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10, 30, 60, 300),
    registry=REGISTRY,
)
FAULTS = Counter("gulch_faults", "Requests that met a fault of Gulch's own", registry=REGISTRY)


def ended(job: Any, stored: bool) -> None:
    """Count a job that ended; stored: whether it brought figures that are kept."""
    SOLVES.labels(ending=job.ending.name.lower()).inc()
    if stored:
        FIGURES.observe(job.age)
