"""What no unit's outcome may be: without finite figures, with elements lost or made, with energy from nowhere.

A unit that is computed rightly misses by rounding only, so whatever goes beyond that is a fault of the computation, and its figures are
not shown. Notation: flows [mol/s] by species, shape (n,); heat and work [W].
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.units.base import UnitTrouble, plain

if TYPE_CHECKING:
    from gulch.engine.flowsheet.run import Run
    from gulch.engine.units.base import UnitResult

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


def guard(run: Run, unit_id: str) -> None:
    """Look at a solved unit. Raises UnitTrouble that says by how much it misses, or StreamTrouble of a state that has none."""
    inlets, result = run.done[unit_id]
    plan = run.plan
    n_in = sum((s.n for s in inlets), np.zeros(len(plan.species)))
    n_out = sum((s.n for s in result.outlets.values()), np.zeros(len(plan.species)))
    atoms_in, atoms_out = plan.atoms @ n_in, plan.atoms @ n_out
    away = np.abs(atoms_out - atoms_in) - TRACE_OF_ALL * float(atoms_in.sum())
    for e, missing, a, b in zip(plan.elements, away, atoms_in, atoms_out, strict=True):
        if missing > MOST_ELEMENTS * a:
            word = "lost" if b < a else "made"
            share = f"{100 * abs(b - a) / a:.3g} % of the {e} that enters is {word}" if a > 0.0 else f"{e} is made that does not enter"
            raise UnitTrouble(f"It does not balance: {share}.", NOT_SHOWN)
    heat = sum(plain(result.values.get(name)) or 0.0 for name in ("duty", "work"))
    h_in = sum(s.enthalpy_flow for s in inlets)
    h_out = sum(s.enthalpy_flow for s in result.outlets.values())
    miss = h_out - h_in - heat
    size = max(abs(h_in), abs(h_out), abs(heat), LEAST_HEAT * float(n_in.sum()), 1e-9)
    if not math.isfinite(miss):
        raise UnitTrouble("Its energy balance holds no finite number.", NOT_SHOWN)
    if abs(miss) > MOST_ENERGY * size:
        raise UnitTrouble(f"Its energy balance misses by {100 * abs(miss) / size:.3g} % of what it passes on.", NOT_SHOWN)


def finite_values(values: dict[str, Any]) -> dict[str, Any]:
    """Results of a unit, None standing inside tables for what has no value. Raises UnitTrouble where one is no number itself."""
    for name, value in values.items():
        if isinstance(value, float) and not math.isfinite(value):
            raise UnitTrouble(f"Its {name.replace('_', ' ')} is no finite number.", NOT_SHOWN)
    return finite(values)


def finite(value: Any) -> Any:
    """Plain data with None in the place of numbers that are not finite."""
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    if isinstance(value, dict):
        return {k: finite(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [finite(v) for v in value]
    return value
