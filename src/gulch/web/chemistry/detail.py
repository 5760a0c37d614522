"""One reaction: its constant over temperature and its rate law."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from types import SimpleNamespace
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.chemistry import reaction_properties, write_equation
from gulch.engine.chemistry.constants import BASIS_UNITS, QUOTIENT_BASES, SOURCES, gibbs_spread
from gulch.engine.chemistry.rates import PER, RATE_BASES, RATE_DIMENSIONS, half_life, pack, rates, read_rate_constant
from gulch.engine.document import EquilibriumEntry
from gulch.engine.explain.rate_words import rate_words
from gulch.engine.fluids import LIQUID, VAPOUR, R
from gulch.engine.project.inputs import addresses, reactions_of
from gulch.engine.project.reading import constant_of, rate_of
from gulch.engine.quantities import (
    DIMENSIONS,
    DISPLAY_SETS,
    QuantityError,
    format_number,
    split_text,
    to_unit,
)
from gulch.web.chemistry.part import Part
from gulch.web.projects.words import pretty_text, show_unit

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.engine.chemistry.rates import RateLaw
    from gulch.engine.document.chemistry import RateEntry, ReactionEntry
    from gulch.engine.project.messages import Message


@dataclass
class ReactionPanel:
    """One reaction in detail: its equilibrium constant with every field, its plot and how sure it is."""

    id: str
    entry: Any
    equation: str
    sources: list
    phases: list
    bases: list
    units: list
    error: Message | None
    polynomial: str
    has_conversion: bool
    low: str
    high: str
    polynomial_error: Message | None
    knob: str | None
    rate: RatePanel | None = None
    sure: str = ""
    parts: list = field(default_factory=list)
    plot: dict[str, Any] | None = None
    heat_words: str = ""
    heat_differs: bool = False
    lumps: bool = False  # whether a species of the user's own takes part, which may be given its formation enthalpy by the heat
    heat: str = ""
    numbers: dict[str, str] = field(default_factory=dict)  # addresses, by name
    turned: dict[str, str] = field(default_factory=dict)  # knobs that turn them, by name


@dataclass
class RatePanel:
    """A rate law's fields, and k, rate and half-life where they can be checked."""

    entry: RateEntry
    error: Message | None
    question: Message | None
    laws: list[tuple]
    bases: list[tuple]
    pers: list[tuple]
    reverses: list[tuple]
    numbers: dict[str, str]  # addresses of its constants, by name
    turned: dict[str, str]  # knobs that turn them, by name
    at: str
    back_at: str
    species: list[tuple]
    names: list[str]
    words: str = ""  # the whole law in a line
    orders: list[tuple] = field(default_factory=list)
    others: list = field(default_factory=list)
    samples: list[RateSample] = field(default_factory=list)
    order: str = ""
    k_text: str = ""

    def pin(self, name: str, label: str) -> dict[str, str] | None:
        """What makes a number a knob, or shows that it is one; None where it has no address."""
        return {"address": self.numbers[name], "knob": self.turned.get(name, ""), "label": label} if name in self.numbers else None

    def order_pins(self) -> list[tuple]:
        """The rows of `orders` with what makes each a knob."""
        return [
            (s, f, b, self.pin(f"order.{s}", f"order in {s}"), self.pin(f"back_order.{s}", f"reverse order in {s}"))
            for s, f, b in self.orders
        ]

    def adsorbed(self) -> list[tuple]:
        """Adsorption terms, and what makes constant, power and heat of each a knob."""
        names = (("adsorption", "K"), ("adsorption_power", "power"), ("adsorption_heat", "heat of adsorption"))
        return [(a, *(self.pin(f"{n}.{a.species}", f"{label} of {a.species}") for n, label in names)) for a in self.entry.adsorption]

    def named(self) -> list[tuple]:
        """Numbers of a formula, and what makes each a knob."""
        return [(name, text, self.pin(f"number.{name}", name)) for name, text in self.entry.numbers.items()]

    @property
    def law(self) -> str:
        """The law without its constants."""
        return self.words.partition("; ")[0].partition(", by ")[0]


@dataclass
class RateSample:
    """Rate and half-life in one state."""

    where: str
    rate: str
    half: str


