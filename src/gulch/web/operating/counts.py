"""What the server has done since it began, for whoever watches it: in the text format that monitoring reads."""

import resource
import shutil
import sys

from django.conf import settings
from prometheus_client import CollectorRegistry, Counter, Histogram, generate_latest
from prometheus_client.core import GaugeMetricFamily
from prometheus_client.registry import Collector

REGISTRY = CollectorRegistry()
SOLVES = Counter("gulch_solves", "Solves, scans and searches that ended, by how they did", ["ending"], registry=REGISTRY)
FIGURES = Histogram(
    "gulch_seconds_to_figures",
    "Seconds from the moment a solve was handed in until its figures were stored",
    buckets=(0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10, 30, 60, 300),
    registry=REGISTRY,
)
FAULTS = Counter("gulch_faults", "Requests that met a fault of Gulch's own", registry=REGISTRY)
_BYTES = 1 if sys.platform == "darwin" else 1024  # of ru_maxrss


class _Now(Collector):
    """What is so at the moment it is asked."""

    def collect(self):
        from gulch.web.projects import solving

        running, waiting = solving.workers().load()
        yield GaugeMetricFamily("gulch_jobs_running", "Jobs that users wait for and that run", running)
        yield GaugeMetricFamily("gulch_jobs_waiting", "Jobs that users wait for and that wait for a worker", waiting)
        most = _BYTES * resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        yield GaugeMetricFamily("gulch_server_memory_bytes", "The most memory this server process has had", most)
        yield GaugeMetricFamily("gulch_disk_free_bytes", "Free room where the data lie", shutil.disk_usage(settings.HOME).free)


REGISTRY.register(_Now())


def ended(job, stored):
    """Count a job that ended; stored: whether it brought figures that are kept."""
    SOLVES.labels(ending=job.ending.name.lower()).inc()
    if stored:
        FIGURES.observe(job.age)


def text():
    """All counts, as text."""
    return generate_latest(REGISTRY)
