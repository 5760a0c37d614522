"""Published polynomials of 7 or 9 coefficients for heat capacity, enthalpy and entropy of an ideal gas, read from pasted text.

McBride, Gordon & Reno, NASA TM-4513 (1993), for 7; McBride, Zehe & Gordon, NASA/TP-2002-211556, for 9 coefficients:
Cp/R = sum a_k T^q_k with q = 0 … 4 or −2 … 4, and H/(R T) and S/R by its integrals with one constant each.
"""

from __future__ import annotations

import itertools
import re
from dataclasses import dataclass

import numpy as np

from gulch.engine.species.databank import SpeciesError
from gulch.engine.species.heat_capacity import R

T0 = 298.15
EXPONENTS = {7: np.arange(5.0), 9: np.arange(-2.0, 5.0)}
STEP = 0.02  # by which the heat capacity may jump where two ranges meet
_NUMBER = re.compile(r"[-+]?(?:\d+(?:\.\d*)?|\.\d+)(?:[EeDd][-+]?\d+)?")
_NINE = re.compile(r"7\s*-2\.0?\s*-1\.0?\s*0\.0?\s*1\.0?\s*2\.0?\s*3\.0?\s*4\.0?")


@dataclass(frozen=True)
class Range:
    """One range of temperatures [K]: exponents and coefficients of Cp/R, shape (5,) or (7,); constants of H/R [K] and S/R."""

    low: float
    high: float
    exponents: np.ndarray
    coefficients: np.ndarray
    of_enthalpy: float
    of_entropy: float

    def cp(self, T: np.ndarray) -> np.ndarray:
        """Heat capacity [J/(mol K)] at T [K], shape (n,)."""
        return R * (np.asarray(T, float)[..., None] ** self.exponents) @ self.coefficients

    def enthalpy(self, T: float) -> float:
        """Enthalpy from the elements at 298.15 K [J/mol]."""
        return R * (self._integral(self.exponents + 1.0, T) + self.of_enthalpy)

    def entropy(self, T: float) -> float:
        """Entropy at 1 bar [J/(mol K)]."""
        return R * (self._integral(self.exponents, T) + self.of_entropy)

    def _integral(self, powers: np.ndarray, T: float) -> float:
        return sum(a * (np.log(T) if p == 0.0 else T**p / p) for a, p in zip(self.coefficients, powers, strict=True))


@dataclass(frozen=True)
class Polynomial:
    """Ranges that follow one another."""

    ranges: tuple[Range, ...]

    def table(self, count: int = 60) -> tuple[np.ndarray, np.ndarray]:
        """(T [K], Cp [J/(mol K)]) over all ranges, each of shape (count,)."""
        T = np.linspace(self.ranges[0].low, self.ranges[-1].high, count)
        cp = [next(r for r in self.ranges if t <= r.high or r is self.ranges[-1]).cp(np.array([t]))[0] for t in T]
        return T, np.array(cp)

    @property
    def standard(self) -> Range | None:
        """The range that knows 298.15 K; tables that begin at 300 K do."""
        return next((r for r in self.ranges if r.low <= 300.0 and r.high >= T0), None)


def read_polynomial(text: str, name: str) -> Polynomial:
    """The Polynomial of a pasted text: a card of four lines, a record of 9 coefficients, or lines of low, high and coefficients.

    Raises SpeciesError with a sentence on what could not be read.
    """
    lines = [line.rstrip() for line in text.replace("\t", " ").splitlines() if line.strip()]
    rows = _card(lines) or _records(lines) or [_numbers(line) for line in lines]
    ranges = sorted((_range(row, number, name) for number, row in enumerate(rows, 1)), key=lambda r: r.low)
    if not ranges:
        raise SpeciesError(f"The polynomial of {name} holds no numbers: paste its coefficients.")
    for one, two in itertools.pairwise(ranges):
        if abs(one.high - two.low) > 1.0:
            raise SpeciesError(
                f"The polynomial of {name} has ranges that do not meet: one ends at {one.high:g} K, the next begins at {two.low:g} K."
            )
        before, after = one.cp(np.array([one.high]))[0], two.cp(np.array([one.high]))[0]
        if abs(after - before) > STEP * abs(before):
            raise SpeciesError(
                f"The polynomial of {name} jumps at {one.high:g} K from {before:.4g} to {after:.4g} J/(mol K): "
                "check the coefficients and which range they belong to."
            )
    found = Polynomial(tuple(ranges))
    T, cp = found.table()
    if np.min(cp) <= 0.0 or not np.isfinite(cp).all():
        raise SpeciesError(
            f"The polynomial of {name} gives a heat capacity that is not above zero at {T[int(np.argmin(cp))]:.0f} K: check it."
        )
    return found


def _numbers(text: str) -> list[float]:
    return [float(m.replace("D", "E").replace("d", "e")) for m in _NUMBER.findall(text)]


def _card(lines: list[str]) -> list[list[float]] | None:
    """Rows of a card of 7 coefficients: temperatures on its first line, the upper range before the lower one; None where it is none."""
    if len(lines) != 4 or any(len(line) < 61 or not line.endswith(str(i)) for i, line in enumerate(lines, 1)):
        return None
    limits = _numbers(lines[0][45:73])
    numbers = [n for line in lines[1:] for n in _numbers(line[:75])]
    if len(limits) < 3 or len(numbers) < 14:
        return None
    low, high, common = limits[:3]
    return [[low, common, *numbers[7:14]], [common, high, *numbers[:7]]]


def _records(lines: list[str]) -> list[list[float]] | None:
    """Rows of records of 9 coefficients: a line of temperatures and exponents, then two of coefficients; None where there are none."""
    heads = [i for i, line in enumerate(lines) if _NINE.search(line)]
    rows = []
    for i in heads:
        limits = _numbers(lines[i][: _NINE.search(lines[i]).start()])
        numbers = _numbers(" ".join(lines[i + 1 : i + 3]))
        rows.append([*limits[:2], *(numbers[:7] + numbers[-2:] if len(numbers) == 10 else numbers)])
    return rows or None


def _range(row: list[float], number: int, name: str) -> Range:
    if len(row) - 2 not in EXPONENTS:
        raise SpeciesError(
            f"Line {number} of the polynomial of {name} holds {len(row)} number{'' if len(row) == 1 else 's'}: lowest and highest "
            "temperature in K and 7 coefficients make 9, with 9 coefficients they make 11."
        )
    low, high, *coefficients = row
    if not 0.0 < low < high <= 20_000.0:
        raise SpeciesError(
            f"Line {number} of the polynomial of {name} begins with {low:g} and {high:g}: type the lowest and the highest temperature in K."
        )
    exponents = EXPONENTS[len(coefficients)]
    return Range(low, high, exponents, np.array(coefficients[:-2]), coefficients[-2], coefficients[-1])
