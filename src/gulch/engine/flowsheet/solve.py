"""Solving a whole process: a pure function of the document and a start for its tears."""

import re
import time
from dataclasses import dataclass, replace
from functools import cached_property
from types import SimpleNamespace

import numpy as np

from gulch.engine import formulas
from gulch.engine.chemistry import reaction_properties, resolve_equation
from gulch.engine.chemistry.constants import Constant
from gulch.engine.chemistry.rates import RateLaw
from gulch.engine.document import Project, choices_of, source_of, value_of
from gulch.engine.flowsheet import graph, results
from gulch.engine.flowsheet.checks import check
from gulch.engine.flowsheet.closing import Closing
from gulch.engine.flowsheet.couplings import names, nodes_of_input, open_streams, read_target, read_tie, readings
from gulch.engine.flowsheet.inputs import (
    addresses,
    constant_of,
    feed_amounts,
    model_of,
    number,
    polynomial_of,
    rate_of,
    reactions_of,
    total_dimension,
)
from gulch.engine.flowsheet.measures import OVERALL, PER_REACTOR, key_per_product, measured
from gulch.engine.flowsheet.once import standing
from gulch.engine.flowsheet.phase_doubts import phase_doubts
from gulch.engine.flowsheet.solution import Message, OpenLoop, Solution, StreamResult, UnitOutcome
from gulch.engine.phases import Stream, StreamTrouble
from gulch.engine.quantities import QuantityError, parse, show
from gulch.engine.settle import UNWATCHED
from gulch.engine.species import SpeciesError
from gulch.engine.units import KINDS
from gulch.engine.units.base import (
    ROUNDING,
    Choice,
    Given,
    Input,
    PerReaction,
    PerSpecies,
    ReactionSet,
    SpeciesChoice,
    UnitTrouble,
)
from gulch.engine.units.reactors.heat import Reactor

MATTERS = 1e-3  # mole fraction below which a species' heat capacity moves nothing


@dataclass(frozen=True)
class Reaction:
    """A reaction ready for a reactor. nu: shape (n,); dh: standard heat at 298.15 K [J/mol]."""

    id: str
    nu: np.ndarray
    key: int | None
    conversion: float | None
    dh: float
    constant: Constant
    polynomial: tuple | None = None  # of the conversion, in T [K]
    rate: RateLaw | None = None

    def conversion_at(self, T):
        """Conversion at T [K], kept inside 0 to 1; None where none is given, or T is needed and not known."""
        if self.polynomial is None:
            return self.conversion
        if T is None:
            return None
        return min(max(float(np.polynomial.polynomial.polyval(T, self.polynomial)), 0.0), 1.0)


def later(compute, explains=False):
    """Mark a result that only the final reading needs, not every pass; one that explains is left out of scans."""
    return _Later(compute, explains)


@dataclass(frozen=True)
class _Later:
    compute: object
    explains: bool


def solve(document, start=None, watch=UNWATCHED, max_passes=None):
    """Solve a Project. start: `Solution.tears` of an earlier solve; watch: a settle.Watch, which may end it. Never raises for an unsolved process."""
    return Plan(document).run(start=start, watch=watch, max_passes=max_passes)


