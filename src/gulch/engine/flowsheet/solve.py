"""Solving a whole process: a pure function of the document and a start for its tears."""

import time
from dataclasses import dataclass, replace
from types import SimpleNamespace

import numpy as np

from gulch.engine.chemistry import reaction_properties, resolve_equation
from gulch.engine.chemistry.constants import Constant
from gulch.engine.chemistry.rates import RateLaw
from gulch.engine.document import Project, choices_of, source_of, value_of
from gulch.engine.flowsheet import graph, results
from gulch.engine.flowsheet.checks import check
from gulch.engine.flowsheet.inputs import (
    addresses,
    constant_of,
    feed_amounts,
    model_of,
    polynomial_of,
    rate_of,
    reactions_of,
    total_dimension,
)
from gulch.engine.flowsheet.measures import OVERALL, PER_REACTOR, key_per_product, measured
from gulch.engine.flowsheet.solution import LoopOutcome, Message, Solution, StreamResult, UnitOutcome
from gulch.engine.phases import Stream, StreamTrouble
from gulch.engine.quantities import QuantityError, parse, show
from gulch.engine.settle import Reason, settle
from gulch.engine.species import SpeciesError
from gulch.engine.units import KINDS
from gulch.engine.units.base import Choice, Given, Input, PerReaction, PerSpecies, ReactionSet, UnitTrouble
from gulch.engine.units.reactors.heat import Reactor

TOLERANCE = 1e-9  # scaled distance of a tear from its answer
MAX_PASSES = 150
MAX_SECONDS = 30.0


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


def solve(document, start=None, cancelled=lambda: False, max_passes=MAX_PASSES):
    """Solve a Project. start: `Solution.tears` of an earlier solve. Never raises for an unsolved process."""
    return Plan(document).run(start=start, cancelled=cancelled, max_passes=max_passes)


class Plan:
    """A document prepared for repeated solves with changed inputs (scans, sliders)."""

    def __init__(self, project: Project):
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
        self.inputs = {}
        for a in addresses(project).values():
            if a.text not in (None, ""):
                self.inputs[a.address] = parse(a.text, a.dimension)
        self.bounds = {a.address: a for a in addresses(project).values()}
        self.known = results.readable(project)
        self.groups = graph.groups(project)
        self.atoms, self.elements = _element_matrix(self.model)
        self.feeds = [s for s in project.streams if s.is_feed]
        self.entering = {u.id: [s.id for s in project.streams if s.to == u.id] for u in project.units}
        self.leaving = {u.id: _leaving(project, u) for u in project.units}
        self.units = {u.id: u for u in project.units}
        self.fixed = {u.id: self._fixed(u) for u in project.units}
        self.reactions = {r.id: self._reaction(r) for r in project.reactions}
        m = project.measures
        self.measures = (key_per_product(project)[0], m.key, m.product) if m else None

    def _fixed(self, unit):
        """Choices and references of a unit, and which numbers it wants: [(name, address or None, ...)]."""
        choices = choices_of(unit)
        values, wanted = dict(choices), []
        for d in KINDS[unit.kind].inputs():
            if isinstance(d, Choice):
                continue
            if isinstance(d, ReactionSet):
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
            display=self.project.display, model=self.model, species=self.species, sets=sets, later=later,
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

    def run(self, start=None, overrides=None, cancelled=lambda: False, max_passes=MAX_PASSES, explain=True):
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
            for address, value in overrides.items():
                bound = self.bounds.get(address)
                if bound is None or not bound.low <= value <= bound.high:
                    what = "is not an input" if bound is None else "lies outside its bounds"
                    solution.messages.append(Message("error", address, f"{address} {what}.", "Choose another value."))
                    return solution
        run = _Run(self, inputs, solution, start or {}, cancelled, max_passes, explain)
        with np.errstate(all="ignore"):
            run.go()
        solution.seconds = time.perf_counter() - began
        return solution


