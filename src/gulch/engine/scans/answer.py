"""The answer of a scan: the windows, what ends them, and the best point inside."""

from __future__ import annotations

from dataclasses import dataclass, field
from itertools import combinations
from typing import Any

from gulch.engine.scans.windows import limit_broken, windows

STILL = 1e-7  # of its size, by which a gauge must move to be said to move


@dataclass(frozen=True)
class Best:
    """The best point: values of the knobs and of the gauge [SI], and whether it was solved between points (edge or peak)."""

    values: list
    reads: float
    between: bool = False


@dataclass
class Answer:
    """What a scan says. windows: of one knob, [(low, high)] in SI; ends: [(broken below, broken above)] as (gauge id, limit) or None.

    inside, doubtful, failed: numbers of points; excluding: pairs or single gauge ids that no point satisfies;
    nearest: the point that breaks limits least where none meets them all.
    """

    limited: bool
    windows: list = field(default_factory=list)
    ends: list = field(default_factory=list)
    best: Best | None = None
    inside: int = 0
    doubtful: int = 0
    failed: int = 0
    excluding: list = field(default_factory=list)
    nearest: dict | None = None
    drawn: bool = False  # some end of a window lies on a line between points, because its limit was typed after the run
    still: float | None = None  # what the shown gauge reads at every point, where the knobs do not move it
    near: list = field(default_factory=list)  # of one knob: windows in which the shown gauge is within a share of its best too


def answer_of(result: dict[str, Any], shown: str, highest: bool = True, passing: list | tuple = (), within: float | None = None) -> Answer:
    """The Answer of a ScanResult as plain data. shown: id of the gauge of which the highest (or lowest) value is sought.

    passing: codes of doubts that do not keep a point from being the best; within: share of the best that may be lost, for `near`.
    """
    gauges, one = result["gauges"], len(result.get("axes") or [0]) == 1
    points = with_peaks(result) if one else result["points"]
    out = Answer(any(g[n] is not None for g in gauges for n in ("at_least", "at_most")))
    good = [p for p in points if p["solved"] and all(limit_broken(p, g) is None for g in gauges)]
    out.inside = sum(not p.get("between") for p in good)
    out.doubtful = sum(_doubted(p, passing) for p in points)
    out.failed = sum(not p["solved"] for p in points)
    if one:
        out.windows = windows(points, gauges, result.get("edges") or ())
        out.ends = [_ends(points, gauges, w) for w in out.windows]
        solved = {x["value"] for x in (*points, *(result.get("edges") or ()))}
        out.drawn = any(end not in solved for w in out.windows for end in w)
    elif 0 < len(good) < len(points):
        now = {(g["id"], n): g[n] for g in gauges for n in ("at_least", "at_most")}
        out.drawn = not any(e["at"] == now.get((e["gauge"], e["limit"])) for e in result.get("edges") or ())
    out.still = _still(points, next(g for g in gauges if g["id"] == shown))
    out.best = _best(result, good, shown, highest, out.windows, passing) if out.still is None else None
    if out.best is not None and within is not None and out.windows is not None and one:
        out.near = _near(result, shown, highest, out.best.reads, within)
    if out.limited and not good:
        _why_none(out, points, gauges)
    return out


def _still(points: list[dict[str, Any]], gauge: dict[str, Any]) -> float | None:
    """The reading of a gauge that no point moves by more than solves of one state may differ, or None."""
    reads = [p["gauges"][gauge["id"]] for p in points if p["solved"] and p["gauges"].get(gauge["id"]) is not None]
    if len(reads) < 2:
        return None
    low, high = min(reads), max(reads)
    size = max(abs(low), abs(high))
    if gauge.get("dimension") == "fraction":
        size = min(size, max(abs(1.0 - low), abs(1.0 - high))) or size
    return reads[0] if high - low <= STILL * size else None


def with_peaks(result: dict[str, Any]) -> list[dict[str, Any]]:
    """The points of a scan of one knob and its peaks, solved between them, in their order: a limit may be met at a peak alone."""
    known = {p["value"] for p in result["points"]}
    peaks = {x["value"]: x["gauges"] for x in result.get("peaks") or () if x["value"] not in known}
    between = [
        {"value": v, "values": [v], "solved": True, "gauges": g, "doubts": _beside(result, v), "between": True} for v, g in peaks.items()
    ]
    return sorted([*result["points"], *between], key=lambda p: p["value"]) if between else result["points"]


def _beside(result: dict[str, Any], value: float) -> list:
    """Doubts of the points on both sides of a value."""
    below = [p for p in result["points"] if p["value"] < value]
    above = [p for p in result["points"] if p["value"] > value]
    sides = [*sorted(below, key=lambda p: p["value"])[-1:], *sorted(above, key=lambda p: p["value"])[:1]]
    return sorted({c for p in sides for c in p.get("doubts", ())})


