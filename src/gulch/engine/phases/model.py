"""A phase model: how phases, volumes and enthalpies of a list of species are computed."""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.phases import kernels as k
from gulch.engine.phases.interaction import published
from gulch.engine.phases.kernels.ideal_gas import ideal_gas
from gulch.engine.species import SpeciesError, lookup

KINDS = {
    "ideal": ("ideal (Raoult)", k.IDEAL),
    "peng-robinson": ("Peng–Robinson", k.PENG_ROBINSON),
    "soave-redlich-kwong": ("Soave–Redlich–Kwong", k.SOAVE_REDLICH_KWONG),
}
NAMES = {k.VAPOUR: "vapour", k.LIQUID: "liquid"}


@dataclass(slots=True)
class PhaseState:
    """A flashed mixture; molar properties in SI, mole fractions of shape (n,). Not to be changed (not frozen: speed)."""

    temperature: float
    pressure: float
    light_share: float  # moles in the lighter phase over all moles
    light: str  # "vapour" or "liquid"
    heavy: str
    x: np.ndarray  # heavier phase
    y: np.ndarray  # lighter phase
    enthalpy: float
    entropy: float
    volume: float
    heavy_properties: tuple  # h, s, v
    light_properties: tuple
    further_phase: bool  # the stability test indicates one more phase than is modelled

    @property
    def vapour_fraction(self):
        share = self.light_share if self.light == "vapour" else 0.0
        return share + (1.0 - self.light_share if self.heavy == "vapour" else 0.0)


GRID = 90  # temperatures at which a vapour fraction is looked for
HOTTEST_BOILING = 1200.0  # K


class TemperatureNotFound(ValueError):
    """No temperature in the searched range gives the wanted enthalpy, entropy or vapour fraction."""


