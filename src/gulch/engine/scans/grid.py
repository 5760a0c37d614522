"""What a scan turns and records: axes of knob values, and the gauges."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.project.couplings import readings
from gulch.engine.project.inputs import addresses, distinct, twins
from gulch.engine.quantities import QuantityError, difference_of, parse, split_text, unit_of

if TYPE_CHECKING:
    from gulch.engine.document import Project, ScanEntry, Sweep
    from gulch.engine.document.process import KnobEntry

MOST_POINTS = 20_000  # of one scan


class ScanError(ValueError):
    """A scan that cannot be run; the message is a sentence for the user."""


@dataclass(frozen=True)
class Axis:
    """A knob and the values that it takes in a scan, SI, rising, shape (n,)."""

    knob: str
    address: str
    dimension: str
    label: str
    values: np.ndarray
    spacing: str = "linear"
    unit: str = ""  # in which its range was typed

    def to_dict(self) -> dict[str, Any]:
        """Plain data, as stored."""
        return dict(vars(self)) | {"values": self.values.tolist()}


@dataclass(frozen=True)
class Grid:
    """The points of a scan: the first axis runs fastest. gauges: rows {"id", "label", "dimension", "reads", limits}."""

    axes: tuple[Axis, ...]
    gauges: list

    @property
    def count(self) -> int:
        """How many points there are."""
        return math.prod(len(a.values) for a in self.axes)

    @property
    def row(self) -> int:
        """How many points stand in one row: those of the first axis."""
        return len(self.axes[0].values)

    def at(self, i: int) -> list[float]:
        """Values of the knobs [SI] at a point."""
        out = []
        for axis in self.axes:
            i, k = divmod(i, len(axis.values))
            out.append(float(axis.values[k]))
        return out

    def overrides(self, i: int) -> dict[str, float]:
        """{address: SI value} at a point."""
        return {a.address: v for a, v in zip(self.axes, self.at(i), strict=True)}


@dataclass(frozen=True)
class Listed(Grid):
    """Points of a list: each axis holds the values that its knob takes at them, in their order, shape (count,)."""

    @property
    def count(self) -> int:
        return len(self.axes[0].values)

    def at(self, i: int) -> list[float]:
        return [float(a.values[i]) for a in self.axes]


def grid_of(project: Project, scan: ScanEntry) -> Grid:
    """The Grid of a scan, Listed where it has a list of points for several knobs. Raises ScanError with a sentence."""
    if scan.listed:
        return _listed(project, scan)
    if len(scan.over) > 2:
        raise ScanError("A scan over ranges turns two knobs at most: leave the others out, or paste a list of points.")
    axes = tuple(axis_of(project, sweep) for sweep in scan.over)
    if not distinct((a.address for a in axes), twins(project)):
        raise ScanError("Both knobs of the scan turn the same input: choose another for one of them.")
    grid = Grid(axes, gauge_rows(project, gauges_of(project, scan)))
    if not grid.gauges:
        raise ScanError("The scan has no gauge to record: turn a result into a gauge first.")
    if grid.count > MOST_POINTS:
        minutes = 0.02 * grid.count / 60.0
        raise ScanError(
            f"{grid.count} points would take about {minutes:.0f} minutes or more and fill the store: ask for {MOST_POINTS} at most, "
            "then look closer where it matters."
        )
    return grid


def _listed(project: Project, scan: ScanEntry) -> Grid:
    """The Grid of a scan at the points of its list; those of one knob stand in rising order, each once."""
    axes = []
    for k, sweep in enumerate(scan.over):
        axis = axis_of(project, sweep.model_copy(update={"step": None, "spacing": "linear", "points": 2}))
        bounds, values = addresses(project)[axis.address], []
        for i, row in enumerate(scan.listed, 1):
            try:
                value = parse(row[k], axis.dimension)
            except IndexError:
                raise ScanError(f"Point {i} of the list has no value for {axis.label}: give one value for each knob.") from None
            except QuantityError as error:
                raise ScanError(f"Point {i} of the list: {error}") from None
            if not bounds.low <= value <= bounds.high:
                raise ScanError(f"Point {i} of the list: {row[k]} lies outside what {axis.label} allows.")
            values.append(value)
        axes.append(replace(axis, values=np.unique(values) if len(scan.over) == 1 else np.array(values)))
    if not distinct((a.address for a in axes), twins(project)):
        raise ScanError("Two knobs of the list turn the same input: leave one of them out.")
    kind = Grid if len(axes) == 1 else Listed
    grid = kind(tuple(axes), gauge_rows(project, gauges_of(project, scan)))
    if not grid.gauges:
        raise ScanError("The scan has no gauge to record: turn a result into a gauge first.")
    return grid


def axis_of(project: Project, sweep: Sweep) -> Axis:
    """The Axis of a sweep: so many points, or one a step, evenly or by equal factors. Raises ScanError."""
    knob = project.knob(sweep.knob)
    if knob is None:
        raise ScanError(f"The scan turns knob {sweep.knob}, which the project does not have: choose another knob.")
    inputs = addresses(project)
    if knob.input not in inputs:
        raise ScanError(f"Knob {knob.id} turns {knob.input}, which is not an input now: choose another knob.")
    address = inputs[knob.input]
    _refuse_held(project, knob)
    try:
        low, high = (parse(text, address.dimension) for text in (sweep.low or knob.low, sweep.high or knob.high))
        step = parse(sweep.step, difference_of(address.dimension)) if sweep.step else None
    except QuantityError as error:
        raise ScanError(f"The scan's range: {error}") from None
    if not low < high:
        raise ScanError("The scan's low end is not below its high end: exchange them.")
    if low < address.low or high > address.high:
        raise ScanError(f"The scan's range leaves what {address.label} allows: narrow it.")
    values = _values(low, high, sweep, step)
    unit = unit_of(sweep.low or knob.low, address.dimension)
    return Axis(knob.id, knob.input, address.dimension, knob.label or address.label, values, sweep.spacing, unit)


def _refuse_held(project: Project, knob: KnobEntry) -> None:
    """A knob that a target or a tie sets cannot be turned."""
    if any(t.sets == knob.input for t in project.ties):
        raise ScanError(f"A tie sets {knob.input}, so the scan cannot turn it: choose another knob, or remove the tie.")
    held = {k.id for k in project.knobs if k.input == knob.input}
    if any(t.on and t.knob in held for t in project.targets):
        raise ScanError(f"A target turns {knob.label or knob.id}, so the scan cannot: choose another knob, or switch the target off.")


def _values(low: float, high: float, sweep: Sweep, step: float | None) -> np.ndarray:
    if sweep.spacing == "log":
        if low <= 0.0:
            raise ScanError("A range by equal factors must begin above zero: raise its low end, or space it evenly.")
        if step is not None:
            raise ScanError("A range by equal factors takes a number of points, not a step: type for example 11, or space it evenly.")
        return np.geomspace(low, high, sweep.points)
    if step is None:
        return np.linspace(low, high, sweep.points)
    if not 0.0 < step <= high - low:
        raise ScanError(f"A step of {sweep.step} does not fit between the ends of the range: choose a smaller one above zero.")
    if high - low > step * MOST_POINTS:
        raise ScanError(f"A step of {sweep.step} makes more than {MOST_POINTS} points: choose a larger one.")
    values = low + step * np.arange(math.floor((high - low) / step * (1.0 + 1e-12)) + 1)
    return values if values[-1] > high - 1e-9 * (high - low) else np.r_[values, high]


def points_or_step(text: str) -> tuple[int | None, str | None]:
    """(points, step) of what was typed for either: a bare whole number counts points. Raises QuantityError.

    >>> points_or_step("13"), points_or_step("0.5 %")
    ((13, None), (None, '0.5 %'))
    """
    advice = "type a whole number from 2 to 500, or a step with its unit."
    try:
        number, unit = split_text(text)
    except QuantityError:
        raise QuantityError(f"“{text[:40]}” is not a number of points: {advice}") from None
    if unit:
        return None, text.strip()
    if number != int(number):
        raise QuantityError(f"“{text[:40]}” is not a number of points: {advice}")
    if not 2 <= number <= 500:
        raise QuantityError(f"{number:.6g} points cannot be scanned: {advice}")
    return int(number), None


def gauges_of(project: Project, scan: ScanEntry) -> list[str]:
    """Ids of the gauges that a scan shows: those ticked (all without a list), and the one of which the best is told.

    That is the one chosen, else the first of the project without limits.
    """
    ticked = list(scan.gauges or (g.id for g in project.gauges))
    wanted = scan.shows or next((g.id for g in project.gauges if g.at_least is None and g.at_most is None), None)
    return ticked if wanted is None or wanted in ticked else [*ticked, wanted]


def gauge_rows(project: Project, ids: list[str] | tuple = ()) -> list[dict[str, Any]]:
    """Rows of some gauges, of all without ids: what they read and their limits in SI. Raises ScanError."""
    known, rows = readings(project), []
    for id_ in ids or [g.id for g in project.gauges]:
        gauge = project.gauge(id_)
        if gauge is None or gauge.reads not in known:
            raise ScanError(f"The scan records gauge {id_}, which the project does not have: take it off the list.")
        found, limits = known[gauge.reads], {}
        for name in ("at_least", "at_most"):
            text = getattr(gauge, name)
            try:
                limits[name] = None if text is None else parse(text, found.dimension)
            except QuantityError as error:
                raise ScanError(f"Limit of gauge {id_}: {error}") from None
        rows.append({"id": id_, "label": gauge.label or found.label, "dimension": found.dimension, "reads": gauge.reads, **limits})
    return rows
