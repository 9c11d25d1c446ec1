"""Choosing the shared palette of a sequence by the error that it leaves."""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled
from .histogram import Counted

Colour = tuple[int, int, int]
"""Red, green and blue levels."""
_SCALE = 6
"""Parts of a level in which distances are compared: a squared one and an index fit one signed 32-bit key."""
ROUNDS = 4
"""Rounds of k-means after the splits; more gain a fiftieth of a decibel on film."""


@compiled
def _split(points: NDArray[np.float64], weights: NDArray[np.float64], wanted: int) -> NDArray[np.float64]:
    """Split the point cloud at the mean of its longest axis until there are ``wanted`` parts.

    The part with the largest weighted variance along its principal axis goes first. Follows X. Wu,
    "Color quantization by dynamic programming and principal analysis" (1992), with the split at the mean.
    Returns the parts' means, shape (parts, 3); fewer than ``wanted`` when the points run out.
    """
    n = points.shape[0]
    order = np.arange(n)
    spare = np.empty(n, np.int64)
    start = np.zeros(wanted, np.int64)
    stop = np.zeros(wanted, np.int64)
    gain = np.zeros(wanted, np.float64)
    mean = np.zeros((wanted, 3), np.float64)
    axis = np.zeros((wanted, 3), np.float64)
    stop[0] = n
    parts = 1
    fresh0, fresh1 = 0, -1
    while True:
        for which in range(2):
            k = fresh0 if which == 0 else fresh1
            if k < 0:
                continue
            total = 0.0
            m0 = m1 = m2 = 0.0
            for j in range(start[k], stop[k]):
                p, w = points[order[j]], weights[order[j]]
                total += w
                m0 += w * p[0]
                m1 += w * p[1]
                m2 += w * p[2]
            m0, m1, m2 = m0 / total, m1 / total, m2 / total
            mean[k, 0], mean[k, 1], mean[k, 2] = m0, m1, m2
            c00 = c01 = c02 = c11 = c12 = c22 = 0.0
            for j in range(start[k], stop[k]):
                p, w = points[order[j]], weights[order[j]]
                d0, d1, d2 = p[0] - m0, p[1] - m1, p[2] - m2
                c00 += w * d0 * d0
                c01 += w * d0 * d1
                c02 += w * d0 * d2
                c11 += w * d1 * d1
                c12 += w * d1 * d2
                c22 += w * d2 * d2
            # The principal axis by power iteration; it need not be exact to split well.
            a0, a1, a2 = 1.0, 0.5, 0.25
            length = 0.0
            for _ in range(12):
                b0 = c00 * a0 + c01 * a1 + c02 * a2
                b1 = c01 * a0 + c11 * a1 + c12 * a2
                b2 = c02 * a0 + c12 * a1 + c22 * a2
                length = np.sqrt(b0 * b0 + b1 * b1 + b2 * b2)
                if length == 0.0:
                    break
                a0, a1, a2 = b0 / length, b1 / length, b2 / length
            axis[k, 0], axis[k, 1], axis[k, 2] = a0, a1, a2
            gain[k] = length if stop[k] - start[k] > 1 else 0.0
        if parts == wanted:
            break
        k = 0
        for i in range(1, parts):
            if gain[i] > gain[k]:
                k = i
        if gain[k] <= 0.0:
            break
        low, high = start[k], stop[k]
        middle = low
        upper = 0
        for j in range(low, high):
            i = order[j]
            side = 0.0
            for c in range(3):
                side += (points[i, c] - mean[k, c]) * axis[k, c]
            if side < 0.0:
                order[middle] = i
                middle += 1
            else:
                spare[upper] = i
                upper += 1
        for j in range(upper):
            order[middle + j] = spare[j]
        if middle in (low, high):
            gain[k] = 0.0
            fresh0, fresh1 = -1, -1
            continue
        stop[k] = middle
        start[parts] = middle
        stop[parts] = high
        fresh0, fresh1 = k, parts
        parts += 1
    return mean[:parts]


