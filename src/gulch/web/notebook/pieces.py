"""The pieces of the notebook, each made of what the project's own pages show."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.project.notebook import WHOLE, pieces_of
from gulch.web.notebook import chemistry, process, studies
from gulch.web.notebook.parts import Section

if TYPE_CHECKING:
    from collections.abc import Callable

    from gulch.web.notebook.studies import Asked
    from gulch.web.projects.workspace import Workspace


MADE: dict[str, Callable] = {
    "gauges": process.gauges,
    "chemistry": chemistry.chemistry,
    "map": process.map_of,
    "streams": process.streams,
    "reactors": process.reactors,
    "columns": process.columns,
    "balances": process.balances,
    "loops": process.loops,
    "assumptions": process.assumptions,
    "warnings": process.warnings,
    "unit": process.unit,
    "stream": process.stream,
    "result": process.result,
    "scan": studies.scan,
    "search": studies.search,
    "variants": studies.variants,
    "worth": studies.worth,
    "swings": studies.swings,
    "sure": studies.sure,
    "sizing": studies.sizing,
    "measured": studies.measured,
}


def sections(space: Workspace, asked: Asked) -> list[Section]:
    """The Section of every piece of the notebook, in order. asked: what workers have found for it."""
    return [_section(space, asked, piece, place) for place, piece in enumerate(pieces_of(space.whole))]


def _section(space: Any, asked: Any, piece: Any, place: int) -> Section:
    section = Section(piece.key, WHOLE.get(piece.what, piece.of), piece.comment, place=place)
    MADE[piece.what](section, space, asked if piece.what in studies.ANSWERED else piece.of)
    return section
