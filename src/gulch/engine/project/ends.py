"""Which streams enter and leave each unit."""

from __future__ import annotations

from collections import defaultdict
from typing import TYPE_CHECKING

from gulch.engine.document import source_of
from gulch.engine.project.once import once

if TYPE_CHECKING:
    from gulch.engine.document import Project, StreamEntry


@once
def entering(project: Project) -> dict[str | None, list[StreamEntry]]:
    """{unit: streams that enter it, in the order of the document}; empty for units that are not there."""
    found = defaultdict(list)
    for s in project.streams:
        if s.to is not None:
            found[s.enters].append(s)
    return found


@once
def leaving(project: Project) -> dict[str | None, list[tuple[str | None, StreamEntry]]]:
    """{unit: (port or None, stream) of the streams that leave it}; empty for units that are not there."""
    found = defaultdict(list)
    for s in project.streams:
        if s.source is not None:
            unit, port = source_of(s)
            found[unit].append((port, s))
    return found
