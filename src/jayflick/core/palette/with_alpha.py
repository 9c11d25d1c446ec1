"""A palette of colours that have alpha, and the entry that comes nearest to a colour.

Two colours differ by how they look over black and over white. Both together are a distance in four dimensions:
with p a channel times alpha, (Δp)² + (Δp − Δa)² = 2 (Δp − Δa/2)² + (Δa)²/2, added up over the channels.
"""

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled
from ..dither.diffused import hand_on

ROUNDS = 5
"""Rounds of k-means after the splits."""
_CHUNK = 8192


def _seen(colours: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Colours, shape (n, 4), as points whose distance is how different they look; shape (n, 4)."""
    values = colours.astype(np.float32)
    alpha = values[:, 3:]
    lit = values[:, :3] * (alpha / 255)
    return np.hstack([np.float32(2**0.5) * (lit - alpha / 2), np.float32(1.5**0.5) * alpha])


class Count:
    """How often each colour occurs; once there are many, in bins of 5 bits a channel."""

    def __init__(self) -> None:
        self._colours = np.zeros((0, 4), np.uint8)
        self._counts = np.zeros(0, np.int64)
        self.exact = True

    MOST = 1 << 15

    def add(self, pixels: NDArray[np.uint8]) -> None:
        """Count pixels of shape (…, 4). All that are clear count as one colour."""
        flat = pixels.reshape(-1, 4).copy()
        flat[flat[:, 3] == 0] = 0
        words, counts = np.unique(np.ascontiguousarray(flat).view(np.uint32).ravel(), return_counts=True)
        self._take(words.view(np.uint8).reshape(-1, 4), counts)

    def _take(self, colours: NDArray[np.uint8], counts: NDArray[np.int64]) -> None:
        colours = np.vstack([self._colours, self._binned(colours)])
        words, at = np.unique(np.ascontiguousarray(colours).view(np.uint32).ravel(), return_inverse=True)
        self._counts = np.bincount(at.ravel(), np.concatenate([self._counts, counts])).astype(np.int64)
        self._colours = words.view(np.uint8).reshape(-1, 4)
        if self.exact and len(self._colours) > self.MOST:
            self.exact = False
            colours, counts = self._colours, self._counts
            self._colours, self._counts = self._colours[:0], self._counts[:0]
            self._take(colours, counts)

    def _binned(self, colours: NDArray[np.uint8]) -> NDArray[np.uint8]:
        """Colours as they are, or each at the middle of its bin; what is clear or opaque stays so."""
        if self.exact:
            return colours
        out = (colours & 0xF8) | 4
        ends = (colours[:, 3] == 0) | (colours[:, 3] == 255)
        out[ends, 3] = colours[ends, 3]
        out[colours[:, 3] == 0] = 0
        return out

    def palette(self, most: int) -> NDArray[np.uint8]:
        """At most ``most`` colours that stand for all that were counted, shape (n, 4); the clear one first.

        Exactly those that occur where there are no more of them.
        """
        if self.exact and len(self._colours) <= most:
            return _in_order(self._colours)
        clear = self._colours[:, 3] == 0
        colours, weights = self._colours[~clear], self._counts[~clear].astype(np.float64)
        points = _seen(colours).astype(np.float64)
        wanted = most - int(clear.any())
        centres = _refined(points, weights, _split(points, weights, wanted))
        nearest = _nearest(points, centres)
        # The mean of what an entry stands for, its colour weighted by its alpha.
        alpha = colours[:, 3].astype(np.float64)
        sums = [
            np.bincount(nearest, weights * alpha * part, len(centres))
            for part in colours[:, :3].T.astype(float)
        ]
        lit = np.bincount(nearest, weights * alpha, len(centres))
        total = np.bincount(nearest, weights, len(centres))
        there = lit > 0
        means = np.stack([*(part[there] / lit[there] for part in sums), lit[there] / total[there]], axis=1)
        entries = np.rint(means).astype(np.uint8)
        if clear.any():
            entries = np.vstack([np.zeros((1, 4), np.uint8), entries])
        return _in_order(np.unique(entries, axis=0))


def _in_order(entries: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """By alpha, then from dark to light: entries that are not opaque come first, as tRNS wants them."""
    light = entries[:, :3].astype(np.int64) @ np.array([2126, 7152, 722])
    ordered: NDArray[np.uint8] = entries[np.lexsort((light, entries[:, 3]))]
    return ordered


def _split(points: NDArray[np.float64], weights: NDArray[np.float64], wanted: int) -> NDArray[np.float64]:
    """Means of parts: that with the most variance along its longest axis is split at its mean, again and again.

    Follows X. Wu, "Color quantization by dynamic programming and principal analysis" (1992).
    """
    parts = [np.arange(len(points))]
    shape = [_shape(points, weights, parts[0])]
    while len(parts) < wanted:
        which = max(range(len(parts)), key=lambda i: shape[i][2])
        mean, axis, gain = shape[which]
        if gain <= 0:
            break
        members = parts[which]
        low = (points[members] - mean) @ axis < 0
        if low.all() or not low.any():
            shape[which] = (mean, axis, 0.0)
            continue
        parts[which], new = members[low], members[~low]
        parts.append(new)
        shape[which] = _shape(points, weights, parts[which])
        shape.append(_shape(points, weights, new))
    return np.array([mean for mean, _, _ in shape])


def _shape(
    points: NDArray[np.float64], weights: NDArray[np.float64], members: NDArray[np.int64]
) -> tuple[NDArray[np.float64], NDArray[np.float64], float]:
    """Mean, longest axis and variance along it, times the weight, of some points."""
    own, weight = points[members], weights[members]
    mean = weight @ own / weight.sum()
    far = own - mean
    values, axes = np.linalg.eigh((far * weight[:, None]).T @ far)
    return mean, axes[:, -1], float(values[-1]) if len(members) > 1 else 0.0


def _nearest(points: NDArray[np.float64], centres: NDArray[np.float64]) -> NDArray[np.int64]:
    squares = (centres**2).sum(axis=1)
    found = [
        np.argmin(squares - 2 * points[begin : begin + _CHUNK] @ centres.T, axis=1)
        for begin in range(0, len(points), _CHUNK)
    ]
    return np.concatenate(found)


def _refined(
    points: NDArray[np.float64], weights: NDArray[np.float64], centres: NDArray[np.float64]
) -> NDArray[np.float64]:
    for _ in range(ROUNDS):
        nearest = _nearest(points, centres)
        total = np.bincount(nearest, weights, len(centres))
        sums = [np.bincount(nearest, weights * points[:, axis], len(centres)) for axis in range(4)]
        there = total > 0
        centres = centres.copy()
        centres[there] = np.stack(sums, axis=1)[there] / total[there, None]
    return centres


@compiled
def _indices(
    pixels: NDArray[np.uint8],
    entries: NDArray[np.float32],
    plain: NDArray[np.uint8],
    spread: NDArray[np.float32],
    diffuse: bool,
    alike: bool,
    out: NDArray[np.uint8],
) -> None:
    """``alike``: neither dithered nor diffused, so that a colour always becomes the same entry."""
    height, width = pixels.shape[:2]
    k = entries.shape[0]
    here, below = np.zeros((width + 2, 4), np.float32), np.zeros((width + 2, 4), np.float32)
    root, side = np.float32(2**0.5), np.float32(1.5**0.5)
    wanted = np.zeros(4, np.float32)
    for y in range(height):
        for x in range(width):
            if alike and x > 0:  # a run of one colour is looked up once
                same = pixels[y, x, 0] == pixels[y, x - 1, 0] and pixels[y, x, 1] == pixels[y, x - 1, 1]
                if same and pixels[y, x, 2] == pixels[y, x - 1, 2] and pixels[y, x, 3] == pixels[y, x - 1, 3]:
                    out[y, x] = out[y, x - 1]
                    continue
            a = np.float32(pixels[y, x, 3])
            if a == 0:
                out[y, x] = 0 if plain[0, 3] == 0 else k - 1
                continue
            for c in range(4):
                v = np.float32(pixels[y, x, c])
                if diffuse:
                    v += here[x + 1, c]
                elif c < 3 or (a < 255):
                    v += spread[y & 7, x & 7]
                wanted[c] = min(np.float32(255), max(np.float32(0), v))
            a = wanted[3]
            p0 = root * (wanted[0] * a / 255 - a / 2)
            p1 = root * (wanted[1] * a / 255 - a / 2)
            p2 = root * (wanted[2] * a / 255 - a / 2)
            p3 = side * a
            best, least = 0, np.float32(1e30)
            for j in range(k):
                d0, d1 = entries[j, 0] - p0, entries[j, 1] - p1
                d2, d3 = entries[j, 2] - p2, entries[j, 3] - p3
                far = d0 * d0 + d1 * d1 + d2 * d2 + d3 * d3
                if far < least:
                    best, least = j, far
            out[y, x] = best
            if diffuse:
                for c in range(4):
                    hand_on(wanted[c] - np.float32(plain[best, c]), here, below, x, c)
        here, below = below, here
        below[:] = 0


def indices(
    pixels: NDArray[np.uint8], palette: NDArray[np.uint8], spread: NDArray[np.float32] | None, *, diffuse: bool
) -> NDArray[np.uint8]:
    """The entry of each pixel, shape (height, width). ``pixels``: straight RGBA. What is clear stays clear.

    ``spread``: shape (8, 8), what is added to the channels of each pixel of a square, again and again; or the
    error of each pixel is handed on (R. Floyd and L. Steinberg, 1976) if ``diffuse``.
    """
    out = np.empty(pixels.shape[:2], np.uint8)
    added = np.zeros((8, 8), np.float32) if spread is None else spread
    _indices(
        np.ascontiguousarray(pixels),
        _seen(palette),
        palette,
        added,
        diffuse,
        spread is None and not diffuse,
        out,
    )
    return out
