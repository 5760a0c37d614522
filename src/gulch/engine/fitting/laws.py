"""Rate laws whose numbers are sought: from typed entries to packed arrays in which the numbers can be turned, and back to texts.

A k is sought by its logarithm, at a temperature amid the data and at 1 of the concentration (pressure) unit in which it is typed, so that
neither its activation energy nor its orders are correlated with it for nothing.

Notation: phi: the numbers sought, shape (p,): ln k, else the value in SI; an adsorption constant may be zero, and so is sought itself.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.chemistry.constant_units import CountedIn, counted_in
from gulch.engine.chemistry.equations import EquationError, resolve_equation
from gulch.engine.chemistry.kernels import rates as k
from gulch.engine.chemistry.rates import pack
from gulch.engine.chemistry.reaction import Reaction
from gulch.engine.document import RateEntry
from gulch.engine.fitting.numbers import CODES, FitTrouble, Number, Side, Sought
from gulch.engine.fluids import R
from gulch.engine.project.reading import constant_of, number, rate_of
from gulch.engine.quantities import QuantityError, split_text
from gulch.engine.species import SpeciesError

if TYPE_CHECKING:
    from gulch.engine.chemistry.kernels.rates import Rates
    from gulch.engine.document import Project, ReactionEntry

NOTHING = 1e-200  # of an adsorption constant, which may be none
TYPICAL_ENERGY = 60e3  # J/mol, where nobody typed one


class Laws(Sought):
    """The reactions of a set with their laws, and the numbers sought in them. T: amid the data [K]."""

    def __init__(self, project: Project, reactions: list[str], free: list[str], T: float, laws: dict[str, RateEntry] | None = None) -> None:
        self.project, self.T, self.sought = project, T, set(free)
        self.species = [s.id for s in project.species]
        self.entries = [self._entry(i, laws or {}) for i in reactions]
        self.reactions = [self._reaction(e) for e in self.entries]
        self.sides = {(r, back): self._side(r, back) for r in range(len(self.entries)) for back in (False, True)}
        self.rates, self.per = pack(self.reactions, [r.constant for r in self.reactions], len(self.species))
        self.numbers = [self._number(a) for a in free]
        self.asked = np.array([[n.reaction, CODES[n.kind], n.of] for n in self.numbers], np.int64).reshape(-1, 3)
        self.pivots = np.array([n.pivot for n in self.numbers])

    def _entry(self, id_: str, laws: dict[str, RateEntry]) -> ReactionEntry:
        entry = self.project.reaction(id_)
        if entry is None:
            raise FitTrouble(f"The reaction {id_} is gone: choose another set.")
        law = laws.get(id_, entry.rate)
        sought = {a for a in self.sought if a.startswith(f"{id_}.")}
        if law is None and sought and all(".lnK_" in a for a in sought):
            law = RateEntry()  # only its equilibrium is looked at
        if law is None:
            raise FitTrouble(f"{id_} has no rate law: give it one in Chemistry; its constants may stay empty.")
        law = law.model_copy(deep=True)
        out = entry.model_copy(deep=True)
        out.rate = law
        self._fill(out)
        return out

    def _fill(self, entry: ReactionEntry) -> None:
        """Constants that are not typed yet stand as 1 of a usual unit, so that they can be sought."""
        law, K = entry.rate, entry.equilibrium
        assert law is not None
        if K is not None and K.source == "formula" and not any(t.strip(" 0.-") for t in (K.a, K.b, K.c, K.d)):
            K.a = "1e-9"  # nothing typed yet: 1 at every temperature
        for back, side in ((False, law.forward), (True, law.backward)):
            if side is not None and not side.k.strip():
                order = sum(self._orders(entry, back).values())
                side.k = f"1 {usual_unit(law, order)}".strip()
        for a in law.adsorption:
            if not a.constant.k.strip():
                way = counted_in("", law.basis, None, 0.0)
                a.constant.k = f"0.1 {way.of_strength(number(a.power, 'the power'))}".strip()

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

    def start(self) -> np.ndarray:
        """phi as typed, shape (p,)."""
        return np.array([self._typed(n) for n in self.numbers])

    def _typed(self, n: Number) -> float:
        law, back = self.reactions[n.reaction].rate, n.kind.startswith("back_")
        if n.kind.startswith("lnK_"):
            a, b, c, d = self.reactions[n.reaction].constant.coefficients
            return a + b / self.T + c * math.log(self.T) + d * self.T if n.kind == "lnK_A" else -R * b
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
            ln_K, heat = (given.get((r, kind, 0)) for kind in ("lnK_A", "lnK_B"))
            if heat is not None:
                numbers[r, k.N_B] = -heat / R
            if ln_K is not None:
                rest = numbers[r, k.N_B] / self.T + numbers[r, k.N_C] * math.log(self.T) + numbers[r, k.N_D] * self.T
                numbers[r, k.N_A] = ln_K - rest
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
    amount, space, time = {"catalyst": ("mol", "kg", "h"), "surface": ("mol", "m2", "h")}.get(law.per, ("mol", "L", "min"))
    rate = f"{amount}/({space} {time})"
    quantity = {"concentration": "mol/L", "mole-fraction": ""}.get(law.basis, "bar")
    return CountedIn(rate, quantity, 1.0, amount, space, time).of_constant(order)
