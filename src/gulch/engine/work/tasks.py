"""What can be worked on elsewhere: plain data in, plain data out.

A task's `perform(watch, shelf)` runs in a worker, and what it answers is kept; the shelf keeps prepared documents between
tasks. `digest` names what its answer depends on, so that an answer can be kept and found again.
"""

from __future__ import annotations

import json
from abc import ABC, abstractmethod
from collections import OrderedDict
from dataclasses import asdict, dataclass, field
from hashlib import sha256
from typing import TYPE_CHECKING, Any, ClassVar

import numpy as np

from gulch.engine.document import Project, RegionEntry, ScanEntry, SearchEntry, SizingEntry, load
from gulch.engine.explain import Plan
from gulch.engine.explain.courses import of_material, of_reactions, of_species
from gulch.engine.explain.model_trials import tried
from gulch.engine.explain.pair_diagram import PairTrouble, pair_diagram
from gulch.engine.fitting.study import study
from gulch.engine.flowsheet.solution import Solution
from gulch.engine.flowsheet.start import Start
from gulch.engine.phases.stream import StreamTrouble
from gulch.engine.project.inputs import addresses, write
from gulch.engine.project.messages import Message
from gulch.engine.project.places import WHOLE
from gulch.engine.project.reading import model_of
from gulch.engine.quantities import QuantityError
from gulch.engine.regions import RegionTrouble
from gulch.engine.regions.question import attain
from gulch.engine.scans import Point, ScanError, answered, between, grid_of, ready_plan, sure, swings, walk
from gulch.engine.scans.sizing import SizingTrouble, size
from gulch.engine.species import SpeciesError
from gulch.engine.work.packing import NotFinite, pack, unpack

if TYPE_CHECKING:
    from gulch.engine.document.studies import ScanEntry, SearchEntry
    from gulch.engine.explain.solving import Plan


# parts of a document that no figure of the process hangs on
BESIDE = (
    *("name", "remarks", "scans", "searches", "sizing", "region", "variants", "working", "operating_hours", "spreads", "samples"),
    *("ledger", "notebook", "strip", "measurements", "fits"),
)
YOUNG = ("numbers", "own_units")  # parts that older documents do not have: empty they change no name of older answers
KEPT_PLANS = 12


def _named(data: dict[str, Any] | list) -> str:
    text = json.dumps(data, sort_keys=True, separators=(",", ":"), ensure_ascii=True)
    return sha256(text.encode()).hexdigest()


def _parts(document: dict[str, Any], beside: tuple[str, ...] = BESIDE) -> dict[str, Any]:
    """A dumped document without what does not count."""
    return {k: v for k, v in document.items() if k not in beside and (v or k not in YOUNG)}


def _found(document: dict[str, Any]) -> list:
    """What was taken over from fits."""
    return [f["found"] for f in document.get("fits", []) if f.get("found")]


def document_digest(document: dict[str, Any]) -> str:
    """A name of a dumped document for what its solution hangs on."""
    parts = _parts(document)
    if "phase_model" in parts:
        parts["phase_model"] = {k: v for k, v in parts["phase_model"].items() if k != "measured"}
    return _named(parts)


def asked_digest(document: Project, entry: ScanEntry | SearchEntry) -> str:
    """A name of a scan or search of a Project for what its answer hangs on: not on where the knobs that it turns stand now.

    Gauges do not count for a scan, whose points keep all results.
    """
    plain = document.model_copy(deep=True)
    turned = {s.knob for s in entry.over} or {k.id for k in document.knobs}
    known = addresses(document)
    for knob in plain.knobs:
        if knob.id in turned and knob.input in known:
            write(plain, knob.input, knob.low)
    scan = isinstance(entry, ScanEntry)
    beside = (*BESIDE, "display", "own_units", *(("gauges",) if scan else ()))
    asked = entry.model_dump(mode="json", exclude={"gauges", "shows", "aim", "passing"} if scan else set())
    unsure = plain.model_dump(mode="json", include={"spreads", "fits"}) if not scan or entry.band else {}
    if "fits" in unsure:
        unsure["fits"] = _found(unsure)
    return _named(["asked", _parts(plain.dump(), beside), asked, unsure])