class Plan:
    """A document prepared for repeated solves with changed inputs (scans, sliders)."""

    def __init__(self, project: Project):
        with standing(project):
            self._prepare(project)

    def _prepare(self, project):
        self.project = project
        self.messages = check(project)
        self.species = [s.id for s in project.species]
        self.ready = not any(m.level == "error" for m in self.messages) and bool(project.species)
        if not self.ready:
            return
        try:
            self.model = model_of(project)
        except SpeciesError as error:  # check names it; a project without species ends here
            self.messages.append(Message("error", "chemistry", str(error)))
            self.ready = False
            return
        self.inputs, self._rounds = {}, {}
        self.bounds = addresses(project)
        for a in self.bounds.values():
            if a.text not in (None, ""):
                self.inputs[a.address] = parse(a.text, a.dimension)
        self.known = readings(project)
        self.ties, self.targets = {}, {}
        if project.ties:
            known = names(project)
            self.ties = {e.sets: read_tie(e, project, known) for e in project.ties}
        self.targets = {e.id: read_target(e, project) for e in project.targets if e.on}
        self.method, self.max_passes = project.closing.method, project.closing.max_passes
        self.tolerance = number(project.closing.tolerance, "the tolerance")
        self.groups = graph.groups(project, tuple(self.ties.values()), tuple(self.targets.values()))
        self.atoms, self.elements = _element_matrix(self.model)
        self.molar_mass = dict(zip(self.species, self.model.molar_mass.tolist()))
        self.feeds = [s for s in project.streams if s.is_feed]
        self.feed_by_id = {s.id: s for s in self.feeds}
        self.feed_inputs = {
            s.id: [(a, a[len(s.id) + 1 :]) for a in self.bounds if a.startswith(f"{s.id}.")] for s in self.feeds
        }
        self.open = open_streams(project)
        self.guesses = {t.stream: Guess(t, self.species) for t in project.tears if t.flow and project.stream(t.stream)}
        self.sources = {s.id: s.id if s.is_feed else source_of(s)[0] for s in project.streams}
        self.enters = {s.id: s.enters for s in project.streams}
        self.inlet = {s.id: s.inlet for s in project.streams}
        self.entering = {u.id: [s.id for s in project.streams if s.enters == u.id] for u in project.units}
        self.leaving = {u.id: _leaving(project, u) for u in project.units}
        self.ports = {u.id: [p.name for p in KINDS[u.kind].ports_out(u)] for u in project.units}
        self.units = {u.id: u for u in project.units}
        self.fixed = {u.id: self._fixed(u) for u in project.units}
        self.reactions = {r.id: self._reaction(r) for r in project.reactions}
        m = project.measures
        self.measures = (key_per_product(project)[0], m.key, m.product) if m else None

    def loop_units(self, units):
        """Those of some units that material goes round, in the order of building; all of them where there are none."""
        on_loop = [u.id for u in self.project.units if u.id in units and u.id in self.material]
        return on_loop or list(units)

    @cached_property
    def material(self):
        """Units that material goes round."""
        return graph.material_loops(self.project)

    def rounds(self, units):
        """Each way round some units, as streams."""
        key = frozenset(units)
        if key not in self._rounds:
            self._rounds[key] = list(graph.rounds(self.project, key))
        return self._rounds[key]

    def made_by(self, units):
        """Streams that leave some of the units."""
        return [s for u in units for s in self.leaving[u].values()]

    def _fixed(self, unit):
        """Choices and references of a unit, and which numbers it wants: [(name, address or None, ...)]."""
        choices = choices_of(unit)
        values, wanted = dict(choices), []
        for d in KINDS[unit.kind].inputs():
            if isinstance(d, Choice):
                continue
            if isinstance(d, ReactionSet | SpeciesChoice):
                values[d.name] = value_of(unit, d)
            elif isinstance(d, PerSpecies):
                default = parse(d.default, d.dimension)
                wanted.append((d.name, [f"{unit.id}.{d.name}.{s}" for s in self.species], default))
            elif isinstance(d, PerReaction):
                ids = reactions_of(self.project, unit)
                if d.options:
                    values[d.name] = {i: value_of(unit, d).get(i, d.default) for i in ids}
                else:
                    wanted.append((d.name, {i: f"{unit.id}.{d.name}.{i}" for i in ids}, None))
            elif isinstance(d, Input):
                wanted.append(
                    (d.name, f"{unit.id}.{d.name.removesuffix('_given')}" if d.in_use(choices) else None, None)
                )
        return values, wanted

    def _reaction(self, entry):
        resolved = resolve_equation(entry.equation, self.project.entries())
        nu = np.zeros(len(self.species))
        for i, v in resolved.coefficients.items():
            nu[i] = float(v)
        c = entry.conversion
        return Reaction(
            entry.id, nu, self.species.index(c.key) if c else None, None, reaction_properties(nu, self.model).dh,
            constant_of(entry), polynomial_of(c.polynomial) if c and c.polynomial else None,
            rate_of(entry, self.project, nu),
        )  # fmt: skip

    def given(self, unit_id, inputs):
        values, wanted = self.fixed[unit_id]
        values = dict(values)
        for name, address, default in wanted:
            if isinstance(address, dict):
                values[name] = {i: inputs[a] for i, a in address.items() if a in inputs}
            elif isinstance(address, list):
                values[name] = np.array([inputs.get(a, default) for a in address])
            else:
                values[name] = inputs.get(address) if address else None
        return Given(**values)

    def context(self, inputs):
        """What unit kinds are given besides feed and inputs: model, species, reaction sets with the numbers of a run."""
        sets = {}
        for s in self.project.reaction_sets:
            sets[s.id] = [
                [self.reaction(self.reactions[i], inputs) for i in step if i in self.reactions]
                for step in s.steps
                if step
            ]
        return SimpleNamespace(
            display=self.project.display, memory={}, names=[s.shown for s in self.project.species], model=self.model, species=self.species, sets=sets, later=later,
            key=self.species.index(self.measures[1]) if self.measures else None,
        )  # fmt: skip

    def reaction(self, prepared, inputs):
        """A reaction with the numbers of this run."""
        changed = {"conversion": inputs.get(f"{prepared.id}.conversion")}
        k = inputs.get(f"{prepared.id}.constant")
        if k is not None:
            changed["constant"] = replace(prepared.constant, coefficients=(float(np.log(k)), 0.0, 0.0, 0.0))
        energy = inputs.get(f"{prepared.id}.energy")
        if energy is not None and prepared.rate is not None and prepared.rate.constant.energy != energy:
            entry = self.project.reaction(prepared.id)
            changed["rate"] = rate_of(entry, self.project, prepared.nu, {"energy": energy})
        return replace(prepared, **changed)

    def run(self, start=None, overrides=None, watch=UNWATCHED, max_passes=None, explain=True):
        """Solve with some inputs overridden: {address: SI value}; without `explain` texts that cost solves are left out.

        Returns a Solution.
        """
        began = time.perf_counter()
        solution = Solution(False, list(self.species), messages=list(self.messages))
        if not self.ready:
            return solution
        inputs = self.inputs
        if overrides:
            inputs = inputs | overrides
            turned = {t.address: t for t in self.targets.values()}
            for address, value in overrides.items():
                bound = self.bounds.get(address)
                if address in turned or address in self.ties:
                    by = f"the target on {turned[address].gauge_label}" if address in turned else "a tie"
                    solution.messages.append(
                        Message(
                            "error",
                            address,
                            f"{bound.label} is set by {by}, so it cannot be turned.",
                            "Switch that off first.",
                        )
                    )
                    return solution
                if bound is None or not bound.low <= value <= bound.high:
                    what = "is not an input" if bound is None else "lies outside its bounds"
                    solution.messages.append(Message("error", address, f"{address} {what}.", "Choose another value."))
                    return solution
        run = _Run(self, inputs, solution, start or {}, watch, max_passes, explain)
        with np.errstate(all="ignore"):
            run.go()
        by_name(solution, self.project)
        if watch.ended():
            solution.end(watch.ended())
        solution.seconds = time.perf_counter() - began
        return solution


