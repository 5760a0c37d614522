"""Where a number comes from: the formula with its numbers, what was typed for it and by whom, and the way back through the streams."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import networkx as nx

from gulch.engine.document import source_of
from gulch.engine.explain.rate_words import rate_words
from gulch.engine.flowsheet.graph import build
from gulch.engine.handbook import Relation
from gulch.engine.phases.model import PHASE_MODELS
from gulch.engine.project.couplings import readings
from gulch.engine.project.inputs import Address, addresses, reactions_of
from gulch.engine.project.measures import OVERALL, key_per_product
from gulch.engine.project.nodes import NodeKind, feed_node, unit_node
from gulch.engine.project.places import About
from gulch.engine.project.results import STREAM_RESULTS, molar_masses, value
from gulch.engine.quantities import QuantityError, show
from gulch.engine.reactors.kinetic import KineticReactor
from gulch.engine.species import SpeciesError, lookup
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.document import Project, StreamEntry
    from gulch.engine.flowsheet.solution import Solution
    from gulch.engine.project.results import Readable

CUBIC = ("peng-robinson", "soave-redlich-kwong", "predictive-srk")  # which rest on critical points and not on vapour pressures


@dataclass(frozen=True)
class Given:
    """An input that a number rests on. owner: id of its unit, feed or reaction; text: as typed; giver: who gave it."""

    owner: str
    label: str
    text: str
    giver: str
    about: About


@dataclass(frozen=True)
class Fact:
    """A datum that a number rests on, with its source; about and owner: where it is seen and changed."""

    label: str
    text: str
    source: str
    about: About
    owner: str


@dataclass(frozen=True)
class Origin:
    """Where a result comes from. how: lines of its formula with the numbers put in; maker: id of the unit or feed that makes it, or "".

    enters: (words, address) of the streams that it is made from; inputs: of its maker; upstream: of all before it; facts: data of
    species and reactions on the way.
    """

    address: str
    label: str
    text: str
    how: tuple[str, ...]
    relations: tuple[Relation, ...]
    maker: str
    enters: tuple[tuple[str, str], ...]
    inputs: tuple[Given, ...]
    upstream: tuple[Given, ...]
    facts: tuple[Fact, ...]


def givers(project: Project) -> dict[str, str]:
    """{address: who sets it} of inputs that a tie or a target sets in place of what is typed."""
    turned = {k.id: k.input for k in project.knobs}
    return {t.sets: "a tie" for t in project.ties} | {turned[t.knob]: "a target" for t in project.targets if t.on and t.knob in turned}


def origin(project: Project, solution: Solution, address: str) -> Origin | None:
    """The Origin of a result, None where there is no such result or it was not computed. project: as it is worked on."""
    found = readings(project).get(address)
    if found is None:
        return None
    gauge = next((g.id for g in project.gauges if found.formula and g.reads == address), "")
    number = solution.gauges.get(gauge) if gauge else value(solution, address, molar_masses(project))
    if number is None:
        return None
    return _Search(project, solution, found, number).origin()


class _Search:
    """One search: what is asked for, and what is found on the way."""

    def __init__(self, project: Project, solution: Solution, found: Readable, number: float) -> None:
        self.project, self.solution, self.found, self.number = project, solution, found, number
        self.address, self.display = found.address, project.display
        self.head, _, self.rest = found.address.partition(".")
        self.inputs, self.by = addresses(project), givers(project)
        self.mass = molar_masses(project)
        self.shown = {s.id: s.shown for s in project.species}

    def origin(self) -> Origin:
        stream, unit = self.project.stream(self.head), self.project.unit(self.head)
        maker = (stream.id if stream.is_feed else source_of(stream)[0]) if stream else unit.id if unit else ""
        how = self.of_stream(stream) if stream else self.of_unit(unit) if unit else self.of_process()
        made_by = self.project.unit(maker)
        before = self.before(maker)
        return Origin(
            self.address,
            self.found.label,
            self.say(self.number, self.found.dimension),
            tuple(how),
            KINDS[made_by.kind].relations() if made_by else (),
            maker,
            tuple(self.enters(maker)),
            tuple(self.given_at(maker)),
            tuple(g for id_ in before for g in self.given_at(id_)),
            tuple(self.facts([maker, *before])),
        )

    def say(self, number: float | None, dimension: str) -> str:
        return show(number, dimension, self.display)

    # how

    def of_stream(self, stream: StreamEntry) -> Iterator[str]:
        found = self.solution.streams[stream.id]
        name, _, species = self.rest.partition(".")
        flow, moles = found.flow.get(species), self.say(found.total, "molar flow")
        result = self.say(self.number, self.found.dimension)
        if species and name == "fraction":
            yield f"x = n/Σ n = {self.say(flow, 'molar flow')} / {moles} = {result}"
        elif species and name in ("mass_flow", "mass_fraction"):
            grams = f"{self.say(flow, 'molar flow')} · {self.say(self.mass[species], 'molar mass')}"
            yield f"m = n M = {grams} = {self.say(flow * self.mass[species], 'mass flow')}"
            if name == "mass_fraction":
                parts = [self.say(m, "mass flow") for m in (flow * self.mass[species], found.mass_flow)]
                yield f"w = m/Σ m = {parts[0]} / {parts[1]} = {result}"
        elif name in ("flow", "mass_flow") and not species:
            flows = {i: n * (self.mass.get(i, 0.0) if name == "mass_flow" else 1.0) for i, n in found.flow.items() if n > 0.0}
            yield (
                "Σ " + " + ".join(f"{self.say(v, self.found.dimension)} {self.shown.get(i, i)}" for i, v in flows.items()) + f" = {result}"
            )
        elif name in STREAM_RESULTS and not species:
            yield f"{STREAM_RESULTS[name].meaning}: {result}"
        else:
            yield f"n of {self.shown.get(species, species)} as its maker leaves it: {result}"

    def of_unit(self, unit: Any) -> Iterator[str]:
        name = self.rest.partition(".")[0]
        declared = next((r for r in KINDS[unit.kind].results() if r.key == name), None)
        into = [s for s in self.project.streams if (s.to or "").partition(".")[0] == unit.id]
        out = [s for s in self.project.streams if source_of(s)[0] == unit.id]
        if declared and declared.counted:
            yield from self.counted(declared.meaning, into, out)
        elif name == "duty":
            terms = [self.total(side, "enthalpy_flow", "power") for side in (out, into)]
            work = self.solution.units[unit.id].values.get("work")  # put in beside the heat, by a shaft or a current
            less = ("− work ", f"− ({self.say(work, 'power')}) ") if work else ("", "")
            yield f"duty = H(out) − H(in) {less[0]}= {terms[0]} − ({terms[1]}) {less[1]}= {self.say(self.number, 'power')}"
        elif declared:
            yield f"{declared.meaning}: {self.say(self.number, self.found.dimension)}"

    def of_process(self) -> Iterator[str]:
        feeds, products = [s for s in self.project.streams if s.is_feed], [s for s in self.project.streams if s.to is None]
        name, _, species = self.rest.partition(".")
        if self.found.formula:
            known = readings(self.project)
            values = {a: value(self.solution, a, self.mass) for a in self.found.parts}
            numbers = ", ".join(f"{a} = {self.say(v, known[a].dimension)}" for a, v in values.items() if a in known)
            gauge = next(g for g in self.project.gauges if g.reads == self.address)
            yield f"{gauge.formula}; {numbers}"
        elif name in ("conversion", "made") and species:
            fed, left = self.amount(feeds, species), self.amount(products, species)
            flows = self.say(fed, "molar flow"), self.say(left, "molar flow")
            result = self.say(self.number, self.found.dimension)
            yield (
                f"(fed − leaving)/fed = ({flows[0]} − {flows[1]}) / {flows[0]} = {result}"
                if name == "conversion"
                else (f"leaving − fed = {flows[1]} − {flows[0]} = {result}")
            )
        elif name in OVERALL and self.project.measures:
            yield from self.counted(OVERALL[name][1], feeds, products)
        else:
            yield f"{self.found.label}: {self.say(self.number, self.found.dimension)}, summed by the prices typed under Scans, worth"

    def counted(self, formula: str, before: list[StreamEntry], after: list[StreamEntry]) -> Iterator:
        """A measure's formula, and the amounts of key reactant and wanted product that it counts."""
        m = self.project.measures
        yield f"{formula}: {self.say(self.number, 'fraction')}"
        for letter, species in (("A", m.key), ("P", m.product)):
            if species:
                flows = [self.say(self.amount(side, species), "molar flow") for side in (before, after)]
                yield f"{letter} = {self.shown.get(species, species)}: {flows[0]} in, {flows[1]} out"
        try:
            ratio, why = key_per_product(self.project)
            yield f"r = {ratio:g}, {why}"
        except QuantityError:
            return

    def amount(self, streams: list[StreamEntry], species: str) -> float:
        return sum(self.solution.streams[s.id].flow.get(species, 0.0) for s in streams if s.id in self.solution.streams)

    def total(self, streams: list[StreamEntry], name: str, dimension: str) -> str:
        """The sum of a result over streams, as text."""
        return self.say(sum(getattr(self.solution.streams[s.id], name) for s in streams if s.id in self.solution.streams), dimension)

    # back

    def enters(self, maker: str) -> Iterator[tuple[str, str]]:
        """The streams that a result is made from, or those that a formula counts, each with the same result of it where it has one."""
        if not maker:
            known = readings(self.project)
            for a in self.found.parts:
                if a in known:  # inputs stand in the formula's numbers and lead nowhere
                    yield known[a].label, a
            for s in self.project.streams:
                if not self.found.formula and (s.is_feed or s.to is None):
                    yield f"{'feed' if s.is_feed else 'product'} {s.id}", f"{s.id}.flow"
            return
        asked = self.rest if self.project.stream(self.head) else "flow"
        for s in self.project.streams:
            if (s.to or "").partition(".")[0] == maker:
                yield f"{s.id}, which enters {maker}", f"{s.id}.{asked}"

    def before(self, maker: str) -> list[str]:
        """Ids of all units and feeds whose material reaches a maker, the nearest first; of all for a result of the process."""
        graph = nx.DiGraph(build(self.project))
        if not maker:
            return [n.name for n in graph.nodes if n.kind in (NodeKind.FEED, NodeKind.UNIT)]
        node = unit_node(maker) if self.project.unit(maker) else feed_node(maker)
        far = nx.single_source_shortest_path_length(graph.reverse(copy=False), node) if node in graph else {}
        return [
            n.name
            for n, steps in sorted(far.items(), key=lambda p: (p[1], str(p[0])))
            if steps and n.kind in (NodeKind.FEED, NodeKind.UNIT)
        ]

    def given_at(self, owner: str) -> Iterator[Given]:
        """Inputs of a unit or feed that are typed, assumed, or set by a tie or a target."""
        if not owner:
            return
        for a in self.inputs.values():
            if a.address.partition(".")[0] == owner and a.about is not About.REACTION and (a.text or a.address in self.by):
                yield self.given(a, owner)

    def given(self, a: Address, owner: str) -> Given:
        text = a.text or ""
        if a.address in self.by and a.address in self.solution.found:
            text = self.say(self.solution.found[a.address], a.dimension)
        return Given(owner, a.label, text, self.by.get(a.address, "assumed" if a.assumed else "typed"), a.about)

    def facts(self, makers: list[str]) -> Iterator[Fact]:
        """Data on the way: the phase model, what the reactions of its reactors carry, and the species that are there."""
        model = self.project.phase_model.kind
        yield Fact("Phase model", PHASE_MODELS[model][0], "chosen", About.SPECIES, "")
        units = [u for u in map(self.project.unit, makers) if u is not None]
        ran = list(dict.fromkeys(i for u in units for i in reactions_of(self.project, u)))
        for id_ in ran:
            yield from self.reaction_facts(id_, units)
        liquid = self.has_liquid(units)
        for entry in self.project.species:
            try:
                species = lookup(*entry.key)
            except SpeciesError:
                continue
            if species.formation_enthalpy is not None and ran:
                datum = species.formation_enthalpy
                yield Fact(
                    f"Formation enthalpy of {entry.shown}", self.say(datum.value, "molar energy"), datum.source, About.SPECIES, entry.id
                )
            yield Fact(f"Heat capacity of {entry.shown}", "over temperature", species.heat_capacity.source, About.SPECIES, entry.id)
            critical, pressure = species.critical_temperature, species.critical_pressure
            if model in CUBIC and critical is not None and pressure is not None:
                text = f"{self.say(critical.value, 'temperature')}, {self.say(pressure.value, 'pressure')}"
                yield Fact(f"Critical point of {entry.shown}", text, critical.source, About.SPECIES, entry.id)
            elif species.vapour_pressure is not None and liquid:
                yield Fact(f"Vapour pressure of {entry.shown}", "over temperature", species.vapour_pressure.source, About.SPECIES, entry.id)

    def has_liquid(self, units: list) -> bool:
        """Whether a stream of these units holds liquid, so that vapour pressures count."""
        ids = {u.id for u in units}
        beside = [s.id for s in self.project.streams if source_of(s)[0] in ids or (s.to or "").partition(".")[0] in ids]
        found = [self.solution.streams[i] for i in beside if i in self.solution.streams]
        return any(s.vapour_fraction is not None and s.vapour_fraction < 1.0 for s in found)

    def reaction_facts(self, id_: str, units: list) -> Iterator[Fact]:
        """What a reaction on the way carries: typed numbers, its rate law where it is used, its equilibrium constant where one is."""
        reaction = next(r for r in self.project.reactions if r.id == id_)
        for a in self.inputs.values():
            if a.about is About.REACTION and a.address.partition(".")[0] == id_ and a.text:
                given = self.given(a, id_)
                yield Fact(given.label, given.text, given.giver, About.REACTION, id_)
        kinds = {KINDS[u.kind] for u in units if id_ in reactions_of(self.project, u)}
        if (words := rate_words(reaction, self.project)) and any(issubclass(k, KineticReactor) for k in kinds):
            yield Fact(f"Rate law of {id_}", words, "typed", About.REACTION, id_)
        e = reaction.equilibrium
        kinetic = reaction.rate is not None and reaction.rate.reverse == "equilibrium"
        if kinetic or any(k.kind == "equilibrium-reactor" for k in kinds):
            source = "Gibbs energies of formation" if e is None or e.source == "gibbs" else "typed"
            yield Fact(f"Equilibrium constant of {id_}", "over temperature", source, About.REACTION, id_)