def world_digest(document: Project, scan: ScanEntry) -> str:
    """A name of a scan of a Project for what each of its points hangs on: ranges and numbers of points do not count."""
    plain = scan.model_copy(deep=True)
    for sweep in plain.over:
        sweep.low = sweep.high = sweep.step = None
        sweep.points, sweep.spacing = 2, "linear"
    return asked_digest(document, plain)


def solution_of(packed: bytes | None) -> Solution | None:
    """The Solution in packed bytes, or None."""
    return Solution.from_dict(unpack(packed)) if packed else None


def start_in(packed: bytes | None) -> Start | None:
    """The Start that a packed Solution leaves, or None."""
    return Start.from_dict(unpack(packed).get("start")) if packed else None


class Shelf:
    """Prepared documents, the last used kept."""

    def __init__(self) -> None:
        self.plans = OrderedDict()

    def plan(self, document: dict) -> Plan:
        """The Plan of a dumped document."""
        key = _named(document)
        if key not in self.plans:
            self.plans[key] = Plan(load(document))
            if len(self.plans) > KEPT_PLANS:
                self.plans.popitem(last=False)
        self.plans.move_to_end(key)
        return self.plans[key]


@dataclass(frozen=True)
class Solve:
    """Solve a dumped document. start: packed Solution to begin from; overrides: {address: SI value}.

    Answers (solved, packed Solution).
    """

    document: dict
    start: bytes | None = None
    overrides: dict = field(default_factory=dict)
    max_passes: int | None = None
    explain: bool = True
    again: bool = True  # where the start misled, once more from nothing

    @property
    def digest(self) -> str:
        return document_digest(self.document)

    def perform(self, watch: Any, shelf: Shelf) -> tuple[bool, bytes]:
        """(solved, packed Solution)."""
        plan = shelf.plan(self.document)
        options = dict(overrides=self.overrides, watch=watch, max_passes=self.max_passes, explain=self.explain)
        solution = (plan.run_from if self.again else plan.run)(start_in(self.start), **options)
        try:
            return solution.solved, pack(solution.to_dict())
        except NotFinite:
            return False, pack(not_finite(solution).to_dict())


def not_finite(solution: Solution) -> Solution:
    """What is told of a Solution that holds numbers without end."""
    what = "The figures run beyond all bounds: some result is not a finite number."
    return Solution(
        False,
        solution.species,
        messages=[
            Message("error", WHOLE, what, "Look for flows, temperatures or constants that are far out of the ordinary."),
            *(m for m in solution.messages if m.level != "error"),
        ],
    )


def the_scan(plan: Plan, id_: str) -> ScanEntry:
    """The scan of a task, which was handed in with the document that holds it."""
    found = plan.project.scan(id_)
    assert found is not None
    return found


def the_search(plan: Plan, id_: str) -> SearchEntry:
    """The search of a task, likewise."""
    found = plan.project.search(id_)
    assert found is not None
    return found


@dataclass(frozen=True)
class ScanPart:
    """Some neighbouring points of a scan of a dumped document; tells (index, point) as it goes, answers None."""

    document: dict
    scan: str
    indices: tuple
    start: bytes | None = None

    def perform(self, watch: Any, shelf: Shelf) -> None:
        """Tell each point as it comes; answers None."""
        plan = ready_plan_on(shelf, self.document)
        start = start_in(self.start)
        for found in walk(plan, the_scan(plan, self.scan), self.indices, start, watch):
            watch.tell(found)


@dataclass(frozen=True)
class RefineScan:
    """What is solved between the points of a scan. Answers (True, packed dict of `scans.between`)."""

    document: dict
    scan: str
    points: list
    start: bytes | None = None

    def perform(self, watch: Any, shelf: Shelf) -> tuple[bool, bytes]:
        """Solve between the points."""
        plan = ready_plan_on(shelf, self.document)
        grid = grid_of(plan.project, the_scan(plan, self.scan))
        return True, pack(between(plan, grid, self.points, start_in(self.start), watch))


