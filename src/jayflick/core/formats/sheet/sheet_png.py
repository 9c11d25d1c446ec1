"""A sheet as a PNG of few bytes.

Source: PNG third edition, sections 11.2 (colour types, palette, transparency) and 12.7 (filters). Which filters
give the fewest bytes is tried at a quick level, not guessed.
"""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, wait

import numpy as np
from imagecodecs import zopfli_encode
from numpy.typing import NDArray

from ..png_writer import GREY, PALETTE, RGB, RGBA, SIGNATURE, chunk, deflated, filtered, header

GREY_ALPHA = 4
"""Colour type of two samples a pixel (section 11.2.1)."""
_LEVEL, _QUICK = 9, 1
_THREADS = 2
_BEAT = 0.2
"""Seconds."""


Beat = Callable[[], None]
"""Called several times a second while something takes long; it may raise."""


def sheet_png(picture: NDArray[np.uint8], *, smallest: Beat | None = None) -> bytes:
    """The file of a picture, straight RGBA, in the colour type of the fewest samples that holds it exactly.

    With ``smallest`` it is tried for long, and that is called meanwhile.
    """
    opaque = bool((picture[:, :, 3] == 255).all())
    found = _few_colours(picture)
    if found is not None:
        return indexed_sheet_png(*found, smallest=smallest)
    red = picture[:, :, 0]
    if np.array_equal(red, picture[:, :, 1]) and np.array_equal(red, picture[:, :, 2]):
        samples, colour_type = (picture[:, :, :1], GREY) if opaque else (picture[:, :, 2:], GREY_ALPHA)
    else:
        samples, colour_type = (picture[:, :, :3], RGB) if opaque else (picture, RGBA)
    height, width = picture.shape[:2]
    step = samples.shape[2]
    rows = np.ascontiguousarray(samples).reshape(height, width * step)
    parts = [header(width, height, 8, colour_type), chunk(b"IDAT", _coded(rows, step, smallest))]
    return b"".join([SIGNATURE, *parts, chunk(b"IEND", b"")])


def indexed_sheet_png(
    indices: NDArray[np.uint8], palette: NDArray[np.uint8], *, smallest: Beat | None = None
) -> bytes:
    """The file of indices, shape (height, width), in a palette, shape (n, 4), what is not opaque first."""
    height, width = indices.shape
    depth = 8 if len(palette) > 16 else 4 if len(palette) > 4 else 2 if len(palette) > 2 else 1
    parts = [header(width, height, depth, PALETTE), chunk(b"PLTE", palette[:, :3].tobytes())]
    soft = int((palette[:, 3] < 255).sum())
    if soft:
        parts.append(chunk(b"tRNS", palette[:soft, 3].tobytes()))
    parts.append(chunk(b"IDAT", _coded(_bits(indices, depth), 1, smallest)))
    return b"".join([SIGNATURE, *parts, chunk(b"IEND", b"")])


def _bits(indices: NDArray[np.uint8], depth: int) -> NDArray[np.uint8]:
    """Indices of fewer than 8 bits packed into bytes, the first in the highest bits (section 7.2)."""
    if depth == 8:
        return indices
    each = 8 // depth
    height, width = indices.shape
    wide = np.pad(indices, ((0, 0), (0, -width % each))).reshape(height, -1, each)
    shifts = np.arange(each - 1, -1, -1, dtype=np.uint8) * np.uint8(depth)
    packed: NDArray[np.uint8] = np.bitwise_or.reduce(wide << shifts, axis=2).astype(np.uint8)
    return packed


def _few_colours(picture: NDArray[np.uint8]) -> tuple[NDArray[np.uint8], NDArray[np.uint8]] | None:
    """Indices and palette if the picture has at most 256 colours, those under clear pixels among them."""
    words = np.ascontiguousarray(picture).view(np.uint32)[:, :, 0]
    seen = np.zeros(0, np.uint32)
    for begin in range(0, len(words), 64):  # most pictures show early that they have more
        seen = np.union1d(seen, np.unique(words[begin : begin + 64]))
        if len(seen) > 256:
            return None
    palette = np.ascontiguousarray(seen).view(np.uint8).reshape(-1, 4)
    order = np.lexsort((np.arange(len(palette)), palette[:, 3]))
    rank = np.empty(len(order), np.uint8)
    rank[order] = np.arange(len(order), dtype=np.uint8)
    indices = np.empty(words.shape, np.uint8)
    for begin in range(0, len(words), 256):
        part = words[begin : begin + 256]
        indices[begin : begin + 256] = rank[np.searchsorted(seen, part)]
    return indices, palette[order]


def _coded(rows: NDArray[np.uint8], step: int, smallest: Beat | None) -> bytes:
    """Rows filtered by whichever way comes out smallest, and deflated."""
    ways = [filtered(rows, step, adaptive=False), filtered(rows, step, adaptive=True), _up(rows)]
    with ThreadPoolExecutor(_THREADS) as pool:
        sizes = list(pool.map(lambda way: len(deflated(way, _QUICK)), ways))
    best = min(range(len(ways)), key=sizes.__getitem__)
    return deflated(ways[best], _LEVEL) if smallest is None else _tried_for_long(ways[best], smallest)


def _tried_for_long(data: NDArray[np.uint8], beat: Beat) -> bytes:
    """A zlib stream by Zopfli, beside which ``beat`` is called."""
    pool = ThreadPoolExecutor(1)
    try:
        made = pool.submit(zopfli_encode, data.tobytes())
        while not wait([made], _BEAT).done:
            beat()
        return bytes(made.result())
    finally:
        pool.shutdown(wait=False)  # it cannot be broken off; nobody waits for it


def _up(rows: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Each row as what it differs by from the one above (filter type 2)."""
    out = np.empty((rows.shape[0], rows.shape[1] + 1), np.uint8)
    out[:, 0] = 2
    out[0, 1:] = rows[0]
    np.subtract(rows[1:], rows[:-1], out=out[1:, 1:])
    return out
