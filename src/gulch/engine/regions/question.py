"""A question of what can be had at all, asked of a project, and its answer as plain data and in words."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.declared.base import defaults
from gulch.engine.declared.told import UnitTrouble
from gulch.engine.explain import Plan
from gulch.engine.fluids import LIQUID, VAPOUR
from gulch.engine.phases import Stream
from gulch.engine.quantities import parse, show
from gulch.engine.reactors.counted import counted_on
from gulch.engine.reactors.stirred_tank import StirredTank
from gulch.engine.regions.arrangement import Arrangement, Step
from gulch.engine.regions.devices import ROUGH, SIDE_FED, TANK, TUBE, Devices
from gulch.engine.regions.region import SIMPLE, Found, Region, RegionTrouble, region
from gulch.engine.regions.within import within
from gulch.engine.settle import UNWATCHED, Watch
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.document import Project, RegionEntry
    from gulch.engine.flowsheet.solution import Solution

LEVELS = 5  # temperatures of a range
TRIED = 6  # kinds of arrangements whose sizes are brought to the best
ENOUGH = 1e-3  # of what is gained over the feed, for which nobody builds another vessel
MUCH = 0.7  # of its volume, that an arrangement may do with for that
LESS = {"a tenth": 0.1, "a quarter": 0.25, "half": 0.5}  # of the best arrangement's volume, for which it is told what can be had
NOTHING = 1e-6  # of what is seen on an axis, that counts as no gain over the feed


@dataclass
class Axis:
    """One axis of the picture: words, dimension, and what a mole of each species per kilogram counts, shape (n,)."""

    label: str
    dimension: str
    weights: list[float]


@dataclass
class Answer:
    """What can be had. outline, tube, tank: points of the picture in SI, [[x, y]]; now: where the process stands, of which unit.

    best: {"steps": [{"device", "T" [K], "volume" [m3], "put_in" [kg/s], "of" [kg/s]}], "at": [x, y]}; others: the same of simpler
    arrangements with their name; side: what fresh feed along a tube gains [of the aim]; trimmed: the sizes keep all but a thousandth.
    less: [{"name", "volume" [m3], "outline", "most"}]: what was found with a share of the best arrangement's volume, and the most there.
    """

    x: Axis
    y: Axis
    aim: str
    phase: str
    temperatures: list[float]
    outline: list
    tube: list
    tank: list
    best: dict
    others: list = field(default_factory=list)
    side: float = 0.0
    fresh: list | None = None
    now: list | None = None
    now_of: str = ""
    trimmed: bool = False
    points: int = 0
    rounds: int = 0
    gained: float = 0.0
    mass: float = 0.0  # kg/s of the stream
    less: list = field(default_factory=list)

    def to_dict(self) -> dict[str, Any]:
        """Plain data, as stored."""
        return asdict(self)

    @classmethod
    def of(cls, data: dict[str, Any]) -> Answer:
        """An Answer of plain data."""
        return cls(**data | {"x": Axis(**data["x"]), "y": Axis(**data["y"])})


def attain(project: Project, solution: Solution | None, entry: RegionEntry, watch: Watch = UNWATCHED) -> Answer:
    """What can be had of a stream of a solved project. Raises RegionTrouble with a sentence."""
    plan = Plan(project)
    if not plan.ready:
        first = next(m for m in plan.messages if m.level == "error")
        raise RegionTrouble(f"The project is not ready. {first.what} {first.todo}")
    stream = solution.streams.get(entry.stream) if solution else None
    if stream is None or stream.temperature is None:
        raise RegionTrouble(f"The state of {entry.stream or 'the stream'} is not known: choose a stream that solves.")
    if project.set(entry.set) is None:
        raise RegionTrouble("Choose a reaction set.")
    n = np.array([stream.flow[s] for s in plan.species])
    if not n.sum() > 0.0:
        raise RegionTrouble(f"{entry.stream} carries nothing.")
    temperatures = _temperatures(entry, float(stream.temperature))
    feed = Stream.at_temperature(plan.model, n, temperatures[0], stream.pressure)
    mass = float(n @ plan.model.molar_mass)
    try:
        devices = _devices(plan, feed, entry, mass)
    except UnitTrouble as trouble:
        raise RegionTrouble(f"{trouble.what} {trouble.todo}") from None
    axes = [_axis(project, plan, n, mass, name, which) for name, which in ((entry.x, "x"), (entry.y, "y"))]
    view = np.array([a.weights for a in axes])
    found = region(devices, view, temperatures, watch)
    answer = _answer(found, devices, view, entry, mass, temperatures, axes)
    answer.now, answer.now_of = _now(project, plan, solution, entry, view, mass, n)
    return answer


def _temperatures(entry: RegionEntry, stands: float) -> list[float]:
    low = parse(entry.temperature, "temperature") if entry.temperature else stands
    if not entry.up_to:
        return [float(low)]
    high = parse(entry.up_to, "temperature")
    if high <= low:
        raise RegionTrouble("The range of temperatures ends below where it begins.")
    return np.linspace(low, high, LEVELS).tolist()


def _devices(plan: Plan, feed: Stream, entry: RegionEntry, mass: float) -> Devices:
    given = defaults(
        StirredTank,
        set=entry.set,
        phase=entry.phase,
        void=parse(entry.void, "fraction"),
        bulk_density=parse(entry.bulk_density, "density") if entry.bulk_density else None,
        surface=parse(entry.surface, "area per volume") if entry.surface else None,
    )
    _, laws, per, phase = StirredTank.prepare(feed, given, plan.context(plan.inputs))
    return Devices(plan.model, laws, per, LIQUID if phase != VAPOUR else VAPOUR, feed.P, counted_on(given), feed.n / mass)


def _axis(project: Project, plan: Plan, n: np.ndarray, mass: float, species: str | None, which: str) -> Axis:
    """The axis of a species' flow, else conversion (x) or yield (y), as weights of moles per kilogram. Raises RegionTrouble."""
    weights, names = np.zeros(n.size), {s.id: s.shown for s in project.species}
    if species is not None:
        weights[plan.species.index(species)] = mass
        return Axis(f"{names[species]}", "molar flow", weights.tolist())
    counted = plan.context(plan.inputs).counted
    if counted is None:
        raise RegionTrouble("Conversion and yield need a key reactant and a product: say in Chemistry which, or choose species as axes.")
    key = plan.species.index(counted.key)
    if not n[key] > 0.0:
        raise RegionTrouble(f"{names[counted.key]} is not in this stream, so its conversion has no meaning: choose species as axes.")
    whole = plan.model.molar_mass / n[key]
    if which == "x":
        weights[key] = -mass / n[key]
        return Axis(f"conversion of {names[counted.key]}", "fraction", (weights + n[key] * whole).tolist())
    at = plan.species.index(counted.product)
    weights[at] = counted.ratio * mass / n[key]
    return Axis(f"yield of {names[counted.product]}", "fraction", (weights - counted.ratio * n[at] * whole).tolist())


