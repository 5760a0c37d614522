"""What can be had with less volume: residence time as the third direction of an attainable region.

Volumes mix as compositions do: of two arrangements side by side each counts by its share of the feed. So what is had with a volume is
a slice of the hull over the picture's two axes and the volume (Glasser, Hildebrandt & Crowe, Ind. Eng. Chem. Res. 26 (1987) 1803).
"""

from __future__ import annotations

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

WAYS = 90  # directions in which a slice is looked at
FAR = 1e4  # times the volume, beyond which a point adds less than a ten-thousandth of the picture by what of it can be mixed in


def within(seen: np.ndarray, sizes: np.ndarray, most: float) -> np.ndarray:
    """Outline of what points make, mixed, with no more than some volume: corners in order, shape (m, 2).

    seen: the points in the picture, shape (k, 2); sizes: their volumes by the kilogram fed [m3 s/kg], shape (k,), 0 of the feed itself.
    """
    near = sizes <= FAR * most
    seen, sizes = seen[near], sizes[near]
    spread = np.maximum(np.ptp(seen, axis=0), 1e-300)
    at = _standing_out(np.column_stack([(seen - seen.min(axis=0)) / spread, sizes / max(float(sizes.max()), 1e-300)]))
    points, volumes = seen[at], sizes[at]
    angles = np.linspace(0.0, 2.0 * np.pi, WAYS, endpoint=False)
    ways = np.column_stack([np.cos(angles), np.sin(angles)]) / spread
    found = np.array([_farthest(points, volumes, points @ way, most) for way in ways])
    try:
        return found[scipy.spatial.ConvexHull((found - found.min(axis=0)) / spread).vertices]
    except scipy.spatial.QhullError:  # a slice so thin that it is a line
        end = found[int(np.argmax(np.abs((found - found.mean(axis=0)) / spread).sum(axis=1)))]
        return np.array([end, found[int(np.argmax(np.abs((found - end) / spread).sum(axis=1)))]])


def _standing_out(points: np.ndarray) -> np.ndarray:
    """Positions of the corners of a hull in three dimensions; of all points where they lie in a plane."""
    try:
        return scipy.spatial.ConvexHull(points).vertices
    except scipy.spatial.QhullError:
        return np.arange(len(points))


def _farthest(points: np.ndarray, volumes: np.ndarray, reach: np.ndarray, most: float) -> np.ndarray:
    """The point that lies farthest, mixed of two at most, with no more than a volume: on the upper hull of reach over volume."""
    hull: list[int] = []
    for k in np.lexsort((-reach, volumes)):
        if hull and reach[k] <= reach[hull[-1]]:
            continue  # more volume for less
        while len(hull) > 1 and _below(hull[-2], hull[-1], k, volumes, reach):
            hull.pop()
        hull.append(int(k))
    after = next((i for i, k in enumerate(hull) if volumes[k] > most), len(hull))
    a = hull[after - 1]
    if after == len(hull):
        return points[a]
    b = hull[after]
    share = (most - volumes[a]) / (volumes[b] - volumes[a])
    return (1.0 - share) * points[a] + share * points[b]


def _below(a: int, b: int, c: int, x: np.ndarray, y: np.ndarray) -> bool:
    """Whether b lies on or below the line from a to c."""
    return bool((y[b] - y[a]) * (x[c] - x[a]) <= (y[c] - y[a]) * (x[b] - x[a]))
