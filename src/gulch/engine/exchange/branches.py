"""The steady states that a scan found of loops, in words."""

from __future__ import annotations

from typing import Any

from gulch.engine.quantities import along, show

HAPPENS = {"ignition": "it ignites", "extinction": "it goes out", "fold": "its state ceases to exist"}


def most_states(curves: list[dict[str, Any]]) -> int:
    """How many steady states a loop has at most at one value of the knob."""
    spans = [(min(x), max(x)) for c in curves for arc in c["arcs"] if len(x := [p["value"] for p in arc["points"]]) > 1]
    ends = sorted({v for span in spans for v in span})
    return max((sum(a <= 0.5 * (x + y) <= b for a, b in spans) for x, y in zip(ends, ends[1:], strict=False)), default=0)


def on_branches(result: dict[str, Any], display: str) -> list[str]:
    """Sentences on the branches of a ScanResult as plain data, one after another; none where there is one state throughout."""
    curves = result.get("branches") or []
    axis = (result.get("axes") or [result])[0]
    out: list[str] = []
    for tear in dict.fromkeys(c["tear"] for c in curves):
        own = [c for c in curves if c["tear"] == tear]
        out.append(f"The loop through {tear} has up to {most_states(own)} steady states at one {axis['label']}.")
        folds = sorted(_folds(own, axis, display))
        out += [words for _, words in folds]
        if not any(c["folds"] or c["cut"] for c in own):
            out.append(f"Each exists over the whole range of {axis['label']}, so none ignites or goes out.")
        out += [f"One branch was not followed to its end: {why}." for c in own for why in c["cut"]]
        if any(c["closed"] for c in own):
            out.append("One branch closes on itself: no turning of the knob leads to it, only a start in it.")
    return out


def _folds(curves: list[dict[str, Any]], axis: dict[str, Any], display: str) -> list[tuple[float, str]]:
    """(value, sentence) of each fold at which a state that lasts ceases to exist."""
    out = []
    for curve in curves:
        for k, fold in enumerate(curve["folds"]):
            arc = next((a for a in curve["arcs"][k : k + 2] if a["stable"]), None)
            if arc is None:
                continue
            at = show(fold["value"], axis["dimension"], along(display, axis), 4)
            T = show(fold["temperature"], "temperature", display, 4)
            below = sum(p["value"] for p in arc["points"]) / len(arc["points"]) < fold["value"]
            turned = "Raised" if below else "Lowered"
            out.append((fold["value"], f"{turned} past {at} with {curve['tear']} at {T}, {HAPPENS[fold['kind']]}."))
    return out
