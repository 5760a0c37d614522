"""Numbers of rate laws that are sought: what each is, its unit, its bounds, and where others stand still when it turns."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

from gulch.engine.chemistry.constant_units import CountedIn, counted_in
from gulch.engine.chemistry.kernels import slopes as sl
from gulch.engine.project.rate_numbers import orders_typed
from gulch.engine.project.reading import number, own_number
from gulch.engine.quantities import compound_unit, parse, split_text, unit_factor

if TYPE_CHECKING:
    from gulch.engine.document import Project, RateConstantEntry, ReactionEntry

CODES = {"k": sl.LN_K, "energy": sl.ENERGY, "power": sl.POWER_OF_T, "order": sl.ORDER, "adsorption": sl.LN_STRENGTH,
          "adsorption_heat": sl.HEAT, "adsorption_power": sl.STRENGTH_POWER, "exponent": sl.EXPONENT, "number": sl.NUMBER,
          "lnK_A": sl.CONSTANT, "lnK_B": sl.CONSTANT_HEAT,
          "back_k": sl.LN_KR, "back_energy": sl.ENERGY_R, "back_power": sl.POWER_R, "back_order": sl.ORDER_R}  # fmt: skip


class FitTrouble(ValueError):
    """A fit that cannot be made; the message is a sentence for the user."""


@dataclass(frozen=True)
class Number:
    """A number that is sought. kind: as in an address; symbol: as sentences write it; unit: in which it is shown; si: its SI value;
    low, high: bounds of phi; pivot: 1/T [1/K], ln T or ln q at which others stand still."""

    address: str
    kind: str
    symbol: str
    unit: str
    si: float
    reaction: int
    of: int
    low: float
    high: float
    pivot: float = 0.0
    logarithmic: bool = False  # phi is its logarithm

    def shown(self, phi: float) -> float:
        """Its value in its unit."""
        return (math.exp(min(phi, 690.0)) if self.logarithmic else phi) / self.si

    def phi_of(self, shown: float) -> float:
        """phi of a value in its unit."""
        return math.log(shown * self.si) if self.logarithmic else shown * self.si


class Side(NamedTuple):
    """One direction of a law as numbers: k at the pivot temperature and at 1 of its quantity."""

    entry: RateConstantEntry
    counted: CountedIn
    ln_quantity: float


class Sought:
    """What is sought in laws; a base of `laws.Laws`, which fills the rest."""

    project: Project
    species: list[str]
    entries: list[ReactionEntry]
    sides: dict[tuple[int, bool], Side | None]
    sought: set[str]
    T: float

    def _orders(self, entry: ReactionEntry, back: bool) -> dict[str, float]:
        return {s: number(t, f"the order in {s}") for s, t in orders_typed(self.project, entry, back).items()}

    def _number(self, address: str) -> Number:
        """The Number of an address. Raises FitTrouble."""
        id_, _, tail = address.partition(".")
        kind, _, item = tail.partition(".")
        r = next((i for i, e in enumerate(self.entries) if e.id == id_), None)
        if r is None or kind not in CODES:
            raise FitTrouble(f"{address} is no number of the laws that are fitted: take it out, or choose another set.")
        back, base = kind.startswith("back_"), kind.removeprefix("back_")
        law, side = self.entries[r].rate, self.sides[r, back]
        if kind == "number" and law is not None:
            return self._own(address, item, r)
        if kind in ("lnK_A", "lnK_B"):
            return self._of_equilibrium(address, kind, r)
        if law is None or (side is None and not base.startswith("adsorption") and base != "exponent"):
            raise FitTrouble(f"{address} stands in no power law: name the numbers of a formula, and seek those.")
        dash, of = "′" if back else "", f" of {id_}" if len(self.entries) > 1 else ""
        cold = 1.0 / self.T
        if base == "k":
            assert side is not None
            unit = side.counted.of_constant(sum(self._orders(self.entries[r], back).values()))
            si = compound_unit(side.counted.rate)[1] if side.counted.rate else 1.0
            return Number(address, kind, f"k{dash}{of}", unit, si, r, 0, -300.0, 300.0, logarithmic=True)
        if base == "energy":
            assert side is not None
            pivot = cold if f"{id_}.{'back_' if back else ''}k" in self.sought else self._pivot_of(side.entry)
            return Number(address, kind, f"E{dash}{of}", "kJ/mol", 1e3, r, 0, -4e5, 6e5, pivot)
        if base == "power":
            return Number(address, kind, f"power of T{dash}{of}", "", 1.0, r, 0, -9.0, 9.0, math.log(self.T))
        if base == "order":
            if item not in self.species or side is None:
                raise FitTrouble(f"{address}: {item} is not among the project's species.")
            symbol = f"order in {item}{dash}{of}"
            return Number(address, kind, symbol, "", 1.0, r, self.species.index(item), -4.0, 6.0, side.ln_quantity)
        if base == "exponent":
            return Number(address, kind, f"exponent{of}", "", 1.0, r, 0, 0.0, 6.0)
        return self._below(address, kind, item, r, of)

    def _of_equilibrium(self, address: str, kind: str, r: int) -> Number:
        """K at T, by A of its formula, or its heat, by B."""
        entry = self.entries[r].equilibrium
        if entry is None or entry.source != "formula":
            raise FitTrouble(f"{address}: K is sought as ln K = A + B/T. Choose the formula as its source in Chemistry.")
        of = f" of {self.entries[r].id}" if len(self.entries) > 1 else ""
        if kind == "lnK_A":
            return Number(address, kind, f"K{of}", "", 1.0, r, 0, -300.0, 300.0, logarithmic=True)
        pivot = 1.0 / self.T if f"{self.entries[r].id}.lnK_A" in self.sought else 0.0
        return Number(address, kind, f"heat of K{of}", "kJ/mol", 1e3, r, 0, -1e6, 1e6, pivot)

    def _own(self, address: str, name: str, r: int) -> Number:
        """A number of a formula; one above zero that is no energy and no bare number is sought by its logarithm."""
        law = self.entries[r].rate
        if law is None or law.law != "formula" or name not in law.numbers:
            raise FitTrouble(f"{address}: the formula has no number {name}.")
        value, unit = own_number(name, law.numbers[name])
        at, si = list(law.numbers).index(name), compound_unit(unit)[1] if unit else 1.0
        steep = value > 0.0 and unit != "" and unit_factor(unit, "J/mol") is None
        shown = "J/mol" if unit_factor(unit, "J/mol") is not None and not unit else unit
        bounds = (-600.0, 600.0) if steep else (-1e9, 1e9)
        symbol = f"{name} of {self.entries[r].id}" if len(self.entries) > 1 else name
        return Number(address, "number", symbol, shown, si, r, at, *bounds, logarithmic=steep)

    def _below(self, address: str, kind: str, item: str, r: int, of: str) -> Number:
        """A number of an adsorption term."""
        law = self.entries[r].rate
        at = next((j for j, a in enumerate(law.adsorption if law else []) if a.species == item), None)
        if at is None or law is None:
            raise FitTrouble(f"{address}: the law has no adsorption of {item}.")
        term = law.adsorption[at]
        power = number(term.power, "the power")
        counted = counted_in(split_text(term.constant.k)[1], law.basis, None, power)
        if kind == "adsorption_heat":
            free = f"{self.entries[r].id}.adsorption.{item}" in self.sought
            pivot = 1.0 / self.T if free else self._pivot_of(term.constant)
            return Number(address, kind, f"ΔH({item}){of}", "kJ/mol", 1e3, r, at, -4e5, 4e5, pivot)
        if kind == "adsorption_power":
            return Number(address, kind, f"power of {item} below{of}", "", 1.0, r, at, 0.1, 4.0, math.log(counted.si))
        return Number(address, kind, f"K({item}){of}", counted.of_strength(power), counted.si**-power, r, at, 0.0, 1e12)

    @staticmethod
    def _pivot_of(entry: RateConstantEntry) -> float:
        return 1.0 / parse(entry.at, "temperature") if entry.at else 0.0
