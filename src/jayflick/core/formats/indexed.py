"""A frame as a PNG of 8-bit indices in a palette that others share."""

import numpy as np
from numpy.typing import NDArray

from ..dither.quantise import Quantiser
from ..palette.levels import EACH, FINE
from ..palette.nearest import Nearest
from .gif.shared import SharedPalette
from .png_writer import PALETTE, SIGNATURE, chunk, deflated, filtered, header


def indexed_png(frame: NDArray[np.uint8], shared: SharedPalette) -> tuple[bytes, bool]:
    """The file, and whether any pixel is clear. ``frame``: shape (height, width, 4), alpha 0 or 255."""
    height, width = frame.shape[:2]
    nearest = Nearest.of(shared.colours, EACH if shared.few else FINE)
    quantiser = Quantiser(nearest, height, width, amount=0, reach=0)
    quantiser.take(frame, slice(0, height), quantiser.carry())
    none = len(shared.colours)
    clear = bool((quantiser.shown == none).any())
    colours, alphas = shared.colours.tobytes(), b""
    if shared.transparent:
        colours, alphas = colours + b"\0\0\0", b"\xff" * none + b"\0"
    parts = [SIGNATURE, header(width, height, 8, PALETTE), chunk(b"PLTE", colours)]
    if alphas:
        parts.append(chunk(b"tRNS", alphas))
    parts += [chunk(b"IDAT", deflated(filtered(quantiser.shown, 1, adaptive=False), 9)), chunk(b"IEND", b"")]
    return b"".join(parts), clear
