"""What fills a reactor and changes along one coordinate: the time of a batch, the volume of a tube.

One description serves both: rates, heat, pressure and what is put in along the way. Where a state follows from others (a temperature from
the enthalpy, a pressure from the volume) its line is an equation that must hold, not a change.

Notation: s: time [s] or volume [m3]; y: extents [mol or mol/s], shape (m,), then energy [J or W] (internal energy where the volume is
held, else enthalpy), P [Pa], T [K] and the coolant's temperature [K]; m: number of reactions, n: of species.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from gulch.engine.chemistry.kernels.pellet import weaken
from gulch.engine.chemistry.kernels.rates import P_ON, PER_FLUID, Rates, rates_in
from gulch.engine.compiling import Cube, Matrix, Places, Vector, chapter
from gulch.engine.compiling import ieee as math
from gulch.engine.fluids.bracket import bracket, narrow, place_of
from gulch.engine.fluids.constants import LIQUID
from gulch.engine.fluids.flash import flash, present_part, spread
from gulch.engine.fluids.mixture import Mixture
from gulch.engine.fluids.phase import properties

kernel = chapter(__name__)

HELD_T, ADIABATIC, GIVEN_HEAT, COOLED, COCURRENT, COUNTERCURRENT = range(6)
LEVEL, LINEAR, ERGUN, CLOSED = range(4)
UNDER_VAPOUR = 9  # beside the names of phases: a liquid that reacts, with its vapour above it
# Numbers of a reactor.
F_T, F_COURSE, F_HEAT, F_UA, F_CAPACITY, F_P, F_DROP, F_VOLUME, F_AREA, F_DIAMETER, F_VISCOSITY = range(11)
F_VOID, F_BED, F_BULK, F_SURFACE = range(11, 15)  # how much of what rates count on, in their order
NUMBERS = 15
CLOSING = 30.0  # J/(mol K): a heat capacity, so that a lack of energy reads as kelvins
E, P_AT, T_AT, COOLANT, STATES = 0, 1, 2, 3, 4  # of y, after its extents


class Contents(NamedTuple):
    """What is followed, from s = begin on.

    batch: 1 for amounts over time, 0 for flows along a volume; phase: VAPOUR, LIQUID or UNDER_VAPOUR; heat, pressure: how they are held;
    n0: what is there at `begin`, or would be without reaction [mol or mol/s], shape (n,); put_in: what is added per s, shape (n,), and
    put_heat its enthalpy; fixed: numbers by columns F_…, shape (15,): in a batch what rates count on but fluid is there as a whole.
    """

    batch: int
    phase: int
    heat: int
    pressure: int
    begin: float
    n0: Vector
    put_in: Vector
    put_heat: float
    fixed: Vector
    molar_mass: Vector


@kernel
def amounts_at(what: Contents, s: float, y: Vector, nu: Matrix, x: Vector) -> float:
    """Fills the mole fractions and returns all amounts; one below zero counts as none."""
    m, n = nu.shape
    total = 0.0
    for i in range(n):
        value = what.n0[i] + (s - what.begin) * what.put_in[i]
        for r in range(m):
            value += y[r] * nu[r, i]
        x[i] = max(value, 0.0)
        total += x[i]
    for i in range(n):
        x[i] /= total
    return total


@kernel
def filling_pressure(part: Mixture, T: float, z: Vector, volume: float, guess: float) -> float:
    """P [Pa] at which a mole of z, shape (n,), as liquid and vapour takes a volume [m3/mol] at T [K], sought from a guess.

    Where little vapour stands over a liquid the volume hangs on P so steeply that only a bracket finds it: by regula falsi on logarithms.
    """
    at, room, step = math.log(guess), np.empty(z.size), 1e-5
    low = high = at
    f = math.log(flash(part, T, guess, z, room, False)[8][2] / volume)
    f_low = f_high = f
    for _ in range(60):  # the volume falls as the pressure rises
        if f_low >= 0.0:
            break
        low -= step
        f_low = math.log(flash(part, T, math.exp(low), z, room, False)[8][2] / volume)
        step *= 4.0
    step = 1e-5
    for _ in range(60):
        if f_high <= 0.0:
            break
        high += step
        f_high = math.log(flash(part, T, math.exp(high), z, room, False)[8][2] / volume)
        step *= 4.0
    if not (f_low >= 0.0 and f_high <= 0.0) or not math.isfinite(f_low + f_high):
        return math.nan
    if f_low == 0.0 or f_high == 0.0:
        return math.exp(low if f_low == 0.0 else high)
    search = bracket(low, f_low, high, f_high)
    for _ in range(80):
        at = place_of(search)
        f = math.log(flash(part, T, math.exp(at), z, room, False)[8][2] / volume)
        if narrow(search, at, f) < 1e-14 or abs(f) < 1e-12:
            break
    return math.exp(at)


@kernel
def state_at(
    mix: Mixture, what: Contents, s: float, y: Vector, laws: Rates, x: Vector, rates: Vector
) -> tuple[float, float, float, float, float]:
    """What stands at a place: total [mol or mol/s], h [J/mol], v [m3/mol] of all, volume [m3 or m3/s] of the phase that reacts, P [Pa].

    Mole fractions of all go into x, rates as their laws count them into rates, shape (m,).
    """
    m, n = laws.nu.shape
    P, T = y[m + P_AT], y[m + T_AT]
    total = amounts_at(what, s, y, laws.nu, x)
    if not (P > 0.0 and T > 1.0 and T < 1e5 and total > 0.0):
        for r in range(m):
            rates[r] = math.nan
        return total, math.nan, math.nan, math.nan, P
    phase, inside, share = what.phase, x, 1.0
    if phase == UNDER_VAPOUR:
        phase = LIQUID
        at, z, part = present_part(x, mix)
        if what.pressure == CLOSED:
            P = filling_pressure(part, T, z, what.fixed[F_VOLUME] / total, P)
            if not math.isfinite(P):
                return total, math.nan, math.nan, math.nan, P
        beta, middle, name, _, _, heavy, _, _, props = flash(part, T, P, z, np.empty(z.size), False)
        h, v, own = props[0], props[2], props[5]
        inside, share = spread(heavy, at, n), (1.0 - beta - middle) if name == LIQUID else 0.0
    else:
        h, _, v = properties(mix, T, P, x, phase)
        own = v
    if share > 0.0:
        found = rates_in(mix, T, P, inside, own, phase, laws)
        if laws.pellet[P_ON] > 0.0:
            weaken(mix, T, P, inside, own, phase, laws, found, np.empty(m))
        for r in range(m):
            rates[r] = found[r]
    else:
        for r in range(m):
            rates[r] = 0.0
    return total, h, v, total * share * own, P


@kernel.part
def friction(fixed: Vector, flow: float, density: float) -> float:
    """Fall of pressure per length [Pa/m] of a bed (Ergun, Chem. Eng. Progr. 48 (1952) 89) at a volume flow [m3/s]."""
    e, d, u = fixed[F_VOID], fixed[F_DIAMETER], flow / fixed[F_AREA]
    return 150.0 * fixed[F_VISCOSITY] * (1.0 - e) ** 2 / (e**3 * d * d) * u + 1.75 * density * (1.0 - e) / (e**3 * d) * u * u


@kernel
def change(mix: Mixture, what: Contents, s: float, y: Vector, laws: Rates, per: Places, x: Vector, rates: Vector, out: Vector) -> None:
    """dy/ds, or by how much an equation is missed, in units of what it gives; shape (m + 4,)."""
    m, n = laws.nu.shape
    fixed = what.fixed
    T = y[m + T_AT]
    total, h, v, fluid, P = state_at(mix, what, s, y, laws, x, rates)
    for r in range(m):
        out[r] = rates[r] * fixed[F_VOID + per[r]]
        if what.batch == 1 and per[r] == PER_FLUID:
            out[r] *= fluid
    energy = total * (h - P * v) if what.pressure == CLOSED else total * h
    flux = fixed[F_UA] * (y[m + COOLANT] - T)
    out[m + COOLANT] = 0.0
    if what.heat == HELD_T:
        out[m + E] = energy - y[m + E]
        out[m + T_AT] = fixed[F_T] + fixed[F_COURSE] * (s - what.begin) - T
    else:
        out[m + E] = what.put_heat
        out[m + T_AT] = (y[m + E] - energy) / (total * CLOSING)
        if what.heat == GIVEN_HEAT:
            out[m + E] += fixed[F_HEAT]
        elif what.heat >= COOLED:
            out[m + E] += flux
            if what.heat != COOLED:
                out[m + COOLANT] = (-flux if what.heat == COCURRENT else flux) / fixed[F_CAPACITY]
    if what.pressure == LEVEL:
        out[m + P_AT] = fixed[F_P] - P
    elif what.pressure == LINEAR:
        out[m + P_AT] = -fixed[F_DROP]
    elif what.pressure == CLOSED and what.phase == UNDER_VAPOUR:  # the volume was met, and the pressure with it
        out[m + P_AT] = P - y[m + P_AT]
    elif what.pressure == ERGUN:
        mass = 0.0
        for i in range(n):
            mass += x[i] * what.molar_mass[i]
        out[m + P_AT] = -friction(fixed, total * v, mass / v) / fixed[F_AREA]
    else:
        out[m + P_AT] = P * (total * v / fixed[F_VOLUME] - 1.0)


@kernel
def is_equation(what: Contents, k: int) -> bool:
    """Whether line k of y after its extents must hold, and is no change."""
    if k == E:
        return what.heat == HELD_T
    if k == P_AT:
        return what.pressure == LEVEL or what.pressure == CLOSED
    return k == T_AT


@kernel.entry
def looked_at(
    what: Contents, s: Vector, rows: Matrix, laws: Rates, shares: Matrix, found: Matrix,
    kind: int, vapour: int, active: float, par: Matrix, pairs: Cube, groups: Matrix,
) -> int:  # fmt: skip
    """Look at states `rows`, shape (k, m + 4), at s, shape (k,): rates as their laws count them into `shares`, shape (k, m).

    Into `found`, shape (k, 4): total, volume, volume of what reacts and energy. Returns k.
    """
    mix = Mixture(kind, vapour, active, par, pairs, groups)
    m, n = laws.nu.shape
    x = np.empty(n)
    for k in range(s.size):
        total, h, v, fluid, P = state_at(mix, what, s[k], rows[k], laws, x, shares[k])
        found[k, 0], found[k, 1], found[k, 2] = total, total * v, fluid
        found[k, 3] = total * (h - P * v) if what.pressure == CLOSED else total * h
    return s.size
