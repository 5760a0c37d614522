"""What laws predict for every reading, and how that changes with the numbers sought: by the vessels' own slopes.

Notation: phi: numbers sought, shape (p,); readings, shape (N,); J: slopes, shape (N, p).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.chemistry.kernels import rates as k
from gulch.engine.fluids import FOUND, R
from gulch.engine.measured.what import RATES
from gulch.engine.vessels.course import AT_PRESSURE, CONSTANT_VOLUME, followed, rates_read, volume_read
from gulch.engine.vessels.well_mixed import mixed

if TYPE_CHECKING:
    from gulch.engine.chemistry.kernels.rates import Rates
    from gulch.engine.fitting.laws import Laws
    from gulch.engine.measured import Run
    from gulch.engine.phases.model import PhaseModel

TOLERANCE = 1e-4  # of the integrator’s error estimate; what it reaches is some thousand times nearer


@dataclass(frozen=True)
class Group:
    """Readings of one kind and species in a run. at: points, shape (j,); of: positions among all readings."""

    what: str
    species: int
    at: np.ndarray
    of: np.ndarray


class Predicted:
    """Runs and laws put together. mix: the phase model."""

    def __init__(self, runs: list[Run], laws: Laws, model: PhaseModel) -> None:
        self.runs, self.laws, self.model = runs, laws, model
        self.readings = [r for run in runs for r in run.readings]
        self.values = np.array([r.value for r in self.readings])
        self.groups = self._grouped()
        self.solves = 0
        self.ends: dict[int, np.ndarray] = {}  # extents of tanks, where the next search begins

    def _grouped(self) -> list[list[Group]]:
        found: list[dict[tuple, list]] = [{} for _ in self.runs]
        place = {id(run): i for i, run in enumerate(self.runs)}
        at = 0
        for run in self.runs:
            for reading in run.readings:
                found[place[id(run)]].setdefault((reading.what, reading.species), []).append((reading.point, at))
                at += 1
        return [[Group(*key, *(np.array(v, int) for v in zip(*rows, strict=True))) for key, rows in of_run.items()] for of_run in found]

    def computed(self, phi: np.ndarray, want: bool = True) -> tuple[np.ndarray, np.ndarray]:
        """(what is predicted for each reading, nan where a vessel cannot be followed, slopes). Slopes are zero where not wanted."""
        laws = self.laws.packed(phi)
        out, J = np.full(self.values.size, np.nan), np.zeros((self.values.size, phi.size))
        self.solves += 1
        for i, run in enumerate(self.runs):
            if run.kind == "constants":
                self._constants(run, self.groups[i], laws, out, J)
            elif run.kind == "differential":
                self._rates(run, self.groups[i], laws, out, J)
            else:
                xi, slopes = self._extents(i, run, laws, want)
                if xi is not None:
                    self._read(run, self.groups[i], laws, xi, slopes, out, J)
        return out, self.laws.turned(phi, J)

    def along(self, run: Run, phi: np.ndarray, points: np.ndarray, what: str, species: int) -> np.ndarray:
        """What a response reads at other points of a run [SI], shape (j,)."""
        laws = self.laws.packed(phi)
        out, J = np.full(points.size, np.nan), np.zeros((points.size, phi.size))
        other = replace(run, points=points, readings=[])
        xi, slopes = self._extents(-1, other, laws, False)
        if xi is not None:
            self._read(other, [Group(what, species, np.arange(points.size), np.arange(points.size))], laws, xi, slopes, out, J)
        return out

    def _extents(self, i: int, run: Run, laws: Rates, want: bool) -> tuple[np.ndarray | None, np.ndarray]:
        """(extents at each point, shape (k, m), None where they are not found, slopes, shape (k, m, p))."""
        m, p, points = laws.nu.shape[0], self.laws.asked.shape[0], run.points
        xi, slopes = np.zeros((points.size, m)), np.zeros((points.size * m, p))
        told = laws, self.laws.per, self.laws.asked, self.laws.pivots
        if run.kind != "tank":
            found = followed(run.vessel, points, *told, TOLERANCE, want, xi, slopes, *self.model.mix)
            return (xi if found == FOUND else None), slopes.reshape(points.size, m, p)
        now = self.ends.get(i, np.zeros(m)).copy()
        here = np.zeros((m, p))
        for j, size in enumerate(points):
            if mixed(run.vessel, float(size), *told, want, now, here, *self.model.mix) != FOUND:
                return None, slopes.reshape(points.size, m, p)
            xi[j], slopes[j * m : (j + 1) * m] = now, here
            if j == 0:
                self.ends[i] = now.copy()
        return xi, slopes.reshape(points.size, m, p)

    def _read(self, run: Run, groups: list[Group], laws: Rates, xi: np.ndarray, slopes: np.ndarray, out: np.ndarray, J: np.ndarray) -> None:
        """Turn extents into what was read."""
        vessel, nu = run.vessel, laws.nu
        for group in groups:
            s, at = group.species, group.at
            of_s = np.tensordot(slopes[at], nu[:, s], (1, 0)) if s >= 0 else slopes[:0]  # (j, p)
            n_s = vessel.n0[s] + xi[at] @ nu[:, s] if s >= 0 else xi[:0, 0]
            if group.what == "conversion":
                fed = vessel.n0[s]
                value, slope = (1.0 - n_s / fed, -of_s / fed) if fed > 0.0 else (np.full(at.size, np.nan), of_s)
            elif group.what == "flow":
                value, slope = n_s, of_s
            elif group.what == "concentration" and vessel.kind == CONSTANT_VOLUME:
                value, slope = n_s / vessel.volume, of_s / vessel.volume
            elif group.what in RATES:
                size = run.points[at] * vessel.shares[RATES[group.what]] * self._sign(group)
                value, slope = (n_s - vessel.n0[s]) / size, of_s / size[:, None]
            else:
                n = vessel.n0 + xi[at] @ nu  # (j, n)
                of_n = np.einsum("rj,krp->kjp", nu, slopes[at])
                value, slope = self._by_all(run, group, laws, xi, slopes, n, of_n)
            out[group.of], J[group.of] = value, slope

    def _by_all(
        self, run: Run, group: Group, laws: Rates, xi: np.ndarray, slopes: np.ndarray, n: np.ndarray, of_n: np.ndarray
    ) -> tuple[np.ndarray, np.ndarray]:
        """Fractions, and concentrations and pressures where they hang on the volume."""
        vessel, s = run.vessel, group.species
        if group.what == "fraction":
            total = n.sum(axis=1)
            value = n[:, s] / total
            return value, (of_n[:, s] - value[:, None] * of_n.sum(axis=1)) / total[:, None]
        value, slope = np.empty(group.at.size), np.empty((group.at.size, slopes.shape[2]))
        along = np.zeros(xi.shape[1])
        total, of_total = n.sum(axis=1), of_n.sum(axis=1)
        for j, at in enumerate(group.at.tolist()):
            V, P, _ = volume_read(vessel, float(run.points[at]), xi[at], laws.nu, along, *self.model.mix)
            if group.what == "concentration":
                value[j] = n[j, s] / V
                slope[j] = (of_n[j, s] - value[j] * (along @ slopes[at])) / V
                continue
            of_P = P * of_total[j] / total[j] if vessel.kind != AT_PRESSURE and vessel.follows else np.zeros(slopes.shape[2])
            x = n[j, s] / total[j] if s >= 0 else 1.0
            of_x = (of_n[j, s] - x * of_total[j]) / total[j] if s >= 0 else np.zeros(slopes.shape[2])
            value[j], slope[j] = x * P, x * of_P + P * of_x
        return value, slope

    def _rates(self, run: Run, groups: list[Group], laws: Rates, out: np.ndarray, J: np.ndarray) -> None:
        """Rates of species at the charge itself."""
        slopes = np.zeros((laws.nu.shape[0], J.shape[1]))
        rates = rates_read(run.vessel, laws, self.laws.asked, self.laws.pivots, slopes, *self.model.mix)
        for group in groups:
            per = np.where(self.laws.per == k.PER_BED, k.PER_FLUID, self.laws.per)
            counted = np.where(per == RATES[group.what], laws.nu[:, group.species], 0.0)
            out[group.of] = self._sign(group) * (counted @ rates)
            J[group.of] = self._sign(group) * (counted @ slopes)

    def _sign(self, group: Group) -> float:
        """-1 where the rate of what is used up was written above zero."""
        used = self.laws.rates.nu[:, group.species].sum() < 0.0
        return -1.0 if used and np.median(self.values[group.of]) > 0.0 else 1.0

    def _constants(self, run: Run, groups: list[Group], laws: Rates, out: np.ndarray, J: np.ndarray) -> None:
        """k of the law itself, or K of its reaction, at the row's temperature."""
        r = next((i for i, x in enumerate(self.laws.reactions) if x.id == run.reaction), 0)
        T = run.T
        for group in groups:
            if group.what == "K":
                A, B, C, D = laws.numbers[r, [k.N_A, k.N_B, k.N_C, k.N_D]]
                out[group.of] = value = float(np.exp(min(A + B / T + C * np.log(T) + D * T, 690.0)))
                for a, n in enumerate(self.laws.numbers):
                    if n.reaction == r and n.kind.startswith("lnK_"):
                        J[group.of, a] = value * (1.0 if n.kind == "lnK_A" else (n.pivot - 1.0 / T) / R)
                continue
            ln_k = laws.numbers[r, k.N_LN_K] + laws.numbers[r, k.N_POWER] * np.log(T) - laws.numbers[r, k.N_E] / T
            out[group.of] = value = float(np.exp(min(ln_k, 690.0)))
            for a, n in enumerate(self.laws.numbers):
                if n.reaction == r:
                    by = {"k": 1.0, "energy": (n.pivot - 1.0 / T) / R, "power": np.log(T) - n.pivot}.get(n.kind, 0.0)
                    J[group.of, a] = value * by