def ready_plan_on(shelf: Shelf, document: dict) -> Plan:
    """The Plan of a dumped document. Raises ScanError, saying what is missing, where it is not ready."""
    plan = shelf.plan(document)
    return plan if plan.ready else ready_plan(plan.project)  # which says what is missing


@dataclass(frozen=True)
class MoveKnobs:
    """What matters most in a dumped document. Answers (True, packed {"found"} or {"trouble"})."""

    document: dict
    start: bytes | None = None

    @property
    def digest(self) -> str:
        """Names what the answer hangs on."""
        return _named(["swings", _parts(self.document, tuple(k for k in BESIDE if k != "spreads"))])

    def perform(self, watch: Any, shelf: Shelf) -> tuple[bool, bytes]:
        """Move every knob."""
        try:
            plan = ready_plan_on(shelf, self.document)
            return True, pack({"found": swings(plan, start_in(self.start), watch).to_dict()})
        except ScanError as error:
            return True, pack({"trouble": str(error)})


@dataclass(frozen=True)
class SampleData:
    """How sure the gauges of a dumped document are. Answers (True, packed {"found"} or {"trouble"})."""

    document: dict
    start: bytes | None = None

    @property
    def digest(self) -> str:
        """Names what the answer hangs on."""
        kept = {k: v for k, v in self.document.items() if k not in BESIDE or k in ("spreads", "samples")}
        return _named(["sure", kept, _found(self.document)])

    def perform(self, watch: Any, shelf: Shelf) -> tuple[bool, bytes]:
        """Sample what is unsure."""
        try:
            plan = ready_plan_on(shelf, self.document)
            return True, pack({"found": sure(plan, start_in(self.start), watch, samples=plan.project.samples).to_dict()})
        except ScanError as error:
            return True, pack({"trouble": str(error)})


@dataclass(frozen=True)
class FindBest:
    """The answer of a search of a dumped document; tells (number, point) of each solve as it comes.

    known: points as told, of a run that was broken off. Answers (True, packed {"kind", …} or {"trouble"}).
    """

    document: dict
    search: str
    start: bytes | None = None
    known: list = field(default_factory=list)

    def perform(self, watch: Any, shelf: Shelf) -> tuple[bool, bytes]:
        """Climb to the best, or along the trade-off of two aims."""
        told = iter(range(len(self.known), 1_000_000))
        try:
            plan = ready_plan_on(shelf, self.document)
            found = answered(
                plan,
                the_search(plan, self.search),
                start_in(self.start),
                watch,
                [Point.from_dict(p) for p in self.known],
                lambda point: watch.tell((next(told), point.to_dict())),
            )
            return True, pack(found)
        except ScanError as error:
            return True, pack({"trouble": str(error)})


@dataclass(frozen=True)
class BoilPair:
    """The diagram of two species of a document. Answers (True, packed {"found"} or {"trouble"})."""

    document: dict
    first: str
    second: str

    @property
    def digest(self) -> str:
        parts = {k: self.document.get(k) for k in ("species", "phase_model")}
        return _named(["pair", parts, self.first, self.second])

    def perform(self, watch: Any, shelf: Shelf) -> tuple:
        """(True, packed diagram, or what stands in its way)."""
        try:
            return True, pack({"found": pair_diagram(load(self.document), self.first, self.second).to_dict()})
        except (PairTrouble, NotFinite) as error:
            return True, pack({"trouble": str(error)})


@dataclass(frozen=True)
class TryModels:
    """Phase models tried on what was published of the pairs of a document. Answers (True, packed `Trials`)."""

    document: dict

    @property
    def digest(self) -> str:
        given = [{k: v for k, v in (s.get("given") or {}).items() if k == "pressure"} for s in self.document.get("streams", [])]
        pressures = [{k: v for k, v in u.items() if "pressure" in k} for u in self.document.get("units", [])]
        return _named(["trials", {k: self.document.get(k) for k in ("species", "phase_model", "display")}, given, pressures])

    def perform(self, watch: Any, shelf: Shelf) -> tuple:
        """(True, packed trials)."""
        return True, pack(tried(load(self.document)).to_dict())


