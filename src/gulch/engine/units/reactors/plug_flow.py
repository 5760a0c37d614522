"""Plug flow: rate laws integrated along the reactor, with heat exchange and pressure drop."""

import math
import warnings

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.phases import Stream
from gulch.engine.quantities import show
from gulch.engine.units.base import Choice, Input, Result, UnitResult, UnitTrouble, outlet_pressure
from gulch.engine.units.reactors.kernels import plug_flow as k
from gulch.engine.units.reactors.kinetic import KineticReactor

POINTS = 121  # of the profiles, at least
CROWDED = 24  # steps of the integration between two points that call for more points between them
REFINEMENTS = 4
RTOL = 1e-9
RAN_AWAY = 2000  # steps counted for an integration that broke off
MOST_STEPS = 100_000  # of the integrator, in the search for a coolant that runs against the flow
_HEAT = {
    "isothermal": k.ISOTHERMAL,
    "feed-temperature": k.ISOTHERMAL,
    "adiabatic": k.ADIABATIC,
    "duty": k.GIVEN_HEAT,
    "per-length": k.GIVEN_HEAT,
    "coolant": k.COOLED,
    "cocurrent": k.COCURRENT,
    "countercurrent": k.COUNTERCURRENT,
}
_PRESSURE = {"level": k.LEVEL, "drop": k.LINEAR, "ergun": k.ERGUN}


class _OutOfSteps(Exception):
    pass


def refined(grid, steps):
    """The grid with more points where the integration took many steps, or None where it took few everywhere.

    steps: those taken up to each point after the first, shape (n - 1,).
    """
    taken = np.diff(steps, prepend=0)
    taken[0] -= CROWDED  # the first steps are small whatever happens
    if taken.max() <= CROWDED:
        return None
    pieces = [
        np.linspace(a, b, min(int(t), 2 * CROWDED) + 1)[:-1] if t > CROWDED else [a]
        for a, b, t in zip(grid, grid[1:], taken)
    ]
    return np.unique(np.r_[np.concatenate(pieces), grid[-1]])


def highest(grid, values):
    """(place, value) of the highest point of a profile, between grid points where it is inside."""
    at = int(np.argmax(values))
    if not 0 < at < len(grid) - 1:
        return float(grid[at]), float(values[at])
    spline = scipy.interpolate.CubicSpline(grid, values)
    turns = [t for t in spline.derivative().roots(extrapolate=False) if grid[at - 1] <= t <= grid[at + 1]]
    place = float(max(turns, key=spline)) if turns else float(grid[at])
    return place, float(max(spline(place), values[at]))


