"""Choosing the shared palette of a sequence in a perceptual space."""

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled
from .histogram import Histogram
from .oklab import LINEAR, oklab_of_srgb

ROUNDS = 6
"""Rounds of k-means after the splits; more gains less than a hundredth of a decibel on film."""


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
def _refine(
    points: NDArray[np.float64],
    weights: NDArray[np.float64],
    centres: NDArray[np.float64],
    rounds: int,
) -> NDArray[np.int64]:
    """Move ``centres`` (in place) to the weighted means of their nearest points; return each point's centre."""
    n, k = points.shape[0], centres.shape[0]
    nearest = np.zeros(n, np.int64)
    c0 = np.empty(k, np.float32)
    c1 = np.empty(k, np.float32)
    c2 = np.empty(k, np.float32)
    distance = np.empty(k, np.float32)
    for turn in range(rounds + 1):
        for j in range(k):
            c0[j], c1[j], c2[j] = centres[j, 0], centres[j, 1], centres[j, 2]
        for i in range(n):
            p0, p1, p2 = np.float32(points[i, 0]), np.float32(points[i, 1]), np.float32(points[i, 2])
            for j in range(k):
                d0, d1, d2 = c0[j] - p0, c1[j] - p1, c2[j] - p2
                distance[j] = d0 * d0 + d1 * d1 + d2 * d2
            best = nearest[i]
            for j in range(k):
                if distance[j] < distance[best]:
                    best = j
            nearest[i] = best
        if turn == rounds:
            break
        sums = np.zeros((k, 4), np.float64)
        for i in range(n):
            j, w = nearest[i], weights[i]
            sums[j, 0] += w * points[i, 0]
            sums[j, 1] += w * points[i, 1]
            sums[j, 2] += w * points[i, 2]
            sums[j, 3] += w
        for j in range(k):
            if sums[j, 3] > 0.0:
                for c in range(3):
                    centres[j, c] = sums[j, c] / sums[j, 3]
    return nearest


def choose_palette(histogram: Histogram, colours: int) -> NDArray[np.uint8]:
    """At most ``colours`` palette entries for the counted frames, shape (n, 3), dark to light.

    When the frames hold no more colours than that, exactly those are returned. Otherwise the counted bins
    are split and refined in OKLab, and each entry is the mean sRGB colour of the pixels it stands for.
    """
    exact = histogram.exact()
    if exact is not None and len(exact) <= colours:
        return exact
    sums = histogram.sums[histogram.sums[:, 3] > 0]
    weights = sums[:, 3].astype(np.float64)
    points = oklab_of_srgb(sums[:, :3] / weights[:, None], LINEAR)
    centres = _split(points, weights, colours)
    nearest = _refine(points, weights, centres, ROUNDS)
    totals = np.zeros((len(centres), 4), np.float64)
    np.add.at(totals, nearest, sums.astype(np.float64))
    totals = totals[totals[:, 3] > 0]
    palette = np.unique(np.rint(totals[:, :3] / totals[:, 3:]).astype(np.uint8), axis=0)
    light = oklab_of_srgb(palette.astype(np.float64), LINEAR)[:, 0]
    result: NDArray[np.uint8] = palette[np.argsort(light, kind="stable")]
    return result