class _Run:
    """One solve: streams by id, outcomes, messages."""

    def __init__(self, plan, inputs, solution, start, cancelled, max_passes, explain):
        self.explain = explain
        self.plan, self.inputs, self.solution = plan, inputs, solution
        self.start, self.cancelled, self.max_passes = start, cancelled, max_passes
        self.streams, self.done = {}, {}
        self.failed = set()
        self.given = {u: plan.given(u, inputs) for u in plan.units}
        self.context = plan.context(inputs)

    def go(self):
        plan = self.plan
        for s in plan.feeds:
            head = f"{s.id}."
            values = {a[len(head) :]: v for a, v in self.inputs.items() if a.startswith(head)}
            extra = {}
            if s.given.basis == "mole-ratios":
                extra["to_species"] = s.given.to_species
            elif "total" in values:
                extra["total_dimension"] = total_dimension(s.given.total)
            n = feed_amounts(extra, s.given.basis, values, plan.species, plan.model.molar_mass)
            self.streams[s.id] = Stream.at_temperature(plan.model, n, values["temperature"], values["pressure"])
        for group in plan.groups:
            missing = [s for u in group.units for s in plan.entering[u] if self._missing(s, group)]
            if missing:
                self.failed.update(group.units)
                continue
            if group.tears:
                self.loop(group)
            else:
                self.single(group.units[0])
        self.report()

    def _missing(self, stream_id, group):
        source, _ = source_of(self.plan.project.stream(stream_id))
        return stream_id not in self.streams and source not in group.units

    def single(self, unit_id):
        try:
            self.compute(unit_id)
        except (UnitTrouble, StreamTrouble) as trouble:
            self.trouble(unit_id, trouble)

    def compute(self, unit_id):
        """Solve one unit and store its outlets."""
        kind = KINDS[self.plan.units[unit_id].kind]
        inlets = [self.streams[s] for s in self.plan.entering[unit_id]]
        feed = inlets if kind.inlets[0].many else inlets[0]
        try:
            result = kind.solve(feed, self.given[unit_id], self.context)
        except StreamTrouble as trouble:
            raise UnitTrouble(str(trouble), "Check the duty, the feed's temperature and the conversions.") from None
        self.done[unit_id] = (inlets, result)
        for port, stream in result.outlets.items():
            id_ = self.plan.leaving[unit_id].get(port)
            if id_ is not None:
                self.streams[id_] = stream

    def trouble(self, unit_id, trouble):
        where = f"{unit_id}.{trouble.where}" if getattr(trouble, "where", "") else unit_id
        what, todo = getattr(trouble, "what", str(trouble)), getattr(trouble, "todo", "")
        self.solution.messages.append(Message("error", where, f"{unit_id}: {what}", todo))
        self.failed.add(unit_id)

    # Loops

    def loop(self, group):
        """Settle the tears of one loop; each tear is its flows, its molar enthalpy and its pressure."""
        plan, n = self.plan, len(self.plan.species)
        width = n + 2
        outside = [
            s for u in group.units for s in plan.entering[u] if source_of(plan.project.stream(s))[0] not in group.units
        ]
        entering = sum((self.streams[s].n for s in outside), np.zeros(n))
        scale_flow = max(float(entering.sum()), 1e-12)
        template = self.streams[outside[0]] if outside else None
        if template is None or entering.sum() <= 0.0:
            self.solution.messages.append(
                Message(
                    "error", group.units[0], f"The loop {' → '.join(group.units)} has no feed.", "Send a feed into it."
                )
            )
            self.failed.update(group.units)
            return
        guesses = {}
        secants = self.start.get(self.secants_key(group))
        vector = np.zeros(width * len(group.tears))
        for k, tear in enumerate(group.tears):
            kept = self.start.get(tear)
            part = vector[k * width : (k + 1) * width]
            if kept:
                part[:n] = [max(kept["flow"].get(s, 0.0), 0.0) for s in plan.species]
                part[n], part[n + 1] = kept["molar_enthalpy"], kept["pressure"]
                guesses[tear] = kept["guess"]
            else:
                part[n + 1] = template.P
                guesses[tear] = template.guess
        scale = np.tile(np.r_[np.full(n, scale_flow), 1e4, template.P], len(group.tears))
        floor = np.tile(np.r_[np.zeros(n), -np.inf, 1.0], len(group.tears))

        last = [vector]

        def one_pass(x):
            for k, tear in enumerate(group.tears):
                part = x[k * width : (k + 1) * width]
                flow = part[:n].copy()
                total = float(flow.sum())
                self.streams[tear] = Stream.at_enthalpy(
                    plan.model, flow, part[n] * total, float(part[n + 1]), guesses[tear]
                )
            for unit_id in group.units:
                self.at = unit_id
                self.compute(unit_id)
            out = np.empty_like(x)
            for k, tear in enumerate(group.tears):
                stream = self.streams[tear]
                guesses[tear] = stream.guess
                part = out[k * width : (k + 1) * width]
                part[:n] = stream.n
                part[n] = stream.enthalpy_flow / stream.total if stream.total > 0.0 else 0.0
                part[n + 1] = stream.P
            last[0] = out
            return out

        try:
            found = settle(one_pass, vector, scale=scale, floor=floor, tol=TOLERANCE, max_passes=self.max_passes,
                           seconds=MAX_SECONDS, secants=secants, cancelled=self.cancelled)  # fmt: skip
        except (UnitTrouble, StreamTrouble) as trouble:
            self.trouble(self.at, trouble)
            self.failed.update(group.units)
            self.keep_tears(group, last[0], (), width, guesses)
            return
        self.keep_tears(group, found.tear, found.secants, width, guesses)
        self.judge(group, found, width, entering, scale_flow)

    def secants_key(self, group):
        """Secants belong to these tears and this order of species only."""
        return "secants:" + ",".join((*group.tears, *self.plan.species))

    def keep_tears(self, group, vector, secants, width, guesses):
        n = width - 2
        self.solution.tears[self.secants_key(group)] = [a.tolist() for a in secants]
        for k, tear in enumerate(group.tears):
            part = vector[k * width : (k + 1) * width]
            self.solution.tears[tear] = {
                "flow": dict(zip(self.plan.species, part[:n].tolist())), "molar_enthalpy": float(part[n]), "pressure": float(part[n + 1]),
                "guess": float(guesses[tear]),
            }  # fmt: skip

    def judge(self, group, found, width, entering, scale_flow):
        """Write the loop's outcome and, where it did not settle, why."""
        plan, n = self.plan, width - 2
        change = sum(found.change[k * width : k * width + n] for k in range(len(group.tears)))
        mode = {}
        if found.mode is not None:
            parts = sum(np.abs(found.mode[k * width : k * width + n]) for k in range(len(group.tears)))
            if parts.sum() > 0.0:
                mode = {s: float(v) for s, v in zip(plan.species, parts / parts.sum()) if v > 1e-4 * parts.sum()}
        outcome = LoopOutcome(
            id=f"loop-{len(self.solution.loops) + 1}", units=list(group.units), tears=list(group.tears),
            settled=found.reason is Reason.SETTLED, reason=found.reason.value, passes=len(found.history),
            history=list(found.history), gain=found.gain, distance=found.distance, tolerance=TOLERANCE, mode=mode,
        )  # fmt: skip
        self.solution.loops.append(outcome)
        if outcome.settled:
            return
        display = plan.project.display
        falling = max((-found.change[k * width + n + 1] for k in range(len(group.tears))), default=0.0)
        top = int(np.argmax(change))
        if falling > 1e-6 * 1e5:
            outcome.advice = (
                f"The pressure falls by {show(falling, 'pressure', display)} on every pass, and nothing in the loop raises it. "
                "Put a compressor on the return stream, or take the pressure drops out."
            )
        elif change[top] > 1e-7 * scale_flow:
            species = plan.species[top]
            outcome.builds_up = species
            stays = show(float(change[top]), "molar flow", display)
            fed = show(float(entering[top]), "molar flow", display)
            outcome.advice = (
                f"{species} builds up: {stays} more of it stays in the loop after each pass ({fed} is fed). "
                "Give it a way out: draw a purge, or raise the share that is drawn."
            )
        else:
            outcome.advice = (
                "The change from pass to pass does not die out. Press “go on from here”, or change one input at a time."
            )
        self.solution.messages.append(
            Message(
                "error",
                outcome.id,
                f"Loop {' → '.join(group.units)} did not settle in {outcome.passes} passes: {found.reason.value}.",
                outcome.advice,
            )  # fmt: skip
        )

    # Reporting

    def report(self):
        plan, out = self.plan, self.solution
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
                out.units[unit_id] = UnitOutcome(False)
                continue
            try:
                out.units[unit_id] = self.unit_outcome(unit_id)
            except (UnitTrouble, StreamTrouble) as trouble:
                self.trouble(unit_id, trouble)
                out.units[unit_id] = UnitOutcome(False)
        self.extrapolated()
        out.solved = (
            bool(plan.units) and all(u.solved for u in out.units.values()) and all(lo.settled for lo in out.loops)
        )
        if out.solved:
            self.overall()
        molar_mass = dict(zip(plan.species, plan.model.molar_mass.tolist()))
        known = plan.known
        for g in plan.project.gauges:
            value = results.value(out, g.reads, molar_mass) if g.reads in known else None
            out.gauges[g.id] = value
            if value is not None:
                self.limits(g, value, known[g.reads])

    def extrapolated(self):
        """Warn of computed temperatures outside the heat-capacity data; given ones are warned of by the checks."""
        plan = self.plan
        low, high = plan.model.heat_capacity_range()
        outside = [
            i for i, s in self.solution.streams.items() if s.temperature and not low - 1 <= s.temperature <= high + 1
        ]
        if outside and not any("heat-capacity data" in m.what for m in self.solution.messages):
            display = plan.project.display
            T = show(self.solution.streams[outside[0]].temperature, "temperature", display)
            self.solution.messages.append(
                Message(
                    "warning",
                    outside[0],
                    f"Stream {outside[0]} comes out at {T}, outside the heat-capacity data.",
                    f"It is extrapolated; data hold from {show(low, 'temperature', display)} to "
                    f"{show(high, 'temperature', display)}.",
                )  # fmt: skip
            )

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
            [(label, dict(zip(species, np.asarray(c).tolist()))) for label, c in result.changes], result.reactions,
            self.balances(n_in, n_out, h_in, h_out, heat),
        )  # fmt: skip
        if plan_measures := self.plan.measures:
            if issubclass(KINDS[self.plan.units[unit_id].kind], Reactor):
                found = measured(*plan_measures, outcome.inlet, outcome.outlet)
                outcome.values |= dict(zip(PER_REACTOR, found))
        for level, what, todo in result.notes:
            self.solution.messages.append(Message(level, unit_id, f"{unit_id}: {what}", todo))
        return outcome

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

    def overall(self):
        """Feeds against products over the whole process."""
        plan, n = self.plan, len(self.plan.species)
        feeds = [self.streams[s.id] for s in plan.feeds if s.to]
        products = [
            self.streams[s.id] for s in plan.project.streams if s.to is None and not s.is_feed and s.id in self.streams
        ]
        n_in = sum((s.n for s in feeds), np.zeros(n))
        n_out = sum((s.n for s in products), np.zeros(n))
        heat = sum((u.values.get("duty") or 0.0) + (u.values.get("work") or 0.0) for u in self.solution.units.values())
        balances = self.balances(
            n_in, n_out, sum(s.enthalpy_flow for s in feeds), sum(s.enthalpy_flow for s in products), heat
        )
        self.solution.overall = {
            "conversion": {s: float((a - b) / a) for s, a, b in zip(plan.species, n_in, n_out) if a > 0.0},
            "made": {s: float(b - a) for s, a, b in zip(plan.species, n_in, n_out)},
            "balances": balances,
        }
        if plan.measures:
            before, after = (dict(zip(plan.species, n.tolist())) for n in (n_in, n_out))
            self.solution.overall |= dict(zip(OVERALL, measured(*plan.measures, before, after)))


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
