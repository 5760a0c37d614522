"""Where every gauge is inside its limits, along one knob."""

from __future__ import annotations

from typing import Any

from gulch.engine.project.results import beyond


def windows(points: list, gauges: list, edges: list | tuple = ()) -> list:
    """[(low, high)] of a scan's values between which every gauge is inside its limits, SI; ends where a limit is crossed.

    points, gauges, edges: as of a ScanResult. A crossing that was solved is taken as it is; others lie on the straight lines
    between points. Beside a point that did not solve the window ends at the last one that did.
    """
    good = [p["solved"] and all(limit_broken(p, g) is None for g in gauges) for p in points]
    out, low = [], None
    for i, (p, inside) in enumerate(zip(points, good, strict=True)):
        if inside and low is None:
            low = p["value"] if i == 0 else _crossing(p, points[i - 1], gauges, edges)
        last = i + 1 == len(points)
        if inside and (last or not good[i + 1]):
            out.append((low, p["value"] if last else _crossing(p, points[i + 1], gauges, edges)))
            low = None
    return out


def limit_broken(point: dict, gauge: dict) -> str | None:
    """Which limit a gauge breaks at a point, "at_least" or "at_most", or None; one that was not computed breaks none."""
    value = point["gauges"].get(gauge["id"])
    return None if value is None else beyond(value, gauge["at_least"], gauge["at_most"])


def _crossing(inside: dict[str, Any], outside: dict[str, Any], gauges: list[dict[str, Any]], edges: list[dict[str, Any]] | tuple) -> float:
    """Where the first limit is crossed on the way from a point inside the window to one outside."""
    if not outside["solved"]:
        return inside["value"]
    a, b = inside["value"], outside["value"]
    share = 1.0
    for g in gauges:
        broken = limit_broken(outside, g)
        if broken is None:
            continue
        known = [
            e["value"]
            for e in edges
            if (e["gauge"], e["limit"], e["at"]) == (g["id"], broken, g[broken]) and min(a, b) <= e["value"] <= max(a, b)
        ]
        before, after = inside["gauges"].get(g["id"]), outside["gauges"].get(g["id"])
        if known:
            share = min([share, *((x - a) / (b - a) for x in known)])
        elif before is not None and before != after:
            share = min(share, (g[broken] - before) / (after - before))
    return a + share * (b - a)