class PlugFlow(KineticReactor):
    """Tube or bed in plug flow, one phase, by rate laws."""

    kind = "plug-flow"
    label = "plug flow"
    meaning = "integrates the rate laws of a set along a tube or a bed, with its heat exchange and pressure drop"

    phase = Choice("Phase", {"vapour": "vapour", "liquid": "liquid"}, "what flows", context="as the feed")
    size_by = Choice("Sized by", {"volume": "volume", "length": "length and diameter", "catalyst": "mass of catalyst"},
                     "what is given; the rest follows", default="volume")  # fmt: skip
    volume = Input(
        "Volume", "volume", "volume of tubes or bed", low=1e-9, high=1e6, default="1 m3", when=("size_by", "volume")
    )
    length = Input(
        "Length", "length", "length of a tube", low=1e-6, high=1e6, default="5 m", when=("size_by", "length")
    )
    catalyst_mass = Input("Mass of catalyst", "mass", "catalyst in all tubes; needs the catalyst per bed volume", low=1e-9, high=1e9,
                          default="1000 kg", when=("size_by", "catalyst"))  # fmt: skip
    diameter = Input("Diameter", "length", "inner diameter of a tube; gives the length and the velocity", low=1e-5, high=100.0,
                     optional=True, empty="not known")  # fmt: skip
    tubes = Input("Number of tubes", "ratio", "tubes side by side", low=1.0, high=1e6, default="1")
    mode = Choice(
        "Heat",
        {
            "isothermal": "held at a temperature",
            "feed-temperature": "held at the feed's temperature",
            "adiabatic": "adiabatic",
            "duty": "given duty, spread evenly",
            "per-length": "given duty per length",
            "coolant": "coolant at one temperature",
            "cocurrent": "coolant in the same direction",
            "countercurrent": "coolant against the flow",
        },
        "how heat enters or leaves along the reactor",
        default="feed-temperature",
        group="heat",
    )
    heating = Input("Duty per length", "heat per length", "heat put in per length of all tubes together; negative takes heat out",
                    default="0 kW/m", when=("mode", "per-length"), group="heat")  # fmt: skip
    conductance = Input("U A of the wall", "heat conductance", "heat passed per degree over the whole reactor", low=0.0, high=1e9,
                        default="1 kW/K", when=("mode", "coolant", "cocurrent", "countercurrent"), group="heat")  # fmt: skip
    coolant = Input("Coolant enters at", "temperature", "temperature of the coolant where it enters", low=100.0, high=3000.0,
                    default="25 degC", when=("mode", "coolant", "cocurrent", "countercurrent"), group="heat")  # fmt: skip
    capacity = Input("Coolant flow times heat capacity", "heat capacity flow", "heat that warms the coolant by one degree", low=1e-6,
                     high=1e9, default="10 kW/K", when=("mode", "cocurrent", "countercurrent"), group="heat")  # fmt: skip
    falls = Choice("Pressure", {"level": "stays level", "drop": "falls evenly by a given drop", "ergun": "falls by Ergun's equation"},
                   "how the pressure falls along the reactor", default="level")  # fmt: skip
    pressure_drop = Input("Pressure drop", "pressure difference", "inlet less outlet pressure", low=0.0, high=1e8, default="0 bar",
                          when=("falls", "drop"))  # fmt: skip
    particle = Input("Particle diameter", "length", "of the bed's particles, for Ergun's equation", low=1e-6, high=1.0, default="3 mm",
                     when=("falls", "ergun"))  # fmt: skip
    viscosity = Input("Viscosity", "viscosity", "of the fluid, for Ergun's equation", low=1e-7, high=100.0, default="0.02 mPa s",
                      when=("falls", "ergun"))  # fmt: skip
    limit = Input("Stop above", "temperature", "a temperature above this counts as running away", low=200.0, high=5000.0,
                  default="1500 degC", material=False, counted=False)  # fmt: skip

    length_result = Result("Length", "length", "length of a tube, where the diameter is given")
    hot_spot = Result("Hottest point", "temperature", "highest temperature along the reactor")
    coolant_leaves = Result("Coolant leaves at", "temperature", "where the coolant's flow is given")
    pressure_fall = Result("Pressure drop", "pressure difference", "inlet less outlet pressure")

    @classmethod
    def solve(cls, feed, given, context):
        reactions, laws, per, phase = cls.prepare(feed, given, context)
        model = context.model
        if given.falls != "drop":
            given.pressure_drop = 0.0
        outlet_pressure(feed, given.pressure_drop, context)
        if feed.is_empty:
            return UnitResult({"product": feed.at(T=feed.T, P=feed.P)}, {"duty": 0.0})
        volume, length, area = cls.dimensions(given)
        n_species = model.n
        T_in = given.temperature if given.mode == "isothermal" else feed.T
        fixed = np.zeros(12)
        fixed[k.F_T], fixed[k.F_VOID], fixed[k.F_BULK] = T_in, given.void, given.bulk_density or 0.0
        fixed[k.F_DROP], fixed[k.F_AREA] = given.pressure_drop / volume, area or 1.0
        fixed[k.F_LIMIT], fixed[k.F_P_LOW] = given.limit, 0.05 * feed.P  # below it a fall has no end
        if given.mode == "duty":
            fixed[k.F_HEAT] = given.duty_given / volume
        if given.mode == "per-length":
            if length is None:
                raise UnitTrouble("A duty per length needs the length.", "Type the diameter of a tube.", "diameter")
            fixed[k.F_HEAT] = given.heating * length / volume
        if given.mode in ("coolant", "cocurrent", "countercurrent"):
            fixed[k.F_UA] = given.conductance / volume
            fixed[k.F_CAPACITY] = given.capacity or 1.0
        if given.falls == "ergun":
            fixed[k.F_DIAMETER], fixed[k.F_VISCOSITY] = given.particle, given.viscosity
        heat, falling = _HEAT[given.mode], _PRESSURE[given.falls]
        H_in = cls.phase_state(model, feed.n, T_in, feed.P, phase)[0]
        grid = np.linspace(0.0, volume, POINTS)
        flow = feed.total
        mass = model.molar_mass

        def run(coolant, grid=grid):
            guess = np.array([T_in, 0.0])
            start = np.r_[feed.n, H_in, feed.P**2, coolant]

            def change(V, y):
                return k.plug_change(
                    y, model.code, phase, heat, falling, fixed, model.par, model.kij, laws, per, mass, guess
                )

            tolerance = np.r_[
                np.full(n_species, 1e-11 * flow), 1e-9 * max(abs(H_in), flow * 1e4), 1e-9 * feed.P**2, 1e-7
            ]
            with np.errstate(all="ignore"), warnings.catch_warnings():
                warnings.simplefilter("ignore", scipy.integrate.ODEintWarning)  # said by `stopped` instead
                y, told = scipy.integrate.odeint(
                    change, start, grid, tfirst=True, rtol=RTOL, atol=tolerance, mxstep=5000, full_output=True
                )
            failed = told["message"] != "Integration successful." or not np.all(np.isfinite(y))
            if failed or guess[1] != k.GOES_ON:  # a trial step alone may have touched a limit
                cls.stopped(change, start, volume, length, fixed, guess, tolerance, given, context, failed)
            return y, guess, told["nst"]

        if given.mode == "countercurrent":
            # the coolant's outlet, at the feed's end, is sought so that its inlet at the far end fits
            taken = [0]

            def miss(leaving):
                if taken[0] > MOST_STEPS:
                    raise _OutOfSteps
                try:
                    y, _, steps = run(leaving)
                    taken[0] += int(steps[-1])
                    return y[-1, -1] - given.coolant
                except UnitTrouble:
                    taken[0] += RAN_AWAY
                    return 1e4  # ran away: too warm

            try:
                low, high = cls.coolant_bracket(miss, feed.T, given.coolant)
                leaving = scipy.optimize.brentq(miss, low, high, xtol=1e-8) if low is not None else None
            except _OutOfSteps:
                raise UnitTrouble(
                    f"No temperature of the coolant was found in {MOST_STEPS:,} steps of integration.",
                    "Check the rate laws, or let the coolant run with the flow.",
                    "capacity",
                ) from None
            if leaving is None:
                raise UnitTrouble(
                    "No temperature of the coolant fits both ends.",
                    "Raise the coolant's flow, or let it run with the flow.",
                    "capacity",
                )
            coolant = leaving
        else:
            coolant = given.coolant if given.coolant is not None else T_in
        y, guess, steps = run(coolant)
        for _ in range(REFINEMENTS):
            finer = refined(grid, steps)
            if finer is None:
                break
            grid = finer
            y, guess, steps = run(coolant, grid)
        profile = cls.profile(y, grid, model, phase, heat, fixed, laws, guess)
        profile["coolant"] = y[:, -1].tolist() if heat >= k.COOLED else None
        n = np.maximum(y[-1, :n_species], 0.0)
        P_out = math.sqrt(y[-1, n_species + 1])
        if heat == k.ISOTHERMAL:
            product = Stream.at_temperature(model, n, T_in, P_out)
        else:
            product = Stream.at_enthalpy(
                model, n, feed.enthalpy_flow + float(y[-1, n_species] - H_in), P_out, profile["T"][-1]
            )
        extents = cls.extents(feed.n, n, reactions)
        values = cls.account(feed, product, extents if extents is not None else [], reactions, context)
        if extents is None:
            values["heat_of_reaction"] = None
        values["extent"] = dict(zip((r.id for r in reactions), extents.tolist())) if extents is not None else {}
        values["volume_result"], values["length_result"] = volume, length
        values["residence_time"] = float(np.trapezoid(given.void / np.array(profile["flow"]), grid))
        values["space_velocity"] = profile["flow"][0] / volume
        values["hot_spot"] = highest(grid, np.array(profile["T"]))[1]
        values["coolant_leaves"] = (
            float(y[-1, -1])
            if given.mode == "cocurrent"
            else float(y[0, -1])
            if given.mode == "countercurrent"
            else None
        )
        values["pressure_fall"] = feed.P - P_out
        key = cls.key(feed, reactions, context)
        values["profile"] = context.later(
            lambda: cls.full_profile(profile, y, grid, length, area, reactions, laws, model, phase, key, context),
            explains=True,
        )
        values["peaks"] = context.later(lambda: cls.peaks(y, grid, length, volume, context), explains=True)
        notes = cls.phase_remarks(product, given, context)
        rows = [
            {"reaction": r.id, "extent": float(e), "key": context.species[key]}
            for r, e in zip(reactions, extents if extents is not None else [])
        ]
        changes = (
            [(r.id, e * r.nu) for r, e in zip(reactions, extents)]
            if extents is not None
            else [("net change", n - feed.n)]
        )
        return UnitResult({"product": product}, values, changes, notes, rows)

    @classmethod
    def dimensions(cls, given):
        """(volume [m3], length [m] or None, cross-section of all tubes [m2] or None). Raises UnitTrouble."""
        area = given.tubes * math.pi / 4.0 * given.diameter**2 if given.diameter else None
        if given.size_by == "length":
            if area is None:
                raise UnitTrouble("The length alone gives no volume.", "Type the diameter of a tube.", "diameter")
            return area * given.length, given.length, area
        if given.size_by == "catalyst":
            if not given.bulk_density:
                raise UnitTrouble(
                    "The mass of catalyst alone gives no volume.", "Type the catalyst per bed volume.", "bulk_density"
                )
            volume = given.catalyst_mass / given.bulk_density
        else:
            volume = given.volume
        if given.falls == "ergun" and area is None:
            raise UnitTrouble(
                "Ergun's equation needs the velocity.", "Type the diameter of a tube, or of the bed.", "diameter"
            )
        if given.falls == "ergun" and given.void >= 1.0:
            raise UnitTrouble(
                "Ergun's equation needs a bed: its void fraction is 100 %.", "Type the bed's void fraction.", "void"
            )
        return volume, volume / area if area else None, area

    @staticmethod
    def coolant_bracket(miss, feed_T, coolant_T):
        """Two outlet temperatures of the coolant between which the miss changes sign, or (None, None)."""
        low, high = sorted((feed_T, coolant_T))
        low, high = low - 1.0, high + 1.0
        f_low, f_high = miss(low), miss(high)
        for _ in range(12):
            if f_low * f_high <= 0.0:
                return low, high
            if abs(f_low) < abs(f_high):
                low -= 0.5 * (high - low) + 5.0
                low = max(low, 120.0)
                f_low = miss(low)
            else:
                high += 0.5 * (high - low) + 5.0
                f_high = miss(high)
        return None, None

    @staticmethod
    def profile(y, grid, model, phase, heat, fixed, laws, guess):
        """Temperature [K], pressure [Pa] and volume flow [m3/s] at every point of the grid."""
        T, P, flow = [], [], []
        x = np.empty(model.n)
        near = np.array([fixed[k.F_T], 0.0])
        for row in y:
            here, pressure, total, v = k.plug_state(row, model.code, phase, heat, fixed, model.par, model.kij, x, near)
            T.append(float(here))
            P.append(float(pressure))
            flow.append(float(total * v))
        return {"T": T, "P": P, "flow": flow}

    @staticmethod
    def stopped(change, start, volume, length, fixed, guess, tolerance, given, context, failed):
        """Raise UnitTrouble that says where the pressure ran out or the temperature ran away, if either did."""
        n = start.size - 3
        guess[:] = fixed[k.F_T], 0.0

        def pressure_left(V, y):
            return y[n + 1] / fixed[k.F_P_LOW] ** 2 - 1.0

        def room(V, y):
            change(V, y)
            return 1.0 - guess[0] / given.limit

        pressure_left.terminal = room.terminal = True
        found = scipy.integrate.solve_ivp(
            change, (0.0, volume), start, "LSODA", rtol=1e-6, atol=1e3 * tolerance, events=(pressure_left, room)
        )
        share = float(found.t[-1]) / volume
        where = f"{100 * share:.0f} % of the way" + (
            f" ({show(share * length, 'length', context.display)})" if length else ""
        )
        if found.t_events[0].size:
            raise UnitTrouble(
                f"The pressure runs out at {where}.",
                "Shorten the reactor, widen it, or raise the inlet's pressure.",
                "falls",
            )
        if found.t_events[1].size:
            raise UnitTrouble(
                f"The temperature runs away at {where}: it passes {show(given.limit, 'temperature', context.display)}.",
                "Cool more, dilute the feed, lower its temperature, or shorten the reactor.",
                "limit",
            )
        if not failed:
            return
        raise UnitTrouble(
            f"The integration could not go on past {where}.", "Check the rate laws: a rate grows without bound.", "set"
        )

    @staticmethod
    def extents(n_in, n_out, reactions):
        """Extents that make up the change, or None where the reactions depend on one another."""
        nu = np.array([r.nu for r in reactions])
        if not KineticReactor.independent(reactions):
            return None
        return np.linalg.lstsq(nu.T, n_out - n_in, rcond=None)[0]

    @staticmethod
    def full_profile(profile, y, grid, length, area, reactions, laws, model, phase, key, context):
        """Everything along the reactor, SI: volume, length, T, P, flow by species, rate by reaction, conversion of the key."""
        n = np.maximum(y[:, : model.n], 0.0)
        speeds = []
        for row, T, P in zip(n, profile["T"], profile["P"]):
            x = row / row.sum()
            v = k.phase_properties(model.code, T, P, x, phase, model.par, model.kij)[2]
            speeds.append(k.reaction_rates(model.code, T, P, x, v, phase, model.par, model.kij, laws))
        speeds = np.array(speeds)
        out = {
            "volume": grid.tolist(), "length": (grid / area).tolist() if area else None, "T": profile["T"], "P": profile["P"],
            "flow": {s: n[:, i].tolist() for i, s in enumerate(context.species)},
            "rate": {r.id: speeds[:, j].tolist() for j, r in enumerate(reactions)},
            "per": {r.id: r.rate.per for r in reactions},
            "key": context.species[key],
            "conversion": ((n[0, key] - n[:, key]) / n[0, key]).tolist() if n[0, key] > 0.0 else None,
            "coolant": profile["coolant"],
        }  # fmt: skip
        return out

    @staticmethod
    def peaks(y, grid, length, volume, context):
        """Species that pass a maximum inside the reactor: where [m3, m] and how much [mol/s]."""
        out = []
        for i, species in enumerate(context.species):
            n = y[:, i]
            at = int(np.argmax(n))
            if (
                0 < at < len(n) - 1
                and n[at] > 1.0005 * max(n[0], n[-1])
                and n[at] > 1e-9 * y[0, : len(context.species)].sum()
            ):
                V, most = highest(grid, n)
                out.append(
                    {
                        "species": species,
                        "volume": V,
                        "length": V / volume * length if length else None,
                        "flow": most,
                    }
                )
        return out
