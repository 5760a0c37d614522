"""Ties and targets as the solver wants them: what each reads, what it sets, and at which nodes of the process."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from gulch.engine import formulas
from gulch.engine.project.inputs import addresses
from gulch.engine.project.nodes import OVERALL_NODE, feed_node, target_node, tie_node, unit_node
from gulch.engine.project.once import once
from gulch.engine.project.results import Readable, Results, readable
from gulch.engine.quantities import DIMENSIONS, QuantityError, dimensions_of, parse

if TYPE_CHECKING:
    from gulch.engine.document import GaugeEntry, Project, TargetEntry, TieEntry
    from gulch.engine.project.nodes import Node

# Of several quantities in one unit the first one is what a formula is taken to be.
_BY_USE = [DIMENSIONS["ratio"], *DIMENSIONS.values()]
_ADDRESS = re.compile(r"[A-Za-z][\w\-]*(?:\.[\w\-]+)+")


@dataclass(frozen=True)
class Tie:
    """One input set by a formula. reads: addresses of inputs and results in the formula."""

    address: str
    formula: formulas.Formula
    text: str
    reads: tuple
    label: str
    dimension: str

    @property
    def node(self) -> Node:
        return tie_node(self.address)


@dataclass(frozen=True)
class Target:
    """A gauge's result to be brought to `wanted` by an input between low and high, all in SI."""

    id: str
    gauge: str
    reads: str
    wanted: float
    knob: str
    address: str
    low: float
    high: float
    gauge_label: str
    knob_label: str
    dimension: str  # of the gauge
    knob_dimension: str
    parts: tuple = ()  # addresses that the reading is made of

    @property
    def node(self) -> Node:
        return target_node(self.id)


def names(project: Project) -> dict[str, Any]:
    """{name in a formula: (instruction, address, unit)} of every input and result; dashes become underscores."""
    known = {}
    for found in (readable(project), addresses(project)):
        for a in found.values():
            known[a.address.replace("-", "_")] = ("name", a.address, DIMENSIONS[a.dimension].si)
    return known


def own_reading(project: Project, gauge: GaugeEntry, known: dict[str, Any] | None = None) -> Readable:
    """The Readable of a gauge that reads a formula over addresses. Raises QuantityError with a sentence."""
    known = known or names(project)
    name = gauge.label or gauge.id
    try:
        formula = formulas.read(plain_names(gauge.formula, known), known, None)
    except formulas.FormulaError as error:
        raise QuantityError(f"The formula of gauge {name}: {error}") from None
    dimension = gauge.dimension or next((d.name for d in _BY_USE if dimensions_of(d.si) == formula.dimension), None)
    if dimension is None or dimension not in DIMENSIONS or dimensions_of(DIMENSIONS[dimension].si) != formula.dimension:
        raise QuantityError(
            f"The formula of gauge {name} comes out in a unit that no quantity here has: divide or multiply by something else."
        )
    parts = tuple(sorted({known[n][1] for n in formula.names}))
    return Readable(f"gauge.{gauge.id}", dimension, name, formula, parts)


@once
def readings(project: Project) -> Results:
    """{address: Readable} of every result, and of every gauge with a formula that can be read."""
    found, known = {}, None
    for gauge in project.gauges:
        if gauge.formula:
            known = known or names(project)
            try:
                found[gauge.reads] = own_reading(project, gauge, known)
            except QuantityError:
                continue  # said by the checks
    return readable(project).with_more(found)


def read_tie(entry: TieEntry, project: Project, known: dict[str, Any] | None = None) -> Tie:
    """The Tie of a document entry. Raises QuantityError with a sentence."""
    inputs = addresses(project)
    if entry.sets not in inputs:
        raise QuantityError(f"A tie sets {entry.sets}, which is not an input now.")
    found = inputs[entry.sets]
    if not found.knob:
        raise QuantityError(f"{found.label} cannot be tied: fractions must add up to 100 %, so give the feed by flows.")
    if found.text in (None, "") and project.unit(entry.sets.partition(".")[0]) is not None:
        raise QuantityError(f"{found.label} is empty, so the unit does not use it: type a value first, then tie it.")
    if not entry.formula.strip():
        raise QuantityError(f"The tie on {found.label} has no formula.")
    known = known or names(project)
    try:
        formula = formulas.read(plain_names(entry.formula, known), known, DIMENSIONS[found.dimension].si)
    except formulas.FormulaError as error:
        raise QuantityError(f"The tie on {found.label}: {error}") from None
    reads = tuple(sorted({known[n][1] for n in formula.names}))
    return Tie(entry.sets, formula, entry.formula, reads, found.label, found.dimension)


