"""Arrangements: vessels one after another, what they make, and their words.

Notation: n [mol/kg]: shape (n,); volumes [m3 s/kg], by the kilogram of all that is fed to the arrangement.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.regions.devices import EXACT, ROUGH, SIDE_FED, TANK

if TYPE_CHECKING:
    from collections.abc import Callable

    from gulch.engine.regions.devices import Devices

POLISH = 140  # runs of an arrangement while its sizes are brought to the best
FAR = 2.5  # of the logarithm of a size, that is looked at beside where it began


@dataclass(frozen=True)
class Step:
    """A vessel at T [K] by the kilogram that enters it: its volume, and the fresh feed put in along it [kg/kg]."""

    device: str
    T: float
    volume: float
    put_in: float = 0.0


@dataclass(frozen=True)
class Arrangement:
    """Vessels one after another, the first from fresh feed."""

    steps: tuple[Step, ...] = ()

    def then(self, step: Step) -> Arrangement:
        """With a further vessel; two tubes at one temperature are one."""
        last = self.steps[-1] if self.steps else None
        if last is not None and last.device == step.device == "tube" and last.T == step.T:
            return Arrangement((*self.steps[:-1], replace(last, volume=last.volume + step.volume)))
        return Arrangement((*self.steps, step))

    def leaving(self, devices: Devices, tolerance: float = EXACT) -> np.ndarray | None:
        """What leaves [mol/kg], shape (n,); None where a vessel cannot be computed."""
        n = devices.fresh
        for step in self.steps:
            if step.volume <= 0.0:
                continue
            if step.device == TANK:
                found = devices.tank(n, step.T, step.volume)
                if found is None:
                    return None
                n = found[0]
            else:
                n = devices.tube(n, step.T, step.volume, step.put_in, tolerance)[1][-1]
        return n

    def shares(self) -> list[float]:
        """Kilograms that enter each vessel, by the kilogram of all that is fed."""
        flows, flow = [], 1.0
        for step in self.steps:
            flows.append(flow)
            flow *= 1.0 + step.put_in
        return [f / flow for f in flows]

    def volumes(self, mass: float) -> list[float]:
        """Volumes [m3] of the vessels where `mass` [kg/s] is fed in all."""
        return [step.volume * share * mass for step, share in zip(self.steps, self.shares(), strict=True)]

    def put_in(self, mass: float) -> list[float]:
        """Fresh feed [kg/s] put in along each vessel where `mass` [kg/s] is fed in all."""
        return [step.put_in * share * mass for step, share in zip(self.steps, self.shares(), strict=True)]

    def polished(self, devices: Devices, reads: Callable) -> Arrangement:
        """The same vessels at the sizes that read highest, by the simplex method on the logarithms of what they have."""
        if not self.steps:
            return self

        start = np.log([v for s in self.steps for v in ((s.volume, s.put_in) if s.device == SIDE_FED else (s.volume,))])

        def of(u: np.ndarray) -> Arrangement:
            sizes = iter(np.exp(u))
            return Arrangement(
                tuple(replace(s, volume=next(sizes), put_in=next(sizes) if s.device == SIDE_FED else 0.0) for s in self.steps)
            )

        def miss(u: np.ndarray) -> float:
            n = of(u).leaving(devices, ROUGH) if np.all(np.abs(u - start) < FAR) else None
            return -reads(n) if n is not None else 1e30

        found = scipy.optimize.minimize(
            miss, start, method="Nelder-Mead", options={"maxfev": POLISH, "xatol": 1e-5, "fatol": 1e-10, "initial_simplex": _simplex(start)}
        )
        return of(found.x) if found.fun < miss(start) else self

    def trimmed(self, devices: Devices, reads: Callable, share: float) -> Arrangement:
        """All vessels smaller by one factor, as far as no more than a share of what is gained over the feed is lost."""
        n = self.leaving(devices)
        if n is None or not self.steps:
            return self
        nothing, top = reads(devices.fresh), reads(n)

        def kept(ln: float) -> float:
            there = self.scaled(math.exp(ln)).leaving(devices, ROUGH)
            return (reads(there) - nothing if there is not None else 0.0) - (1.0 - share) * (top - nothing)

        low = -12.0
        if not top > nothing or kept(low) >= 0.0 or kept(0.0) <= 0.0:
            return self
        return self.scaled(math.exp(scipy.optimize.brentq(kept, low, 0.0, xtol=1e-3)))

    def scaled(self, factor: float) -> Arrangement:
        """All volumes by a factor."""
        return Arrangement(tuple(replace(s, volume=factor * s.volume) for s in self.steps))


def _simplex(start: np.ndarray) -> np.ndarray:
    return np.vstack([start, start + 0.15 * np.eye(start.size)])
