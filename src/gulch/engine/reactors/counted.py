"""Conversion, selectivity and yield, counted on one key reactant and one wanted product."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np

from gulch.engine.declared.base import Counted, Given, Passage, supported


class Measured(NamedTuple):
    """What became of the key reactant; None where undefined."""

    conversion: float | None
    selectivity: float | None
    share: float | None  # the yield


def measured(counted: Counted, before: Mapping[str, float], after: Mapping[str, float]) -> Measured:
    """What became of the key reactant, from amounts before and after [mol/s] by species."""
    ratio, key, product = counted
    a_in, a_out = before.get(key, 0.0), after.get(key, 0.0)
    made = ratio * (after.get(product, 0.0) - before.get(product, 0.0))
    used, made = supported(a_in - a_out, a_in), supported(made, ratio * a_in)
    if a_in <= 0.0:
        return Measured(None, None, None)
    return Measured(used / a_in, made / used if abs(used) > 1e-9 * a_in else None, made / a_in)


def counted_on(given: Given) -> np.ndarray:
    """How much of what rates count on stands in 1 m3 of reactor: fluid [m3], bed [m3], catalyst [kg], surface [m2]; shape (4,)."""
    return np.array([given.void, 1.0, given.bulk_density or 0.0, given.surface or 0.0])


def over(unit: Passage) -> Measured:
    """What a unit makes of the key reactant; its project counts on one."""
    assert unit.context.counted is not None
    return measured(unit.context.counted, unit.entering, unit.leaving)


def made(unit: Passage) -> float:
    """How much of the wanted product a unit makes [mol/s]."""
    assert unit.context.counted is not None
    product = unit.context.counted.product
    return supported(unit.leaving[product] - unit.entering[product], unit.entering[product])
