"""From the image data of a PNG to its pixels, for the kinds that most frames have: 8 bits, RGB or RGBA.

Source: PNG third edition, sections 9.2 (filter types) and 9.4 (the Paeth predictor).
"""

import imagecodecs
import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled, inlined

_HIGH = np.uint64(0x8000_8000_8000_8000)
_LOW = np.uint64(0x7FFF_7FFF_7FFF_7FFF)
_BYTES = np.uint64(0x00FF_00FF_00FF_00FF)
_1, _15, _16, _32, _48 = (np.uint64(bits) for bits in (1, 15, 16, 32, 48))
"""A pixel's three or four samples lie side by side in one word, 16 bits each, and are computed with at once."""


def unfiltered(data: bytes, width: int, height: int, channels: int) -> NDArray[np.uint8] | None:
    """The pixels of not interlaced image ``data``, as RGBA, shape (height, width, 4).

    ``channels``: 3 or 4. ``None`` when the data does not hold just these pixels; what can be said of it then is
    another decoder's to say.
    """
    rows = np.empty((height, 1 + width * channels), np.uint8)
    try:
        held = imagecodecs.deflate_decode(data, out=rows.reshape(-1).data)
    except imagecodecs.DeflateError:
        return None
    pixels = np.empty((height, width, 4), np.uint8)
    return pixels if len(held) == rows.size and _unfilter(rows, pixels) else None


@compiled
def _unfilter(rows: NDArray[np.uint8], pixels: NDArray[np.uint8]) -> bool:
    """Undo each row's filter, whose type is its first byte; whether there is such a type."""
    height, width = pixels.shape[:2]
    stride = rows.shape[1] - 1
    channels = stride // width
    above = np.zeros(stride, np.uint8)
    for y in range(height):
        kind = rows[y, 0]
        row = rows[y, 1:]
        if kind == 1:
            for at in range(channels, stride):
                row[at] += row[at - channels]
        elif kind == 2:
            for at in range(stride):
                row[at] += above[at]
        elif kind == 3:
            for at in range(channels):
                row[at] += above[at] >> 1
            for at in range(channels, stride):
                row[at] += (int(row[at - channels]) + int(above[at])) >> 1
        elif kind == 4:
            left, corner = np.uint64(0), np.uint64(0)
            for at in range(0, stride, channels):
                up = _pixel(above, at, channels)
                left = (_pixel(row, at, channels) + _paeth(left, up, corner)) & _BYTES
                row[at], row[at + 1], row[at + 2] = left, left >> _16, left >> _32
                if channels == 4:
                    row[at + 3] = left >> _48
                corner = up
        elif kind != 0:
            return False
        if channels == 4:
            for at in range(stride):
                pixels[y, at >> 2, at & 3] = row[at]
        else:
            for x in range(width):
                pixels[y, x, 0] = row[3 * x]
                pixels[y, x, 1] = row[3 * x + 1]
                pixels[y, x, 2] = row[3 * x + 2]
                pixels[y, x, 3] = 255
        above = row
    return True


@inlined
def _pixel(row: NDArray[np.uint8], at: int, channels: int) -> np.uint64:
    word = np.uint64(row[at]) | np.uint64(row[at + 1]) << _16 | np.uint64(row[at + 2]) << _32
    return word | np.uint64(row[at + 3]) << _48 if channels == 4 else word


@inlined
def _paeth(left: np.uint64, up: np.uint64, corner: np.uint64) -> np.uint64:
    """Of the three samples the one nearest to left + up - corner; of equally near ones the first."""
    by_left = _size((up | _HIGH) - corner)
    by_up = _size((left | _HIGH) - corner)
    by_corner = _size(((left + up) | _HIGH) - (corner << _1))
    chosen = _at_most(by_up, by_corner)
    nearest = corner ^ ((up ^ corner) & chosen)
    least = by_corner ^ ((by_up ^ by_corner) & chosen)
    return nearest ^ ((left ^ nearest) & _at_most(by_left, least))


@inlined
def _size(number: np.uint64) -> np.uint64:
    """How far each of four numbers, held 0x8000 too large, is from nought."""
    negative = (~number & _HIGH) >> _15
    return ((number & _LOW) ^ ((negative << _15) - negative)) + negative


@inlined
def _at_most(one: np.uint64, other: np.uint64) -> np.uint64:
    """All low 15 bits where a number of ``one`` is no larger than that of ``other``."""
    found = ((other | _HIGH) - one) & _HIGH
    return found - (found >> _15)