def _answer(
    found: Region, devices: Devices, view: np.ndarray, entry: RegionEntry, mass: float, temperatures: list[float], axes: list[Axis]
) -> Answer:
    aim = view[0 if entry.aim == "x" else 1]

    def reads(n: np.ndarray) -> float:
        return float(n @ aim)

    nothing = reads(devices.fresh)
    tried = {kinds: made.polished(devices, reads) for kinds, made in _by_kinds(found, aim).items()}
    read = {kinds: reads(n) if (n := made.leaving(devices)) is not None else nothing for kinds, made in tried.items()}
    top = max(read.values())
    enough = [k for k in tried if read[k] >= top - ENOUGH * (top - nothing)]
    chosen = min(enough, key=lambda k: (len(k), SIDE_FED in k, -read[k]))
    best, trimmed = _sized(tried[chosen], devices, reads)
    simple = {name: k for name, k in SIMPLE.items() if k in tried and k != chosen and (k not in enough or len(k) <= len(chosen))}
    others = [_described(_sized(tried[k], devices, reads)[0], devices, view, mass) | {"name": name} for name, k in simple.items()]
    side = max((v for k, v in read.items() if SIDE_FED in k), default=nothing) - max(v for k, v in read.items() if SIDE_FED not in k)
    return Answer(
        x=axes[0],
        y=axes[1],
        aim=entry.aim,
        phase=entry.phase,
        temperatures=temperatures,
        outline=found.outline.tolist(),
        tube=found.tube.tolist(),
        tank=found.tank.tolist(),
        best=_described(best, devices, view, mass),
        others=others,
        side=max(side, 0.0) if side > ENOUGH * (top - nothing) else 0.0,
        fresh=(view @ devices.fresh).tolist(),
        trimmed=trimmed,
        points=found.points,
        rounds=found.rounds,
        gained=found.gained,
        mass=mass,
        less=_less(found, devices, view, [best, *tried.values()], 0 if entry.aim == "x" else 1, mass),
    )


