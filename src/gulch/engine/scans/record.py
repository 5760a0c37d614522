"""Everything a point found, kept small: all results in single precision, compressed, in the order of their addresses."""

from __future__ import annotations

import base64
import hashlib
import zlib
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine import formulas
from gulch.engine.project.couplings import readings
from gulch.engine.project.inputs import addresses, twins, with_twins
from gulch.engine.project.results import readable, value
from gulch.engine.quantities import QuantityError, parse

if TYPE_CHECKING:
    from gulch.engine.document import Project
    from gulch.engine.flowsheet.solution import Solution
    from gulch.engine.project.results import Readable


def recorded(project: Project) -> tuple[str, ...]:
    """Addresses of the results that a point of a scan keeps, in the order in which they stand."""
    return tuple(sorted(readable(project)))


def mark(which: tuple[str, ...]) -> str:
    """Eight letters that stand for a list of addresses: results come and go, and a record is read only by the list it was written by."""
    return hashlib.sha256("\n".join(which).encode()).hexdigest()[:8]


def keep(solution: Solution, which: tuple[str, ...], molar_mass: dict[str, float]) -> str:
    """The results of a Solution as text. molar_mass: {species: kg/mol}."""
    found = (value(solution, a, molar_mass) for a in which)
    numbers = np.array([np.nan if v is None else float(v) for v in found], np.float32)
    return mark(which) + ":" + base64.b85encode(zlib.compress(numbers.tobytes(), 6)).decode()


def read(text: str, which: tuple[str, ...]) -> dict[str, float]:
    """{address: SI value} of what `keep` wrote; results that were not computed are left out.

    Nothing of a record that was written by another list: its point has to be run again to be asked for more.
    """
    head, _, body = text.partition(":")
    if head != mark(which):
        return {}
    numbers = np.frombuffer(zlib.decompress(base64.b85decode(body)), np.float32)
    return {a: float(v) for a, v in zip(which, numbers, strict=True) if np.isfinite(v)}


class Recall:
    """Reads gauges of today from points that were computed for another list of gauges.

    project: as it was when the points were computed, with today's gauges.
    """

    def __init__(self, project: Project) -> None:
        self.which, self.known = recorded(project), readings(project)
        self.inputs, self.same = {}, twins(project)
        self.last = ("", {})  # a point is asked for several gauges one after another
        for a in addresses(project).values():
            try:
                if a.text:
                    self.inputs[a.address] = parse(a.text, a.dimension)
            except QuantityError:
                continue

    def holds(self, point: dict) -> bool:
        """Whether a point's record can be read; one of an older list of results cannot."""
        return bool(point.get("record")) and point["record"].startswith(mark(self.which) + ":")

    def gauge(self, point: dict, reads: str, overrides: dict[str, float]) -> float | None:
        """SI value of what a gauge reads at a point, or None. overrides: {address: SI value} of the point's knobs."""
        found = self.known.get(reads)
        if found is None or not self.holds(point):
            return None
        if self.last[0] != point["record"]:
            self.last = (point["record"], read(point["record"], self.which))
        return self._value(found, self.last[1], self.inputs | with_twins(overrides, self.same))

    def _value(self, found: Readable, results: dict[str, float], inputs: dict[str, float]) -> float | None:
        if found.formula is None:
            return results.get(found.address)
        number = formulas.value(found.formula, lambda a: results.get(a, inputs.get(a, float("nan"))))
        return float(number) if np.isfinite(number) else None