def ties_reading(project: Project, id_: str) -> list[TieEntry]:
    """The ties whose formulas read a result or input of a thing; not those that cannot be read."""
    known, found = names(project), []
    for entry in project.ties:
        try:
            reads = read_tie(entry, project, known).reads
        except QuantityError:
            continue  # said by the checks
        if any(address.startswith(f"{id_}.") for address in reads):
            found.append(entry)
    return found


def plain_names(text: Any, known: dict[str, Any]) -> str:
    """A formula with the dashes of known addresses turned into underscores, so that they are not read as minus."""

    def resolve(word: str) -> str:
        ends = [len(word), *(i for i in range(len(word) - 1, 0, -1) if word[i] == "-")]
        for end in ends:
            if word[:end].replace("-", "_") in known:
                rest = word[end + 1 :]
                return word[:end].replace("-", "_") + (f"-{resolve(rest)}" if end < len(word) else "")
        return word

    return _ADDRESS.sub(lambda m: resolve(m[0]), text)


def read_target(entry: TargetEntry, project: Project) -> Target:
    """The Target of a document entry. Raises QuantityError with a sentence."""
    gauge, knob = project.gauge(entry.gauge), project.knob(entry.knob)
    if gauge is None or knob is None:
        what, which = ("gauge", entry.gauge) if gauge is None else ("knob", entry.knob)
        raise QuantityError(f"Target {entry.id} uses {what} {which}, which the project does not have.")
    outputs, inputs = readings(project), addresses(project)
    if gauge.reads not in outputs:
        raise QuantityError(f"Target {entry.id} reads {gauge.reads}, which is not a result now.")
    if knob.input not in inputs:
        raise QuantityError(f"Target {entry.id} turns {knob.input}, which is not an input now.")
    r, a = outputs[gauge.reads], inputs[knob.input]
    text = entry.value if entry.sits == "value" else getattr(gauge, entry.sits)
    label = gauge.label or r.label
    if not text:
        raise QuantityError(
            f"The target on {label} has no value."
            if entry.sits == "value"
            else f"The target on {label} sits on its limit “{entry.sits.replace('_', ' ')}”, which is not given."
        )
    try:
        wanted = parse(text, r.dimension)
        low, high = parse(knob.low, a.dimension), parse(knob.high, a.dimension)
    except QuantityError as error:
        raise QuantityError(f"The target on {label}: {error}") from None
    if not low < high:
        raise QuantityError(f"The target on {label} turns a knob whose low end is not below its high end.")
    if not max(low, a.low) < min(high, a.high):
        raise QuantityError(f"The target on {label} turns {a.label} in a range that it cannot have: change the knob's ends.")
    return Target(
        entry.id,
        gauge.id,
        gauge.reads,
        wanted,
        knob.id,
        a.address,
        max(low, a.low),
        min(high, a.high),
        label,
        knob.label or a.label,
        r.dimension,
        a.dimension,
        r.parts or (gauge.reads,),
    )


def nodes_of_input(project: Project, address: str) -> list:
    """Nodes that are computed anew when an input changes."""
    head = address.partition(".")[0]
    if project.number(head) is not None:
        return [tie_node(t.sets) for t in ties_reading(project, head)]
    if project.reaction(head) is None:
        return [feed_node(head) if project.stream(head) is not None else unit_node(head)]
    sets = {s.id for s in project.reaction_sets if any(head in step for step in s.steps)}
    return [unit_node(u.id) for u in project.units if getattr(u, "set", None) in sets]


def open_streams(project: Project) -> set:
    """Ids of the streams between units at which a loop is left open."""
    marked = {t.stream for t in project.tears if t.open}
    return {s.id for s in project.streams if s.id in marked and s.source is not None and s.to is not None}


def node_of_result(project: Project, address: str) -> Node | None:
    """The node whose computing gives a result; None where it is given."""
    head = address.partition(".")[0]
    if head == OVERALL_NODE.name:
        return OVERALL_NODE
    stream = project.stream(head)
    if stream is None:
        return unit_node(head)
    if stream.source is None:
        return feed_node(head)
    return None if head in open_streams(project) else unit_node(stream.source.partition(".")[0])


def circles(ties: list) -> list:
    """Addresses of ties that set each other without any result between them, as lists; each circle once."""
    sets = {t.address: [a for a in t.reads if any(a == other.address for other in ties)] for t in ties}
    found, done = [], set()
    for start in sets:
        path, seen, at = [], set(), start
        while at is not None and at not in seen and at not in done:
            seen.add(at)
            path.append(at)
            at = sets[at][0] if sets[at] else None
        if at in seen:
            found.append(path[path.index(at) :])
        done |= seen
    return found