def by_name(solution, project):
    """Let the sentences of a Solution name species as the user does, instead of by their ids."""
    taken = {x.id for x in (*project.streams, *project.units, *project.reactions)}
    names = {s.id: s.shown for s in project.species if s.shown != s.id and s.id not in taken}
    if not names:
        return
    # a name that stands already is left whole, even where an id is a part of it
    words = sorted({*names, *(s.shown for s in project.species)}, key=len, reverse=True)
    word = re.compile(r"(?<![\w.\-])(" + "|".join(re.escape(w) for w in words) + r")(?![\w\-]|\.\w)")

    def told(text):
        return word.sub(lambda m: names.get(m[1], m[1]), text)

    for m in solution.messages:
        m.what, m.todo = told(m.what), told(m.todo)
    for loop in solution.loops:
        loop.advice, loop.findings = told(loop.advice), [told(f) for f in loop.findings]


class _Run:
    """One solve: streams by id, outcomes, messages."""

    def __init__(self, plan, inputs, solution, start, watch, max_passes, explain):
        self.explain = explain
        self.plan, self.inputs, self.solution = plan, dict(inputs), solution
        self.start, self.watch = start, watch
        self.near = dict(start.get("temperatures", {}))  # of streams, at which their searches begin
        self.max_passes = max_passes or plan.max_passes
        self.streams, self.done = {}, {}
        self.taken = {}  # unit -> what it took from the context
        self.returned = {}  # what comes back where a loop is left open
        self.failed, self.blocked = set(), set()
        self.waiting, self.blocked_by = {}, {}  # unit or node -> what failed before it
        self.outside = {}  # address -> what a tie set last that its input may not be
        self.memory = {}  # unit -> what its last solve left for the next
        self.at = ""
        self.given = {u: plan.given(u, self.inputs) for u in plan.units}
        self.context = plan.context(self.inputs)
        self.readings = _Live(self)

    def go(self):
        plan = self.plan
        for s in plan.feeds:
            self.make_feed(s.id)
        template = next(iter(self.streams.values()), None)
        for s in plan.open:
            self.streams[s] = plan.guesses[s].stream(plan.model, template)
        for group in plan.groups:
            if self.watch.ended():
                break
            missing = [s for u in group.units for s in plan.entering[u] if self._missing(s, group)]
            if missing or self.blocked.intersection(group.nodes):
                first = next((plan.sources[s] for s in missing), None) or group.nodes[0]
                self.waits(
                    group.units, self.waiting.get(first, first) if missing else self.blocked_by.get(group.nodes[0], "")
                )
                self.block(group.nodes)
            elif group.iterates:
                Closing(self, group, plan.tolerance, plan.method, self.max_passes).close()
            else:
                self.single(group.nodes[0])
        self.report()

    def waits(self, units, cause):
        """Mark units as not computed, because of what failed before them."""
        self.failed.update(units)
        self.waiting |= {u: cause for u in units if u != cause}

    def _missing(self, stream_id, group):
        return stream_id not in self.streams and self.plan.sources[stream_id] not in group.units

    def single(self, node):
        try:
            self.visit(node)
        except (UnitTrouble, StreamTrouble) as trouble:
            self.trouble(node, trouble)
            self.block([node])

    def block(self, nodes):
        """What a failed tie or target was to set is not computed with another value."""
        for node in nodes:
            kind, _, name = node.partition(":")
            if kind == "tie" and name:
                stopped = nodes_of_input(self.plan.project, name)
                self.blocked.update(stopped)
                self.blocked_by |= dict.fromkeys(stopped, node)

    def visit(self, node, keep=True):
        """Compute a node: a feed, a unit, or a tie, whose value is returned and, with `keep`, set."""
        self.at = node
        plan = self.plan
        if node in plan.units:
            self.compute(node)
        elif node in plan.feed_by_id:
            self.make_feed(node)
        elif node.startswith("tie:"):
            tie = plan.ties[node[4:]]
            value = formulas.value(tie.formula, self.reading)
            bounds = plan.bounds[tie.address]
            if not np.isfinite(value):
                raise UnitTrouble(f"The tie on {tie.label} has no value here: {tie.text}.",
                                  "Look for a division by zero or a result that is not computed.")  # fmt: skip
            self.outside.pop(tie.address, None)
            if not bounds.low <= value <= bounds.high:
                # borne on the way, with the input at its bound; where it ends so, `report` says it
                self.outside[tie.address] = value
                value = min(max(value, bounds.low), bounds.high)
            if keep:
                self.set_input(tie.address, value)
            return value
        return None

    def reading(self, address):
        """Value of an input or result as it stands in this run; nan when there is none."""
        if address in self.inputs:
            return self.inputs[address]
        found = self.live(address)
        return float("nan") if found is None else float(found)

    def live(self, address):
        if address.startswith("gauge."):
            value = formulas.value(self.plan.known[address].formula, self.reading)
            return value if np.isfinite(value) else None
        return results.value(self.readings, address, self.plan.molar_mass)

    def set_input(self, address, value):
        """Change an input within the run, and what is prepared from it."""
        if self.inputs.get(address) == value:
            return
        self.inputs[address] = value
        head = address.partition(".")[0]
        if head in self.given:
            self.given[head] = self.plan.given(head, self.inputs)
        elif head in self.plan.reactions:
            self.context = self.plan.context(self.inputs)
        elif head in self.streams:
            self.make_feed(head)

    def make_feed(self, id_):
        plan = self.plan
        s = plan.feed_by_id[id_]
        values = {tail: self.inputs[a] for a, tail in plan.feed_inputs[id_] if a in self.inputs}
        extra = {}
        if s.given.basis == "mole-ratios":
            extra["to_species"] = s.given.to_species
        elif "total" in values:
            extra["total_dimension"] = total_dimension(s.given.total)
        n = feed_amounts(extra, s.given.basis, values, plan.species, plan.model.molar_mass)
        self.streams[s.id] = Stream.at_temperature(plan.model, n, values["temperature"], values["pressure"])

    def compute(self, unit_id):
        """Solve one unit and store its outlets."""
        plan = self.plan
        kind = KINDS[plan.units[unit_id].kind]
        inlets = [self.streams[s] for s in plan.entering[unit_id]]
        if len(kind.inlets) > 1:
            feed = {plan.inlet[s]: self.streams[s] for s in plan.entering[unit_id]}
        else:
            feed = inlets if kind.inlets[0].many else inlets[0]
        given = Given(**vars(self.given[unit_id]))
        try:
            self.taken[unit_id] = kind.adopt(inlets[0], given)
            self.context.memory = self.memory.setdefault(unit_id, {})
            result = kind.solve(feed, given, self.context)
        except StreamTrouble as trouble:
            raise UnitTrouble(str(trouble), "Check the duty, the feed's temperature and the conversions.") from None
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

    def leaving_stream(self, id_):
        """A stream as its source gives it, which differs from what goes on where a loop is open."""
        return self.returned.get(id_) or self.streams[id_]

    def say(self, level, where, what, todo):
        self.solution.messages.append(Message(level, where, what, todo))

    def trouble(self, unit_id, trouble):
        where = f"{unit_id}.{trouble.where}" if getattr(trouble, "where", "") else unit_id
        what, todo = getattr(trouble, "what", str(trouble)), getattr(trouble, "todo", "")
        if ":" in unit_id:  # a tie or a target
            self.say("error", unit_id.replace(":", ".", 1), what, todo)
        else:
            self.say("error", where, f"{unit_id}: {what}", todo)
        self.failed.add(unit_id)

    # Reporting

    def ties_outside(self):
        """Ties that end outside what their input may be."""
        display = self.plan.project.display
        for address, value in self.outside.items():
            tie, bounds = self.plan.ties[address], self.plan.bounds[address]
            side, bound = ("below", bounds.low) if value < bounds.low else ("above", bounds.high)
            self.trouble(tie.node, UnitTrouble(
                f"The tie sets {tie.label} to {show(value, tie.dimension, display)}, {side} the "
                f"{show(bound, tie.dimension, display)} that it may be.", "Change the formula, or keep it inside with min or max."))  # fmt: skip

    def report(self):
        plan, out = self.plan, self.solution
        self.ties_outside()
        for s in plan.project.streams:
            stream = self.streams.get(s.id)
            source, _ = source_of(s)
            if stream is None or source in self.failed:
                continue
            try:
                out.streams[s.id] = self.stream_result(stream)
            except StreamTrouble as trouble:
                self.trouble(
                    source or s.id, UnitTrouble(f"{trouble} (stream {s.id})", "Check the duty and what enters.")
                )
        for unit_id in plan.units:
            if unit_id in self.failed or unit_id not in self.done:
                out.units[unit_id] = UnitOutcome(False, waits_for=self.waiting.get(unit_id))
                continue
            try:
                out.units[unit_id] = self.unit_outcome(unit_id)
            except (UnitTrouble, StreamTrouble) as trouble:
                self.trouble(unit_id, trouble)
                out.units[unit_id] = UnitOutcome(False)
        out.tears["temperatures"] = {id_: s.temperature for id_, s in out.streams.items() if s.temperature}
        self.extrapolated()
        out.messages += phase_doubts(self)
        out.solved = (
            bool(plan.units)
            and all(u.solved for u in out.units.values())
            and all(lo.settled for lo in out.loops)
            and not any(node.startswith("tie:") for node in self.failed)
        )
        set_by = [*plan.ties, *(t.address for t in out.targets)]
        out.found = {a: float(self.inputs[a]) for a in set_by if a in self.inputs}
        for s in plan.open:
            self.opened(s)
        if out.solved:
            self.overall()
        molar_mass, known = plan.molar_mass, plan.known
        for g in plan.project.gauges:
            value = self.gauge_value(known[g.reads], molar_mass) if g.reads in known else None
            out.gauges[g.id] = value
            # an iterate of a loop that did not settle is nothing to judge by
            if value is not None and all(lo.settled for lo in out.loops):
                self.limits(g, value, known[g.reads])

    def gauge_value(self, readable, molar_mass):
        """SI value of a gauge's reading in the solution; None where it was not computed."""
        if readable.formula is None:
            return results.value(self.solution, readable.address, molar_mass)

        def part(address):
            if address in self.inputs:
                return self.inputs[address]
            found = results.value(self.solution, address, molar_mass)
            return float("nan") if found is None else float(found)

        value = formulas.value(readable.formula, part)
        return float(value) if np.isfinite(value) else None

    def extrapolated(self):
        """Warn of computed temperatures outside the heat-capacity data of what matters there; given ones the checks warn of."""
        plan = self.plan
        display = plan.project.display
        fits = dict(zip(plan.species, (s.heat_capacity for s in plan.model.species)))
        shown = {s.id: s.shown for s in plan.project.species}
        told = {m.where.partition(".")[0] for m in self.solution.messages if "heat-capacity data" in m.what}
        for id_, stream in self.solution.streams.items():
            if not self.explain:
                told = set()  # a scan turns what the checks have read
            if id_ in told or plan.sources[id_] in told:
                continue
            T = stream.temperature
            out = [
                s
                for s, n in stream.flow.items()
                if T and n > MATTERS * stream.total and not fits[s].low - 1 <= T <= fits[s].high + 1
            ]
            if not out:
                continue
            low, high = max(fits[s].low for s in out), min(fits[s].high for s in out)
            self.say(
                "warning", id_, f"Stream {id_} comes out at {show(T, 'temperature', display)}, outside the heat-capacity data of "
                f"{', '.join(shown[s] for s in out[:3])}.",
                f"It is extrapolated; data hold from {show(low, 'temperature', display)} to {show(high, 'temperature', display)}.",
            )  # fmt: skip
            return

    def limits(self, gauge, value, readable):
        display = self.plan.project.display
        limits = {}
        for name in ("at_least", "at_most"):
            text = getattr(gauge, name)
            try:
                limits[name] = None if text is None else parse(text, readable.dimension)
            except QuantityError:
                limits[name] = None  # said by the checks
        broken = results.beyond(value, **limits)
        if broken:
            words = "below" if broken == "at_least" else "above"
            self.solution.messages.append(
                Message(
                    "warning",
                    f"gauge.{gauge.id}",
                    f"{gauge.label or readable.label} is "
                    f"{show(value, readable.dimension, display)}, {words} its limit of {getattr(gauge, broken)}.",
                    "Turn a knob, or scan one.",
                )  # fmt: skip
            )

    def stream_result(self, stream):
        species = self.plan.species
        if stream.is_empty:
            return StreamResult(None, stream.P, None, dict.fromkeys(species, 0.0), 0.0, 0.0, 0.0, 0.0)
        state = stream.state
        phases = []
        for name, share, z in (
            (state.light, state.light_share, state.y),
            (state.heavy, 1 - state.light_share, state.x),
        ):
            if share > 0.0:
                phases.append({"kind": name, "share": share, "fraction": dict(zip(species, z.tolist()))})
        return StreamResult(
            temperature=stream.T, pressure=stream.P, vapour_fraction=state.vapour_fraction,
            flow=dict(zip(species, stream.n.tolist())), total=stream.total, mass_flow=stream.mass_flow,
            enthalpy_flow=stream.enthalpy_flow, volume_flow=stream.volume_flow, phases=phases,
        )  # fmt: skip

    def unit_outcome(self, unit_id):
        species = self.plan.species
        inlets, result = self.done[unit_id]
        values = {k: _plain(v) for k, v in result.values.items() if self.explain or not getattr(v, "explains", False)}
        n_in = sum((s.n for s in inlets), np.zeros(len(species)))
        n_out = sum((s.n for s in result.outlets.values()), np.zeros(len(species)))
        heat = sum(values.get(name) or 0.0 for name in ("duty", "work"))
        h_in = sum(s.enthalpy_flow for s in inlets)
        h_out = sum(s.enthalpy_flow for s in result.outlets.values())
        outcome = UnitOutcome(
            True, values, dict(zip(species, n_in.tolist())), dict(zip(species, n_out.tolist())),
            [(label, dict(zip(species, np.asarray(c).tolist()))) for label, c in result.changes], _plain(result.reactions),
            self.balances(n_in, n_out, h_in, h_out, heat), None, self.taken[unit_id],
        )  # fmt: skip
        if plan_measures := self.plan.measures:
            if issubclass(KINDS[self.plan.units[unit_id].kind], Reactor):
                found = measured(*plan_measures, outcome.inlet, outcome.outlet)
                outcome.values |= dict(zip(PER_REACTOR, found))
        for level, what, todo in self.notes(unit_id):
            if level == "error":  # borne while a loop is on its way, not in a result
                raise UnitTrouble(what, todo)
            self.solution.messages.append(Message(level, unit_id, f"{unit_id}: {what}", todo))
        return outcome

    def notes(self, unit_id):
        """What a unit's last solve remarked: (level, sentence, what to do) each."""
        return _plain(self.done[unit_id][1].notes)

    def balances(self, n_in, n_out, h_in, h_out, heat):
        """Closures (out − in)/in of mass, each element and energy."""
        plan = self.plan
        mass_in, mass_out = float(n_in @ plan.model.molar_mass), float(n_out @ plan.model.molar_mass)
        atoms_in, atoms_out = plan.atoms @ n_in, plan.atoms @ n_out
        size = max(abs(h_in), abs(h_out), abs(heat), 1e-9)
        return {
            "mass": (mass_out - mass_in) / mass_in if mass_in > 0.0 else 0.0,
            "elements": {
                e: float((b - a) / a) if a > 0.0 else 0.0 for e, a, b in zip(plan.elements, atoms_in, atoms_out)
            },
            "energy": float((h_out - h_in - heat) / size),
        }

    def opened(self, id_):
        """Report a loop left open: what was guessed and what comes back."""
        display, species = self.plan.project.display, self.plan.species
        guess, back = self.streams[id_], self.returned.get(id_)
        outcome = OpenLoop(id_, dict(zip(species, guess.n.tolist())), None)
        self.solution.opened.append(outcome)
        if back is None:
            return
        outcome.returned = dict(zip(species, back.n.tolist()))
        outcome.temperature, outcome.pressure = (guess.T, back.T), (guess.P, back.P)
        away = np.abs(back.n - guess.n)
        i = int(np.argmax(away))
        self.say(
            "warning", f"open.{id_}",
            f"The loop is open at {id_}: {show(float(guess.n[i]), 'molar flow', display)} {species[i]} is guessed, "
            f"{show(float(back.n[i]), 'molar flow', display)} comes back.", "Close it when the single pass is right.",
        )  # fmt: skip

    def ends(self):
        """(streams fed, streams that leave) of the whole process; a loop left open counts as both."""
        plan = self.plan
        feeds = [self.streams[s.id] for s in plan.feeds if s.to] + [self.streams[s] for s in plan.open]
        products = [
            self.streams[s.id] for s in plan.project.streams if s.to is None and not s.is_feed and s.id in self.streams
        ]
        return feeds, products + list(self.returned.values())

    def overall_values(self):
        """Conversions and amounts made over the whole process, and the project's measures."""
        plan, n = self.plan, len(self.plan.species)
        n_in, n_out = (sum((s.n for s in some), np.zeros(n)) for some in self.ends())
        # what a closed loop leaves open is nothing that was made or used up
        left_open = 10.0 * plan.tolerance * n_in.sum() if self.solution.loops else ROUNDING * n_in
        n_out = np.where(np.abs(n_out - n_in) <= left_open, n_in, n_out)
        out = {
            "conversion": {s: float((a - b) / a) for s, a, b in zip(plan.species, n_in, n_out) if a > 0.0},
            "made": {s: float(b - a) for s, a, b in zip(plan.species, n_in, n_out)},
        }
        if plan.measures:
            before, after = (dict(zip(plan.species, n.tolist())) for n in (n_in, n_out))
            out |= dict(zip(OVERALL, measured(*plan.measures, before, after)))
        return out

    def overall(self):
        """Feeds against products over the whole process."""
        feeds, products = self.ends()
        n = np.zeros(len(self.plan.species))
        heat = sum((u.values.get("duty") or 0.0) + (u.values.get("work") or 0.0) for u in self.solution.units.values())
        balances = self.balances(
            sum((s.n for s in feeds), n), sum((s.n for s in products), n),
            sum(s.enthalpy_flow for s in feeds), sum(s.enthalpy_flow for s in products), heat,
        )  # fmt: skip
        self.solution.overall = self.overall_values() | {"balances": balances}


