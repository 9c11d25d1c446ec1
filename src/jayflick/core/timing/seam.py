"""How well a loop closes: its last frame against its first, measured by its usual steps."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

REPEATS = 0.25
"""The last frame repeats the first when they differ by less than this share of a usual step."""
_LIVELY = 0.5
"""A range must move at least this share of what is usual; where nothing moves, everything closes."""


@dataclass(frozen=True)
class Closing:
    """A range and how it closes. ``first`` and ``last`` are indices from 0."""

    first: int
    last: int
    step: float
    """From the last frame to the first, in levels."""
    jump: float
    """How far from seamless it is, in usual steps: 0 goes on as if nothing had been cut."""


@dataclass(frozen=True)
class Seam:
    """The whole loop's closing, all its steps, and the ranges that close best."""

    steps: list[float]
    """From each frame to the next, and from the last to the first, in levels."""
    usual: float
    whole: Closing
    best: list[Closing]


def find_seams(previews: NDArray[np.uint8], least: int, most: int = 6) -> Seam:
    """Judge the loop of all frames, and find the ranges of at least ``least`` frames that close best.

    ``previews``: each frame averaged down to a few thousand samples, shape (frames, samples); at least two. A
    range closes well when the frame after its last one looks like its first, the frame before its first like
    its last, and the step between the two is as long as the steps beside it. Differences are root mean squares.
    """
    count = len(previews)
    far = _distances(previews)
    steps = np.append(np.diagonal(far, 1), far[-1, 0])
    moving = steps[:-1][steps[:-1] > 0]
    usual = float(np.median(moving)) if len(moving) else 0.0
    cost = _costs(far, steps)
    unit = usual or 1.0
    begun = np.concatenate([[0.0], np.cumsum(steps[:-1])])
    first, last = np.triu_indices(count, max(least, 2) - 1)
    length = last - first
    lively = begun[last] - begun[first] >= _LIVELY * usual * length
    first, last = first[lively], last[lively]
    order = np.lexsort((first - last, np.round(cost[last, first] / unit, 2)))
    best: list[Closing] = []
    for index in order:
        a, b = int(first[index]), int(last[index])
        if all(abs(a - other.first) + abs(b - other.last) > max(2, count // 12) for other in best):
            best.append(Closing(a, b, float(far[b, a]), float(cost[b, a]) / unit))
            if len(best) == most:
                break
    whole = Closing(0, count - 1, float(far[-1, 0]), float(cost[-1, 0]) / unit)
    return Seam([float(step) for step in steps], usual, whole, best)


def _distances(previews: NDArray[np.uint8]) -> NDArray[np.float32]:
    """The root mean square difference of each frame to each, shape (frames, frames), to a tenth of a level."""
    samples = previews.astype(np.float32)
    samples -= samples.mean(axis=0)  # smaller numbers lose less when they are multiplied out
    squares = (samples**2).sum(axis=1)
    apart = squares[:, None] + squares[None, :] - 2 * (samples @ samples.T)
    apart[apart < 2e-6 * squares.max(initial=1.0)] = 0
    return np.asarray(np.sqrt(apart / samples.shape[1]))


def _costs(far: NDArray[np.float32], steps: NDArray[np.float32]) -> NDArray[np.float32]:
    """How badly a range closes, at [last, first], in levels; only the half with first before last is of use."""
    count = len(far)
    inner = steps[:-1]
    beside_last = np.append(inner[:1], inner)  # the step that leads to each frame
    beside_first = np.append(inner, inner[-1:])  # the step that leads from it
    total = np.abs(far - (beside_last[:, None] + beside_first[None, :]) / 2)
    votes = np.ones((count, count), np.uint8)
    total[:-1] += far[1:]  # the frame after the last, against the first
    votes[:-1] += 1
    total[:, 1:] += far[:, :-1]  # the last, against the frame before the first
    votes[:, 1:] += 1
    return np.asarray(total / votes)
