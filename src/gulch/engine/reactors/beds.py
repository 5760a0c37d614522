"""Beds in series being followed: each a tube, with an exchanger or cold gas before it, and the diagram of their path.

Notation: stages from 0; flows [mol/s], shape (n,); X: conversion of the key species of what was fed so far.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.chemistry.kernels.alone import at_rest, fastest
from gulch.engine.declared.base import Given
from gulch.engine.declared.told import UnitTrouble
from gulch.engine.phases import Stream
from gulch.engine.reactors.tube import POINTS, Tube

if TYPE_CHECKING:
    from gulch.engine.chemistry.kernels.rates import Rates
    from gulch.engine.declared.base import Context
    from gulch.engine.vessels.following import Along, Followed

DIAGRAM = 60  # points of a line of the diagram
BEYOND = 60.0  # K that the diagram reaches beyond the path, both ways


@dataclass
class Stage:
    """A stage as it runs: what enters, how it is followed, what leaves; heat put in before it [W] and through its wall [W]."""

    entering: Stream
    way: Followed
    leaving: Stream
    before: float
    inside: float
    volume: float


class Beds:
    """Stages run one after another. cold: what is left for cold gas, None where there are exchangers. Raises UnitTrouble.

    shares: of the cold gas before each stage, the first 0.
    """

    def __init__(
        self, feed: Stream, cold: Stream | None, shares: list[float], given: Given, context: Context,
        laws: Rates, per: np.ndarray, phase: int, phase_state: Callable, key: int,
    ) -> None:  # fmt: skip
        self.feed, self.cold, self.shares, self.given, self.context = feed, cold, shares, given, context
        self.laws, self.per, self.phase, self.phase_state, self.key, self.model = laws, per, phase, phase_state, key, context.model
        self.stages: list[Stage] = []
        stream = feed
        for k in range(int(given.stages)):
            self.stages.append(self._stage(k, stream))
            stream = self.stages[-1].leaving

    def _entering(self, k: int, stream: Stream) -> tuple[Stream, float]:
        """(what enters a stage, heat put into it before)."""
        if self.cold is None or k == 0:
            T = self.given.inlet[k] if k < len(self.given.inlet) else None
            if T is None:
                return stream, 0.0
            entering = stream.at(T=T, P=stream.P)
            return entering, entering.enthalpy_flow - stream.enthalpy_flow
        added = self.shares[k]
        n, H = stream.n + added * self.cold.n, stream.enthalpy_flow + added * self.cold.enthalpy_flow
        return Stream.at_enthalpy(self.model, n, H, stream.P, stream.T), 0.0

    def _stage(self, k: int, stream: Stream) -> Stage:
        entering, before = self._entering(k, stream)
        given, volume = self.given, self.size(k)
        cooled = given.mode == "coolant"
        drop = given.drop[k] or 0.0
        own = Given(
            **vars(given) | {"size_by": "volume", "volume": volume, "tubes": 1.0, "diameter": None, "falls": "drop" if drop else "level",
            "pressure_drop": drop, "capacity": None, "conductance": given.conductance[k] if cooled else None}
        )  # fmt: skip
        if drop >= entering.P:
            raise UnitTrouble(f"Stage {k + 1} lets the pressure fall by more than there is.", "Type a smaller drop.", "drop")
        H_in = self.phase_state(self.model, entering.n, entering.T, entering.P, self.phase)[0]
        tube = Tube(entering, own, self.context, self.laws, self.per, self.phase, entering.T, H_in)
        try:
            way = tube.followed()
        except UnitTrouble as trouble:
            raise UnitTrouble(f"Stage {k + 1}: {trouble.what}", trouble.todo, "volume") from None
        H, P, T, _ = way.end[-4:].tolist()
        leaving = Stream.at_enthalpy(self.model, way.leaving(), entering.enthalpy_flow + H - H_in, P, T)
        return Stage(entering, way, leaving, before, H - H_in, volume)

    def size(self, k: int) -> float:
        """Volume of a stage [m3]. Raises UnitTrouble."""
        if self.given.size_by == "volume":
            return self.given.volume[k]
        if not self.given.bulk_density:
            raise UnitTrouble("The mass of catalyst alone gives no volume.", "Type the catalyst per bed volume.", "bulk_density")
        return self.given.catalyst_mass[k] / self.given.bulk_density

    @property
    def heat(self) -> float:
        """Heat put into all stages and before them [W]."""
        return sum(s.before + s.inside for s in self.stages)

    def fed(self, k: int) -> np.ndarray:
        """What was fed up to a stage [mol/s], shape (n,)."""
        return self.feed.n + (sum(self.shares[: k + 1]) * self.cold.n if self.cold is not None else 0.0)

    def conversion(self, k: int, n: np.ndarray) -> np.ndarray | float:
        """X in stage k of flows n, shape (n,) or (points, n)."""
        fed = self.fed(k)[self.key]
        return (fed - n[..., self.key]) / fed if fed > 0.0 else 0.0 * n[..., self.key]

    @cached_property
    def along(self) -> list[Along]:
        """States along each stage."""
        return [s.way.along(max(POINTS // len(self.stages), 30)) for s in self.stages]

    @property
    def driving(self) -> np.ndarray | None:
        """What becomes of a mole of key, shape (n,), where one reaction alone makes the path; else None."""
        nu = self.laws.nu
        return nu[0] / -nu[0, self.key] if len(nu) == 1 and nu[0, self.key] < 0.0 else None

    def farthest(self) -> float:
        """The conversion at which the first reactant is used up."""
        assert self.driving is not None
        whole, used = self.fed(len(self.stages) - 1), -self.driving
        left = [whole[i] / used[i] for i in np.flatnonzero(used > 0.0)]
        return float(min(left) / whole[self.key]) if whole[self.key] > 0.0 else 0.0

    def _alone(self) -> tuple[np.ndarray, np.ndarray]:
        """(contents before anything reacts, what they change by up to X = 1), shape (n,) each, where one reaction makes the path."""
        assert self.driving is not None
        whole = self.fed(len(self.stages) - 1)
        return whole, whole[self.key] * self.driving

    def equilibrium(self, T: np.ndarray, P: float) -> np.ndarray | None:
        """Conversions at which the one reaction stands still at T [K], shape (k,), and P [Pa]; None where none are known."""
        if self.driving is None or self.fed(0)[self.key] <= 0.0:
            return None
        return at_rest(T, P, *self._alone(), self.farthest() * (1.0 - 1e-9), self.phase, self.laws, *self.model.mix)

    def equilibrium_at(self, stream: Stream) -> float | None:
        """`equilibrium` at temperature and pressure of a stream."""
        found = self.equilibrium(np.array([stream.T]), stream.P)
        return None if found is None else float(found[0])

    def diagram(self) -> dict[str, list]:
        """Conversion over temperature, as columns of one table with gaps: the stages' path, equilibrium, and where the rate is best."""
        T: list = []
        path: list = []
        for k, (stage, along) in enumerate(zip(self.stages, self.along, strict=True)):
            if k == 0 and stage.before:
                T, path = [self.feed.T], [0.0]
            T += along.T.tolist()
            path += np.asarray(self.conversion(k, along.n)).tolist()
        P = self.stages[0].entering.P
        low, high = max(min(T) - BEYOND, 200.0), max(T) + BEYOND
        out: dict[str, list] = {"over": T, "path": path, "equilibrium": [None] * len(T), "best": [None] * len(T)}
        if self.driving is None:
            return out
        grid = np.linspace(low, high, DIAGRAM)
        found = self.equilibrium(grid, P)
        if found is None:
            balanced, best = [None] * DIAGRAM, []
        else:
            levels = np.linspace(0.0, found.max(), DIAGRAM)[1:-1]
            top = fastest(levels, P, *self._alone(), low, high + 300.0, self.phase, self.laws, *self.model.mix)
            balanced, best = found.tolist(), [(t, x) for t, x in zip(top.tolist(), levels.tolist(), strict=True) if t <= high]
        out["over"] = [*T, None, *grid.tolist(), None, *(t for t, _ in best)]
        gap = [None]
        out["path"] = path + [None] * (2 + DIAGRAM + len(best))
        out["equilibrium"] = [None] * len(T) + gap + balanced + gap + [None] * len(best)
        out["best"] = [None] * (len(T) + 2 + DIAGRAM) + [x for _, x in best]
        return out

    def pressure_left(self) -> float:
        """Outlet pressure [Pa]."""
        return self.stages[-1].leaving.P

    def residence(self) -> float:
        """Residence time of the fluid [s]."""
        return float(sum(np.trapezoid(self.given.void / a.volume, a.grid) for a in self.along))

    def hottest(self) -> float:
        """Highest temperature [K]."""
        return float(max(a.T.max() for a in self.along))

    def coldest_beyond(self) -> tuple[int, float, float] | None:
        """(stage, X that enters it, equilibrium at its inlet) of the first stage that begins beyond equilibrium; None where none does."""
        for k, stage in enumerate(self.stages):
            X, limit = float(self.conversion(k, stage.entering.n)), self.equilibrium_at(stage.entering)
            if limit is not None and limit + 1e-9 < X and not math.isclose(X, limit, rel_tol=1e-6):
                return k, X, limit
        return None
