"""Settling soft edges into the one bit of alpha that a GIF holds."""

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled
from ..dither.ordered import ORDER
from ..recipe import Alpha


@compiled
def is_opaque(frame: NDArray[np.uint8]) -> bool:
    """Whether every pixel of a frame, shape (height, width, 4), is opaque."""
    for y in range(frame.shape[0]):
        least = np.uint8(255)
        for x in range(frame.shape[1]):
            least = min(least, frame[y, x, 3])
        if least < 255:
            return False
    return True


_CUT = {least: np.full((8, 8), least, np.uint8) for least in range(256)}
_THRESHOLDS = (ORDER * 4 + 2).astype(np.uint8)
"""2 to 254. They lie still, so that an edge that stands does not crawl."""


@compiled
def _settle(
    frame: NDArray[np.uint8],
    out: NDArray[np.uint8],
    least: NDArray[np.uint8],
    blend: bool,
    fill: bool,
    matte: NDArray[np.uint8],
) -> None:
    for y in range(frame.shape[0]):
        for x in range(frame.shape[1]):
            alpha = np.int64(frame[y, x, 3])
            if alpha < least[y & 7, x & 7] and not fill:
                out[y, x, 0] = out[y, x, 1] = out[y, x, 2] = out[y, x, 3] = 0
                continue
            for c in range(3):
                level = np.int64(frame[y, x, c])
                if blend:
                    level = (level * alpha + np.int64(matte[c]) * (255 - alpha) + 127) // 255
                out[y, x, c] = level
            out[y, x, 3] = 255


def rgb(colour: str) -> tuple[int, int, int]:
    """Red, green and blue of ``#rrggbb``."""
    return int(colour[1:3], 16), int(colour[3:5], 16), int(colour[5:7], 16)


def unmatte(picture: NDArray[np.uint8], over: str) -> NDArray[np.uint8]:
    """A picture, shape (height, width, 4), without the colour ``over`` (#rrggbb) in its soft edges.

    What was seen through an edge of alpha a is colour × a + over × (1 - a), on sRGB levels as most renderers
    write it. Of black that is what multiplied ("associated") alpha holds (PNG third edition, section 13.16;
    Porter and Duff, Compositing Digital Images, 1984).
    """
    alpha = picture[:, :, 3:].astype(np.int32)
    behind = np.array(rgb(over), np.int32)
    colour = picture[:, :, :3].astype(np.int32) * 255 - behind * (255 - alpha)
    out = picture.copy()
    whole = np.maximum(alpha, 1)
    out[:, :, :3] = np.clip((colour + whole // 2) // whole, 0, 255)
    return out


def settle(frame: NDArray[np.uint8], alpha: Alpha) -> NDArray[np.uint8]:
    """The frame, shape (height, width, 4) straight RGBA, with alpha only 0 or 255.

    Blending over the page colour is done on sRGB levels, as browsers lay a picture over a page. With a page
    colour every pixel that is there at all stays. Cut off, those of alpha below the cut-off go; dithered, as
    many as the edge is clear; the others keep their own colour. A frame opaque throughout stays as it is.
    """
    if is_opaque(frame):
        return frame
    out = np.empty_like(frame)
    matte = np.array(rgb(alpha.matte), np.uint8)
    least = _THRESHOLDS if alpha.edges == "dither" else _CUT[1 if alpha.over_page else alpha.cutoff]
    _settle(frame, out, least, alpha.over_page, alpha.edges == "fill", matte)
    return out


def laid_over(frame: NDArray[np.uint8], colour: str) -> NDArray[np.uint8]:
    """The frame, shape (height, width, 4), over a colour (#rrggbb) that fills all of it: opaque throughout."""
    return settle(frame, Alpha(edges="fill", matte=colour))
