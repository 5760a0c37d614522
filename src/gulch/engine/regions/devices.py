"""The vessels of which arrangements are made: tanks, tubes, and tubes with fresh feed put in along their way, at held temperatures.

Everything counts on 1 kg/s: mass is what mixing and reaction keep, so that a mixture lies on the straight line between its parts.

Notation: n [mol/kg]: shape (n,); volumes [m3 s/kg].
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.chemistry.kernels.rates import reaction_rates
from gulch.engine.fluids import FOUND, phase_properties
from gulch.engine.vessels import contents as c
from gulch.engine.vessels.following import BARE, UNWATCHED, Followed
from gulch.engine.vessels.tank import tank

if TYPE_CHECKING:
    from gulch.engine.chemistry.kernels.rates import Rates
    from gulch.engine.phases.model import PhaseModel

TANK, TUBE, SIDE_FED = "tank", "tube", "side-fed tube"
ROUGH = 3e-5  # of the integrator, while a region grows
EXACT = 1e-6
TANKS = 28  # sizes of a tank that are looked at
FEW_TANKS = 14
MOST_TANKS = 120
GAP = 0.012  # of all moles, that what leaves tanks of neighbouring sizes may lie apart
LONG = 300.0  # times the fastest time scale, up to which sizes are looked at at least
WAITED = 3  # times that a slower reaction is waited for
ENOUGH = 3.0  # times what it takes to use up all at the rate that is left
AT_REST = 1e8  # times the fastest time scale, beyond which what is left is the rounding of an equilibrium


@dataclass(frozen=True)
class Devices:
    """What runs: laws in one phase at a pressure [Pa], and how much of what they count on is in 1 m3, shape (4,); fresh: feed [mol/kg]."""

    model: PhaseModel
    laws: Rates
    per: np.ndarray
    phase: int
    P: float
    counted: np.ndarray
    fresh: np.ndarray

    @property
    def nu(self) -> np.ndarray:
        """Stoichiometric coefficients, shape (m, n)."""
        return self.laws.nu

    def pace(self, n: np.ndarray, T: float) -> np.ndarray:
        """Extents per volume [mol/(m3 s)] at n [mol/kg] and T [K], shape (m,)."""
        x = np.maximum(n, 0.0)
        x = x / x.sum()
        v = phase_properties(T, self.P, x, self.phase, *self.model.mix)[2]
        return reaction_rates(T, self.P, x, v, self.phase, self.laws, *self.model.mix) * self.counted[self.per]

    def quick(self, T: float) -> float:
        """The volume in which the fastest reaction of the feed at T [K] would use all of it up; 0 where nothing reacts."""
        fastest = np.abs(self.pace(self.fresh, T)).max()
        return float(self.fresh.sum() / fastest) if fastest > 0.0 else 0.0

    def largest(self, T: float) -> float:
        """A volume at whose end a tube at T [K] hardly changes any more: slow reactions behind fast ones are waited for."""
        quick = self.quick(T)
        volume = LONG * quick
        for _ in range(WAITED if quick > 0.0 else 0):
            left = self.tube(self.fresh, T, volume, 0.0, ROUGH)[1][-1]
            change = np.abs(self.pace(left, T) @ self.nu).max()  # of amounts: what runs to and fro at equilibrium changes none
            wanted = ENOUGH * self.fresh.sum() / max(change, 1e-300)
            if not volume < wanted < AT_REST * quick:
                break
            volume = wanted
        return volume

    @cached_property
    def _bare(self) -> c.Contents:
        fixed = np.zeros(c.NUMBERS)
        fixed[c.F_P], fixed[c.F_VOID :] = self.P, self.counted
        return BARE._replace(
            phase=self.phase, heat=c.HELD_T, n0=self.fresh, put_in=np.zeros(self.model.n), fixed=fixed, molar_mass=self.model.molar_mass
        )

    def tube(
        self, n: np.ndarray, T: float, volume: float, put_in: float = 0.0, tolerance: float = EXACT
    ) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """(volumes, n [mol/kg], kilograms that flow per kilogram entered) along a tube, shapes (k,), (k, n), (k,).

        put_in: fresh feed by the kilogram put in evenly over the whole volume.
        """
        fixed = self._bare.fixed.copy()
        fixed[c.F_T] = T
        what = self._bare._replace(n0=np.array(n, float), put_in=put_in / volume * self.fresh, fixed=fixed)
        h = phase_properties(T, self.P, n / n.sum(), self.phase, *self.model.mix)[0]
        way = Followed(self.model, self.laws, self.per, tolerance=tolerance)
        way.go_on(what, UNWATCHED, volume, np.r_[np.zeros(len(self.per)), h * n.sum(), self.P, T, T])
        piece = way.pieces[0]
        mass = 1.0 + put_in * piece.places / volume
        return piece.places, way.amounts(piece, piece.places, piece.rows) / mass[:, None], mass

    def tank(self, n: np.ndarray, T: float, volume: float, xi: np.ndarray | None = None) -> tuple[np.ndarray, np.ndarray] | None:
        """(n [mol/kg], extents) that leave a stirred tank of a volume, begun from extents; None where none is found."""
        start = np.zeros(len(self.per)) if xi is None else xi
        outcome, found, _ = tank(T, self.P, n, volume, False, self.phase, self.laws, self.per, self.counted, start, *self.model.mix)
        return (np.maximum(n + found @ self.nu, 0.0), found) if outcome == FOUND else None

    def tanks(self, n: np.ndarray, T: float, largest: float, closely: bool) -> tuple[np.ndarray, np.ndarray]:
        """(volumes, n that leave) of tanks from small to large, shapes (k,), (k, n); closely: more where what leaves changes fast."""
        found, xi = [], None
        low, high = np.log10(self.quick(T)) - 3.0, np.log10(largest) + 1.0
        many = int((TANKS if closely else FEW_TANKS) * (high - low) / 6.5)
        for volume in np.logspace(low, high, many):
            made = self.tank(n, T, volume, xi)
            if made is not None:
                found.append((volume, made[0], made[1]))
                xi = made[1]
        k, far = 1, GAP * n.sum()
        while closely and k < len(found) and len(found) < MOST_TANKS:
            (v0, n0, xi0), (v1, n1, _) = found[k - 1], found[k]
            if np.abs(n1 - n0).max() > far and (made := self.tank(n, T, float(np.sqrt(v0 * v1)), xi0)) is not None:
                found.insert(k, (float(np.sqrt(v0 * v1)), made[0], made[1]))
            else:
                k += 1
        return np.array([v for v, *_ in found]), np.array([made for _, made, _ in found]).reshape(-1, self.model.n)
