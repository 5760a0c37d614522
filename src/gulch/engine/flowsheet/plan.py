"""Solving a whole process: a pure function of the document and a start for its tears."""

from __future__ import annotations

import re
import time
from abc import ABC, abstractmethod
from dataclasses import replace
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.chemistry import reaction_properties, resolve_equation
from gulch.engine.chemistry.rates import RateLaw
from gulch.engine.chemistry.reaction import Reaction
from gulch.engine.declared.base import Context, Given
from gulch.engine.document import Project, source_of, value_of
from gulch.engine.flowsheet import graph
from gulch.engine.flowsheet.run import Run
from gulch.engine.flowsheet.solution import Solution
from gulch.engine.flowsheet.start import Start
from gulch.engine.flowsheet.worth import prices_of
from gulch.engine.phases import Stream
from gulch.engine.project.couplings import names, open_streams, read_target, read_tie, readings
from gulch.engine.project.ends import entering, leaving
from gulch.engine.project.feeds import fraction_of
from gulch.engine.project.inputs import addresses, distinct, scope_of, twins, with_twins
from gulch.engine.project.measures import counted
from gulch.engine.project.messages import Message
from gulch.engine.project.once import standing
from gulch.engine.project.places import WHOLE, About, Place
from gulch.engine.project.rate_numbers import COEFFICIENTS, RATE_NUMBERS
from gulch.engine.project.reading import constant_of, model_of, number, polynomial_of, rate_of
from gulch.engine.quantities import parse
from gulch.engine.settle import UNWATCHED
from gulch.engine.species import SpeciesError
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.document.chemistry import ReactionEntry
    from gulch.engine.document.process import TearEntry
    from gulch.engine.flowsheet.closing.account import Account
    from gulch.engine.flowsheet.closing.targets import Edge, Jump
    from gulch.engine.flowsheet.solution import LoopOutcome, TargetOutcome
    from gulch.engine.phases.model import PhaseModel
    from gulch.engine.project.couplings import Target
    from gulch.engine.settle import LoopResult, Watch


FACTOR = "~"  # before the name of what an override multiplies: ~constant.ID, ~rate.ID, ~bought.SPECIES, ~sold.SPECIES