class ReactionDetail(Part):
    """One reaction: its constant over temperature and its rate law."""

    def reaction_detail(self) -> ReactionPanel | None:
        """The selected reaction: its equilibrium constant with every field, its plot and how sure it is."""
        reaction = self.document.reaction(self.page.space.select)
        if reaction is None or reaction.id in self.problems or self.model is None:
            return None
        e = reaction.equilibrium or EquilibriumEntry()
        nu = self.nu(reaction.id)
        out = ReactionPanel(
            id=reaction.id,
            numbers=(addressed := self.addressed(reaction))[0],
            turned=addressed[1],
            entry=e,
            equation=write_equation(self.resolved[reaction.id].coefficients, self.shown),
            sources=[(v, words, v == e.source) for v, words in SOURCES.items()],
            phases=[(v, v, v == e.phase) for v in ("vapour", "liquid")],
            bases=[(v, words, v == e.basis) for v, words in QUOTIENT_BASES.items()],
            units=[(u, u == (e.unit or BASIS_UNITS[e.basis][1])) for u in DIMENSIONS[BASIS_UNITS[e.basis][0]].offered]
            if e.basis in BASIS_UNITS
            else [],
            error=self.page.space.errors.get(f"{reaction.id}.equilibrium"),
            polynomial=reaction.conversion.polynomial or "" if reaction.conversion else "",
            has_conversion=reaction.conversion is not None,
            low=pretty_text(e.low or ""),
            high=pretty_text(e.high or ""),
            polynomial_error=self.page.space.errors.get(f"{reaction.id}.polynomial"),
            knob=next((k.id for k in self.document.knobs if k.input == f"{reaction.id}.constant"), None),
        )
        out.rate = self.rate_detail(reaction, nu)
        out.lumps = any(v and s.data is not None and s.data.formula and not s.cas for v, s in zip(nu, self.document.species, strict=True))
        if out.lumps and not any(v and s.formation_enthalpy is None for v, s in zip(nu, self.model.species, strict=True)):
            out.heat = self.show(reaction_properties(nu, self.model, 298.15).dh, "molar energy")
        if any(v and self.model.species[i].formation_enthalpy is None for i, v in enumerate(nu)):
            return out
        out.sure = self.page.cards.sure(nu)
        spread = gibbs_spread(nu, self.model, self.T)
        if spread:
            out.parts = [(self.document.species[i], self.show(size, "molar energy", 2)) for i, size in spread.parts if size > 50.0]
        try:
            out.plot = self.constant_plot(reaction, nu, spread is not None)
            constant = constant_of(reaction)
            if constant.source != "gibbs":
                heat = constant.reaction_heat(self.T, nu, self.model)
                own = reaction_properties(nu, self.model, self.T).dh
                out.heat_words = (
                    f"The constant itself implies a heat of reaction of {self.show(heat, 'molar energy')} at "
                    f"{self.at_shown} (van 't Hoff); the formation data give {self.show(own, 'molar energy')}."
                )
                out.heat_differs = abs(heat - own) > 0.15 * max(abs(own), 1e4)
        except QuantityError:
            pass
        return out

    def addressed(self, reaction: ReactionEntry) -> tuple[dict[str, str], dict[str, str]]:
        """The addresses of a reaction's numbers, and the knobs that turn them, by name."""
        own = f"{reaction.id}."
        turned = {k.input.removeprefix(own): k.id for k in self.document.knobs if k.input.startswith(own)}
        return {a.removeprefix(own): a for a in addresses(self.document) if a.startswith(own)}, turned

    def rate_detail(self, reaction: ReactionEntry, nu: np.ndarray) -> RatePanel | None:
        """The rate law's fields, and k, rate and half-life where an engineer can check them."""
        e = reaction.rate
        if e is None:
            return None
        out = RatePanel(
            entry=e,
            error=self.page.space.errors.get(f"{reaction.id}.rate"),
            question=self.page.space.errors.get(f"{reaction.id}.energy"),
            laws=[(v, w, v == e.law) for v, w in (("power", "power law"), ("formula", "formula of its own"))],
            bases=[(v, words, v == e.basis) for v, (words, _, _) in RATE_BASES.items()],
            pers=[(v, words, v == e.per) for v, words in PER.items()],
            reverses=[
                (v, w, v == e.reverse)
                for v, w in (("none", "none"), ("own", "with a k of its own"), ("equilibrium", "from the equilibrium constant"))
            ],
            numbers=(addressed := self.addressed(reaction))[0],
            turned=addressed[1],
            at=pretty_text(e.forward.at or ""),
            back_at=pretty_text(e.backward.at or "") if e.backward else "",
            species=[(s.id, s.shown) for s in self.document.species],
            names=[f"{kind}.{s.id.replace('-', '_')}" for s in self.document.species for kind in ("c", "p", "x")][:9],
            words=rate_words(reaction, self.document),
        )
        names = self.names
        usual = {names[i]: f"{-v:g}" for i, v in enumerate(nu) if v < 0.0}
        back = {names[i]: f"{v:g}" for i, v in enumerate(nu) if v > 0.0}
        shown = dict.fromkeys([*(names[i] for i, v in enumerate(nu) if v), *e.orders, *e.reverse_orders])
        out.orders = [
            (
                s,
                e.orders.get(s, "0") if e.orders else usual.get(s, "0"),
                e.reverse_orders.get(s, "0") if e.reverse_orders else back.get(s, "0"),
            )
            for s in shown
        ]
        out.others = [s for s in names if s not in shown]
        try:
            law = rate_of(reaction, self.document, nu)
        except QuantityError:
            return out
        if law.constant is not None:
            order = float(law.forward.sum())
            out.order = f"{order:g}"
            number, unit = split_text(e.forward.k)  # shown in the unit typed, so that a slip in it is seen
            typed = read_rate_constant(e.forward.k, law.basis, law.per, order) / number
            out.k_text = f"{format_number(law.constant.at(self.T) / typed, 4)} {unit}"
        out.samples = self.rate_samples(reaction, law)
        return out

    def rate_samples(self, reaction: ReactionEntry, law: RateLaw | None) -> list[RateSample]:
        """Rate and half-life in streams that are solved: the first reactor's inlet or a feed, there and at the chosen temperature."""
        solved = self.page.space.solution.streams if self.page.space.solution else {}
        users = [u.id for u in self.document.units if reaction.id in reactions_of(self.document, u)]
        order = [
            *(s.id for s in self.document.streams if s.enters in users),
            *(s.id for s in self.document.streams if s.is_feed),
        ]
        stream = next((i for i in order if i in solved and solved[i].temperature), None)
        if stream is None or not self.model.all_volatile:
            return []
        found = solved[stream]
        n = np.array([found.flow.get(s, 0.0) for s in self.names])
        phase = "vapour" if (found.vapour_fraction or 0.0) > 0.5 else "liquid"
        nu = self.nu(reaction.id)
        try:
            laws, _ = pack([SimpleNamespace(nu=nu, rate=law)], [constant_of(reaction)], len(self.names))
        except QuantityError:
            return []
        rows = []
        dimension = RATE_DIMENSIONS[law.per]
        for T in dict.fromkeys((found.temperature, self.T)):
            speed = float(rates(laws, T, found.pressure, n, phase, self.model)[0])
            half = None
            if law.forward is not None and law.per in ("fluid", "bed"):
                first = next((i for i in np.argsort(-law.forward) if nu[i] < 0.0 and n[i] > 0.0), None)
                if first is not None:
                    code = VAPOUR if phase == "vapour" else LIQUID
                    c = n[first] / n.sum() / self.model.phase_volume(T, found.pressure, n, code)
                    half = half_life(speed * -nu[first], float(law.forward[first]), c)
            rows.append(
                RateSample(
                    where=f"{stream}, {phase}, {self.show(T, 'temperature')}",
                    rate=self.show(speed, dimension, 3),
                    half=self.show(half, "time", 3) if half else "–",
                )
            )
        return rows

    def constant_plot(self, reaction: ReactionEntry, nu: np.ndarray, with_gibbs: bool) -> dict[str, Any]:
        """log10 K over 1/T: the constant in use, the band of the sources where it rests on Gibbs energies."""
        used = [f for v, s in zip(nu, self.model.species, strict=True) if v for f in [s.heat_capacity]]
        low, high = max(f.low for f in used), min(f.high for f in used)
        constant = constant_of(reaction)
        believed = constant.range()
        from_T = max(min(low, self.T) if low < 1000 else low, 200.0)
        to_T = min(max(self.T + 50.0, 1500.0), max(high, self.T + 50.0))
        T = 1.0 / np.linspace(1.0 / to_T, 1.0 / from_T, 41)
        unit = DISPLAY_SETS[self.display].unit("temperature")

        def logs(values: Iterator) -> list[float]:
            return [v / math.log(10) for v in values]

        out = {
            "kind": "constant",
            "x": (1000.0 / T).tolist(),
            "T": [to_unit(t, unit, "temperature") for t in T],
            "unit": show_unit("temperature", self.display),
            "k": logs(constant.ln_k(t, nu, self.model) for t in T) if constant.source != "gibbs" or with_gibbs else [],
            "valid": [1000.0 / min(high, to_T), 1000.0 / max(low, from_T)],
            "at": 1000.0 / self.T,
            "low": [],
            "high": [],
            "gibbs": None,
            "believed": [1000.0 / (believed[1] or to_T), 1000.0 / (believed[0] or from_T)] if any(believed) else None,
            "ticks": [],
            "source": SOURCES[constant.source],
        }
        if with_gibbs:
            spreads = [gibbs_spread(nu, self.model, t) for t in T]
            out["low"] = logs(-s.high / (R * t) for s, t in zip(spreads, T, strict=True))
            out["high"] = logs(-s.low / (R * t) for s, t in zip(spreads, T, strict=True))
            if constant.source != "gibbs":
                out["gibbs"] = logs(-s.used / (R * t) for s, t in zip(spreads, T, strict=True))
        for t in (0, 50, 100, 200, 300, 400, 600, 1000, 2000):
            k = t if unit == "K" else t + 273.15 if unit == "degC" else (t + 459.67) / 1.8
            room = 0.11 * (1000.0 / from_T - 1000.0 / to_T)  # so that the numbers do not touch
            if from_T <= k <= to_T and (not out["ticks"] or out["ticks"][-1][0] - 1000.0 / k > room):
                out["ticks"].append([1000.0 / k, f"{t}"])
        return out
