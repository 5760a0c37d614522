"""A phase model: how phases, volumes and enthalpies of a list of species are computed.

Notation: T [K], P [Pa]; z, n: amounts of any size, shape (n,); enthalpy [J/mol], entropy [J/(mol K)], volume [m3/mol].
"""

from __future__ import annotations

import math
from functools import lru_cache
from itertools import combinations
from typing import Any

import numpy as np

from gulch.engine import fluids as k
from gulch.engine.fluids.ideal_gas import ideal_gas_of, ln_psat
from gulch.engine.fluids.mixture import Mixture
from gulch.engine.phases import boiling
from gulch.engine.phases.by_groups import WATER, active, predictive
from gulch.engine.phases.held import flashed_with, held_properties, joined, parted, solve_parted
from gulch.engine.phases.known_liquids import with_known_heat
from gulch.engine.phases.nonideal import activity, unknown_pairs, water_apart
from gulch.engine.phases.pairs import CUBIC, Pair, asked
from gulch.engine.phases.parameters import parameters
from gulch.engine.phases.state import PhaseState, StateNotFinite, between, beyond, nowhere
from gulch.engine.phases.weak import is_of_ions
from gulch.engine.species import SpeciesError, lookup
from gulch.engine.species.kept import expect

PHASE_MODELS = {
    "ideal": ("ideal (Raoult)", k.IDEAL),
    "free-water": ("ideal, with water apart", k.NRTL),
    "peng-robinson": ("Peng–Robinson", k.PENG_ROBINSON),
    "soave-redlich-kwong": ("Soave–Redlich–Kwong", k.SOAVE_REDLICH_KWONG),
    "predictive-srk": ("predictive SRK", k.PREDICTIVE_SRK),
    "unifac": ("UNIFAC (activity model)", k.UNIFAC),
    "modified-unifac": ("modified UNIFAC, Dortmund (activity model)", k.DORTMUND),
    "nrtl": ("NRTL (activity model)", k.NRTL),
    "wilson": ("Wilson (activity model)", k.WILSON),
    "electrolytes": ("weak electrolytes in water (activity model)", k.ELECTROLYTES),
}
T_FORMED = 298.15  # K
PRESSED = 1.5  # pressure over the vapour pressure at which a pure liquid is looked at
NAMES = {k.VAPOUR: "vapour", k.LIQUID: "liquid"}
MOST_PARTS = 64  # of a model that are kept


