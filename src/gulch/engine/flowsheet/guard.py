"""What no unit's outcome may be: without finite figures, with elements lost or made, with energy from nowhere.

A unit that is computed rightly misses by rounding only, so whatever goes beyond that is a fault of the computation, and its figures are
not shown. Notation: flows [mol/s] by species, shape (n,); heat and work [W].
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np

from gulch.engine.declared.base import plain
from gulch.engine.declared.told import UnitTrouble

if TYPE_CHECKING:
    from gulch.engine.declared.base import UnitResult
    from gulch.engine.flowsheet.plan import Plan
    from gulch.engine.flowsheet.run import Run

MOST_ELEMENTS = 1e-6  # of an element that enters, by which it may miss
TRACE_OF_ALL = 1e-10  # and of all atoms that enter: solvers close on the whole
MOST_ENERGY = 1e-5  # of the largest heat flow, by which energy may miss
LEAST_HEAT = 1e3  # J/mol that count as a heat flow where enthalpies happen to be near zero
NOT_SHOWN = "The fault lies in the computation, so its figures are not shown: change its state, its way of computing or the phase model."


def finite_outlets(result: UnitResult) -> None:
    """Raise UnitTrouble where what leaves a unit is not a finite amount at a finite pressure. Raises UnitTrouble."""
    for port, stream in result.outlets.items():
        if not (math.isfinite(stream.total) and math.isfinite(stream.P)):
            raise UnitTrouble(f"What leaves by its outlet “{port}” has no finite flow.", NOT_SHOWN)


class Sums(NamedTuple):
    """What enters and leaves a unit: amounts and atoms [mol/s], heat flows and the heat and work put in [W]."""

    n_in: np.ndarray
    n_out: np.ndarray
    atoms_in: np.ndarray
    atoms_out: np.ndarray
    h_in: float
    h_out: float
    heat: float


def sums_of(inlets: list, outlets: list, heat: float, plan: Plan) -> Sums:
    """The Sums of streams; heat: put in beside them [W]."""
    n_in, n_out = _summed(inlets, plan), _summed(outlets, plan)
    h_in, h_out = sum(s.enthalpy_flow for s in inlets), sum(s.enthalpy_flow for s in outlets)
    return Sums(n_in, n_out, plan.atoms @ n_in, plan.atoms @ n_out, h_in, h_out, heat)


def _summed(streams: list, plan: Plan) -> np.ndarray:
    if len(streams) == 1:
        return streams[0].n
    return sum((s.n for s in streams), np.zeros(len(plan.species)))


def heat_into(values: dict[str, Any]) -> float:
    """Heat and work put into a unit by its results [W]."""
    return sum(plain(values.get(name)) or 0.0 for name in ("duty", "work"))


def guard(run: Run, unit_id: str) -> Sums:
    """Look at a solved unit; returns its Sums. Raises UnitTrouble that says by how much it misses, StreamTrouble of a state without one."""
    inlets, result = run.done[unit_id]
    plan = run.plan
    sums = sums_of(inlets, list(result.outlets.values()), heat_into(result.values), plan)
    atoms_in = sums.atoms_in.tolist()
    trace = TRACE_OF_ALL * sum(atoms_in)
    for e, a, b in zip(plan.elements, atoms_in, sums.atoms_out.tolist(), strict=True):
        if not abs(b - a) - trace <= MOST_ELEMENTS * a:
            word = "lost" if b < a else "made"
            share = f"{100 * abs(b - a) / a:.3g} % of the {e} that enters is {word}" if a > 0.0 else f"{e} is made that does not enter"
            raise UnitTrouble(f"It does not balance: {share}.", NOT_SHOWN)
    miss = sums.h_out - sums.h_in - sums.heat
    if not math.isfinite(miss):
        raise UnitTrouble("Its energy balance holds no finite number.", NOT_SHOWN)
    size = max(abs(sums.h_in), abs(sums.h_out), abs(sums.heat), 1e-9)
    if abs(miss) > MOST_ENERGY * size:
        size = max(size, LEAST_HEAT * float(sums.n_in.sum()))
        if abs(miss) > MOST_ENERGY * size:
            raise UnitTrouble(f"Its energy balance misses by {100 * abs(miss) / size:.3g} % of what it passes on.", NOT_SHOWN)
    return sums


def finite_values(values: dict[str, Any], tables: bool = True) -> dict[str, Any]:
    """Results of a unit, with `tables` None standing inside them for what has no value. Raises UnitTrouble where one is no number."""
    for name, value in values.items():
        if isinstance(value, float) and not math.isfinite(value):
            raise UnitTrouble(f"Its {name.replace('_', ' ')} is no finite number.", NOT_SHOWN)
    return finite(values) if tables else values


def finite(value: Any) -> Any:
    """Plain data with None in the place of numbers that are not finite."""
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    if isinstance(value, dict):
        return {k: finite(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [finite(v) for v in value]
    return value
