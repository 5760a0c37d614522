"""A run in progress, read by the addresses of results as a Solution is."""

from __future__ import annotations

from types import SimpleNamespace
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.declared.base import ROUNDING, plain
from gulch.engine.flowsheet.costs import building_of
from gulch.engine.flowsheet.worth import account_of
from gulch.engine.project.measures import OVERALL
from gulch.engine.reactors.counted import measured

if TYPE_CHECKING:
    from gulch.engine.flowsheet.run import Run
    from gulch.engine.phases.stream import Stream


def ends(run: Run) -> tuple:
    """(streams fed, streams that leave) of the whole process; a loop left open counts as both."""
    plan = run.plan
    feeds = [run.streams[s.id] for s in plan.feeds if s.to] + [run.streams[s] for s in plan.open]
    products = [run.streams[s.id] for s in plan.project.streams if s.to is None and not s.is_feed and s.id in run.streams]
    return feeds, products + list(run.returned.values())


def overall_values(run: Run) -> dict[str, Any]:
    """Conversions and amounts made over the whole process, and the project's measures."""
    plan, n = run.plan, len(run.plan.species)
    n_in, n_out = (sum((s.n for s in some), np.zeros(n)) for some in ends(run))
    # what a closed loop leaves open is nothing that was made or used up
    left_open = 10.0 * plan.tolerance * n_in.sum() if run.solution.loops else ROUNDING * n_in
    n_out = np.where(np.abs(n_out - n_in) <= left_open, n_in, n_out)
    out: dict[str, Any] = {
        "conversion": {s: float((a - b) / a) for s, a, b in zip(plan.species, n_in, n_out, strict=True) if a > 0.0},
        "made": {s: float(b - a) for s, a, b in zip(plan.species, n_in, n_out, strict=True)},
    }
    if plan.counted:
        before, after = (dict(zip(plan.species, n.tolist(), strict=True)) for n in (n_in, n_out))
        out.update(zip(OVERALL, measured(plan.counted, before, after), strict=True))
    return out


class Live:
    """A run in progress, as `results.value` reads a Solution."""

    def __init__(self, run: Run) -> None:
        self.run = run
        self.units, self.streams = _LiveUnits(run), _LiveStreams(run)

    @property
    def overall(self) -> _LiveOverall:
        return _LiveOverall(self.run)


class _LiveOverall:
    def __init__(self, run: Any) -> None:
        self.run = run

    def get(self, name: str) -> Any:
        if name == "worth":
            return account_of(self.run).rate if self.run.plan.prices is not None else None
        if name == "cost":
            prices = self.run.plan.project.prices
            return building_of(self.run).purchase if prices is not None and prices.building is not None else None
        return overall_values(self.run).get(name)


class _LiveUnits:
    def __init__(self, run: Run) -> None:
        self.run = run

    def __contains__(self, id_: str) -> bool:
        return id_ in self.run.done

    def __getitem__(self, id_: Any) -> Any:
        return SimpleNamespace(values=_LiveValues(self.run, id_))


class _LiveValues:
    def __init__(self, run: Any, id_: Any) -> None:
        self.run, self.id = run, id_

    def get(self, name: str) -> Any:
        return plain(self.run.done[self.id][1].values.get(name))


class _LiveStreams:
    def __init__(self, run: Run) -> None:
        self.run = run

    def get(self, id_: str) -> _LiveStream | None:
        stream = self.run.streams.get(id_)
        return None if stream is None else _LiveStream(stream, self.run.plan.species)


class _LiveStream:
    """Attributes of StreamResult, computed when read."""

    def __init__(self, stream: Stream, species: list[str]) -> None:
        self._stream, self._species = stream, species

    @property
    def flow(self) -> dict[str, float]:
        return dict(zip(self._species, self._stream.n.tolist(), strict=True))

    @property
    def temperature(self) -> float:
        return self._stream.T

    @property
    def pressure(self) -> float:
        return self._stream.P

    def __getattr__(self, name: Any) -> Any:
        return getattr(self._stream, name)