def _less(found: Region, devices: Devices, view: np.ndarray, made: list[Arrangement], aim: int, mass: float) -> list[dict[str, Any]]:
    """What is had with shares of the volume of the first arrangement; nothing where that is no vessel.

    Arrangements are looked at at just that volume besides, because points of a tube lie a step of its integration apart.
    """
    whole, out = sum(made[0].volumes(1.0)), []
    simple = [Arrangement((Step(device, T, 1.0),)) for device in (TUBE, TANK) for T in {s.T for m in made for s in m.steps}]
    for name, share in LESS.items() if whole > 0.0 else ():
        volume, seen, sizes = share * whole, found.seen, found.sizes
        sized = [m.scaled(volume / sum(m.volumes(1.0))) for m in (*made, *simple) if m.steps]
        more = [n @ view.T for m in sized if (n := m.leaving(devices, ROUGH)) is not None]
        outline = within(np.vstack([seen, *more]), np.r_[sizes, np.full(len(more), volume)], volume)
        out.append({"name": name, "volume": volume * mass, "outline": outline.tolist(), "most": float(outline[:, aim].max())})
    return out


def _sized(made: Arrangement, devices: Devices, reads: Callable) -> tuple[Arrangement, bool]:
    """An arrangement, smaller where much of it gains next to nothing, and whether it is smaller."""
    small = made.trimmed(devices, reads, ENOUGH)
    much = sum(small.volumes(1.0)) < MUCH * sum(made.volumes(1.0))
    return (small, True) if much else (made, False)


def _by_kinds(found: Region, aim: np.ndarray) -> dict[tuple, Arrangement]:
    """{kinds of vessels one after another: the arrangement of them that reads most}, of those that read most and of the simple ones."""
    best: dict[tuple, Found] = {}
    for f in [*found.corners, *found.simple]:
        kinds = tuple(s.device for s in f.made.steps)
        if kinds and (kinds not in best or f.n @ aim > best[kinds].n @ aim):
            best[kinds] = f
    first = sorted(best, key=lambda k: (-float(best[k].n @ aim), len(k)))[:TRIED]
    return {k: best[k].made for k in best if k in first or k in SIMPLE.values()}


def _described(made: Arrangement, devices: Devices, view: np.ndarray, mass: float) -> dict[str, Any]:
    n = made.leaving(devices)
    steps = [
        {"device": s.device, "T": s.T, "volume": float(v), "put_in": float(p), "of": float(e * mass)}
        for s, v, p, e in zip(made.steps, made.volumes(mass), made.put_in(mass), made.shares(), strict=True)
    ]
    return {"steps": steps, "at": (view @ (n if n is not None else devices.fresh)).tolist()}


def _now(
    project: Project, plan: Plan, solution: Solution | None, entry: RegionEntry, view: np.ndarray, mass: float, fed: np.ndarray
) -> tuple[list | None, str]:
    """Where the reactor that takes the stream stands in the picture, and which it is; None where none does."""
    stream = project.stream(entry.stream)
    unit = project.unit(stream.enters) if stream is not None and stream.to else None
    if unit is None or solution is None or KINDS[unit.kind].family != "reactors":
        return None, ""
    outlets = [solution.streams[s.id] for s in project.streams if (s.source or "").split(".")[0] == unit.id and s.id in solution.streams]
    if not outlets or any(s.temperature is None for s in outlets):
        return None, ""
    n = np.sum([[s.flow[i] for i in plan.species] for s in outlets], axis=0)
    if abs(float(n @ plan.model.molar_mass) - mass) > 1e-6 * mass:  # something else enters it as well
        return None, ""
    return (view @ (n / mass)).tolist(), unit.id