class Guess:
    """A stream as the user guessed it. signature: tells one guess from another."""

    def __init__(self, entry, species):
        self.n = np.array([parse(entry.flow.get(s) or "0 kmol/h", "molar flow") for s in species])
        self.T = parse(entry.temperature, "temperature") if entry.temperature else None
        self.P = parse(entry.pressure, "pressure") if entry.pressure else None
        self.signature = repr((self.n.tolist(), self.T, self.P))

    def stream(self, model, template):
        """The guessed Stream; what was not typed is taken from another stream."""
        T = template.T if self.T is None else self.T
        return Stream.at_temperature(model, self.n, T, template.P if self.P is None else self.P)


class _Live:
    """A run in progress, as `results.value` reads a Solution."""

    def __init__(self, run):
        self.run = run
        self.units, self.streams = _LiveUnits(run), _LiveStreams(run)

    @property
    def overall(self):
        return self.run.overall_values()


class _LiveUnits:
    def __init__(self, run):
        self.run = run

    def __contains__(self, id_):
        return id_ in self.run.done

    def __getitem__(self, id_):
        return SimpleNamespace(values=_LiveValues(self.run, id_))


class _LiveValues:
    def __init__(self, run, id_):
        self.run, self.id = run, id_

    def get(self, name):
        inlets, result = self.run.done[self.id]
        if name in result.values:
            return _plain(result.values[name])
        plan = self.run.plan
        if name in PER_REACTOR and plan.measures:
            sides = (inlets, result.outlets.values())
            amounts = [dict(zip(plan.species, sum(s.n for s in side).tolist())) for side in sides]
            return dict(zip(PER_REACTOR, measured(*plan.measures, *amounts)))[name]
        return None


