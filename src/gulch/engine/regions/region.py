"""The attainable region: all that any arrangement of mixing and reaction can make of a feed, seen in two of its directions.

It grows as recursive convex control does (Seodigeng, Hausberger, Hildebrandt & Glasser, Comput. Chem. Eng. 33 (2009) 1309): the corners of
the hull are fed to tubes, to tanks and to tubes with fresh feed along them, what they make is added, and so on until nothing is
gained. Theory: Feinberg & Hildebrandt, Chem. Eng. Sci. 52 (1997) 1637; Glasser, Hildebrandt & Crowe, Ind. Eng. Chem. Res. 26 (1987) 1803.

Corners are looked for along directions in the space of all extents, so that what looks like the inside of the picture counts as well.

Notation: points: n [mol/kg], shape (k, n); what a picture shows is linear in them.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.regions.arrangement import Arrangement, Step
from gulch.engine.regions.devices import ROUGH, SIDE_FED, TANK, TUBE, Devices
from gulch.engine.settle import UNWATCHED, Watch

ROUNDS = 8
SIMPLE = {"a tube alone": (TUBE,), "a tank alone": (TANK,), "a tank, then a tube": (TANK, TUBE), "a tube, then a tank": (TUBE, TANK)}
GAINED = 5e-4  # of the picture's area, by which a round must grow it
IN_PLANE = 48  # directions in the picture along which corners are sought
BESIDE = 120  # and others, in the space of all extents
PUT_IN = (0.5, 3.0, 20.0)  # fresh feed along a tube by what enters it
FEW = 40  # corners that one round goes on from at most
APART = 0.01  # of all moles, by which corners differ that are gone on from
FLAT = 1e-9  # of all that is fed, by which something must change to be an axis
STRAIGHT = 1e-4  # of the picture, by which a corner of its outline stands out


class RegionTrouble(ValueError):
    """A region that cannot be drawn; the message is a sentence for the user."""


@dataclass
class Found:
    """A point with how it is made."""

    n: np.ndarray
    made: Arrangement


@dataclass
class Region:
    """What was found. outline: corners of the picture in order, shape (k, 2); made: the arrangement of each; rounds, points: work done.

    tube, tank: the picture's points of a tube and of a tank alone, along their sizes, shape (k, 2).
    seen: all points in the picture, shape (k, 2); sizes: the volumes that they take [m3 s/kg fed], shape (k,).
    """

    outline: np.ndarray
    corners: list[Found]
    tube: np.ndarray
    tank: np.ndarray
    seen: np.ndarray
    sizes: np.ndarray
    rounds: int
    points: int
    gained: float
    simple: list[Found] = field(default_factory=list)  # what the simple arrangements make


class _Growth:
    """The points found so far. view: weights of the picture's two axes, shape (2, n); temperatures [K]."""

    def __init__(self, devices: Devices, view: np.ndarray, temperatures: list[float], watch: Watch) -> None:
        self.devices, self.view, self.temperatures, self.watch = devices, view, temperatures, watch
        self.found = [Found(devices.fresh, Arrangement())]
        self.done: list[np.ndarray] = []  # places that devices were fed from
        nu = devices.nu
        _, size, self.basis = np.linalg.svd(nu)
        self.rank = int(np.sum(size > 1e-9 * size.max()))
        self.basis = self.basis[: self.rank]
        self.largest = {T: devices.largest(T) for T in temperatures}

    def points(self) -> np.ndarray:
        """All points, shape (k, n)."""
        return np.array([f.n for f in self.found])

    def seen(self) -> np.ndarray:
        """What the picture shows of all points, shape (k, 2)."""
        return self.points() @ self.view.T

    def corners(self) -> list[int]:
        """Positions of the points that lie farthest along one of the directions: around the picture, and in the space of all extents."""
        seen = self.seen()
        seen = (seen - seen.mean(axis=0)) / np.maximum(np.ptp(seen, axis=0), 1e-300)
        angles = np.linspace(0.0, 2.0 * np.pi, IN_PLANE, endpoint=False)
        found = set(np.argmax(seen @ np.array([np.cos(angles), np.sin(angles)]), axis=0).tolist())
        if self.rank > 2:
            at = (self.points() - self.devices.fresh) @ self.basis.T
            at /= np.maximum(np.ptp(at, axis=0), 1e-12 * self.devices.fresh.sum())
            found |= set(np.argmax(at @ np.random.default_rng(1).normal(size=(self.rank, BESIDE)), axis=0).tolist())
        return sorted(found)

    def grow(self) -> None:
        """Feed the new corners to every device."""
        taken = 0
        for k in self.corners():
            if self.watch.ended() or taken == FEW:
                return
            at = self._place(self.found[k].n)
            if all(np.abs(at - other).max() > APART for other in self.done):
                self.done.append(at)
                taken += 1
                self._from(self.found[k])

    def _place(self, n: np.ndarray) -> np.ndarray:
        """A point in the space of extents, in units of all moles, shape (rank,)."""
        return (n - self.devices.fresh) @ self.basis.T / self.devices.fresh.sum()

    def _from(self, start: Found) -> None:
        for T in self.temperatures:
            if not self.largest[T] > 0.0:
                continue
            self._add(start, TUBE, T, *self.devices.tube(start.n, T, self.largest[T], 0.0, ROUGH)[:2])
            self._add(start, TANK, T, *self.devices.tanks(start.n, T, self.largest[T], not start.made.steps))
            if start.made.steps and not any(s.device == SIDE_FED for s in start.made.steps):
                for put_in in PUT_IN:
                    self._side_fed(start, T, put_in)

    def _side_fed(self, start: Found, T: float, put_in: float) -> None:
        whole = 0.1 * self.largest[T] * (1.0 + put_in)
        volumes, n, mass = self.devices.tube(start.n, T, whole, put_in, ROUGH)
        for volume, here, flow in zip(volumes[1:], n[1:], mass[1:], strict=True):
            self.found.append(Found(here, start.made.then(Step(SIDE_FED, T, float(volume), float(flow - 1.0)))))

    def _add(self, start: Found, device: str, T: float, volumes: np.ndarray, n: np.ndarray) -> None:
        for volume, here in zip(volumes, n, strict=True):
            if volume > 0.0:
                self.found.append(Found(here, start.made.then(Step(device, T, float(volume)))))

    def area(self) -> float:
        """Area of the picture's hull."""
        seen = self.seen()
        hull = hull_of(seen)
        return float(hull.volume * np.prod(np.ptp(seen, axis=0))) if hull is not None else 0.0


