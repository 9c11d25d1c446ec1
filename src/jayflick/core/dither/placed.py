"""True colours to palette indices, dithered by place: of a mixture of two entries each shows its share.

Which entry a pixel shows depends on its colour and its place alone, so what stands still lies still.
"""

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled, inlined
from ..palette.nearest import EXACT, among
from .pixel import channels, is_still

_APART = 0.15
"""How much the distance of two entries counts against mixing them, beside the error of their mixture."""
_KNOWN = np.uint32(1 << 31)


@compiled
def _mixture(red: int, green: int, blue: int, palette: NDArray[np.int32]) -> np.uint32:
    """The nearest entry (8 bits), and another to mix with it (8)."""
    best, near = np.int64(1 << 40), 0
    for i in range(palette.shape[0]):
        r, g, b = red - palette[i, 0], green - palette[i, 1], blue - palette[i, 2]
        square = np.int64(r * r + g * g + b * b)
        if square < best:
            best, near = square, i
    r0, g0, b0 = red - palette[near, 0], green - palette[near, 1], blue - palette[near, 2]
    least, other = 1e300, near
    for i in range(palette.shape[0]):
        dr, dg, db = (
            palette[i, 0] - palette[near, 0],
            palette[i, 1] - palette[near, 1],
            palette[i, 2] - palette[near, 2],
        )
        apart = np.float64(dr * dr + dg * dg + db * db)
        along = np.float64(r0 * dr + g0 * dg + b0 * db)
        if apart == 0.0 or along <= 0.0:
            continue
        part = min(along / apart, 0.5)
        error = part * part * apart - 2 * part * along + _APART * part * (1 - part) * apart
        if error < least:
            least, other = error, i
    return np.uint32(near | (other << 8)) | _KNOWN


@inlined
def _share(red: int, green: int, blue: int, palette: NDArray[np.int32], near: int, other: int) -> int:
    """How much of the other entry a colour holds, in parts of 256: where it lies between the two."""
    dr, dg, db = (
        palette[other, 0] - palette[near, 0],
        palette[other, 1] - palette[near, 1],
        palette[other, 2] - palette[near, 2],
    )
    along = (red - palette[near, 0]) * dr + (green - palette[near, 1]) * dg + (blue - palette[near, 2]) * db
    return min(max(np.int64(256 * along / max(dr * dr + dg * dg + db * db, 1)), 0), 256)


@compiled
def place(
    frame: NDArray[np.uint32],
    before: NDArray[np.uint32],
    shown: NDArray[np.uint8],
    none: int,
    palette: NDArray[np.int32],
    table: NDArray[np.uint16],
    exact: NDArray[np.uint8],
    mixtures: NDArray[np.uint32],
    index: NDArray[np.uint32],
    middle: NDArray[np.uint8],
    thresholds: NDArray[np.uint8],
    first: int,
    reach: int,
    amount: int,
) -> None:
    """Show rows of a frame in ``shown``.

    ``frame``: colours as words, red lowest, alpha highest. ``before``: each pixel's source when it was last
    chosen anew. ``table``, ``exact``: see :class:`..palette.nearest.Nearest`. ``mixtures``: by the groups of
    ``index`` and ``middle`` (see :mod:`..palette.levels`), 0 where not met yet. ``first``: the number of the
    first row in its frame. ``amount``: 128 for all of the dither.
    """
    side = thresholds.shape[0]
    for y in range(frame.shape[0]):
        for x in range(frame.shape[1]):
            pixel = frame[y, x]
            if pixel >> np.uint32(24) == 0:
                shown[y, x] = none
                continue
            if np.int64(shown[y, x]) != none and is_still(pixel, before[y, x], reach):
                continue
            before[y, x] = pixel
            r, g, b = channels(pixel)
            at = index[0, r] + index[1, g] + index[2, b]
            pick = int(table[at]) - EXACT
            if pick >= 0:
                pick = int(exact[pick, among(r, g, b)]) - 1
                p = np.uint64(max(pick, 0))
                if pick >= 0 and palette[p, 0] == r and palette[p, 1] == g and palette[p, 2] == b:
                    shown[y, x] = pick  # a colour of the palette shows itself
                    continue
            mixture = mixtures[at]
            if mixture == 0:
                mixture = _mixture(int(middle[r]), int(middle[g]), int(middle[b]), palette)
                mixtures[at] = mixture
            near, other = (
                np.int64(mixture & np.uint32(255)),
                np.int64((mixture >> np.uint32(8)) & np.uint32(255)),
            )
            # The lighter of the two takes the same places whichever is nearer: no seam where they change over.
            dark, light = min(near, other), max(near, other)
            share = _share(r, g, b, palette, dark, light)
            share = share * amount >> 7 if share <= 128 else 256 - ((256 - share) * amount >> 7)
            shown[y, x] = light if int(thresholds[(first + y) % side, x % side]) < share else dark