@compiled
def _assign(
    whole: NDArray[np.int32],
    points: NDArray[np.float64],
    weights: NDArray[np.float64],
    middle: NDArray[np.int32],
    nearest: NDArray[np.int64],
) -> NDArray[np.float64]:
    """Find each point's nearest centre; returns weighted sums of what falls to each, and its weight: (k, 4)."""
    k = middle.shape[1]
    sums = np.zeros((k, 4), np.float64)
    for i in range(whole.shape[0]):
        p0, p1, p2 = whole[i, 0], whole[i, 1], whole[i, 2]
        best = np.int32(0x7FFFFFFF)
        for j in range(k):
            # Distance and index in one 32-bit number, so that the loop runs in vector lanes.
            d0 = np.int32(middle[0, j] - p0)
            d1 = np.int32(middle[1, j] - p1)
            d2 = np.int32(middle[2, j] - p2)
            square = np.int32(np.int32(d0 * d0) + np.int32(np.int32(d1 * d1) + np.int32(d2 * d2)))
            best = min(best, np.int32(np.int32(square << 8) | np.int32(j)))
        j, w = np.int64(best) & 255, weights[i]
        nearest[i] = j
        sums[j, 0] += w * points[i, 0]
        sums[j, 1] += w * points[i, 1]
        sums[j, 2] += w * points[i, 2]
        sums[j, 3] += w
    return sums


def _refine(
    points: NDArray[np.float64], weights: NDArray[np.float64], centres: NDArray[np.float64], rounds: int
) -> NDArray[np.int64]:
    """Move ``centres`` (in place) to the weighted means of their nearest points; return each point's centre.

    Always in the same two halves, whose sums are added in the same order, and side by side.
    """
    n = len(points)
    nearest = np.zeros(n, np.int64)
    whole = np.rint(points * _SCALE).astype(np.int32)
    halves = slice(0, n // 2), slice(n // 2, n)
    with ThreadPoolExecutor(2) as pool:
        for turn in range(rounds + 1):
            middle = np.ascontiguousarray(np.rint(centres.T * _SCALE).astype(np.int32))

            def half(part: slice, middle: NDArray[np.int32] = middle) -> NDArray[np.float64]:
                return _assign(whole[part], points[part], weights[part], middle, nearest[part])

            sums = sum(pool.map(half, halves), np.zeros((len(centres), 4)))
            if turn < rounds:
                met = sums[:, 3] > 0
                centres[met] = sums[met, :3] / sums[met, 3:]
    return nearest


def choose_palette(
    counted: Counted, most: int, matte: Colour | None = None, locked: Sequence[Colour] = ()
) -> NDArray[np.uint8]:
    """At most ``most`` palette entries for the counted frames, shape (n, 3), dark to light.

    When the frames hold no more colours than that, exactly those are returned. Otherwise the counted groups
    are split and refined, and each entry is the mean colour of the pixels it stands for. ``locked`` are among
    them as they are, and so is the colour ``matte`` if it occurs: a page's colour must meet the page without a
    seam.
    """
    colours, weights = counted.colours, counted.pixels
    kept = np.array(locked, np.uint8).reshape(-1, 3)
    if counted.exact:
        all_of_them = np.unique(np.concatenate([colours.astype(np.uint8), kept]), axis=0)
        if len(all_of_them) <= most:
            return _dark_to_light(all_of_them)
    if len(kept) >= most or len(colours) == 0:
        return _dark_to_light(kept)
    points = np.ascontiguousarray(colours)
    centres = _split(points, weights, most - len(kept))
    nearest = _refine(points, weights, centres, ROUNDS)
    parts = [*(colours * weights[:, None]).T, weights]
    totals = np.stack([np.bincount(nearest, part, len(centres)) for part in parts], axis=1)
    totals = totals[totals[:, 3] > 0]
    means = np.rint(totals[:, :3] / totals[:, 3:]).astype(np.uint8)
    if matte is not None and matte not in locked and counted.holds(matte):
        means[np.argmin(((means.astype(np.int64) - matte) ** 2).sum(axis=1))] = matte
    return _dark_to_light(np.unique(np.concatenate([means, kept]), axis=0))


def _dark_to_light(palette: NDArray[np.uint8]) -> NDArray[np.uint8]:
    light = palette.astype(np.int64) @ (299, 587, 114)  # the luma of ITU-R BT.601
    ordered: NDArray[np.uint8] = palette[np.argsort(light, kind="stable")]
    return ordered