class PhaseModel:
    """Species data as arrays for the kernels.

    species : tuple of Species; kind : key of KINDS; kij : ((i, j, value), ...) that replace the
    shipped interaction parameters. Amounts are arrays of shape (n,).
    Non-volatile species stay with the heavier phase as a pure part of their own: they neither mix with
    the liquid nor lower its vapour pressure. Raises SpeciesError for a species the model cannot use.
    """

    def __init__(self, kind, species, kij=()):
        self.kind = kind
        self.code = KINDS[kind][1]
        self.species = tuple(species)
        self.n = len(self.species)
        self.volatile = np.array([not s.non_volatile for s in self.species], bool)
        self.all_volatile = bool(self.volatile.all())
        for s in self.species:
            if self.code != k.IDEAL and not s.has_critical and not s.non_volatile:
                raise SpeciesError(
                    f"{s.name} has no critical constants, which {KINDS[kind][0]} needs: type them, or use the ideal model."
                )
        self.par = np.array([parameters(s, self.code) for s in self.species]).reshape(self.n, k.N_COLUMNS)
        self.kij = np.zeros((self.n, self.n))
        for i, a in enumerate(self.species):
            for j, b in enumerate(self.species):
                if i != j:
                    self.kij[i, j] = published(kind, a.cas, b.cas)
        for i, j, value in kij:
            self.kij[i, j] = self.kij[j, i] = value
        self.molar_mass = self.par[:, k.MW].copy()

    def _active(self, z):
        """Indices of species present, their normalised fractions and their parameters."""
        if z.min() > 0.0:
            return None, z / z.sum(), self.par, self.kij
        present = np.flatnonzero(z > 0.0)
        zc = z[present]
        zc = zc / zc.sum()
        return present, zc, self.par[present], self.kij[np.ix_(present, present)]

    def _state(self, T, P, n):
        return self._wrap(T, P, *k.flash_amounts(self.code, T, P, n, self.par, self.kij))

    @staticmethod
    def _wrap(T, P, beta, name_x, name_y, third, x, y, props):
        h, s, v, hx, sx, vx, hy, sy, vy = props.tolist()
        return PhaseState(T, P, beta, NAMES[name_y], NAMES[name_x], x, y, h, s, v,
                          (hx, sx, vx), (hy, sy, vy), bool(third))  # fmt: skip

    def _spread(self, values, present):
        full = np.zeros(self.n)
        full[present] = values
        return full

    def at_temperature(self, T, P, z):
        """Flash amounts z (any scale, some above zero) at T [K] and P [Pa]."""
        if self.all_volatile:
            return self._state(T, P, z)
        held, volatile = self._parted(z)
        if volatile.sum() <= 0.0:
            return self._join(None, held, 0.0, T, P)
        return self._join(self._state(T, P, volatile), held, float(volatile.sum()), T, P)

    def _parted(self, z):
        """(non-volatile, volatile) amounts."""
        return np.where(self.volatile, 0.0, z), np.where(self.volatile, z, 0.0)

    def _held_properties(self, held, T):
        """Enthalpy [J], entropy [J/K] and volume [m3] of amounts of non-volatile species."""
        volumes = [s.molar_mass.value / s.liquid_density.value if s.liquid_density else 0.0 for s in self.species]
        return np.array(
            [held @ self.ideal_gas_enthalpies(T), held @ self.ideal_gas_entropies(T), held @ np.array(volumes)]
        )

    def _join(self, state, held, moles, T, P):
        """A flashed volatile part (moles of it, or None) and the non-volatile amounts as one state."""
        extra = self._held_properties(held, T)
        h_moles = float(held.sum())
        whole = moles + h_moles
        if state is None:
            props = (extra / h_moles).tolist()
            z = held / h_moles
            return PhaseState(T, P, 0.0, "liquid", "liquid", z, z, *props, tuple(props), tuple(props), False)
        if h_moles <= 0.0:
            return state
        light = state.light_share
        y, light_properties = state.y, np.array(state.light_properties)
        if light >= 1.0 and state.light != "vapour":
            light = 0.0
        heavy = (1.0 - light) * moles
        heavy_amounts = heavy * state.x + held
        heavy_properties = (heavy * np.array(state.heavy_properties) + extra) / (heavy + h_moles)
        total = (light * moles * light_properties + (heavy + h_moles) * heavy_properties) / whole
        if light <= 0.0:
            y, light_properties = heavy_amounts / heavy_amounts.sum(), heavy_properties
        return PhaseState(state.temperature, P, light * moles / whole, state.light if light > 0.0 else "liquid", "liquid",
                          heavy_amounts / heavy_amounts.sum(), y, *total.tolist(), tuple(heavy_properties.tolist()),
                          tuple(light_properties.tolist()), state.further_phase)  # fmt: skip

    def _solve_parted(self, column, target, P, z, guess, tolerance, what):
        """`_solve` with non-volatile species: the temperature at which both parts together reach the target."""
        held, volatile = self._parted(z)
        whole, moles = float(z.sum()), float(volatile.sum())
        if moles <= 0.0:
            if column == 3:
                raise TemperatureNotFound("nothing in it can vaporise")

            def own(T):
                return self._held_properties(held, T)[column] / whole - target

            try:
                T = scipy.optimize.brentq(own, k.T_LOW, k.T_HIGH, xtol=1e-12, rtol=1e-14)
            except ValueError:
                raise TemperatureNotFound(f"no temperature in range has this {what}") from None
            return self._join(None, held, 0.0, T, P)
        if column == 3:
            share = target * whole / moles
            if share > 1.0:
                raise TemperatureNotFound("more vapour is asked for than can vaporise")
            state = self._solve(3, min(max(share, 1e-9), 1.0 - 1e-9), P, volatile, guess, tolerance, what)
            return self._join(state, held, moles, state.temperature, P)

        def volatile_state(T):
            own_target = (target * whole - self._held_properties(held, T)[column]) / moles
            return self._solve(column, own_target, P, volatile, T, tolerance, what)

        def gap(T):
            try:
                return volatile_state(T).temperature - T
            except TemperatureNotFound as error:  # hotter than any: the non-volatile part asks for too much
                return k.T_HIGH if "above" in str(error) else -k.T_HIGH

        low = high = guess
        step = 50.0
        while gap(low) < 0.0 and low > k.T_LOW:
            low, step = max(k.T_LOW, low - step), 2.0 * step
        step = 50.0
        while gap(high) > 0.0 and high < k.T_HIGH:
            high, step = min(k.T_HIGH, high + step), 2.0 * step
        if gap(low) < 0.0 or gap(high) > 0.0:
            raise TemperatureNotFound(f"no temperature between {k.T_LOW:.0f} and {k.T_HIGH:.0f} K has this {what}")
        T = scipy.optimize.brentq(gap, low, high, xtol=1e-11, rtol=1e-14) if low < high else low
        return self._join(volatile_state(T), held, moles, T, P)

    def enthalpies(self, T, P, z):
        """Molar enthalpies [J/mol] of amounts z flashed at temperatures T [K], shape (m,), and P [Pa]."""
        if self.all_volatile:
            return k.enthalpies(self.code, T, P, z, self.par, self.kij)
        return np.array([self.at_temperature(t, P, z).enthalpy for t in T])

    def at_enthalpy(self, h, P, z, guess=350.0):
        """Flash at molar enthalpy h [J/mol] and P. Raises TemperatureNotFound."""
        return self._solve(0, h, P, z, guess, 1e-9 * max(abs(h), 1e4), "enthalpy")

    def at_entropy(self, s, P, z, guess=350.0):
        """Flash at molar entropy s [J/(mol K)] and P. Raises TemperatureNotFound."""
        return self._solve(1, s, P, z, guess, 1e-9 * max(abs(s), 50.0), "entropy")

    def at_vapour_fraction(self, fraction, P, z, guess=350.0):
        """Flash at a vapour fraction in [0, 1] and P; 0 is the bubble and 1 the dew point."""
        edge = min(max(fraction, 1e-9), 1.0 - 1e-9)
        return self._solve(3, edge, P, z, guess, 1e-11, "vapour fraction")

    def boundary(self, dew, P, z, guess):
        """(T [K], x, y) at the dew point, or the bubble point, of amounts z at P, shape (n,) each; None where it is not found so.

        Newton's method on ln sum(z K) or ln sum(z/K) in T, the incipient phase following by substitution: a tenth of what
        flashes take, but not tested for stability (Michelsen & Mollerup, Thermodynamic Models, 2nd ed., ch. 12).
        """
        if not self.all_volatile and z[~self.volatile].sum() > 0.0:
            return None
        present, zc, par, kij = self._active(z)
        if zc.size < 2:
            return None
        sign = -1.0 if dew else 1.0

        def ln_k(T, other):
            x, y = (other, zc) if dew else (zc, other)
            liquid = k.ln_phi_phase(self.code, T, P, x, k.LIQUID, par, kij)
            return liquid - k.ln_phi_phase(self.code, T, P, y, k.VAPOUR, par, kij)

        T, slope, before = guess, None, None
        if self.code == k.IDEAL:
            other = zc
        else:  # Wilson's K values, in whose own boundary the search begins
            wilson = np.log(par[:, k.PC] / P), 5.373 * (1.0 + par[:, k.OMEGA])
            for _ in range(30):
                weights = zc * np.exp(sign * np.clip(wilson[0] + wilson[1] * (1.0 - par[:, k.TC] / T), -100.0, 100.0))
                rise = float((weights / weights.sum()) @ (wilson[1] * par[:, k.TC])) / T**2
                step = sign * math.log(weights.sum()) / rise
                T -= min(max(step, -0.2 * T), 0.2 * T)
                if abs(step) < 1e-3 * T:
                    break
            other = weights / weights.sum()
            T = guess if abs(guess - T) < 15.0 else T
        for _ in range(60):
            values = ln_k(T, other)
            weights = zc * np.exp(np.clip(sign * values, -200.0, 200.0))
            total = weights.sum()
            f = sign * float(np.log(total))  # rises with temperature
            changed = float(np.abs(weights / total - other).max())
            other = weights / total
            if not np.isfinite(f):
                return None
            if abs(f) < 1e-12 and changed < 1e-10:
                break
            if slope is None or changed > 1e-3:
                h = 1e-5 * T
                weights = zc * np.exp(np.clip(sign * ln_k(T + h, other), -200.0, 200.0))
                here = zc * np.exp(np.clip(sign * ln_k(T, other), -200.0, 200.0))
                slope = sign * float(np.log(weights.sum() / here.sum())) / h
            elif before is not None and before[0] != T and (f - before[1]) / (T - before[0]) > 0.0:
                slope = (f - before[1]) / (T - before[0])
            if slope <= 0.0:
                return None
            before = (T, f)
            T = T - min(max(f / slope, -0.1 * T), 0.1 * T)
        else:
            return None
        if np.abs(values).max() < 0.02 or not k.T_LOW < T < k.T_HIGH:
            return None  # both phases became one
        x, y = (other, zc) if dew else (zc, other)
        return (T, x, y) if present is None else (T, self._spread(x, present), self._spread(y, present))

    def saturated(self, dew, P, z, guess=350.0):
        """Flash at the dew point, or at the bubble point, and P. Raises TemperatureNotFound."""
        fraction = 1.0 if dew else 0.0
        found = self.boundary(dew, P, z, guess)
        if found is not None:
            state = self.at_temperature(found[0], P, z)
            if abs(state.vapour_fraction - fraction) < 1e-6 and not state.further_phase:
                return state
        return self.at_vapour_fraction(fraction, P, z, guess)

    def all_at_vapour_fraction(self, fraction, P, z, guess=350.0):
        """Every state in range at a vapour fraction in [0, 1] and P, hottest first; at least one. Raises TemperatureNotFound.

        A mixture may reach the same fraction at several temperatures: beside its boiling range where it is dense, or
        where a light gas condenses far below. What looks like a crossing but is a change of a dense phase's name does not
        count.
        """
        edge = min(max(fraction, 1e-9), 1.0 - 1e-9)
        if self.volatile.sum() == 1 or (z[self.volatile] > 0.0).sum() <= 1 or z[~self.volatile].sum() > 0.0:
            return [self.at_vapour_fraction(fraction, P, z, guess)]
        grid = np.geomspace(k.T_LOW, HOTTEST_BOILING, GRID)
        shares = np.array([self.at_temperature(T, P, z).vapour_fraction for T in grid]) - edge
        found = []
        for low, high, f_low, f_high in zip(grid, grid[1:], shares, shares[1:]):
            if f_low == 0.0 or f_low * f_high >= 0.0:
                continue
            T = scipy.optimize.brentq(
                lambda t: self.at_temperature(t, P, z).vapour_fraction - edge, low, high, xtol=1e-11, rtol=1e-14
            )
            state = self.at_temperature(T, P, z)
            if abs(state.vapour_fraction - edge) < 1e-6:
                found.append(state)
        return found[::-1] or [self.at_vapour_fraction(fraction, P, z, guess)]

    def _solve(self, column, target, P, z, guess, tolerance, what):
        if not self.all_volatile and z[~self.volatile].sum() > 0.0:
            return self._solve_parted(column, target, P, z, guess, tolerance, what)
        outcome, low, high, *found = k.flash_amounts_to(
            self.code, P, target, column, z, self.par, self.kij, guess, tolerance
        )
        if outcome != k.FOUND:
            bound = {k.BELOW_RANGE: f"below {k.T_LOW:.0f} K", k.ABOVE_RANGE: f"above {k.T_HIGH:.0f} K"}
            raise TemperatureNotFound(
                f"the temperature for this {what} would lie {bound[outcome]}"
                if outcome in bound
                else f"no temperature between {k.T_LOW:.0f} and {k.T_HIGH:.0f} K has this {what}"
            )
        state = self._wrap(high, P, *found)
        if low == high:
            return state
        below = self._state(low, P, z)
        return self._between(below, state, column, target)

    def _between(self, below, above, column, target):
        """Lever rule across a jump, where a pure species (or an azeotrope) boils."""
        pick = {0: "enthalpy", 1: "entropy", 3: "vapour_fraction"}[column]
        a, b = getattr(below, pick), getattr(above, pick)
        w = (target - a) / (b - a) if b != a else 1.0
        w = min(max(w, 0.0), 1.0)
        vapour = (1.0 - w) * below.vapour_fraction + w * above.vapour_fraction
        if not 0.0 < vapour < 1.0 or abs(b - a) < 1e-6:
            return above if w > 0.5 else below
        y = (1.0 - w) * below.vapour_fraction * below.y + w * above.vapour_fraction * above.y
        x = (1.0 - w) * (1.0 - below.vapour_fraction) * below.x + w * (1.0 - above.vapour_fraction) * above.x
        light = above.light_properties if above.vapour_fraction > 0 else below.light_properties
        heavy = below.heavy_properties if below.vapour_fraction < 1 else above.heavy_properties
        mixed = [vapour * light[c] + (1.0 - vapour) * heavy[c] for c in range(3)]
        return PhaseState(above.temperature, above.pressure, vapour, "vapour", "liquid", x / x.sum(), y / y.sum(),
                          mixed[0], mixed[1], mixed[2], heavy, light, False)  # fmt: skip

    def ideal_gas_properties(self, T):
        """(enthalpies [J/mol] on the elements basis, entropies [J/(mol K)] at 1 bar), both of shape (n,).

        Of a non-volatile species: of the state it is in.
        """
        h, s = np.empty(self.n), np.empty(self.n)
        ideal_gas(T, self.par, h, s)
        return h, s

    def phase_volume(self, T, P, n, phase):
        """Molar volume [m3/mol] of a phase (kernels.VAPOUR or LIQUID) of amounts n; non-volatile ones count in a liquid."""
        at = np.flatnonzero(self.volatile & (n > 0.0))
        part = n[at].sum()
        v = k.phase_properties(self.code, T, P, n[at] / part, phase, self.par[at], self.kij[np.ix_(at, at)])[2]
        if self.all_volatile or phase == k.VAPOUR:
            return v
        held = np.where(self.volatile, 0.0, n)
        return (v * part + self._held_properties(held, T)[2]) / n.sum()

    def ln_phi_pure_liquid(self, T, P):
        """ln fugacity coefficients of the pure liquids, shape (n,)."""
        out = np.zeros(self.n)
        for i in np.flatnonzero(self.volatile):
            out[i] = k.ln_phi_phase(
                self.code, T, P, np.ones(1), k.LIQUID, self.par[i : i + 1], self.kij[i : i + 1, i : i + 1]
            )[0]
        return out

    def standard_enthalpies(self, T, phase):
        """Molar enthalpies of the pure species at T [K] and 1 bar on the elements basis [J/mol], shape (n,).

        phase "liquid": of the pure liquids, as far as a species can be one at T; else of ideal gases.
        """
        h = self.ideal_gas_enthalpies(T)
        for i in np.flatnonzero(self.volatile) if phase == "liquid" else ():
            critical = self.species[i].critical_temperature
            if critical is None or critical.value > T:
                one = np.ix_((i,), (i,))
                h[i] = k.phase_properties(self.code, T, k.P0, np.ones(1), k.LIQUID, self.par[i : i + 1], self.kij[one])[
                    0
                ]
        return h

    def ideal_gas_enthalpies(self, T):
        """Molar enthalpies on the elements basis [J/mol], shape (n,)."""
        h, s = np.empty(self.n), np.empty(self.n)
        ideal_gas(T, self.par, h, s)
        return h

    def ideal_gas_entropies(self, T):
        """Molar entropies at 1 bar [J/(mol K)], shape (n,)."""
        h, s = np.empty(self.n), np.empty(self.n)
        ideal_gas(T, self.par, h, s)
        return s

    def ln_phi(self, T, P, n, phase):
        """ln fugacity coefficients of one phase (kernels.VAPOUR or LIQUID) of amounts n, shape (n,).

        Zero for non-volatile species, which take no part in the phase.
        """
        if self.all_volatile:
            return k.ln_phi_phase(self.code, T, P, n / n.sum(), phase, self.par, self.kij)
        at = np.flatnonzero(self.volatile)
        out = np.zeros(self.n)
        part = n[at]
        if part.sum() > 0.0:
            out[at] = k.ln_phi_phase(self.code, T, P, part / part.sum(), phase, self.par[at], self.kij[np.ix_(at, at)])
        return out

    def heat_capacity_range(self):
        """(lowest, highest) temperature [K] inside every species' heat-capacity data."""
        fits = [s.heat_capacity for s in self.species]
        return max(f.low for f in fits), min(f.high for f in fits)