class Plan(ABC):
    """A document prepared for repeated solves with changed inputs (scans, sliders).

    What is said of it, before and after, is said by whoever derives from it: `explain.Plan`.
    """

    @abstractmethod
    def checked(self, project: Project) -> list[Message]:
        """What is missing or doubtful in what is written; with an error among it nothing is computed."""

    @abstractmethod
    def doubts(self, run: Run, overlooked: dict[str, float | None]) -> list[Message]:
        """What is doubtful in what was computed. overlooked: tangent-plane distance of a further phase, by stream."""

    @abstractmethod
    def of_loop(self, account: Account, found: LoopResult, outcome: LoopOutcome, *moved: np.ndarray) -> list[Message]:
        """What is said of a loop that was searched; fills its outcome. moved: as `explain.diagnosis.explain_loop` takes them."""

    @abstractmethod
    def of_target(self, target: Target, outcome: TargetOutcome, why: str | None, jump: Jump | None, edges: list[Edge]) -> Message:
        """What is said of a target that is not met."""

    def __init__(self, project: Project) -> None:
        with standing(project):
            self._prepare(project)

    def _prepare(self, project: Project) -> None:
        self.project = project
        self.messages = self.checked(project)
        self.species = [s.id for s in project.species]
        self.ready = not any(m.level == "error" for m in self.messages) and bool(project.species)
        if not self.ready:
            return
        try:
            self.model = model_of(project)
        except SpeciesError as error:  # check names it; a project without species ends here
            self.messages.append(Message("error", WHOLE, str(error)))
            self.ready = False
            return
        self.inputs, self._rounds = {}, {}
        self.lasting = {}  # unit -> what spares it looking again
        self.bounds, self.twins = addresses(project), twins(project)
        for a in self.bounds.values():
            if a.text not in (None, ""):
                self.inputs[a.address] = parse(a.text, a.dimension)
        self.laws = {a: v for a, v in self.inputs.items() if self.bounds[a].about is About.REACTION and a.split(".")[1] in RATE_NUMBERS}
        self.known = readings(project)
        self.ties, self.targets = {}, {}
        if project.ties:
            known = names(project)
            self.ties = {e.sets: read_tie(e, project, known) for e in project.ties}
        self.targets = {e.id: read_target(e, project) for e in project.targets if e.on}
        self.method, self.max_passes = project.closing.method, project.closing.max_passes
        self.tolerance = number(project.closing.tolerance, "the tolerance")
        self.prices = prices_of(project, self.model)
        self.groups = graph.groups(project, tuple(self.ties.values()), tuple(self.targets.values()))
        self.atoms, self.elements = self.model.atoms, self.model.elements
        self.molar_mass = dict(zip(self.species, self.model.molar_mass.tolist(), strict=True))
        self.feeds = [s for s in project.streams if s.is_feed]
        self.feed_by_id = {s.id: s for s in self.feeds}
        self.feed_inputs = {s.id: [(a, a[len(s.id) + 1 :]) for a in self.bounds if a.startswith(f"{s.id}.")] for s in self.feeds}
        self.open = open_streams(project)
        self.guesses = {t.stream: Guess(t, self.species) for t in project.tears if t.flow and project.stream(t.stream)}
        self.states = {t.stream: chosen_state(t) for t in project.tears if t.state != "any" and project.stream(t.stream)}
        self.sources = {s.id: s.id if s.is_feed else source_of(s)[0] for s in project.streams}
        self.enters = {s.id: s.enters for s in project.streams}
        self.inlet = {s.id: s.inlet for s in project.streams}
        self.entering = {u.id: [s.id for s in entering(project)[u.id]] for u in project.units}
        self.ports = {u.id: [p.name for p in KINDS[u.kind].ports_out(u)] for u in project.units}
        self.leaving = {u.id: {port or self.ports[u.id][0]: s.id for port, s in leaving(project)[u.id]} for u in project.units}
        self.units = {u.id: u for u in project.units}
        self.place = {u.id: i for i, u in enumerate(project.units)}
        self.readers = {u.id: self._readers(u) for u in project.units}
        self.reactions = {r.id: self._reaction(r) for r in project.reactions}
        self.counted = counted(project)

    def loop_units(self, units: tuple) -> list[str]:
        """Those of some units that material goes round, in the order of building; all of them where there are none."""
        return sorted(self.material.intersection(units), key=self.place.__getitem__) or list(units)

    @cached_property
    def material(self) -> set[str]:
        """Units that material goes round."""
        return graph.material_loops(self.project)

    def rounds(self, units: tuple) -> list:
        """Each way round some units, as streams."""
        key = frozenset(units)
        if key not in self._rounds:
            self._rounds[key] = graph.rounds(self.project, key)
        return self._rounds[key]

    def made_by(self, units: list[str] | tuple) -> list[str]:
        """Streams that leave some of the units."""
        return [s for u in units for s in self.leaving[u].values()]

    def _readers(self, unit: Any) -> list[tuple]:
        """[(name, function of the inputs)] of what a unit's `solve` is given."""
        scope = scope_of(self.project, unit)
        return [(d.name, d.reader(unit.id, value_of(unit, d), scope)) for d in KINDS[unit.kind].inputs()]

    def _reaction(self, entry: ReactionEntry) -> Reaction:
        nu = resolve_equation(entry.equation, self.project.entries()).nu(len(self.species))
        c = entry.conversion
        return Reaction(
            entry.id,
            nu,
            self.species.index(c.key) if c else None,
            None,
            reaction_properties(nu, self.model).dh,
            constant_of(entry),
            polynomial_of(c.polynomial) if c and c.polynomial else None,
            rate_of(entry, self.project, nu),
        )

    def given(self, unit_id: str, inputs: dict[str, float]) -> Given:
        """What a unit's `solve` is given, in SI."""
        return Given(**{name: read(inputs) for name, read in self.readers[unit_id]})

    def context(self, inputs: dict[str, float]) -> Context:
        """What unit kinds are given besides feed and inputs: model, species, reaction sets with the numbers of a run."""
        sets = {}
        for s in self.project.reaction_sets:
            sets[s.id] = [[self.reaction(self.reactions[i], inputs) for i in step if i in self.reactions] for step in s.steps if step]
        return Context(
            self.model,
            self.species,
            [s.shown for s in self.project.species],
            sets,
            self.project.display,
            self.counted,
        )

    def _law(self, prepared: Reaction, inputs: dict[str, float]) -> RateLaw | None:
        """The rate law of a reaction with the numbers of this run; None where they are those that are typed."""
        start = f"{prepared.id}."
        typed = {a: v for a, v in self.laws.items() if a.startswith(start)}
        of_run = {a.removeprefix(start): inputs[a] for a in typed if a in inputs}
        if all(typed[start + tail] == value for tail, value in of_run.items()):
            return None
        entry = next(r for r in self.project.reactions if r.id == prepared.id)
        return rate_of(entry, self.project, prepared.nu, of_run)

    def reaction(self, prepared: Reaction, inputs: dict[str, float]) -> Reaction:
        """A reaction with the numbers of this run."""
        changed: dict[str, Any] = {"conversion": inputs.get(f"{prepared.id}.conversion")}
        k = inputs.get(f"{prepared.id}.constant")
        if k is not None:
            changed["constant"] = replace(prepared.constant, coefficients=(float(np.log(k)), 0.0, 0.0, 0.0))
        if prepared.rate is not None and (law := self._law(prepared, inputs)) is not None:
            changed["rate"] = law
        letters = {letter: inputs.get(f"{prepared.id}.lnK_{letter}") for letter in COEFFICIENTS}
        if any(v is not None for v in letters.values()):
            typed = prepared.constant.coefficients
            turned = tuple(t if v is None else v for t, v in zip(typed, letters.values(), strict=True))
            if turned != typed:
                changed["constant"] = replace(prepared.constant, coefficients=turned)
        by = inputs.get(f"{FACTOR}constant.{prepared.id}")
        if by is not None:
            changed["constant"] = replace(changed.get("constant", prepared.constant), shift=float(np.log(by)))
        by = inputs.get(f"{FACTOR}rate.{prepared.id}")
        rate = changed.get("rate", prepared.rate)
        if by is not None and rate is not None:
            faster = {n: replace(c, ln_k=c.ln_k + float(np.log(by))) for n in ("constant", "back") if (c := getattr(rate, n)) is not None}
            changed["rate"] = replace(rate, **faster)
        return replace(prepared, **changed)

    def run(
        self,
        start: Start | None = None,
        overrides: dict[str, float] | None = None,
        watch: Watch = UNWATCHED,
        max_passes: int | None = None,
        explain: bool = True,
        rooms: bool = False,
        cures: bool = True,
        also: Start | None = None,
    ) -> Solution:
        """Solve with some inputs overridden: {address: SI value}; without `explain` texts that cost solves are left out.

        rooms: whether the Solution is to say how far it is from each doubt. cures: whether those of a loop that does not settle are
        looked for, by solves from nothing, from the start, from `also` and from where the loop ended.

        Returns a Solution.
        """
        began = time.perf_counter()
        solution = Solution(False, list(self.species), messages=list(self.messages))
        if not self.ready:
            return solution
        inputs = self.inputs
        if overrides:
            inputs = inputs | with_twins(overrides, self.twins)
            refused = self._refused(overrides)
            if refused is not None:
                solution.messages.append(refused)
                return solution
        run = Run(self, inputs, solution, start or Start(), watch, max_passes, explain, rooms, overrides or ())
        run.cures, run.also = cures, also
        with np.errstate(all="ignore"):
            run.go()
        by_name(solution, self.project)
        reason = watch.ended()
        if reason:
            solution.end(reason)
        solution.seconds = time.perf_counter() - began
        return solution

    def run_from(
        self, start: Start | None, overrides: dict[str, float] | None = None, watch: Watch = UNWATCHED, **options: Any
    ) -> Solution:
        """Solve from a start, and once more from nothing where that does not solve or misses a target: a start takes no answer away.

        Options are those of `run`, less `cures` and `also`. Returns a Solution.
        """
        solution = self.run(start=start, overrides=overrides, watch=watch, cures=start is None, **options)
        if (solution.solved and all(t.met for t in solution.targets)) or start is None or watch.ended():
            return solution
        other = self.run(overrides=overrides, watch=watch, also=start, **options)  # which looks for cures from both starts
        return solution if watch.ended() else other

    def _refused(self, overrides: dict[str, float]) -> Any:
        """A Message on the first override that cannot be, or None."""
        turned = {a: t for t in self.targets.values() for a in (t.address, self.twins.get(t.address, ("",))[0])}
        for address, value in overrides.items():
            if address.startswith(FACTOR):
                continue  # of a sample of what is unsure; not an input of the document
            bound, place = self.bounds.get(address), Place.of(self.project, address)
            if address in turned or address in self.ties:
                by = f"the target on {turned[address].gauge_label}" if address in turned else "a tie"
                return Message("error", place, f"{bound.label} is set by {by}, so it cannot be turned.", "Switch that off first.")
            if bound is None or not bound.low <= value <= bound.high:
                what = "is not an input" if bound is None else "lies outside its bounds"
                return Message("error", place, f"{address} {what}.", "Choose another value.")
        if not distinct(overrides, self.twins):
            what = "A flow is turned twice, in moles and in mass."
            return Message("error", Place.of(self.project, next(a for a in overrides if a in self.twins)), what, "Turn one of the two.")
        return self._beyond_whole(overrides)

    def _beyond_whole(self, overrides: dict[str, float]) -> Any:
        """A Message where fractions of one feed that are turned together add up to more than all of it, or None."""
        for s in self.feeds:
            turned = [a for a, tail in self.feed_inputs[s.id] if a in overrides and fraction_of(s.given.basis, tail)]
            total = sum(overrides[a] for a in turned)
            if len(turned) > 1 and total > 1.0 + 1e-9:
                what = f"The fractions of {s.id} that are turned add up to {100 * total:.4g} %."
                return Message("error", Place.of(self.project, turned[0]), what, "Narrow the ranges of their knobs.")
        return None


