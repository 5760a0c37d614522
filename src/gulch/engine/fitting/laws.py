"""Rate laws whose numbers are sought: from typed entries to packed arrays in which the numbers can be turned, and back to texts.

A k is sought by its logarithm, at a temperature amid the data and at 1 of the concentration (pressure) unit in which it is typed, so that
neither its activation energy nor its orders are correlated with it for nothing.

Notation: phi: the numbers sought, shape (p,): ln k, else the value in SI; an adsorption constant may be zero, and so is sought itself.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from gulch.engine.chemistry.constant_units import CountedIn, counted_in
from gulch.engine.chemistry.equations import EquationError, resolve_equation
from gulch.engine.chemistry.kernels import rates as k
from gulch.engine.chemistry.kernels import slopes as sl
from gulch.engine.chemistry.rates import pack
from gulch.engine.chemistry.reaction import Reaction
from gulch.engine.phases.kernels import R
from gulch.engine.project.reading import constant_of, number, own_number, rate_of
from gulch.engine.quantities import QuantityError, compound_unit, parse, split_text, unit_factor
from gulch.engine.species import SpeciesError

if TYPE_CHECKING:
    from gulch.engine.chemistry.kernels.rates import Rates
    from gulch.engine.document import Project, RateConstantEntry, RateEntry, ReactionEntry

_CODES = {"k": sl.LN_K, "energy": sl.ENERGY, "power": sl.POWER_OF_T, "order": sl.ORDER, "adsorption": sl.LN_STRENGTH,
          "adsorption_heat": sl.HEAT, "adsorption_power": sl.STRENGTH_POWER, "exponent": sl.EXPONENT, "number": sl.NUMBER,
          "back_k": sl.LN_KR, "back_energy": sl.ENERGY_R, "back_power": sl.POWER_R, "back_order": sl.ORDER_R}  # fmt: skip
NOTHING = 1e-200  # of an adsorption constant, which may be none
TYPICAL_ENERGY = 60e3  # J/mol, where nobody typed one


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


class Laws:
    """The reactions of a set with their laws, and the numbers sought in them. T: amid the data [K]."""

    def __init__(self, project: Project, reactions: list[str], free: list[str], T: float, laws: dict[str, RateEntry] | None = None) -> None:
        self.project, self.T, self.sought = project, T, set(free)
        self.species = [s.id for s in project.species]
        self.entries = [self._entry(i, laws or {}) for i in reactions]
        self.reactions = [self._reaction(e) for e in self.entries]
        self.sides = {(r, back): self._side(r, back) for r in range(len(self.entries)) for back in (False, True)}
        self.rates, self.per = pack(self.reactions, [r.constant for r in self.reactions], len(self.species))
        self.numbers = [self._number(a) for a in free]
        self.asked = np.array([[n.reaction, _CODES[n.kind], n.of] for n in self.numbers], np.int64).reshape(-1, 3)
        self.pivots = np.array([n.pivot for n in self.numbers])

    def _entry(self, id_: str, laws: dict[str, RateEntry]) -> ReactionEntry:
        entry = self.project.reaction(id_)
        if entry is None:
            raise FitTrouble(f"The reaction {id_} is gone: choose another set.")
        law = laws.get(id_, entry.rate)
        if law is None:
            raise FitTrouble(f"{id_} has no rate law: give it one in Chemistry; its constants may stay empty.")
        law = law.model_copy(deep=True)
        out = entry.model_copy(deep=True)
        out.rate = law
        self._fill(out)
        return out

    def _fill(self, entry: ReactionEntry) -> None:
        """Constants that are not typed yet stand as 1 of a usual unit, so that they can be sought."""
        law = entry.rate
        assert law is not None
        for back, side in ((False, law.forward), (True, law.backward)):
            if side is not None and not side.k.strip():
                order = sum(self._orders(entry, back).values())
                side.k = f"1 {usual_unit(law, order)}".strip()
        for a in law.adsorption:
            if not a.constant.k.strip():
                way = counted_in("", law.basis, None, 0.0)
                a.constant.k = f"0.1 {way.of_strength(number(a.power, 'the power'))}".strip()

    def _orders(self, entry: ReactionEntry, back: bool) -> dict[str, float]:
        law = entry.rate
        typed = (law.reverse_orders if back else law.orders) if law else {}
        if typed:
            return {s: number(t, f"the order in {s}") for s, t in typed.items()}
        nu = resolve_equation(entry.equation, self.project.entries()).nu(len(self.species)) * (1.0 if back else -1.0)
        return {s: float(v) for s, v in zip(self.species, nu, strict=True) if v > 0.0}

    def _reaction(self, entry: ReactionEntry) -> Reaction:
        try:
            nu = resolve_equation(entry.equation, self.project.entries()).nu(len(self.species))
            return Reaction(entry.id, nu, None, None, 0.0, constant_of(entry), None, rate_of(entry, self.project, nu))
        except (EquationError, SpeciesError, QuantityError) as error:
            raise FitTrouble(f"{entry.id}: {error}") from None

    def _side(self, r: int, back: bool) -> Side | None:
        law = self.entries[r].rate
        side = None if law is None or law.law != "power" else law.backward if back else law.forward
        if side is None or law is None or (back and law.reverse != "own"):
            return None
        order = sum(self._orders(self.entries[r], back).values())
        counted = counted_in(split_text(side.k)[1], law.basis, law.per, order)
        return Side(side, counted, math.log(counted.si))

    def _number(self, address: str) -> Number:
        """The Number of an address. Raises FitTrouble."""
        id_, _, tail = address.partition(".")
        kind, _, item = tail.partition(".")
        r = next((i for i, e in enumerate(self.entries) if e.id == id_), None)
        if r is None or kind not in _CODES:
            raise FitTrouble(f"{address} is no number of the laws that are fitted: take it out, or choose another set.")
        back, base = kind.startswith("back_"), kind.removeprefix("back_")
        law, side = self.entries[r].rate, self.sides[r, back]
        if kind == "number" and law is not None:
            return self._own(address, item, r)
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

    def start(self) -> np.ndarray:
        """phi as typed, shape (p,)."""
        return np.array([self._typed(n) for n in self.numbers])

    def _typed(self, n: Number) -> float:
        law, back = self.reactions[n.reaction].rate, n.kind.startswith("back_")
        if n.kind == "number":
            value = next(i[1] for i in law.program if len(i) > 2 and i[2] == n.of + 1.0)
            return math.log(value) if n.logarithmic else value
        base = n.kind.removeprefix("back_")
        if base == "exponent":
            return law.exponent
        if base.startswith("adsorption"):
            _, strength, power = law.adsorption[n.of]
            if base == "adsorption":
                return math.exp(strength.ln_k - strength.energy / (R * self.T) + strength.power * math.log(self.T))
            return strength.energy if base == "adsorption_heat" else power
        constant, orders = (law.back, law.backward) if back else (law.constant, law.forward)
        assert constant is not None and orders is not None
        if base == "energy":
            return constant.energy
        if base == "power":
            return constant.power
        if base == "order":
            return float(orders[n.of])
        side = self.sides[n.reaction, back]
        assert side is not None
        return constant.ln_k - constant.energy / (R * self.T) + constant.power * math.log(self.T) + orders.sum() * side.ln_quantity

    def turned(self, phi: np.ndarray, slopes: np.ndarray) -> np.ndarray:
        """Slopes with phi, of those that vessels give, which for an adsorption constant are with its logarithm; shape (N, p)."""
        for i, n in enumerate(self.numbers):
            if n.kind == "adsorption":
                slopes[:, i] /= max(phi[i], NOTHING)
            if n.kind == "number" and n.logarithmic:
                slopes[:, i] *= math.exp(min(phi[i], 690.0))
        return slopes

    def packed(self, phi: np.ndarray) -> Rates:
        """The packed laws with the numbers sought at phi."""
        laws = self.rates
        if any(n.kind == "number" for n in self.numbers):
            laws = laws._replace(programs=self._programs(phi))
        numbers, forward, reverse, adsorption = (a.copy() for a in (laws.numbers, laws.forward, laws.reverse, laws.adsorption))
        given: dict[tuple, float] = {(n.reaction, n.kind, n.of): v for n, v in zip(self.numbers, phi.tolist(), strict=True)}
        for (r, kind, of), value in given.items():
            if kind == "order":
                forward[r, of] = value
            elif kind == "back_order":
                reverse[r, of] = value
            elif kind == "exponent":
                numbers[r, k.N_EXPONENT] = value
            elif kind == "adsorption_power":
                adsorption[r, of, 4] = value
        for r in {n.reaction for n in self.numbers}:
            for back in (False, True):
                side, before = self.sides[r, back], "back_" if back else ""
                if side is not None:
                    at = (k.N_LN_KR, k.N_E_R, k.N_POWER_R) if back else (k.N_LN_K, k.N_E, k.N_POWER)
                    order = float((reverse if back else forward)[r].sum())
                    was = float((laws.reverse if back else laws.forward)[r].sum())
                    of_side = [given.get((r, before + kind, 0)) for kind in ("k", "energy", "power")]
                    numbers[r, at] = self._constant(laws.numbers[r, at], of_side, order, was, side.ln_quantity, self._pivot_of(side.entry))
            for j in range(int(laws.ways[r, k.W_ADSORPTION])):
                self._strength(r, j, given, adsorption)
        return laws._replace(numbers=numbers, forward=forward, reverse=reverse, adsorption=adsorption)

    def _programs(self, phi: np.ndarray) -> np.ndarray:
        """The instructions of formulas with the numbers sought in place."""
        programs = self.rates.programs.copy()
        for n, value in zip(self.numbers, phi.tolist(), strict=True):
            if n.kind == "number":
                of = programs[n.reaction, :, 2] == n.of + 1.0
                programs[n.reaction, of, 1] = math.exp(min(value, 690.0)) if n.logarithmic else value
        return programs

    def _constant(self, typed: np.ndarray, given: list[float | None], order: float, was: float, ln_q: float, pivot: float) -> np.ndarray:
        """(ln k0, E/R, power) with what is given of k, E and power; k stays where it is typed, or at T, at 1 of its unit."""
        ln_k0, e, power = typed
        ln_k, energy, turned = given
        new_e = e if energy is None else energy / R
        new_power = power if turned is None else turned
        if ln_k is None:
            ln_k0 = ln_k0 + (was - order) * ln_q + (new_e - e) * pivot
            return np.array([ln_k0 - (new_power - power) * math.log(self.T), new_e, new_power])
        return np.array([ln_k + new_e / self.T - new_power * math.log(self.T) - order * ln_q, new_e, new_power])

    def _strength(self, r: int, j: int, given: dict[tuple, float], adsorption: np.ndarray) -> None:
        K, heat = (given.get((r, kind, j)) for kind in ("adsorption", "adsorption_heat"))
        _, ln_0, e, power, exponent = self.rates.adsorption[r, j]
        law = self.entries[r].rate
        new_e = e if heat is None else heat / R
        if K is None:
            ln_0 += (new_e - e) * (self._pivot_of(law.adsorption[j].constant) if law else 0.0)
        else:
            ln_0 = math.log(max(K, NOTHING)) + new_e / self.T - power * math.log(self.T)
        turned = given.get((r, "adsorption_power", j))
        if turned is not None and law is not None:
            counted = counted_in(split_text(law.adsorption[j].constant.k)[1], law.basis, None, exponent)
            ln_0 += (exponent - turned) * math.log(counted.si)
        adsorption[r, j, 1:3] = ln_0, new_e


def usual_unit(law: RateEntry, order: float) -> str:
    """A usual unit of a rate constant that nobody typed yet."""
    per = "catalyst" if law.per == "catalyst" else "fluid"
    rate = "mol/(kg h)" if per == "catalyst" else "mol/(L min)"
    amount, space, time = ("mol", "kg", "h") if per == "catalyst" else ("mol", "L", "min")
    quantity = {"concentration": "mol/L", "mole-fraction": ""}.get(law.basis, "bar")
    return CountedIn(rate, quantity, 1.0, amount, space, time).of_constant(order)