def parameters(species, code):
    """Kernel row of one species, shape (N_COLUMNS,)."""
    row = np.zeros(k.N_COLUMNS)
    row[k.MW] = species.molar_mass.value
    if species.has_critical:
        _critical(row, species, code)
    elif species.liquid_density:
        # without critical constants the liquid keeps its one volume: V = R Tc/Pc Z, the exponent being 1 at Tr = 1
        row[k.TC], row[k.PC] = 1.0, 1e5
        row[k.ZRA] = species.molar_mass.value / species.liquid_density.value * 1e5 / k.R
    cp = species.heat_capacity.coefficients
    row[k.CP0 : k.CP0 + cp.size] = cp
    fit = species.vapour_pressure
    if fit is not None:
        row[k.VP0 : k.VP0 + 5] = fit.coefficients
        row[k.VP_TMIN], row[k.VP_TMAX] = fit.low, fit.high
    # Integration constants: formation enthalpy and absolute entropy at 298.15 K.
    h, s = np.zeros(1), np.zeros(1)
    ideal_gas(298.15, row[None, :], h, s)
    row[k.H_CONST] = (species.formation_enthalpy.value if species.formation_enthalpy else 0.0) - h[0]
    row[k.S_CONST] = (species.entropy.value if species.entropy else 0.0) - s[0]
    return row


