"""PNG image data: rows filtered and deflated, packed into chunks.

Sources: PNG third edition, sections 5 (chunks), 9 (filters) and 12.7 (choosing them);
RFC 1950. Deflating is a library's (libdeflate, by imagecodecs).
"""

import struct

import numpy as np
from imagecodecs import deflate_encode
from numpy.typing import NDArray

from ..checksums import crc32
from ..compiled import compiled

SIGNATURE = b"\x89PNG\r\n\x1a\n"
GREY, RGB, PALETTE, RGBA = 0, 2, 3, 6
"""Colour types (section 11.2.1)."""


def chunk(tag: bytes, body: bytes) -> bytes:
    """A chunk with its length and CRC (section 5.3)."""
    return struct.pack(">I", len(body)) + tag + body + struct.pack(">I", crc32(tag + body))


def header(width: int, height: int, depth: int, colour_type: int) -> bytes:
    """The IHDR chunk (section 11.2.1)."""
    return chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, depth, colour_type, 0, 0, 0))


@compiled
def _sum(line: NDArray[np.uint8]) -> int:
    """The differences of a line, taken as signed bytes, added up without their signs."""
    total = np.uint32(0)
    for byte in line:
        total += np.uint32(min(byte, np.uint8(-byte)))
    return int(total)


@compiled
def _filtered(rows: NDArray[np.uint8], step: int, out: NDArray[np.uint8]) -> None:
    """Each row by the filter whose differences have the least sum (section 12.7)."""
    height, width = rows.shape
    trial = np.zeros((5, width), np.uint8)
    # With room for the pixel before the first, so that every loop below runs without a special case.
    wide = np.zeros((2, width + step), np.uint8)
    for y in range(height):
        row, above = wide[y & 1], wide[1 - (y & 1)]
        row[step:] = rows[y]
        here, left, over, corner = row[step:], row[:width], above[step:], above[:width]
        trial[0] = rows[y]
        for x in range(width):
            trial[1, x] = np.uint8(here[x] - left[x])
        for x in range(width):
            trial[2, x] = np.uint8(here[x] - over[x])
        for x in range(width):
            mean = (np.uint16(left[x]) + np.uint16(over[x])) >> np.uint16(1)
            trial[3, x] = np.uint8(here[x] - np.uint8(mean))
        for x in range(width):
            a, b, c = np.int16(left[x]), np.int16(over[x]), np.int16(corner[x])
            to_a, to_b = np.int16(b - c), np.int16(a - c)
            to_c = np.int16(to_a + to_b)
            to_a, to_b, to_c = np.int16(abs(to_a)), np.int16(abs(to_b)), np.int16(abs(to_c))
            near = np.uint8(b if to_b <= to_c else c)
            near = np.uint8(a) if (to_a <= to_b) & (to_a <= to_c) else near
            trial[4, x] = np.uint8(here[x] - near)
        best, least = 0, _sum(trial[0])
        for kind in range(1, 5):
            total = _sum(trial[kind])
            if total < least:
                best, least = kind, total
        out[y, 0] = best
        out[y, 1:] = trial[best]


def filtered(rows: NDArray[np.uint8], step: int, *, adaptive: bool) -> NDArray[np.uint8]:
    """Rows, shape (height, bytes), with the filter byte before each. ``step``: bytes of a pixel, at least 1."""
    out = np.empty((rows.shape[0], rows.shape[1] + 1), np.uint8)
    if adaptive:
        _filtered(np.ascontiguousarray(rows), step, out)
    else:
        out[:, 0] = 0
        out[:, 1:] = rows
    return out


def deflated(data: NDArray[np.uint8], level: int) -> bytes:
    """A zlib stream. ``level``: 1 to 12."""
    return bytes(deflate_encode(data.tobytes(), level=level))