class _LiveStreams:
    def __init__(self, run):
        self.run = run

    def get(self, id_):
        stream = self.run.streams.get(id_)
        return None if stream is None else _LiveStream(stream, self.run.plan.species)


class _LiveStream:
    """Attributes of StreamResult, computed when read."""

    def __init__(self, stream, species):
        self._stream, self._species = stream, species

    @property
    def flow(self):
        return dict(zip(self._species, self._stream.n.tolist()))

    @property
    def temperature(self):
        return self._stream.T

    @property
    def pressure(self):
        return self._stream.P

    def __getattr__(self, name):
        return getattr(self._stream, name)


def _plain(value):
    """A result as plain data: lazy ones computed, numpy numbers turned into floats."""
    if isinstance(value, _Later):
        value = value.compute()
    return float(value) if isinstance(value, np.floating) else value


def _leaving(project, unit):
    """Stream id by outlet port of a unit."""
    ports = [p.name for p in KINDS[unit.kind].ports_out(unit)]
    found = {}
    for s in project.streams:
        source, port = source_of(s)
        if s.source is not None and source == unit.id:
            found[port or ports[0]] = s.id
    return found


def _element_matrix(model):
    """(atoms, elements): atoms of shape (n_elements, n_species)."""
    elements = sorted({e for s in model.species for e in s.atoms})
    return np.array([[s.atoms.get(e, 0) for s in model.species] for e in elements], float), elements