def by_name(solution: Solution, project: Project) -> None:
    """Let the sentences of a Solution name species as the user does, instead of by their ids."""
    taken = {x.id for x in (*project.streams, *project.units, *project.reactions)}
    names = {s.id: s.shown for s in project.species if s.shown != s.id and s.id not in taken}
    if not names:
        return
    # a name that stands already is left whole, even where an id is a part of it
    words = sorted({*names, *(s.shown for s in project.species)}, key=len, reverse=True)
    word = re.compile(r"(?<![\w.\-])(" + "|".join(re.escape(w) for w in words) + r")(?![\w\-]|\.\w)")

    def told(text: str) -> str:
        return word.sub(lambda m: names.get(m[1], m[1]), text)

    for m in solution.messages:
        m.what, m.todo = told(m.what), told(m.todo)
    for loop in solution.loops:
        loop.advice, loop.findings = told(loop.advice), [told(f) for f in loop.findings]


def chosen_state(entry: TearEntry) -> tuple[str, float | None]:
    """(which of a loop's steady states is wanted, the temperature [K] to which it is nearest or None)."""
    return entry.state, parse(entry.near, "temperature") if entry.near else None


class Guess:
    """A stream as the user guessed it. signature: tells one guess from another."""

    def __init__(self, entry: TearEntry, species: list[str]) -> None:
        self.n = np.array([parse(entry.flow.get(s) or "0 kmol/h", "molar flow") for s in species])
        self.T = parse(entry.temperature, "temperature") if entry.temperature else None
        self.P = parse(entry.pressure, "pressure") if entry.pressure else None
        self.signature = repr((self.n.tolist(), self.T, self.P))

    def stream(self, model: PhaseModel, template: Stream) -> Stream:
        """The guessed Stream; what was not typed is taken from another stream."""
        T = template.T if self.T is None else self.T
        return Stream.at_temperature(model, self.n, T, template.P if self.P is None else self.P)
