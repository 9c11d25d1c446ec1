"""Frames of the clip library brought to other pixels: all of them, and each time the same."""

from typing import Any


def reformatted(frame: Any, pixels: str, **colour: Any) -> Any:
    """The frame with other pixels (FFmpeg's name); ``colour``: spaces and ranges, as the library names them.

    One thread: with more, rows of frames whose width is no multiple of 16 are now and then read from elsewhere.
    """
    from av.video.reformatter import Interpolation

    # Without these the library's quick ways leave the last columns of many widths (162, 580) unwritten, or make
    # 254 of an alpha of 255.
    exact = (
        Interpolation.BILINEAR
        | Interpolation.FULL_CHR_H_INP
        | Interpolation.FULL_CHR_H_INT
        | Interpolation.ACCURATE_RND
        | Interpolation.BITEXACT
    )
    return frame.reformat(format=pixels, interpolation=exact, threads=1, **colour)