def hull_of(points: np.ndarray) -> scipy.spatial.ConvexHull | None:
    """The hull of points, shape (k, 2), in units of their spread; None where they lie on one line."""
    spread = np.ptp(points, axis=0)
    if len(points) < 3 or not np.all(spread > 0.0):
        return None
    try:
        return scipy.spatial.ConvexHull((points - points.min(axis=0)) / spread)
    except scipy.spatial.QhullError:
        return None


def region(devices: Devices, view: np.ndarray, temperatures: list[float], watch: Watch = UNWATCHED) -> Region:
    """The Region of a feed in the picture that `view` shows, shape (2, n), with vessels at any of some temperatures [K].

    Raises RegionTrouble where nothing reacts, or where what is shown lies on one line.
    """
    growth = _Growth(devices, np.asarray(view, float), temperatures, watch)
    if not any(v > 0.0 for v in growth.largest.values()):
        raise RegionTrouble("Nothing reacts in this feed at this temperature: its rates are zero.")
    before, rounds, gained = 0.0, 0, 0.0
    for rounds in range(1, ROUNDS + 1):
        growth.grow()
        area = growth.area()
        gained = (area - before) / area if area > 0.0 else 0.0
        before = area
        if watch.ended() or (rounds > 2 and gained < GAINED):
            break
    if watch.ended():
        raise RegionTrouble("It was stopped before it was complete: ask again, at one temperature or for fewer reactions.")
    seen = growth.seen()
    hull = hull_of(seen)
    whole = np.abs(growth.view).max(axis=1) * devices.fresh.sum()
    if hull is None or np.any(np.ptp(seen, axis=0) < FLAT * whole):
        raise RegionTrouble("What can be had lies on one line in this picture: choose other axes.")
    at = _standing_out(seen, hull.vertices)
    return Region(
        seen[at],
        [growth.found[k] for k in at],
        _of(growth, seen, TUBE),
        _of(growth, seen, TANK),
        seen,
        np.array([sum(f.made.volumes(1.0)) for f in growth.found]),
        rounds,
        len(growth.found),
        gained,
        [f for f in growth.found if tuple(s.device for s in f.made.steps) in SIMPLE.values()],
    )


def _standing_out(seen: np.ndarray, at: np.ndarray) -> np.ndarray:
    """Those of the hull's corners that stand out of the line between their neighbours."""
    scale, kept = np.maximum(np.ptp(seen, axis=0), 1e-300), list(at)
    k = 0
    while k < len(kept) and len(kept) > 3:
        a, b, c = (seen[kept[(k + d) % len(kept)]] / scale for d in (-1, 0, 1))
        out = abs((b - a)[0] * (c - a)[1] - (b - a)[1] * (c - a)[0]) / max(float(np.hypot(*(c - a))), 1e-300)
        if out < STRAIGHT:
            kept.pop(k)
        else:
            k += 1
    return np.array(kept)


def _of(growth: _Growth, seen: np.ndarray, device: str) -> np.ndarray:
    T = growth.temperatures[0]
    at = [k for k, f in enumerate(growth.found) if len(f.made.steps) == 1 and f.made.steps[0].device == device and f.made.steps[0].T == T]
    fresh = (growth.devices.fresh @ growth.view.T)[None, :]
    at.sort(key=lambda k: growth.found[k].made.steps[0].volume)
    return np.vstack([fresh, seen[at]]) if at else fresh
