"""What is selected: its form, results and account."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from gulch.engine.declared.base import FAMILIES
from gulch.engine.document import FEED_GIVEN_BY, source_of
from gulch.engine.exchange import columns_of
from gulch.engine.explain.manual import page_of
from gulch.engine.explain.origin import origin
from gulch.engine.phases.model import WATER
from gulch.engine.project.edit import AIR, has_stages
from gulch.engine.project.feeds import FEED_BASES
from gulch.engine.project.inputs import feed_addresses
from gulch.engine.project.measures import OVERALL
from gulch.engine.project.places import About, at_gauge, at_knob
from gulch.engine.quantities import (
    DIMENSIONS,
    dimensions_of,
    show,
)
from gulch.engine.units import KINDS
from gulch.web.projects.regions.accounts import Account, EquilibriumRow, ReactionRow, ResultRow
from gulch.web.projects.regions.fields import Field
from gulch.web.projects.regions.region import Region
from gulch.web.projects.words import (
    is_held,
    pretty_text,
    show_unit,
    unit_reading,
)

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.engine.document.process import GaugeEntry, KnobEntry, StreamEntry
    from gulch.engine.document.project import Project
    from gulch.engine.explain.origin import Fact, Origin
    from gulch.engine.flowsheet.solution import StreamResult, UnitOutcome
    from gulch.engine.project.messages import Message
    from gulch.engine.project.places import Place
    from gulch.web.projects.regions.header import TodoLine
    from gulch.web.projects.regions.strip import StripPlace


OFFERED = [(f, [(k.kind, k.label, k.meaning) for k in KINDS.values() if k.family == f]) for f in FAMILIES]


@dataclass
class WhyPanel:
    """Where a result comes from."""

    id: str
    why: Origin
    given: list[tuple]
    facts: list[tuple]
    what: str = "why"


@dataclass
class UnitPanel:
    """A selected unit: form, results and account."""

    id: str
    flow_unit: str
    kind: str
    own_kind: str
    kinds: list[tuple]
    meaning: str
    page: str
    fields: list[Field]
    results: list[ResultRow]
    account: Account | None
    balance: list[tuple]
    messages: list[TodoLine]
    reactions: list[ReactionRow]
    equilibria: list[EquilibriumRow]
    net: list[tuple]
    why: list[str]
    reading: str
    entering: list[str]
    leaving: list[str]
    least: str = ""
    what: str = "unit"


@dataclass
class StreamPanel:
    """A selected stream."""

    id: str
    feed: bool
    source: str | None
    to: str | None
    messages: list[TodoLine]
    units: list[tuple]
    kinds: list[tuple]
    outlets: list[tuple]
    inlets: list[tuple]
    fields: list[Field] = field(default_factory=list)
    results: list[ResultRow] = field(default_factory=list)
    composition: list[CompositionRow] = field(default_factory=list)
    phases: list[PhaseShare] = field(default_factory=list)
    phase_rows: list[tuple] = field(default_factory=list)
    in_water: list[tuple] = field(default_factory=list)  # (ion or molecule, its molality as text)
    strength: str = ""
    air: bool = False
    basis: list[tuple] = field(default_factory=list)
    table: str = ""
    whole_message: str | None = None
    others: list[str] = field(default_factory=list)  # feeds that it can be a ratio to
    what: str = "stream"


@dataclass
class Overall:
    """Conversions and balance of the whole."""

    results: list[ResultRow]
    balance: list[tuple]


@dataclass
class KnobPanel:
    """A selected knob."""

    id: str
    place: StripPlace
    knob: KnobEntry
    said: list[Message]
    label: str
    what: str = "knob"


@dataclass
class GaugePanel:
    """A selected gauge."""

    id: str
    place: StripPlace
    gauge: GaugeEntry
    shown_as: list[tuple[str, bool]]
    said: list[Message]
    label: str
    what: str = "gauge"


@dataclass
class CompositionRow:
    """A species in a stream."""

    label: str
    flow: str
    fraction: str
    rows: list[ResultRow]


TRACE = 1e-12  # mol/kg below which an ion is not shown


def ion(name: str) -> str:
    """The name of an ion as one reads it, "HCO3−" or "CO3 2−"."""
    core = name.rstrip("+-")
    charge = name[len(core) :]
    return core + (f" {len(charge)}" if len(charge) > 1 else "") + ("−" if "-" in charge else "+" if charge else "")


@dataclass
class PhaseShare:
    """A phase of a stream."""

    kind: str
    share: str


class Inspector(Region):
    """What is selected: its form, results and account."""

    def inspected(self) -> KnobPanel | GaugePanel | WhyPanel | UnitPanel | StreamPanel | None:
        """What the side panel shows for the selection, or None; its `what` says which it is."""
        head, _, rest = self.select.partition(":")
        if head == "knob" and self.document.knob(rest):
            k = self.document.knob(rest)
            return KnobPanel(
                id=k.id,
                place=self.space.strip.place("knob", k.id),
                knob=k,
                said=self.said(at_knob(k.id)),
                label=k.label or (self.inputs[k.input].label if k.input in self.inputs else k.input),
            )
        if head == "gauge" and self.document.gauge(rest):
            g = self.document.gauge(rest)
            r = self.outputs.get(g.reads)
            alike = [
                d.name for d in DIMENSIONS.values() if r is not None and dimensions_of(d.si) == dimensions_of(DIMENSIONS[r.dimension].si)
            ]
            return GaugePanel(
                id=g.id,
                place=self.space.strip.place("gauge", g.id),
                gauge=g,
                shown_as=[(d, d == r.dimension) for d in alike] if g.formula and len(alike) > 1 else [],
                said=self.said(at_gauge(g.id)),
                label=g.label or (self.outputs[g.reads].label if g.reads in self.outputs else g.reads),
            )
        if head == "why":
            return self.explained(rest)
        unit = self.document.unit(self.select)
        if unit is not None:
            return self.inspect_unit(unit)
        stream = self.document.stream(self.select)
        return self.inspect_stream(stream) if stream is not None else None

    def explained(self, address: str) -> WhyPanel | None:
        """Where a result comes from; None where it is none, or has no figure."""
        found = origin(self.document, self.solution, address) if self.solution else None
        if found is None:
            return None
        groups = [("Typed, assumed or set at " + found.maker, found.inputs), ("Before it", found.upstream)]
        return WhyPanel(
            id=found.maker,
            why=found,
            given=[(title, [(g, pretty_text(g.text)) for g in rows]) for title, rows in groups if rows],
            facts=[(f, pretty_text(f.text), self.fact_link(f)) for f in found.facts],
        )

    def fact_link(self, fact: Fact) -> str:
        """What of Chemistry a fact is seen at."""
        return f"species:{fact.owner}" if fact.about == About.SPECIES and fact.owner else fact.owner

    def said(self, place: Place) -> list[Message]:
        """To-do lines of a knob, gauge, target or scan and of its parts; place: that of the whole."""
        return [m for m in self.messages if (m.place.about, m.place.id) == (place.about, place.id)]

    def own_messages(self, id_: str) -> list[TodoLine]:
        """To-do lines of one thing; those of a single field stand at the field instead."""
        return [t for t in self.space.header.todo_lines(self.messages) if t.where == id_]

    def inspect_unit(self, unit: Any) -> UnitPanel:
        kind = KINDS[unit.kind]
        outcome = self.solution.units.get(unit.id) if self.solution else None
        results, account, balance = [], None, []
        if outcome is not None and outcome.solved:
            results = list(self.space.accounts.unit_results(unit, outcome))
            if outcome.changes:
                account = self.space.accounts.account(outcome)
            balance = self.space.accounts.balance_rows(outcome.balances)
        return UnitPanel(
            id=unit.id,
            flow_unit=show_unit("molar flow", self.display),
            kind=kind.label,
            own_kind=unit.kind,
            kinds=OFFERED,
            meaning=kind.meaning,
            page=page_of(unit.kind),
            fields=list(self.space.fields.unit_fields(unit)),
            results=results,
            account=account,
            balance=balance,
            messages=self.own_messages(unit.id),
            reactions=list(self.space.accounts.reaction_rows(unit, outcome)) if outcome and outcome.solved else [],
            equilibria=list(self.space.accounts.equilibrium_rows(outcome)) if outcome and outcome.solved else [],
            net=self.space.accounts.net_reactions(outcome) if outcome and outcome.solved else [],
            why=outcome.values.get("why", []) if outcome and outcome.solved else [],
            reading=unit_reading(self.document, unit),
            least=self.kept(unit, outcome),
            entering=[s.id for s in self.document.streams if s.enters == unit.id],
            leaving=[s.id for s in self.document.streams if s.source and source_of(s)[0] == unit.id],
        )

    def kept(self, unit: Any, outcome: UnitOutcome | None) -> str:
        """The conversion that stages reach, for which the least catalyst may be sought; "" where there is none."""
        if outcome is None or not outcome.solved or not has_stages(unit.kind):
            return ""
        reached = outcome.values.get("stage_conversion") or {}
        return show(max(reached.values()), "fraction", self.display) if reached else ""

    def inspect_stream(self, stream: StreamEntry) -> StreamPanel:
        found = self.solution.streams.get(stream.id) if self.solution else None
        out = StreamPanel(
            id=stream.id,
            feed=stream.is_feed,
            source=stream.source,
            to=stream.to,
            messages=self.own_messages(stream.id),
            units=list(destinations(self.document, stream)),
            kinds=OFFERED,
            outlets=outlets(self.document, stream),
            inlets=inlets(self.document, stream),
        )
        if stream.is_feed and stream.given is not None:
            self.inspect_feed(stream, out)
        if found is not None:
            self.inspect_found(stream, found, out)
        return out

    def inspect_feed(self, stream: StreamEntry, out: StreamPanel) -> None:
        """Add what is typed of a feed."""
        out.air = {c for c, *_ in AIR[:2]} <= {s.cas for s in self.document.species}
        out.basis = [(b, words, b == stream.given.basis) for b, words in FEED_GIVEN_BY.items()]
        out.others = [s.id for s in self.document.streams if s.is_feed and s.id != stream.id]
        ratios = stream.given.basis == "mole-ratios"
        labels = {
            "temperature": "Temperature",
            "pressure": "Pressure",
            "total": f"Flow of {stream.given.to_species}" if ratios else "Total flow",
        }
        if ratios:
            address = f"{stream.id}.to_species"
            options = [(s.id, s.shown, s.id == stream.given.to_species) for s in self.document.species]
            message = self.errors.get(address)
            out.fields.append(Field("choice", "Ratios are to", "moles per mole of it", address, options=options, message=message))
        shown = {s.id: s.shown for s in self.document.species}
        out.table = self.space.table.feed_heads()
        for a in feed_addresses(self.document, stream):
            tail = a.address.split(".", 1)[1]
            out.fields.append(self.space.fields.field(a.address, labels.get(tail) or shown.get(tail.split(".")[-1], tail)))
        out.whole_message = next((self.errors[w] for k, _, _ in FEED_BASES.values() if (w := f"{stream.id}.{k}") in self.errors), None)

    def inspect_found(self, stream: StreamEntry, found: StreamResult, out: StreamPanel) -> None:
        """Add what a solve found of a stream."""
        layers = ("vapour_flow", "light_flow", "heavy_flow")
        for name, words in columns_of(self.document).items():
            if (name in layers and (len(found.phases) < 2 or not getattr(found, name))) or (name == "ph" and found.ph is None):
                continue
            value = found.total if name == "flow" else getattr(found, name)
            dimension = self.outputs[f"{stream.id}.{name}"].dimension
            out.results.append(self.space.accounts.result_row(f"{stream.id}.{name}", words, show(value, dimension, self.display)))
        for s in self.document.species:
            n = found.flow.get(s.id, 0.0)
            out.composition.append(
                CompositionRow(
                    label=s.shown,
                    flow=self.space.accounts.flow_text(n),
                    fraction=show(n / found.total if found.total else None, "fraction", self.display, unit=False),
                    rows=[
                        self.space.accounts.result_row(f"{stream.id}.{k}.{s.id}", w, "")
                        for k, w in (
                            ("flow", "flow"),
                            ("fraction", "mole fraction"),
                            ("mass_flow", "mass flow"),
                            ("mass_fraction", "mass fraction"),
                        )
                    ],
                )
            )
        for p in found.phases:
            words = self.phase_words(p, found.phases)
            out.phases.append(PhaseShare(kind=words, share=show(p["share"], "fraction", self.display)))
        if found.in_water:
            out.strength = f"{found.in_water['strength']:.3g} mol/kg"
            there = sorted(found.in_water["molalities"].items(), key=lambda m: -m[1])
            out.in_water = [(ion(name), f"{m:.3g}") for name, m in there if m > TRACE]
        if len(found.phases) > 1:
            out.phase_rows = [
                (s.shown, [show(p["fraction"].get(s.id, 0.0), "fraction", self.display, unit=False) for p in found.phases])
                for s in self.document.species
            ]

    def phase_words(self, phase: dict[str, Any], phases: list[dict[str, Any]]) -> str:
        """The name of a phase of a stream; one that only holds what cannot vaporise is no liquid that the model knows."""
        held = {s.id for s in self.document.species if phase["fraction"].get(s.id, 0.0) > 1e-9}
        solid = {s.id for s in self.document.species if s.id in held and is_held(s.key)}
        if held and held == solid:
            return "not volatile (solid or dissolved)"
        liquids = [p for p in phases if p["kind"] == "liquid"]
        if phase["kind"] != "liquid" or len(liquids) < 2:
            return phase["kind"]
        water = sum(phase["fraction"].get(s.id, 0.0) for s in self.document.species if s.cas == WATER)
        return f"{'light' if phase is liquids[0] else 'heavy'} liquid{', water-rich' if water > 0.5 else ''}"

    def overall_rows(self) -> Overall | None:
        """Overall conversions and balance, for the panel when nothing is selected."""
        if self.solution is None or not self.solution.overall:
            return None
        conversion = [
            self.space.accounts.result_row(
                f"overall.conversion.{s.id}",
                f"Overall conversion of {s.shown}",
                show(self.solution.overall["conversion"][s.id], "fraction", self.display),
            )
            for s in self.document.species
            if self.solution.overall["conversion"].get(s.id, 0.0) > 1e-9
        ]
        made = [
            self.space.accounts.result_row(f"overall.made.{s.id}", f"{s.shown} made", show(v, "molar flow", self.display))
            for s in self.document.species
            if (v := self.solution.overall["made"].get(s.id, 0.0)) > 1e-9
        ]
        row, overall = self.space.accounts.result_row, self.solution.overall
        measures = [
            row(f"overall.{name}", label, show(overall.get(name), "fraction", self.display), formula)
            for name, (label, formula) in OVERALL.items()
            if f"overall.{name}" in self.outputs
        ]
        return Overall(
            results=[*measures, *conversion, *made],
            balance=self.space.accounts.balance_rows(self.solution.overall["balances"]),
        )


def outlets(document: Project, stream: StreamEntry) -> list[tuple]:
    """(port, words, taken now, which stream it would exchange with) of the outlets that a stream can leave its unit by."""
    unit = document.unit(source_of(stream)[0]) if stream.source else None
    ports: tuple = KINDS[unit.kind].ports_out(unit) if unit is not None else ()
    now = source_of(stream)[1] or (ports[0].name if len(ports) == 1 else None)
    return [(p.name, p.name, p.name == now) for p in ports] if len(ports) > 1 or (ports and now != ports[0].name) else []


def inlets(document: Project, stream: StreamEntry) -> list:
    """(port, words, taken now) of the sides that a stream can enter its unit by."""
    unit = document.unit(stream.enters) if stream.to else None
    ports = KINDS[unit.kind].inlets if unit is not None else ()
    return [(p.name, p.name, p.name == stream.inlet) for p in ports] if len(ports) > 1 else []


def destinations(document: Project, stream: StreamEntry) -> Iterator:
    """(what to send it to, words) for every inlet another stream could take."""
    for u in document.units:
        inlets = KINDS[u.kind].inlets
        for port in inlets:
            to = u.id if len(inlets) == 1 else f"{u.id}.{port.name}"
            if to != stream.to:
                yield to, u.id if len(inlets) == 1 else f"{u.id}, {port.name} side"