def _critical(row, species, code):
    tc, pc = species.critical_temperature.value, species.critical_pressure.value
    w = species.acentric_factor.value
    row[k.TC], row[k.PC], row[k.OMEGA] = tc, pc, w
    row[k.ZRA] = 0.29056 - 0.08775 * w
    if species.liquid_density and tc > 298.15:
        volume = species.molar_mass.value / species.liquid_density.value  # taken to hold at 25 degC
        row[k.ZRA] = (volume * pc / (k.R * tc)) ** (1.0 / (1.0 + (1.0 - 298.15 / tc) ** (2.0 / 7.0)))
    if code == k.SOAVE_REDLICH_KWONG:
        # Exact constants of the Redlich-Kwong form; m(omega) of Soave (1972).
        row[k.B_] = 0.08664034996495773 * k.R * tc / pc
        row[k.AC] = 0.42748023354034137 * (k.R * tc) ** 2 / pc
        row[k.M_] = 0.480 + 1.574 * w - 0.176 * w * w
    else:
        row[k.B_] = 0.07779607390388846 * k.R * tc / pc
        row[k.AC] = 0.45723552892138219 * (k.R * tc) ** 2 / pc
        row[k.M_] = 0.37464 + 1.54226 * w - 0.26992 * w * w


@lru_cache(maxsize=64)
def phase_model(kind, species, kij=()):
    """Shared PhaseModel of a kind over species keys, each a CAS number or (CAS number, user data); kij as in PhaseModel."""
    return PhaseModel(kind, [lookup(*((key,) if isinstance(key, str) else key)) for key in species], kij)
