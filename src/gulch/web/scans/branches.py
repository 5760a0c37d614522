"""The branches of steady states that a scan found, as rows to be taken."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.exchange import on_branches
from gulch.engine.quantities import along, show, write

if TYPE_CHECKING:
    from gulch.web.projects.workspace import Workspace

ALIKE = 1.0  # K within which the process stands on a branch


@dataclass
class BranchRow:
    """A branch: whether it lasts, the knob's and the tear's range, whether the process stands on it, and what takes it where it does not.

    at: about the temperature of the branch's state with the knob as it stands, read between states that were solved; near: the same
    as written into the document, or "".
    """

    tear: str
    stable: bool
    knob: str
    temperatures: str
    here: bool
    at: str
    near: str


@dataclass
class BranchPanel:
    """What is said of a scan's branches, and each of them."""

    said: list[str]
    rows: list[BranchRow]


def branch_panel(result: dict[str, Any], space: Workspace) -> BranchPanel | None:
    """The BranchPanel of a result; None where the process has one state throughout."""
    said = on_branches(result, space.display)
    if not said:
        return None
    axis = (result.get("axes") or [result])[0]
    rows = [_row(curve["tear"], arc, axis, space) for curve in result["branches"] for arc in curve["arcs"]]
    return BranchPanel(said, sorted((r for r, _ in rows), key=lambda r: [t for x, t in rows if x is r]))


def _row(tear: str, arc: dict[str, Any], axis: dict[str, Any], space: Workspace) -> tuple[BranchRow, float]:
    """(a branch's row, its mean temperature)."""
    on = along(space.display, axis)
    values, temperatures = (np.array([p[name] for p in arc["points"]]) for name in ("value", "temperature"))
    order = np.argsort(values)
    now = space.stands(axis["address"])
    T = float(np.interp(now, values[order], temperatures[order])) if now is not None and values.min() <= now <= values.max() else None
    stream = space.solution.streams.get(tear) if space.solution else None
    here = T is not None and stream is not None and stream.temperature is not None and abs(stream.temperature - T) < 10.0 * ALIKE
    row = BranchRow(
        tear,
        arc["stable"],
        f"{show(values.min(), axis['dimension'], on, 4)} to {show(values.max(), axis['dimension'], on, 4)}",
        f"{show(temperatures.min(), 'temperature', space.display, 4)} to {show(temperatures.max(), 'temperature', space.display, 4)}",
        here,
        "" if T is None else f"about {show(T, 'temperature', space.display, 3)}",
        "" if T is None or here else write(T, "temperature", space.display),
    )
    return row, float(temperatures.mean())