class PhaseModel:
    """Species data as arrays for the kernels.

    species : tuple of Species; kind : key of PHASE_MODELS; kij : ((i, j, value), ...) that replace the
    shipped interaction parameters; vapour: of an activity model, "ideal" or "soave-redlich-kwong"; parameters_of_pairs: items of
    what `nonideal.activity` takes as typed. Amounts are arrays of shape (n,); `atoms` of `elements` in them, shape (n_elements, n).
    Non-volatile species stay with the liquid: dissolved in its water, which lowers vapour pressures, or as a pure part of
    their own (`held`). Raises SpeciesError for a species the model cannot use.
    """

    def __init__(self, kind: str, species: Any, kij: tuple = (), vapour: str = "ideal", parameters_of_pairs: tuple = ()) -> None:
        self.kind = kind
        self.code = PHASE_MODELS[kind][1]
        self.species = tuple(species)
        self.n = len(self.species)
        # of weak electrolytes the salts take part in the flash, as ions that stay in the water
        self.of_ions = np.array([self.code == k.ELECTROLYTES and is_of_ions(s) for s in self.species], bool)
        self.volatile = np.array([not s.non_volatile for s in self.species], bool) | self.of_ions
        self.all_volatile = bool(self.volatile.all())
        # of each species in the watery liquid, per mole: 0 of what is no salt
        self.particles = np.array([(s.particles.value if s.particles else 1.0) if s.dissolves else 0.0 for s in self.species])
        self.particles[self.of_ions] = 0.0
        for s, ions in zip(self.species, self.of_ions, strict=True):
            if self.code != k.IDEAL and not s.has_critical and not s.non_volatile and not ions:
                raise SpeciesError(
                    f"{s.name} has no critical constants, which {PHASE_MODELS[kind][0]} needs: type them, or use the ideal model."
                )
        self.par = np.array([parameters(s, self.code) for s in self.species]).reshape(self.n, k.N_COLUMNS)
        self.water = next((i for i, s in enumerate(self.species) if s.cas == WATER), None)
        self.par[:, k.SOLVENT] = [float(s.cas == WATER) for s in self.species]
        self.origins = {}  # (i, j): where a pair's parameters come from
        self.mix = _mixture(self, PHASE_MODELS[vapour][1], dict(parameters_of_pairs))
        self.kij = self.mix.pairs[k.KIJ]
        self._parts: dict[bytes, Mixture] = {}  # by positions
        by_groups = self.code >= k.PREDICTIVE_SRK
        self.unknown_pairs = unknown_pairs(self.code, self.species, self.par, self.origins) if by_groups else []
        self._interactions({(i, j): value for a, b, value in kij for i, j in ((a, b), (b, a))})
        self._heats()
        self._parts = {}  # what the rows before their heats gave is none of it
        self.molar_mass = self.par[:, k.MW].copy()
        self.formed = self.ideal_gas_enthalpies(T_FORMED)  # [J/mol]
        self.elements = sorted({e for s in self.species for e in s.atoms})
        self.atoms = np.array([[s.atoms.get(e, 0) for s in self.species] for e in self.elements], float)

    def _interactions(self, typed: dict[tuple, float]) -> None:
        """Put in the k_ij of all pairs: typed ones, and where the model is a cubic equation what sources give."""
        for (i, j), value in typed.items():
            self.kij[i, j] = value
        if self.code not in (k.PENG_ROBINSON, k.SOAVE_REDLICH_KWONG):
            return
        for i, j in combinations(range(self.n), 2):
            pair = Pair(self.kind, self.species[i], self.species[j], (i, j), typed=typed)
            found, self.origins[i, j] = asked(CUBIC, pair)
            course = found if isinstance(found, tuple) else (found, 0.0, 0.0)
            self.mix.pairs[k.KIJ : k.KIJ + 3, i, j] = self.mix.pairs[k.KIJ : k.KIJ + 3, j, i] = course

    def _heats(self) -> None:
        """Move the heats of the pure liquids to the known ones; gases that dissolve by Henry's law have none."""
        for i, s in enumerate(self.species):
            if s.has_critical and not s.non_volatile and self.par[i, k.DISSOLVED] == 0.0:
                self.par[i] = with_known_heat(self.part(np.array([i])), s, parameters(s, k.PENG_ROBINSON))

    @property
    def in_one_equation(self) -> bool:
        """Whether one equation of state serves all phases."""
        return self.code in (k.PENG_ROBINSON, k.SOAVE_REDLICH_KWONG, k.PREDICTIVE_SRK)

    def water_share(self, z: np.ndarray) -> float:
        """Mole fraction of water in amounts z; 0 where water is not among the species."""
        return float(z[self.water] / z.sum()) if self.water is not None else 0.0

    def active(self, z: np.ndarray) -> tuple:
        """Indices of species present, their normalised fractions and their Mixture."""
        if z.min() > 0.0:
            return None, z / z.sum(), self.mix
        present = np.flatnonzero(z > 0.0)
        zc = z[present]
        return present, zc / zc.sum(), self.part(present)

    def part(self, at: np.ndarray) -> Mixture:
        """The Mixture of the species at some positions, in their order."""
        if at.size == self.n:
            return self.mix
        found = self._parts.get(key := at.tobytes()) or _part(self.mix, self.n, at)
        if len(self._parts) < MOST_PARTS:
            self._parts[key] = found
        return found

    def flashed(self, T: float, P: float, n: np.ndarray, ln_factor: float = 0.0) -> PhaseState:
        """PhaseState of amounts n of volatile species at T [K] and P [Pa].

        ln_factor: logarithm of the factor by which what is dissolved lowers fugacities in the watery liquid.
        """
        mix = self.mix
        if ln_factor != 0.0:
            par = self.par.copy()
            par[:, k.DILUTED] = ln_factor
            if self.code == k.IDEAL:
                par[:, k.VP0] += ln_factor
            mix = mix._replace(par=par)
        return self._wrap(T, P, *k.flash_amounts(T, P, n, *mix))

    @staticmethod
    def _wrap(T: float, P: float, *flashed: Any) -> PhaseState:
        beta, middle, name_x, name_y, third, x, y, w, props = flashed
        h, s, v, hx, sx, vx, hy, sy, vy, *rest = props.tolist()
        if not (math.isfinite(h) and math.isfinite(v) and math.isfinite(beta)):
            raise StateNotFinite("the phase model has no finite state at {} and {}", (T, "temperature"), (P, "pressure"))
        state = PhaseState(T, P, beta, NAMES[name_y], NAMES[name_x], x, y, h, s, v, (hx, sx, vx), (hy, sy, vy), bool(third))
        if middle > 0.0:
            state.middle_share, state.w, state.middle_properties = middle, w, tuple(rest)
        return state

    def further_phase_distance(self, state: PhaseState) -> float | None:
        """How far a further phase is from forming beside two, in RT: negative where the flash overlooked one; None where unknown."""
        if self.code == k.IDEAL or len(state.phases) != 2 or not (self.all_volatile or state.x[~self.volatile].sum() == 0.0):
            return None
        present = np.flatnonzero((state.x > 0.0) & (state.y > 0.0))
        x, y = (np.ascontiguousarray(z[present] / z[present].sum()) for z in (state.x, state.y))
        found = k.further_phase_distance(state.temperature, state.pressure, x, y, *self.part(present))
        return max(float(found), -1.0) if np.isfinite(found) else None

    def spread(self, values: np.ndarray, present: np.ndarray) -> np.ndarray:
        """Values of what is present on all species, zero elsewhere."""
        full = np.zeros(self.n)
        full[present] = values
        return full

    def at_temperature(self, T: float, P: float, z: np.ndarray) -> PhaseState:
        """Flash amounts z (any scale, some above zero) at T [K] and P [Pa]."""
        if self.all_volatile:
            return self.flashed(T, P, z)
        held, volatile = parted(self, z)
        if volatile.sum() <= 0.0:
            return joined(self, None, held, 0.0, T, P)
        return joined(self, flashed_with(self, held, volatile, T, P), held, float(volatile.sum()), T, P)

    def enthalpies(self, T: np.ndarray, P: float, z: np.ndarray) -> np.ndarray:
        """Molar enthalpies [J/mol] of amounts z flashed at temperatures T [K], shape (m,), and P [Pa]."""
        if self.all_volatile:
            return k.enthalpies(T, P, z, *self.mix)
        return np.array([self.at_temperature(t, P, z).enthalpy for t in T])

    def at_enthalpy(self, h: float, P: float, z: np.ndarray, guess: float = 350.0) -> PhaseState:
        """Flash at molar enthalpy h [J/mol] and P. Raises TemperatureNotFound."""
        return self.solve(k.ENTHALPY, h, P, z, guess, 1e-9 * max(abs(h), 1e4), "enthalpy")

    def at_entropy(self, s: float, P: float, z: np.ndarray, guess: float = 350.0) -> PhaseState:
        """Flash at molar entropy s [J/(mol K)] and P. Raises TemperatureNotFound."""
        return self.solve(k.ENTROPY, s, P, z, guess, 1e-9 * max(abs(s), 50.0), "entropy")

    def at_vapour_fraction(self, fraction: float, P: float, z: np.ndarray, guess: float = 350.0) -> PhaseState:
        """Flash at a vapour fraction in [0, 1] and P; 0 is the bubble and 1 the dew point."""
        edge = min(max(fraction, 1e-9), 1.0 - 1e-9)
        state = self.solve(k.VAPOUR_SHARE, edge, P, z, guess, 1e-11, "vapour fraction")
        boiling.at_an_edge(self, state, edge < 0.5, z)
        return state

    def boundary(self, dew: bool, P: float, z: np.ndarray, guess: float, beside: np.ndarray = boiling.NOTHING) -> tuple | None:
        """(T [K], x, y) at the dew point, or the bubble point, of amounts z at P; None where it is not found so.

        beside: the incipient phase near which it is, shape (n,), where that is known.
        """
        return boiling.boundary(self, dew, P, z, guess, beside)

    def saturated(self, dew: bool, P: float, z: np.ndarray, guess: float = 350.0, beside: np.ndarray = boiling.NOTHING) -> PhaseState:
        """Flash at the dew point, or at the bubble point, and P; beside: as of `boundary`. Raises TemperatureNotFound."""
        return boiling.saturated(self, dew, P, z, guess, beside)

    def all_at_vapour_fraction(self, fraction: float, P: float, z: np.ndarray, guess: float = 350.0) -> list:
        """Every state in range at a vapour fraction in [0, 1] and P, hottest first; at least one. Raises TemperatureNotFound."""
        return boiling.all_at_vapour_fraction(self, fraction, P, z, guess)

    def solve(self, column: int, target: float, P: float, z: np.ndarray, guess: float, tolerance: float, what: str) -> PhaseState:
        """PhaseState in which a property (ENTHALPY, ENTROPY, VAPOUR_SHARE) reaches target; what: its name. Raises TemperatureNotFound."""
        if not self.all_volatile and z[~self.volatile].sum() > 0.0:
            return solve_parted(self, column, target, P, z, guess, tolerance, what)
        outcome, low, high, found = k.flash_amounts_to(P, target, column, z, guess, tolerance, *self.mix)
        if outcome != k.FOUND:
            raise beyond(what, outcome == k.ABOVE_RANGE) if outcome in (k.BELOW_RANGE, k.ABOVE_RANGE) else nowhere(what)
        state = self._wrap(high, P, *found)
        if low == high:
            return state
        below = self.flashed(low, P, z)
        if column == k.VAPOUR_SHARE:
            boiling.not_one_fluid(self, below, state, z)
        return between(below, state, column, target)

    def ideal_gas_properties(self, T: float) -> tuple:
        """(enthalpies [J/mol] on the elements basis, entropies [J/(mol K)] at 1 bar), both of shape (n,).

        Of a non-volatile species: of the state it is in.
        """
        h, s = np.empty(self.n), np.empty(self.n)
        ideal_gas_of(T, self.par, h, s)
        return h, s

    def phase_volume(self, T: float, P: float, n: np.ndarray, phase: int) -> float:
        """Molar volume [m3/mol] of a phase (kernels.VAPOUR or LIQUID) of amounts n; non-volatile ones count in a liquid."""
        return _of_phase(self, T, P, n, phase, 2)

    def phase_enthalpy(self, T: float, P: float, n: np.ndarray, phase: int) -> float:
        """Molar enthalpy [J/mol] on the elements basis of a phase, as `phase_volume`."""
        return _of_phase(self, T, P, n, phase, 0)

    def ln_phi_pure_liquid(self, T: float, P: float) -> np.ndarray:
        """ln fugacity coefficients of the pure liquids, shape (n,)."""
        out = np.zeros(self.n)
        for i in np.flatnonzero(self.volatile):
            out[i] = k.ln_phi_phase(T, P, np.ones(1), k.LIQUID, *self.part(np.array([i])))[0]
        return out

    def can_be_liquid(self, i: int, T: float) -> bool:
        """Whether species i, pure, may be a liquid at T [K]: it is below its critical temperature or stays condensed."""
        critical = self.species[i].critical_temperature
        return not self.volatile[i] or critical is None or critical.value > T

    def standard_enthalpies(self, T: float, phase: str) -> np.ndarray:
        """Molar enthalpies of the pure species at T [K] and 1 bar on the elements basis [J/mol], shape (n,).

        phase "liquid": of the pure liquids, above their vapour pressures, as far as a species can be one at T; else of ideal gases.
        """
        h = self.ideal_gas_enthalpies(T)
        for i in np.flatnonzero(self.volatile) if phase == "liquid" else ():
            if self.can_be_liquid(int(i), T) and not self.of_ions[i]:
                pressed = max(k.P0, PRESSED * float(np.exp(min(ln_psat(T, self.par, i)[0], 25.0))))  # else an equation takes it for a gas
                h[i] = k.phase_properties(T, pressed, np.ones(1), k.LIQUID, *self.part(np.array([i])))[0]
        return h

    def ideal_gas_enthalpies(self, T: float) -> np.ndarray:
        """Molar enthalpies on the elements basis [J/mol], shape (n,)."""
        return self.ideal_gas_properties(T)[0]

    def ideal_gas_entropies(self, T: float) -> np.ndarray:
        """Molar entropies at 1 bar [J/(mol K)], shape (n,)."""
        return self.ideal_gas_properties(T)[1]

    def ln_phi(self, T: float, P: float, n: np.ndarray, phase: int) -> np.ndarray:
        """ln fugacity coefficients of one phase (kernels.VAPOUR or LIQUID) of amounts n, shape (n,).

        Zero for non-volatile species, which take no part in the phase.
        """
        if self.all_volatile:
            return k.ln_phi_phase(T, P, n / n.sum(), phase, *self.mix)
        at = np.flatnonzero(self.volatile)
        out = np.zeros(self.n)
        part = n[at]
        if part.sum() > 0.0:
            out[at] = k.ln_phi_phase(T, P, part / part.sum(), phase, *self.part(at))
        return out


