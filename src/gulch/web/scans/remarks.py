"""What the points of a scan say besides their figures."""

from __future__ import annotations

import re
from typing import Any

from gulch.engine.quantities import along, write
from gulch.web.projects.words import pretty_text


def values_of(point: dict[str, Any]) -> list[float]:
    """Values of the knobs [SI] at a point; older ones hold that of the one knob only."""
    return point.get("values", [point["value"]])


def typed_point(point: dict[str, Any], axes: list[dict[str, Any]], display: str) -> str:
    """The knobs at a point as they would be typed."""
    return ", ".join(write(v, a["dimension"], along(display, a), 7) for a, v in zip(axes, values_of(point), strict=True))


def remarks_of(point: dict[str, Any]) -> list[str]:
    return [*([point["note"]] if point.get("note") else []), *point.get("warnings", ())]


def remark_kinds(result: dict[str, Any]) -> dict[str, list[tuple]]:
    """{remark with its numbers left out: [(typed value's place, remark)]} over the points that solved."""
    kinds = {}
    for at, p in enumerate(result["points"]):
        for words in remarks_of(p):
            kinds.setdefault(re.sub(r"[\d.,\u202f−]+", "#", words), []).append((at, words))
    return kinds


def remark_lines(result: dict[str, Any], display: str) -> list[tuple]:
    """(words, at which points) of what the points say; remarks that differ in their numbers only stand together."""
    two = len(result.get("axes") or [0]) > 1
    typed = [pretty_text(typed_point(p, result.get("axes") or [result], display)) for p in result["points"]]
    lines = []
    for found in remark_kinds(result).values():
        places = list(dict.fromkeys(at for at, _ in found))
        whole = len(places) == sum(p["solved"] for p in result["points"])
        where = typed[places[0]] if len(places) == 1 else f"{typed[places[0]]} to {typed[places[-1]]}"
        where = "at every point" if whole else f"at {len(places)} points" if two and len(places) > 1 else where
        alike = " (and alike)" if len({words for _, words in found}) > 1 else ""
        lines.append((found[0][1] + alike, where))
    return lines


def own_remarks(result: dict[str, Any]) -> list[list]:
    """Remarks of each point, without those that every point makes alike."""
    solved = sum(p["solved"] for p in result["points"])
    common = {kind for kind, found in remark_kinds(result).items() if len({at for at, _ in found}) == solved}
    return [[w for w in remarks_of(p) if re.sub(r"[\d.,\u202f−]+", "#", w) not in common] for p in result["points"]]
