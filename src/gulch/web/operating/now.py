"""What is so at the moment the counts are asked for: queues, memory, disk."""

from __future__ import annotations

import resource
import shutil
import sys
from typing import TYPE_CHECKING

from django.conf import settings
from prometheus_client import generate_latest
from prometheus_client.core import GaugeMetricFamily
from prometheus_client.registry import Collector

from gulch.web.operating.counts import REGISTRY
from gulch.web.projects import solving

if TYPE_CHECKING:
    from collections.abc import Iterator


_BYTES = 1 if sys.platform == "darwin" else 1024  # of ru_maxrss


class Now(Collector):
    """What is so at the moment it is asked."""

    def collect(self) -> Iterator:
        running, waiting = solving.workers().load()
        yield GaugeMetricFamily("gulch_jobs_running", "Jobs that users wait for and that run", running)
        yield GaugeMetricFamily("gulch_jobs_waiting", "Jobs that users wait for and that wait for a worker", waiting)
        most = _BYTES * resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        yield GaugeMetricFamily("gulch_server_memory_bytes", "The most memory this server process has had", most)
        yield GaugeMetricFamily("gulch_disk_free_bytes", "Free room where the data lie", shutil.disk_usage(settings.HOME).free)


REGISTRY.register(Now())


def text() -> bytes:
    """All counts, as text."""
    return generate_latest(REGISTRY)