def _of_phase(model: PhaseModel, T: float, P: float, n: np.ndarray, phase: int, which: int) -> float:
    """One of a phase's (h, s, v), non-volatile species counted with a liquid."""
    at = np.flatnonzero(model.volatile & (n > 0.0))
    part = n[at].sum()
    value = k.phase_properties(T, P, n[at] / part, phase, *model.part(at))[which]
    if model.all_volatile or phase == k.VAPOUR:
        return value
    held = np.where(model.volatile, 0.0, n)
    return (value * part + held_properties(model, held, T)[which]) / n.sum()


def _part(m: Mixture, n: int, at: np.ndarray) -> Mixture:
    """The Mixture of some of the n species of another."""
    pairs = np.ascontiguousarray(m.pairs[:, at[:, None], at])
    return m._replace(par=m.par[at], pairs=pairs, groups=np.vstack([m.groups[at], m.groups[n:]]))


def _mixture(model: PhaseModel, vapour: int, typed: dict[tuple, Any]) -> Mixture:
    """The Mixture of a PhaseModel whose species, par and water are there; its origins are filled."""
    if model.code == k.PREDICTIVE_SRK:
        return predictive(model.species, model.par, k.N_PAIR)
    if model.kind == "free-water":
        mix, model.origins = water_apart(vapour, model.species, model.water, model.par)
    elif model.code >= k.UNIFAC:
        mix, model.origins = activity(model.code, vapour, model.species, model.par, typed)
    else:
        pairs, groups = np.zeros((k.N_PAIR, model.n, model.n)), np.zeros((model.n + 1, 0))
        mix = Mixture(model.code, k.IDEAL, active(model.species), model.par, pairs, groups)
    return mix


@lru_cache(maxsize=64)
def phase_model(kind: str, species: tuple, kij: tuple = (), vapour: str = "ideal", parameters_of_pairs: tuple = ()) -> PhaseModel:
    """Shared PhaseModel of a kind over species keys, each a CAS number or (CAS number, user data); the rest as in PhaseModel."""
    expect((key if isinstance(key, str) else key[0]) or "" for key in species)
    found = [lookup(*((key,) if isinstance(key, str) else key)) for key in species]
    return PhaseModel(kind, found, kij, vapour, parameters_of_pairs)
