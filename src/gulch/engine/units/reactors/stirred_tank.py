"""Stirred tank: contents at the outlet's state; every steady state of its heat balance is found."""

import math

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.chemistry.rates import rates
from gulch.engine.phases import Stream
from gulch.engine.phases.kernels import FOUND
from gulch.engine.quantities import show
from gulch.engine.units.base import Choice, Input, Result, UnitResult, UnitTrouble, outlet_pressure
from gulch.engine.units.reactors.heat import BOTH_PHASES
from gulch.engine.units.reactors.kernels.tank import tank
from gulch.engine.units.reactors.kinetic import KineticReactor

POINTS = 90  # temperatures at which the heat balance is looked at, at least
T_MOST, MARGIN = 4000.0, 1.15  # no steady state is looked for above [K]; over the adiabatic rise
STEP = 8.0  # and at most this far apart [K]


class StirredTank(KineticReactor):
    """Well-mixed reactor by rate laws, in a liquid, a vapour, or a liquid from which vapour leaves."""

    kind = "stirred-tank"
    label = "stirred tank"
    meaning = "runs reactions by their rate laws in a well-mixed volume; finds every steady state"

    phase = Choice(
        "Contents",
        {"liquid": "liquid", "vapour": "vapour", "both": "liquid, with vapour leaving"},
        "what fills the tank; with vapour leaving both phases are at equilibrium and the reaction runs in the liquid",
        context="as the feed",
    )
    size_by = Choice("Sized by", {"volume": "volume", "time": "residence time", "conversion": "target conversion"},
                     "what is given; the rest follows", default="volume")  # fmt: skip
    volume = Input("Volume", "volume", "volume of the contents (of the liquid, where vapour leaves)", low=1e-9, high=1e6,
                   default="1 m3", when=("size_by", "volume"))  # fmt: skip
    time = Input("Residence time", "time", "volume of the fluid over the volume flow that leaves", low=1e-6, high=1e9, default="10 min",
                 when=("size_by", "time"))  # fmt: skip
    target = Input("Target conversion", "fraction", "of the project's key reactant, else of the first reaction's", low=1e-9,
                   high=1.0 - 1e-9, default="50 %", when=("size_by", "conversion"))  # fmt: skip
    mode = Choice(
        "Heat",
        {"isothermal": "held at a temperature", "feed-temperature": "held at the feed's temperature", "adiabatic": "adiabatic",
         "duty": "given duty", "jacket": "jacket"},
        "held at a temperature, at the feed's, without heat exchange, with a given duty, or through a jacket",
        default="feed-temperature",
        group="heat",
    )  # fmt: skip
    conductance = Input("U A of the jacket", "heat conductance", "heat passed per degree between coolant and contents", low=0.0,
                        high=1e9, default="1 kW/K", when=("mode", "jacket"), group="heat")  # fmt: skip
    coolant = Input("Coolant temperature", "temperature", "temperature in the jacket, taken as one", low=100.0, high=3000.0,
                    default="25 degC", when=("mode", "jacket"), group="heat")  # fmt: skip
    state = Choice("Steady state", {"hottest": "the hottest", "coldest": "the coldest", "nearest": "nearest to a temperature"},
                   "which one runs where the heat balance has several", default="hottest")  # fmt: skip
    near = Input("Nearest to", "temperature", "the steady state nearest to this temperature runs", low=100.0, high=3000.0,
                 default="50 degC", when=("state", "nearest"))  # fmt: skip
    search_low = Input(
        "Looked for from",
        "temperature",
        "lowest temperature at which steady states are looked for; empty: below feed and coolant",
        low=100.0,
        high=3000.0,
        optional=True,
        empty="by itself",
        material=False,
    )
    search_high = Input("up to", "temperature", "highest temperature looked at; empty: what complete conversion can reach", low=100.0,
                        high=5000.0, optional=True, empty="by itself", material=False)  # fmt: skip

    follows = {"near": "outlet_temperature"}  # in a scan the state nearest to the last point's temperature runs

    steady_states = Result("Steady states", "count", "how many the heat balance has in the range looked at")

    @classmethod
    def ports_out(cls, entry):
        return BOTH_PHASES if entry.phase == "both" else cls.outlets

    @classmethod
    def solve(cls, feed, given, context):
        reactions, laws, per, phase = cls.prepare(feed, given, context)
        pressure = outlet_pressure(feed, given.pressure_drop, context)
        model = context.model
        if feed.is_empty:
            empty = feed.at(T=feed.T, P=pressure)
            return UnitResult(empty.parted() if given.phase == "both" else {"product": empty}, {"duty": 0.0})
        nu = laws.nu
        key = cls.key(feed, reactions, context)
        bulk = given.bulk_density or 0.0
        memory = {"xi": np.zeros(len(reactions))}

        def sized(T, size, by_time):
            """Extents and volume at T for one size."""
            if given.phase == "both":
                return cls.boiling(feed, nu, laws, per, given, T, pressure, size, by_time, context, memory["xi"])
            outcome, xi, volume = tank(
                T, pressure, feed.n, size, by_time, model.code, phase, model.par, model.kij, laws, per, given.void, bulk,
                memory["xi"].copy(),
            )  # fmt: skip
            if outcome != FOUND:
                raise UnitTrouble(
                    f"No steady state was found at {show(T, 'temperature', context.display)}.",
                    "Check the rate laws; a rate that grows without bound has none.",
                    "set",
                )
            return xi, volume

        def at(T):
            """Extents and volume at T."""
            if given.size_by == "conversion":
                xi, volume = cls.for_target(feed, nu, key, given.target, lambda V: sized(T, V, False), T, context)
            else:
                by_time = given.size_by == "time"
                xi, volume = sized(T, given.time / given.void if by_time else given.volume, by_time)
            memory["xi"] = xi
            return xi, volume

        diagram = None
        if given.mode in ("isothermal", "feed-temperature"):
            T = given.temperature if given.mode == "isothermal" else feed.T
            found = [(T, None)]
        else:
            found, diagram = cls.heat_balance(feed, given, context, at, nu, phase, pressure)
            T = cls.pick(found, given)
        memory["xi"] = np.zeros(len(reactions))
        xi, volume = at(T)
        n = np.maximum(feed.n + xi @ nu, 0.0)
        product = Stream.at_temperature(model, n, T, pressure)
        values = cls.account(feed, product, xi, reactions, context)
        values["extent"] = dict(zip((r.id for r in reactions), xi.tolist()))
        values["volume_result"] = volume
        outflow = cls.contents(product, given, phase, model)[1]
        values["residence_time"] = volume * given.void / outflow if outflow > 0.0 else None
        values["space_velocity"] = context.later(lambda: feed.volume_flow / volume if volume > 0.0 else None)
        values["steady_states"] = float(len(found))
        values["steady"] = (
            context.later(lambda: cls.listed(found, T, at, feed, nu, key, context), explains=True) if diagram else []
        )
        values["diagram"] = context.later(lambda: diagram, explains=True) if diagram else None
        values["branch"] = _branch(found, T)
        notes = []
        if diagram and len(found) > 1:
            stable = next((s for t, s in found if abs(t - T) < 1e-6), True)
            notes.append(
                (
                    "warning",
                    f"{len(found)} steady states exist; the one at {show(T, 'temperature', context.display)} runs"
                    + ("." if stable else " although it is unstable."),
                    "See the heat diagram; choose another under “Steady state”.",
                )
            )
        if given.phase != "both":
            notes += cls.phase_remarks(product, given, context)
        changes = [(r.id, e * r.nu) for r, e in zip(reactions, xi)]
        rates_out = xi / (volume * np.where(per == 0, given.void, np.where(per == 1, 1.0, bulk)))
        rows = [
            {"reaction": r.id, "extent": float(e), "rate": float(q), "per": r.rate.per, "key": context.species[key]}
            for r, e, q in zip(reactions, xi, rates_out)
        ]
        outlets = product.parted() if given.phase == "both" else {"product": product}
        return UnitResult(outlets, values, changes, notes, rows)

    @classmethod
    def contents(cls, product, given, phase, model):
        """(enthalpy flow, volume flow) of what fills the tank."""
        if given.phase == "both":
            liquid = product.parted()["liquid"]
            return liquid.enthalpy_flow, liquid.volume_flow
        return cls.phase_state(model, product.n, product.T, product.P, phase)

    @classmethod
    def for_target(cls, feed, nu, key, target, sized, T, context):
        """Extents and volume at which the key reactant reaches the target conversion."""
        name = context.species[key]
        if feed.n[key] <= 0.0:
            raise UnitTrouble(
                f"The target counts {name}, which is not fed.", "Feed it, or choose another key reactant.", "target"
            )

        def conversion(ln_volume):
            xi, _ = sized(math.exp(ln_volume))
            return -float(xi @ nu[:, key]) / feed.n[key] - target

        low, high = math.log(1e-6), math.log(1e5)
        if conversion(high) < 0.0:
            most = conversion(high) + target
            raise UnitTrouble(
                f"At {show(T, 'temperature', context.display)} even 100 000 m³ converts only {100 * most:.4g} % of {name}.",
                "Lower the target, or change the temperature or the feed.",
                "target",
            )
        if conversion(low) > 0.0:
            low = math.log(1e-12)
        return sized(math.exp(scipy.optimize.brentq(conversion, low, high, xtol=1e-12)))

    @classmethod
    def boiling(cls, feed, nu, laws, per, given, T, P, size, by_time, context, start):
        """Extents and liquid volume where vapour leaves at equilibrium with the reacting liquid."""
        model = context.model
        bulk = given.bulk_density or 0.0
        factor = np.where(per == 0, given.void, np.where(per == 1, 1.0, bulk))
        last = {}

        def residual(z):
            n = np.maximum(feed.n + (z * feed.total) @ nu, 0.0)
            parts = Stream.at_temperature(model, n, T, P).parted()
            liquid = parts["liquid"]
            if liquid.is_empty:
                last["volume"] = 0.0
                return z
            volume = size * liquid.volume_flow if by_time else size
            last["volume"] = volume
            return z - volume * factor * rates(laws, T, P, np.maximum(liquid.n, 0.0), "liquid", model) / feed.total

        answer = scipy.optimize.root(residual, start / feed.total, method="hybr", tol=1e-12)
        z = answer.x
        if np.max(np.abs(residual(z))) > 1e-8 or (feed.n + (z * feed.total) @ nu).min() < -1e-9 * feed.total:
            raise UnitTrouble(
                f"Reaction and boiling did not settle together at {show(T, 'temperature', context.display)}.",
                "Try another temperature or volume.",
                "volume",
            )
        if last["volume"] <= 0.0:
            raise UnitTrouble(
                f"At {show(T, 'temperature', context.display)} and {show(P, 'pressure', context.display)} no liquid is left, "
                "but the reaction runs in the liquid.",
                "Lower the temperature, raise the pressure, or choose vapour as the contents.",
                "phase",
            )
        return z * feed.total, last["volume"]

    @classmethod
    def heat_balance(cls, feed, given, context, at, nu, phase, pressure):
        """All steady states [(T, stable)], coldest first, and the data of the heat diagram."""
        model = context.model

        def enthalpy(n, T):
            if given.phase == "both":
                return Stream.at_temperature(model, n, T, pressure).enthalpy_flow
            return cls.phase_state(model, n, T, pressure, phase)[0]

        def exchanged(T):
            if given.mode == "jacket":
                return given.conductance * (given.coolant - T)
            return given.duty_given if given.mode == "duty" else 0.0

        def sides(T):
            """(heat made, heat removed) [W]: by reaction; by warming the feed to T and through the wall."""
            n = np.maximum(feed.n + at(T)[0] @ nu, 0.0)
            start = enthalpy(feed.n, T)
            return start - enthalpy(n, T), start - feed.enthalpy_flow - exchanged(T)

        def excess(T):
            made, removed = sides(T)
            return made - removed

        low, high = cls.search_range(feed, given, nu, pressure, enthalpy, context)
        grid = np.linspace(low, high, max(POINTS, int((high - low) / STEP)))
        made, removed = np.empty(grid.size), np.empty(grid.size)
        usable = np.ones(grid.size, bool)
        for i, T in enumerate(grid):
            try:
                made[i], removed[i] = sides(T)
            except UnitTrouble:
                usable[i] = False
        grid, made, removed = grid[usable], made[usable], removed[usable]
        if grid.size < 3:
            raise UnitTrouble(
                "No steady state can be computed in the temperature range.",
                "Check the range and the rate laws.",
                "search_low",
            )
        f = made - removed
        brackets = [(grid[i], grid[i + 1]) for i in range(grid.size - 1) if f[i] == 0.0 or f[i] * f[i + 1] < 0.0]
        for i in range(1, grid.size - 1):  # a pair of states may lie between two points of the grid
            if f[i - 1] * f[i] > 0.0 and f[i] * f[i + 1] > 0.0 and abs(f[i]) < min(abs(f[i - 1]), abs(f[i + 1])):
                sign = math.copysign(1.0, f[i])
                turn = scipy.optimize.minimize_scalar(
                    lambda T, s=sign: s * excess(T), bounds=(grid[i - 1], grid[i + 1]), method="bounded"
                ).x
                if sign * excess(turn) < 0.0:
                    brackets += [(grid[i - 1], turn), (turn, grid[i + 1])]
        found = []
        for a, b in sorted(brackets):
            T = scipy.optimize.brentq(excess, a, b, xtol=1e-9, rtol=1e-14)
            d = 1e-3
            found.append((T, excess(T + d) < excess(T - d)))
        if not found:
            words = "more heat is made than removed up to" if f[-1] > 0.0 else "less heat is made than removed from"
            edge = show(grid[-1] if f[-1] > 0.0 else grid[0], "temperature", context.display)
            raise UnitTrouble(
                f"The heat balance has no steady state in the range: {words} {edge}.",
                "Widen the range, or change the cooling.",
                "search_high" if f[-1] > 0.0 else "search_low",
            )
        data = {"T": grid.tolist(), "made": made.tolist(), "removed": removed.tolist()}
        return found, data

    @classmethod
    def search_range(cls, feed, given, nu, pressure, enthalpy, context):
        """Temperatures between which steady states are looked for [K]: up to what complete conversion can reach."""
        around = [feed.T] + ([given.coolant] if given.mode == "jacket" else [])
        low = given.search_low if given.search_low is not None else max(150.0, min(around) - 40.0)
        high = given.search_high
        if high is None:
            heat = max(0.0, given.duty_given) if given.mode == "duty" else 0.0
            limit = adiabatic_limit(feed, nu, heat, max(around), enthalpy, context.model)
            high = max(max(around) + 500.0, max(around) + MARGIN * (limit - max(around)))
        if not low < high:
            raise UnitTrouble("The range looked at ends below where it begins.", "Exchange the two.", "search_low")
        return low, high

    @staticmethod
    def pick(found, given):
        """Temperature [K] of the steady state to run, of those found, coldest first."""
        temperatures = [T for T, _ in found]
        if given.state == "coldest":
            return temperatures[0]
        if given.state == "nearest":
            return min(temperatures, key=lambda T: abs(T - given.near))
        return temperatures[-1]

    @classmethod
    def listed(cls, found, running, at, feed, nu, key, context):
        """The steady states as rows: temperature, conversion of the key reactant, stability."""
        rows = []
        for T, stable in found:
            xi, _ = at(T)
            share = -float(xi @ nu[:, key]) / feed.n[key] if feed.n[key] > 0.0 else None
            rows.append(
                {
                    "T": T,
                    "conversion": share,
                    "key": context.species[key],
                    "stable": bool(stable),
                    "runs": abs(T - running) < 1e-6,
                }
            )
        return rows


def adiabatic_limit(feed, nu, heat, T_start, enthalpy, model):
    """Temperature [K] that the extents of most heat would reach without cooling, from T_start, at most T_MOST.

    The extents are those of a linear programme: most heat at T_start with no flow below zero. heat: put in [W].
    """
    h = np.array(model.ideal_gas_enthalpies(T_start))
    most = scipy.optimize.linprog(nu @ h, A_ub=-nu.T, b_ub=feed.n, bounds=[(None, None)] * len(nu), method="highs")
    if not most.success:
        return T_start
    burnt = np.maximum(feed.n + most.x @ nu, 0.0)

    def short(T):
        return feed.enthalpy_flow + heat - enthalpy(burnt, T)

    if short(T_start) <= 0.0:
        return T_start
    return T_MOST if short(T_MOST) > 0.0 else scipy.optimize.brentq(short, T_start, T_MOST, xtol=1.0)


def _branch(found, T):
    """Which branch of steady states a tank runs on: "only", "lower", "middle" or "upper"."""
    if len(found) == 1:
        return "only"
    temperatures = [t for t, _ in found]
    at = int(np.argmin([abs(t - T) for t in temperatures]))
    return "lower" if at == 0 else "upper" if at == len(temperatures) - 1 else "middle"