def words_of(told: dict[str, Any], display: str) -> str:
    """An arrangement in words: “a tank of 1.20 m³, then a tube of 3.40 m³, both at 80.0 °C”."""
    if not told["steps"]:
        return "no vessel at all"
    same = len({s["T"] for s in told["steps"]}) == 1
    parts = []
    for s in told["steps"]:
        part = f"a {s['device']} of {show(s['volume'], 'volume', display, 3)}"
        if s["put_in"] > 0.0:
            part += f" with {show(s['put_in'], 'mass flow', display, 3)} of fresh feed along it"
        parts.append(part if same else f"{part} at {show(s['T'], 'temperature', display)}")
    at = show(told["steps"][0]["T"], "temperature", display)
    return ", then ".join(parts) + (f", {'both ' if len(parts) == 2 else 'all ' if len(parts) > 2 else ''}at {at}" if same else "")


def _inside(answer: Answer) -> bool:
    """Whether the process stands inside the outline, or on it."""
    corners, at = np.array(answer.outline), np.array(answer.now)
    sides = np.roll(corners, -1, axis=0) - corners
    scale = np.maximum(np.ptp(corners, axis=0), 1e-300)
    cross = (sides / scale)[:, 0] * ((at - corners) / scale)[:, 1] - (sides / scale)[:, 1] * ((at - corners) / scale)[:, 0]
    return bool(np.all(cross >= -1e-3) or np.all(cross <= 1e-3))


def told(answer: Answer, display: str) -> list[str]:
    """What the answer says, as sentences: the most, how, and what simpler or more elaborate arrangements make of it."""
    k = 0 if answer.aim == "x" else 1
    axis, other = (answer.x, answer.y) if k == 0 else (answer.y, answer.x)

    def shown(value: float, of: Axis) -> str:
        return show(value, of.dimension, display)

    if abs(answer.best["at"][k] - (answer.fresh or [0.0, 0.0])[k]) <= NOTHING * max(abs(p[k]) for p in [*answer.outline, [1e-300] * 2]):
        return [f"No arrangement was found that makes more {axis.label} than the feed has: {shown(answer.best['at'][k], axis)}."]
    most = f"Most {axis.label} found: {shown(answer.best['at'][k], axis)}, at {shown(answer.best['at'][1 - k], other)} {other.label}."
    how = words_of(answer.best, display)
    said = [most, f"Reached by {how}{' (larger ones were found to gain less than a thousandth)' if answer.trimmed else ''}."]
    if answer.less:
        shares = ", ".join(f"with {each['name']} of it {shown(each['most'], axis)}" for each in reversed(answer.less))
        said.append(f"In less volume: {shares} at most, as far as was found.")
    for o in answer.others:
        lacks = answer.best["at"][k] - o["at"][k]
        size = show(sum(s["volume"] for s in o["steps"]), "volume", display, 3)
        less = "as much" if abs(lacks) < ENOUGH * abs(answer.best["at"][k]) else shown(o["at"][k], axis)
        said.append(f"{o['name'][:1].upper()}{o['name'][1:]} makes {less} ({size}).")
    if not any(s["put_in"] > 0.0 for s in answer.best["steps"]):
        said.append("Fresh feed along a tube was tried: it gains less than a thousandth.")
    if answer.now is not None:
        held = " to ".join(show(T, "temperature", display) for T in dict.fromkeys((answer.temperatures[0], answer.temperatures[-1])))
        outside = "" if _inside(answer) else f", outside of this region, which is for vessels held at {held} without loss of pressure"
        said.append(f"{answer.now_of} makes {shown(answer.now[k], axis)} now{outside}.")
    return said