@dataclass(frozen=True)
class FitLaws:
    """A fit of a dumped document, its rivals, and what to measure next. Answers (whether it stands, packed {"answer", "rivals", …})."""

    document: dict
    fit: str

    @property
    def digest(self) -> str:
        entry = next((f for f in self.document.get("fits", []) if f["id"] == self.fit), {})
        parts = {
            k: self.document.get(k) for k in ("species", "phase_model", "reactions", "reaction_sets", "measures", "display", "own_units")
        }
        sheets = [s for s in self.document.get("measurements", []) if s["id"] in entry.get("sheets", [])]
        asked = {k: v for k, v in entry.items() if k not in ("name", "found")}
        return _named(["fit", parts, [{k: v for k, v in s.items() if k not in ("name", "remark")} for s in sheets], asked])

    def perform(self, watch: Any, shelf: Shelf) -> tuple[bool, bytes]:
        """(whether it stands, packed answer)."""
        project = load(self.document)
        entry = next(f for f in project.fits if f.id == self.fit)
        found = study(project, entry, watch)
        return not found.answer.trouble, pack(found.to_dict())


@dataclass(frozen=True)
class DrawCourses:
    """Properties of a species of a document over temperature, or of amounts {id: mol/s} along temperature or pressure.

    The other of the two is held, all in SI, and the way goes from low to high. Answers (True, packed {"courses"} or {"trouble"}).
    """

    document: dict
    species: str = ""
    flow: dict[str, float] | None = None
    along: str = "temperature"
    held: float = 0.0
    low: float = 0.0
    high: float = 0.0

    @property
    def digest(self) -> str:
        parts = {k: self.document.get(k) for k in ("species", "phase_model", "reactions")}
        return _named(["courses", parts, self.species, self.flow, self.along, self.held, self.low, self.high])

    def perform(self, watch: Any, shelf: Shelf) -> tuple:
        """(True, packed courses, or what stands in their way)."""
        document = load(self.document)
        try:
            if self.species:
                found = of_species(next(s.key for s in document.species if s.id == self.species))
            else:
                n, model = np.array([(self.flow or {}).get(s.id, 0.0) for s in document.species]), model_of(document)
                found = of_material(model, n, self.held, self.low, self.high, self.along)
                if self.along == "temperature":
                    found += of_reactions(document, model, self.low, self.high)
            return True, pack({"courses": [asdict(c) for c in found]})
        except (SpeciesError, QuantityError, StreamTrouble, NotFinite) as error:
            return True, pack({"trouble": str(error)})


@dataclass(frozen=True)
class _OfStream(ABC):
    """A question of a stream of a solved document, by its entry. Answers (True, packed {"found"} or {"trouble"})."""

    document: dict
    solution: bytes | None
    entry: dict
    name: ClassVar[str]

    @property
    def digest(self) -> str:
        return _named([self.name, document_digest(self.document), self.entry])

    def perform(self, watch: Any, shelf: Shelf) -> tuple:
        """(True, packed answer, or what stands in its way)."""
        try:
            return True, pack({"found": self.found(load(self.document), solution_of(self.solution), watch)})
        except (SizingTrouble, RegionTrouble, QuantityError, NotFinite) as error:
            return True, pack({"trouble": str(error)})

    @abstractmethod
    def found(self, document: Project, solution: Solution | None, watch: Any) -> dict[str, Any]:
        """The answer as plain data. Raises SizingTrouble, RegionTrouble."""


class Size(_OfStream):
    """Size reactors for a sizing entry."""

    name = "sizing"

    def found(self, document: Project, solution: Solution | None, watch: Any) -> dict[str, Any]:
        return asdict(size(document, solution, SizingEntry(**self.entry)))


class Attain(_OfStream):
    """Find what can be had at all, for a region entry."""

    name = "region"

    def found(self, document: Project, solution: Solution | None, watch: Any) -> dict[str, Any]:
        return attain(document, solution, RegionEntry(**self.entry), watch).to_dict()
