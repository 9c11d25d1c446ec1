"""A mask of blue noise: thresholds without a pattern, whose neighbours are as unlike as can be.

Made by void and cluster: R. Ulichney, "The void-and-cluster method for dither array generation" (1993).
"""

from functools import cache

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled

SIDE = 64
_SPREAD = 1.5
"""The width of the Gaussian by which points crowd each other, in pixels (Ulichney's)."""
_REACH = 9
"""Pixels beyond which no crowding is left."""
_FIRST = SIDE * SIDE // 10
"""Points of the pattern that ranks start from."""


@compiled
def _add(crowd: NDArray[np.int64], weight: NDArray[np.int64], place: int, sign: int) -> None:
    """Add to how crowded each place is what a point at ``place`` brings, around the edges of the square."""
    y, x = place // SIDE, place % SIDE
    reach = weight.shape[0] // 2
    for j in range(-reach, reach + 1):
        row = (y + j) % SIDE * SIDE
        for i in range(-reach, reach + 1):
            crowd[row + (x + i) % SIDE] += sign * weight[j + reach, i + reach]


@compiled
def _cluster(crowd: NDArray[np.int64], points: NDArray[np.bool_]) -> int:
    """The point that is most crowded, the first of equals."""
    found, most = -1, np.int64(-1)
    for place in range(SIDE * SIDE):
        if points[place] and crowd[place] > most:
            found, most = place, crowd[place]
    return found


@compiled
def _void(crowd: NDArray[np.int64], points: NDArray[np.bool_]) -> int:
    """The place without a point that is least crowded, the first of equals."""
    found, least = -1, np.int64(1 << 62)
    for place in range(SIDE * SIDE):
        if not points[place] and crowd[place] < least:
            found, least = place, crowd[place]
    return found


@compiled
def _ranks(first: NDArray[np.int64], weight: NDArray[np.int64]) -> NDArray[np.int64]:
    points = np.zeros(SIDE * SIDE, np.bool_)
    crowd = np.zeros(SIDE * SIDE, np.int64)
    for place in first:
        points[place] = True
        _add(crowd, weight, place, 1)
    while True:  # points move from the tightest cluster to the largest void until one would move back
        cluster = _cluster(crowd, points)
        points[cluster] = False
        _add(crowd, weight, cluster, -1)
        void = _void(crowd, points)
        points[void] = True
        _add(crowd, weight, void, 1)
        if void == cluster:
            break
    ranks = np.zeros(SIDE * SIDE, np.int64)
    kept, even = points.copy(), crowd.copy()
    for rank in range(len(first) - 1, -1, -1):
        cluster = _cluster(crowd, points)
        points[cluster] = False
        _add(crowd, weight, cluster, -1)
        ranks[cluster] = rank
    for rank in range(len(first), SIDE * SIDE):
        void = _void(even, kept)
        kept[void] = True
        _add(even, weight, void, 1)
        ranks[void] = rank
    return ranks


@cache
def blue_noise() -> NDArray[np.int64]:
    """Each of 0 to 4095 once, shape (64, 64); it can be laid side by side without a seam."""
    away = np.arange(-_REACH, _REACH + 1)
    square = away[:, None] ** 2 + away[None, :] ** 2
    # Whole numbers, so that the mask is the same on every machine.
    weight = np.rint(np.exp(-square / (2 * _SPREAD**2)) * (1 << 24)).astype(np.int64)
    first = np.random.Generator(np.random.PCG64(1)).permutation(SIDE * SIDE)[:_FIRST]
    return _ranks(first, weight).reshape(SIDE, SIDE)
