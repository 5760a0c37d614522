"""Sources of data beside each other: which of them stands alone."""

from __future__ import annotations

from statistics import median

# A source is passed over when it lies farther than this from two others that agree (J/mol, J/(mol K)).
ALONE = {"formation_enthalpy": 4000.0, "entropy": 3.0}
# Sources that are reviews of all others, and what holds by definition: they need nobody beside them.
SURE = ("element in its standard state", "CODATA", "Active Thermochemical Tables", "JANAF")


def stands_alone(source: str, values: dict[str, float], alone: float) -> bool:
    """Whether a source's value differs from what the others agree on.

    values: {source: value}. At least two others lie within `alone` of the middle of all others, and each of those lies
    farther than `alone` from this one.
    """
    rest = [v for other, v in values.items() if other != source]
    if len(rest) < 2:
        return False
    middle = median(rest)
    near = [v for v in rest if abs(v - middle) <= alone]
    return len(near) >= 2 and all(abs(v - values[source]) > alone for v in near)
