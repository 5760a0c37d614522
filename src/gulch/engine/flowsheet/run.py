"""One run over a prepared process: units are computed in order, loops closed, and the outcome is written down."""

from __future__ import annotations

import logging
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine import formulas
from gulch.engine.declared.base import Given, plain
from gulch.engine.declared.told import Note, UnitTrouble
from gulch.engine.flowsheet.closing import close
from gulch.engine.flowsheet.guard import NOT_SHOWN, finite_outlets, guard
from gulch.engine.flowsheet.live import Live
from gulch.engine.flowsheet.report import Report
from gulch.engine.phases import Stream, StreamTrouble
from gulch.engine.project import results
from gulch.engine.project.couplings import nodes_of_input
from gulch.engine.project.feeds import feed_amounts, fraction_of, total_dimension
from gulch.engine.project.messages import Message
from gulch.engine.project.nodes import NodeKind, unit_node
from gulch.engine.quantities import told
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.flowsheet.graph import Group
    from gulch.engine.flowsheet.solution import Solution
    from gulch.engine.flowsheet.start import Start
    from gulch.engine.project.nodes import Node
    from gulch.engine.project.places import Place
    from gulch.engine.settle import Watch

log = logging.getLogger("gulch.flowsheet")


class Run:
    """One solve: streams by id, outcomes, messages."""

    def __init__(
        self,
        plan: Any,
        inputs: dict[str, float],
        solution: Solution,
        start: Start,
        watch: Watch,
        max_passes: int | None,
        explain: bool,
        rooms: bool = False,
        turned: dict[str, float] | tuple = (),
    ) -> None:
        self.explain, self.rooms = explain, rooms
        self.cures = True  # whether cures are looked for
        self.also: Start | None = None  # from which they are looked for besides
        self.changed = dict(turned) if isinstance(turned, dict) else {}  # inputs overridden: {address: SI value}
        self.turned = {*turned, *(t.address for t in plan.targets.values())}  # addresses whose values others give way to
        self.plan, self.inputs, self.solution = plan, dict(inputs), solution
        self.start, self.watch = start, watch
        self.near = dict(start.temperatures)  # of streams, at which their searches begin
        self.max_passes = max_passes or plan.max_passes
        self.streams, self.done = {}, {}
        self.sums = {}  # unit -> what its balances are of, once it was looked at
        self.taken = {}  # unit -> what it took from the context
        self.returned = {}  # what comes back where a loop is left open
        self.failed, self.failed_ties = set(), False  # ids of units and feeds
        self.blocked, self.waiting, self.blocked_by = set(), {}, {}  # nodes; node -> the node that failed before it
        self.outside = {}  # address -> what a tie set last that its input may not be
        self.memory = {}  # unit -> what its last solve left for the next
        self.at: Node | None = None  # the node that is being computed
        self.given = {u: plan.given(u, self.inputs) for u in plan.units}
        self.context = plan.context(self.inputs)
        self.readings = Live(self)

    def go(self) -> None:
        """Compute all groups in order and write the Solution."""
        self.begin()
        for group in self.plan.groups:
            if self.watch.ended():
                break
            self.solve(group)
        Report(self).write()

    def begin(self) -> None:
        """Make the feeds, and the streams at which loops are left open."""
        plan = self.plan
        for s in plan.feeds:
            self.make_feed(s.id)
        template = next(iter(self.streams.values()), None)
        for s in plan.open:
            self.streams[s] = plan.guesses[s].stream(plan.model, template)

    def solve(self, group: Group) -> None:
        """Compute a group, or mark it as waiting for what failed before it."""
        missing = [s for u in group.units for s in self.plan.entering[u] if self._missing(s, group)]
        if missing or self.blocked.intersection(group.nodes):
            self.waits(group.units, self.cause_of(missing, group))
            self.block(group.nodes)
        elif group.iterates:
            close(self, group)
            self.guarded(group)
        else:
            self.single(group.nodes[0])

    def cause_of(self, missing: list[str], group: Group) -> str:
        """Name of what failed first where a group cannot be computed; missing: streams that do not come."""
        if missing:
            first = self.plan.sources[missing[0]]
            return self.waiting.get(first, first)
        by = self.blocked_by.get(group.nodes[0])
        return str(by.place) if by else ""

    def waits(self, units: tuple, cause: str) -> None:
        """Mark units as not computed, because of what failed before them."""
        self.failed.update(units)
        self.waiting |= {u: cause for u in units if u != cause}

    def _missing(self, stream_id: str, group: Group) -> bool:
        return stream_id not in self.streams and self.plan.sources[stream_id] not in group.units

    def single(self, node: Node) -> None:
        """Compute a node that depends on nothing behind it; what is wrong there is said."""
        try:
            self.visit(node)
            if node.kind is NodeKind.UNIT:
                self.sums[node.name] = guard(self, node.name)
        except (UnitTrouble, StreamTrouble) as trouble:
            self.refuse(node, trouble)
            self.block([node])

    def refuse(self, node: Node, trouble: Exception) -> None:
        """Say what is wrong at a node; what a unit of that kind has made goes no further."""
        self.trouble(node, trouble)
        if node.kind is NodeKind.UNIT:
            for s in self.plan.leaving[node.name].values():
                self.streams.pop(s, None)

    def guarded(self, group: Group) -> None:
        """Look at what a closed group came to; what is after a unit that is refused waits for it."""
        closed = all(lo.settled for lo in self.solution.loops)
        if not closed or any(u in self.failed or u not in self.done for u in group.units):
            return
        for u in group.units:
            try:
                self.sums[u] = guard(self, u)
            except (UnitTrouble, StreamTrouble) as trouble:
                self.refuse(unit_node(u), trouble)
                self.waits(tuple(x for x in group.units if x != u), u)
                return

    def block(self, nodes: list | tuple) -> None:
        """What a failed tie or target was to set is not computed with another value."""
        for node in nodes:
            if node.kind is NodeKind.TIE:
                stopped = nodes_of_input(self.plan.project, node.name)
                self.blocked.update(stopped)
                self.blocked_by |= dict.fromkeys(stopped, node)

    def visit(self, node: Node, keep: bool = True) -> float | None:
        """Compute a node: a feed, a unit, or a tie, whose value is returned and, with `keep`, set. Raises UnitTrouble."""
        self.at = node
        plan = self.plan
        if node.kind is NodeKind.UNIT:
            self.compute(node.name)
        elif node.kind is NodeKind.FEED:
            self.make_feed(node.name)
        elif node.kind is NodeKind.TIE:
            tie = plan.ties[node.name]
            value = formulas.value(tie.formula, self.reading)
            bounds = plan.bounds[tie.address]
            if not np.isfinite(value):
                raise UnitTrouble(
                    f"The tie on {tie.label} has no value here: {tie.text}.",
                    "Look for a division by zero or a result that is not computed.",
                )
            self.outside.pop(tie.address, None)
            if not bounds.low <= value <= bounds.high:
                # borne on the way, with the input at its bound; where it ends so, `report` says it
                self.outside[tie.address] = value
                value = min(max(value, bounds.low), bounds.high)
            if keep:
                self.set_input(tie.address, value)
            return value
        return None

    def reading(self, address: str) -> float:
        """Value of an input or result as it stands in this run; nan when there is none."""
        if address in self.inputs:
            return self.inputs[address]
        found = self.live(address)
        return float("nan") if found is None else float(found)

    def live(self, address: str) -> float | None:
        """SI value of a result as it stands in this run, or None."""
        if address.startswith("gauge."):
            value = formulas.value(self.plan.known[address].formula, self.reading)
            return value if np.isfinite(value) else None
        return results.value(self.readings, address, self.plan.molar_mass)

    def set_input(self, address: str, value: float) -> None:
        """Change an input within the run, and what is prepared from it."""
        if self.inputs.get(address) == value:
            return
        self.inputs[address] = value
        if address in self.plan.twins:
            other, factor = self.plan.twins[address]
            self.inputs[other] = value * factor
        head = address.partition(".")[0]
        if head in self.given:
            self.given[head] = self.plan.given(head, self.inputs)
        elif head in self.plan.reactions:
            self.context = self.plan.context(self.inputs)
        elif head in self.streams:
            self.make_feed(head)

    def make_feed(self, id_: str) -> None:
        """Make a feed's Stream from the inputs as they are."""
        self.streams[id_] = fed_in(self.plan, id_, self.inputs, self.turned)

    def fed(self, unit_id: str, inlets: list[Stream]) -> Any:
        """What a unit's `solve` takes of its inlets: one Stream, a list, or {port: Stream}."""
        kind = KINDS[self.plan.units[unit_id].kind]
        if len(kind.inlets) > 1:
            return {self.plan.inlet[s]: stream for s, stream in zip(self.plan.entering[unit_id], inlets, strict=True)}
        return inlets if kind.inlets[0].many else inlets[0]

    def first(self, unit_id: str, inlets: list[Stream]) -> Stream:
        """What enters a unit by its first inlet, from which it takes what nobody typed."""
        found = self.fed(unit_id, inlets)
        return found.get(KINDS[self.plan.units[unit_id].kind].inlets[0].name, inlets[0]) if isinstance(found, dict) else inlets[0]

    def compute(self, unit_id: str) -> None:
        """Solve one unit and store its outlets. Raises UnitTrouble."""
        plan = self.plan
        kind = KINDS[plan.units[unit_id].kind]
        inlets = [self.streams[s] for s in plan.entering[unit_id]]
        feed = self.fed(unit_id, inlets)
        given = Given(**vars(self.given[unit_id]))
        try:
            self.taken[unit_id] = kind.adopt(self.first(unit_id, inlets), given)
            self.context.memory = self.memory.setdefault(unit_id, {})
            self.context.lasting = plan.lasting.setdefault(unit_id, {})
            result = kind.solve(feed, given, self.context)
            finite_outlets(result)
            kind.followed(inlets, result, self.context)
        except StreamTrouble as trouble:
            raise UnitTrouble(told(trouble, plan.project.display), "Check the duty, the feed's temperature and the conversions.") from None
        except UnitTrouble:
            raise
        except Exception as error:  # whatever a unit may come upon: the others' figures stand
            log.exception("%s %s broke off", kind.kind, unit_id)
            raise UnitTrouble(f"Its computation broke off ({error or type(error).__name__}).", NOT_SHOWN) from error
        self.done[unit_id] = (inlets, result)
        for port, stream in result.outlets.items():
            id_ = plan.leaving[unit_id].get(port)
            if id_ in plan.open:
                self.returned[id_] = stream
            elif id_ is not None:
                before = self.streams.get(id_)
                if before is not None and before.is_flashed and not before.is_empty:
                    self.near[id_] = before.T
                if id_ in self.near:
                    stream.begin_at(self.near[id_])
                self.streams[id_] = stream

    def leaving_stream(self, id_: str) -> Stream:
        """A stream as its source gives it, which differs from what goes on where a loop is open."""
        return self.returned.get(id_) or self.streams[id_]

    def say(self, level: str, place: Place, what: str, todo: str) -> None:
        """Add a line to the to-do list."""
        self.solution.messages.append(Message(level, place, what, todo))

    def trouble(self, node: Node, trouble: Exception) -> None:
        """Say what is wrong at a node, and count it as failed."""
        field = getattr(trouble, "field", "")
        what, todo = told(getattr(trouble, "what", trouble), self.plan.project.display), getattr(trouble, "todo", "")
        if node.kind in (NodeKind.TIE, NodeKind.TARGET):
            self.say("error", node.place, what, todo)
        else:
            self.say("error", replace(node.place, field=field), f"{node.name}: {what}", todo)
        self.failed_ties |= node.kind is NodeKind.TIE
        self.failed.add(str(node.place))

    def notes(self, unit_id: str) -> list:
        """What a unit's last solve remarked: (level, sentence, what to do) each."""
        return [Note(*n) for n in plain(self.done[unit_id][1].notes)]


def fed_in(plan: Any, id_: str, inputs: dict[str, float], turned: set[str]) -> Stream:
    """A feed's Stream by some inputs; turned: addresses whose values others give way to."""
    s = plan.feed_by_id[id_]
    values = {tail: inputs[a] for a, tail in plan.feed_inputs[id_] if a in inputs}
    extra = {}
    if s.given.basis == "mole-ratios":
        extra["to_species"] = s.given.to_species
    elif "total" in values:
        extra["total_dimension"] = total_dimension(s.given.total)
        extra["kept"] = {i for a, tail in plan.feed_inputs[id_] if a in turned and (i := fraction_of(s.given.basis, tail))}
    n = feed_amounts(extra, s.given.basis, values, plan.species, plan.model.molar_mass)
    return Stream.at_temperature(plan.model, n, values["temperature"], values["pressure"])
