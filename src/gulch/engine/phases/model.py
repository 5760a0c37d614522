"""A phase model: how phases, volumes and enthalpies of a list of species are computed."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from gulch.engine.phases import kernels as k
from gulch.engine.phases.interaction import published
from gulch.engine.species import lookup

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


class TemperatureNotFound(ValueError):
    """No temperature in the searched range gives the wanted enthalpy, entropy or vapour fraction."""


class PhaseModel:
    """Species data as arrays for the kernels.

    species : tuple of Species; kind : key of KINDS; kij : ((i, j, value), ...) that replace the
    shipped interaction parameters. Amounts are arrays of shape (n,).
    """

    def __init__(self, kind, species, kij=()):
        self.kind = kind
        self.code = KINDS[kind][1]
        self.species = tuple(species)
        self.n = len(self.species)
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

    def _state(self, T, P, present, zc, par, kij):
        beta, name_x, name_y, third, x, y, props = k.flash(self.code, T, P, zc, par, kij, np.empty(zc.size), False)
        return self._wrap(T, P, present, beta, name_x, name_y, third, x, y, props)

    def _wrap(self, T, P, present, beta, name_x, name_y, third, x, y, props):
        if present is not None:
            x, y = self._spread(x, present), self._spread(y, present)
        h, s, v, hx, sx, vx, hy, sy, vy = props.tolist()
        return PhaseState(T, P, beta, NAMES[name_y], NAMES[name_x], x, y, h, s, v,
                          (hx, sx, vx), (hy, sy, vy), bool(third))  # fmt: skip

    def _spread(self, values, present):
        full = np.zeros(self.n)
        full[present] = values
        return full

    def at_temperature(self, T, P, z):
        """Flash amounts z (any scale, some above zero) at T [K] and P [Pa]."""
        return self._state(T, P, *self._active(z))

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

    def _solve(self, column, target, P, z, guess, tolerance, what):
        present, zc, par, kij = self._active(z)
        outcome, low, high = k.solve_temperature(self.code, P, target, column, zc, par, kij, guess, tolerance)
        if outcome != k.FOUND:
            bound = {k.BELOW_RANGE: f"below {k.T_LOW:.0f} K", k.ABOVE_RANGE: f"above {k.T_HIGH:.0f} K"}
            raise TemperatureNotFound(
                f"the temperature for this {what} would lie {bound[outcome]}"
                if outcome in bound
                else f"no temperature between {k.T_LOW:.0f} and {k.T_HIGH:.0f} K has this {what}"
            )
        state = self._state(high, P, present, zc, par, kij)
        if low == high:
            return state
        below = self._state(low, P, present, zc, par, kij)
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

    def ideal_gas_enthalpies(self, T):
        """Molar enthalpies on the elements basis [J/mol], shape (n,)."""
        h, s = np.empty(self.n), np.empty(self.n)
        k.ideal_gas(T, self.par, h, s)
        return h

    def ideal_gas_entropies(self, T):
        """Molar entropies at 1 bar [J/(mol K)], shape (n,)."""
        h, s = np.empty(self.n), np.empty(self.n)
        k.ideal_gas(T, self.par, h, s)
        return s

    def heat_capacity_range(self):
        """(lowest, highest) temperature [K] inside every species' heat-capacity data."""
        fits = [s.heat_capacity for s in self.species]
        return max(f.low for f in fits), min(f.high for f in fits)


def parameters(species, code):
    """Kernel row of one species, shape (N_COLUMNS,)."""
    row = np.zeros(k.N_COLUMNS)
    tc, pc = species.critical_temperature.value, species.critical_pressure.value
    w = species.acentric_factor.value
    row[k.TC], row[k.PC], row[k.OMEGA], row[k.MW] = tc, pc, w, species.molar_mass.value
    row[k.ZRA] = 0.29056 - 0.08775 * w
    if code == k.SOAVE_REDLICH_KWONG:
        # Exact constants of the Redlich-Kwong form; m(omega) of Soave (1972).
        row[k.B_] = 0.08664034996495773 * k.R * tc / pc
        row[k.AC] = 0.42748023354034137 * (k.R * tc) ** 2 / pc
        row[k.M_] = 0.480 + 1.574 * w - 0.176 * w * w
    else:
        row[k.B_] = 0.07779607390388846 * k.R * tc / pc
        row[k.AC] = 0.45723552892138219 * (k.R * tc) ** 2 / pc
        row[k.M_] = 0.37464 + 1.54226 * w - 0.26992 * w * w
    cp = species.heat_capacity.coefficients
    row[k.CP0 : k.CP0 + cp.size] = cp
    fit = species.vapour_pressure
    row[k.VP0 : k.VP0 + 5] = fit.coefficients
    row[k.VP_TMIN], row[k.VP_TMAX] = fit.low, fit.high
    # Integration constants: formation enthalpy and absolute entropy at 298.15 K.
    h, s = np.zeros(1), np.zeros(1)
    k.ideal_gas(298.15, row[None, :], h, s)
    row[k.H_CONST] = species.formation_enthalpy.value - h[0]
    row[k.S_CONST] = (species.entropy.value if species.entropy else 0.0) - s[0]
    return row


@lru_cache(maxsize=64)
def phase_model(kind, cas_numbers, kij=()):
    """Shared PhaseModel of a kind over a tuple of CAS numbers; kij as in PhaseModel."""
    return PhaseModel(kind, [lookup(c) for c in cas_numbers], kij)
