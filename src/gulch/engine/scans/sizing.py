"""How large a reactor must be: one stirred tank, equal tanks in series, and plug flow for the same conversion.

On the inverse-rate diagram, F_A0/(-r_A) over conversion, the plug flow's volume is the area under the curve along
its own way and a tank's volume is a rectangle. Source: Levenspiel, Chemical Reaction Engineering, ch. 5 and 6.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.declared.base import defaults
from gulch.engine.declared.told import UnitTrouble
from gulch.engine.explain import Plan
from gulch.engine.phases import Stream
from gulch.engine.quantities import parse
from gulch.engine.reactors.plug_flow import PlugFlow
from gulch.engine.reactors.stirred_tank import StirredTank

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, UnitResult
    from gulch.engine.document import Project, SizingEntry
    from gulch.engine.flowsheet.solution import Solution

LARGEST = 1e5  # m3


class SizingTrouble(ValueError):
    """A sizing that cannot be done; the message is a sentence for the user."""


@dataclass
class Sizing:
    """Volumes [m3] and the diagram: conversions with F_A0/(-r_A) [m3] along the plug flow and for single tanks."""

    key: str
    target: float
    plug: float
    tank: float
    tanks: int
    each: float  # volume of one of the equal tanks
    steps: list = field(default_factory=list)  # conversion after each of the equal tanks
    plug_curve: list = field(default_factory=list)  # [(X, F_A0/(-r_A))]
    tank_curve: list = field(default_factory=list)
    plug_temperature: float = 0.0
    tank_temperature: float = 0.0

    def to_dict(self) -> dict:
        """Plain data, as stored."""
        return asdict(self)


def size(project: Project, solution: Solution | None, entry: SizingEntry, points: int = 18) -> Sizing:
    """Size reactors for a Sizing entry of a Project; solution: a Solution that knows the stream.

    Raises SizingTrouble with a sentence.
    """
    plan = Plan(project)
    if not plan.ready:
        first = next(m for m in plan.messages if m.level == "error")
        raise SizingTrouble(f"The project is not ready. {first.what} {first.todo}")
    found = solution.streams.get(entry.stream) if solution else None
    if found is None or found.temperature is None:
        raise SizingTrouble(f"The state of {entry.stream or 'the stream'} is not known: choose a stream that solves.")
    if project.set(entry.set) is None:
        raise SizingTrouble("Choose a reaction set.")
    context = plan.context(plan.inputs)
    n = np.array([found.flow[s] for s in plan.species])
    T = parse(entry.temperature, "temperature") if entry.heat == "isothermal" and entry.temperature else found.temperature
    feed = Stream.at_temperature(plan.model, n, T, found.pressure)
    target = parse(entry.target, "fraction")
    if not 0.0 < target < 1.0:
        raise SizingTrouble("The target conversion must lie between 0 and 100 %.")
    common = dict(
        set=entry.set,
        phase=entry.phase,
        mode="adiabatic" if entry.heat == "adiabatic" else "feed-temperature",
        bulk_density=parse(entry.bulk_density, "density") if entry.bulk_density else None,
        surface=parse(entry.surface, "area per volume") if entry.surface else None,
        void=parse(entry.void, "fraction"),
    )
    try:
        return _size(feed, target, entry.tanks, common, context, points)
    except UnitTrouble as trouble:
        raise SizingTrouble(f"{trouble.what} {trouble.todo}") from None


def _size(feed: Stream, target: float, tanks: int, common: dict[str, Any], context: Context, points: int) -> Sizing:
    reactions, laws, _, _ = StirredTank.prepare(feed, defaults(StirredTank, **common), context)
    key = StirredTank.key(feed, reactions, context)
    name = context.species[key]
    if feed.n[key] <= 0.0:
        raise SizingTrouble(f"{name} is not in this stream, so it cannot be converted.")

    def converted(product: Stream) -> float:
        return float((feed.n[key] - product.n[key]) / feed.n[key])

    def tank(entering: Stream, volume: float) -> Stream:
        given = defaults(StirredTank, **common, size_by="volume", volume=volume)
        return StirredTank.solve(entering, given, context).outlets["product"]

    def volume_for(entering: Stream, wanted: float) -> tuple:
        """Volume of one tank that takes what enters to the wanted conversion, and what leaves it."""
        if converted(tank(entering, LARGEST)) < wanted:
            most = converted(tank(entering, LARGEST))
            raise SizingTrouble(f"Even {LARGEST:,.0f} m³ of stirred tank convert only {100 * most:.4g} % of {name}: lower the target.")
        ln = scipy.optimize.brentq(lambda v: converted(tank(entering, np.exp(v))) - wanted, np.log(1e-9), np.log(LARGEST), xtol=1e-9)
        return float(np.exp(ln)), tank(entering, np.exp(ln))

    one, out = volume_for(feed, target)

    def plug(volume: float) -> UnitResult:
        given = defaults(PlugFlow, **common, size_by="volume", volume=volume)
        return PlugFlow.solve(feed, given, context)

    largest = max(one, 1e-6)
    for _ in range(40):
        result = plug(largest)
        if converted(result.outlets["product"]) >= target:
            break
        largest *= 2.0
        if largest > LARGEST:
            raise SizingTrouble(f"Plug flow does not reach {100 * target:.4g} % of {name}: lower the target.")
    exact = scipy.optimize.brentq(
        lambda v: converted(plug(v).outlets["product"]) - target, 0.0 + 1e-6 * largest, largest, xtol=1e-9 * largest
    )
    result = plug(exact)
    profile = result.values["profile"].compute()
    X, V = np.array(profile["conversion"]), np.array(profile["volume"])
    rising = np.r_[True, np.diff(np.maximum.accumulate(X)) > 1e-12]
    slope = scipy.interpolate.PchipInterpolator(X[rising], V[rising]).derivative()
    plug_curve = [(float(x), float(slope(x))) for x in np.linspace(0.0, target, 60)]
    tank_curve = []
    for volume in one * np.geomspace(0.01, 1.0, points):
        x = converted(tank(feed, volume))
        if x > 0.0:
            tank_curve.append((x, float(volume) / x))

    def series(each: float) -> list[float]:
        entering, steps = feed, []
        for _ in range(tanks):
            entering = tank(entering, each)
            steps.append(converted(entering))
        return steps

    each = (
        scipy.optimize.brentq(lambda v: series(np.exp(v))[-1] - target, np.log(1e-6 * one), np.log(one), xtol=1e-10)
        if tanks > 1
        else np.log(one)
    )
    each = float(np.exp(each))
    return Sizing(name, target, float(exact), one, tanks, each, series(each), plug_curve, tank_curve, float(profile["T"][-1]), float(out.T))