def _near(result: dict[str, Any], shown: str, highest: bool, best: float, within: float) -> list[tuple]:
    """Windows in which all limits hold and the shown gauge loses at most a share of its best; their ends lie between points."""
    least = best - within * abs(best) if highest else best + within * abs(best)
    limit = {"id": shown, "at_least": least if highest else None, "at_most": None if highest else least}
    edges, peaks = list(result.get("edges") or ()), result.get("peaks") or ()
    between = [{"value": x["value"], "solved": True, "gauges": x["gauges"]} for x in (*edges, *peaks)]
    solved = [*result["points"], *between]
    return windows(sorted(solved, key=lambda p: p["value"]), [*result["gauges"], limit], edges)


def _ends(points: list[dict[str, Any]], gauges: list[dict[str, Any]], window: tuple) -> tuple:
    """What is broken just below and just above a window: (gauge id, limit) each, None at an end of the range."""
    before = [p for p in points if p["value"] < window[0]]
    after = [p for p in points if p["value"] > window[1]]

    def broken(p: dict[str, Any] | None) -> tuple | None:
        if p is None:
            return None
        if not p["solved"]:
            return ("", "failed")
        return next(((g["id"], b) for g in gauges if (b := limit_broken(p, g))), None)

    return broken(before[-1] if before else None), broken(after[0] if after else None)


def _doubted(point: dict[str, Any], passing: list[str] | tuple) -> bool:
    return any(c not in passing for c in point.get("doubts", ()))


def _best(
    result: dict, good: list[dict[str, Any]], shown: str, highest: bool, inside: list[tuple], passing: list[str] | tuple
) -> Best | None:
    """The best trusted point, or one solved between points."""
    sign = 1.0 if highest else -1.0
    found = [
        Best(p.get("values", [p["value"]]), p["gauges"][shown], p.get("between", False))
        for p in good
        if p["gauges"].get(shown) is not None and not _doubted(p, passing)
    ]
    trusted = [p for p in result["points"] if p["solved"] and not _doubted(p, passing)]
    if len(result.get("axes") or [0]) > 1:
        found += [Best(e["values"], e["gauges"][shown], True) for e in result.get("edges") or () if _sound(e, result, shown, passing)]
        return max(found, key=lambda b: sign * b.reads, default=None)
    for x in (*(result.get("edges") or ()), *(result.get("peaks") or ())):
        value, reads = x["value"], x["gauges"].get(shown)
        around = [p for p in trusted if abs(p["value"] - value) <= _spacing(result)]
        if reads is not None and len(around) > 1 and any(low <= value <= high for low, high in inside):
            found.append(Best([value], reads, True))
    return max(found, key=lambda b: sign * b.reads, default=None)


def _sound(edge: dict[str, Any], result: dict, shown: str, passing: list[str] | tuple) -> bool:
    """Whether an edge of two knobs may be the best: its neighbours in the row are trusted, and today's limits hold there."""
    if edge["gauges"].get(shown) is None or "values" not in edge:
        return False
    x, held = edge["values"]
    row = sorted((p for p in result["points"] if p["values"][1] == held), key=lambda p: p["value"])
    beside = [next((p for p in reversed(row) if p["value"] <= x), None), next((p for p in row if p["value"] >= x), None)]
    if not all(p is not None and p["solved"] and not _doubted(p, passing) for p in beside):
        return False
    for g in result["gauges"]:
        on_it = g["id"] == edge["gauge"] and g[edge["limit"]] == edge["at"]
        if not on_it and limit_broken(edge, g) is not None:
            return False
    return True


def _spacing(result: dict[str, Any]) -> float:
    values = result["axes"][0]["values"] if result.get("axes") else [p["value"] for p in result["points"]]
    return max((b - a for a, b in zip(values, values[1:], strict=False)), default=0.0)


def _why_none(out: Answer, points: list[dict[str, Any]], gauges: list[dict[str, Any]]) -> None:
    """Which limits no point meets: one alone, or the pairs that exclude each other; and the point that comes nearest."""
    solved = [p for p in points if p["solved"]]
    out.excluding = excluding(solved, gauges)

    def off(p: dict[str, Any]) -> float:
        worst = 0.0
        for g in gauges:
            b = limit_broken(p, g)
            if b:
                worst = max(worst, abs(p["gauges"][g["id"]] - g[b]) / max(abs(g[b]), 1e-300))
        return worst

    out.nearest = min(solved, key=off, default=None)


def excluding(points: list, gauges: list) -> list[tuple]:
    """Ids of the gauges whose limits no point meets, (id,) each; without such, of pairs that no point meets together."""
    met = {g["id"]: {i for i, p in enumerate(points) if limit_broken(p, g) is None} for g in gauges}
    return [(i,) for i, those in met.items() if points and not those] or [(a, b) for a, b in combinations(met, 2) if not met[a] & met[b]]
