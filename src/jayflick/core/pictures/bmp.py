"""BMP pictures; those of 32 bits with the alpha that general readers drop.

Source: the BITMAPINFOHEADER, BITMAPV4HEADER and BITMAPV5HEADER structures as Microsoft documents them.
"""

import struct
from io import BytesIO

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..errors import InputError
from .header import Header, check_area

_PLAIN, _MASKED, _MASKED_ALPHA = 0, 3, 6
_BAND = 64


def knows(data: bytes, name: str) -> bool:
    return data.startswith(b"BM")


def family(data: bytes) -> str:
    return "BMP"


def _info(data: bytes, name: str) -> tuple[int, int, int, int, int, int]:
    """Where pixels begin, length of the info header, width, height (negative: top down), depth, coding."""

    def broken(what: str) -> InputError:
        return InputError(what, file=name, remedy="render or copy the file again")

    if len(data) < 30:
        raise broken(f"the file ends early, after {len(data)} bytes")
    (at,) = struct.unpack_from("<I", data, 10)
    (length,) = struct.unpack_from("<I", data, 14)
    if length == 12:
        width, height, _, depth = struct.unpack_from("<HHHH", data, 18)
        coding = _PLAIN
    elif length >= 40 and len(data) >= 14 + length:
        width, height, _, depth, coding = struct.unpack_from("<iiHHI", data, 18)
    else:
        raise broken("the file is damaged: its header makes no sense")
    if depth not in (1, 2, 4, 8, 16, 24, 32):
        raise broken("the file is damaged: its header makes no sense")
    check_area(width, abs(height), name)
    if coding in (_PLAIN, _MASKED, _MASKED_ALPHA):
        row = (width * depth + 31) // 32 * 4
        if at + row * abs(height) > len(data):
            raise broken(f"the file ends early, after {len(data)} bytes")
    return at, length, width, height, depth, coding


def header(data: bytes, name: str) -> Header:
    """Check a file's header and, unless it is run-length coded, that all its rows are there."""
    _, _, width, height, depth, _ = _info(data, name)
    return Header(width, abs(height), f"{depth}-bit BMP", depth == 32)


def decode(data: bytes, name: str) -> NDArray[np.uint8]:
    """The picture as straight RGBA, shape (height, width, 4)."""
    at, length, width, height, depth, coding = _info(data, name)
    if depth != 32:
        with Image.open(BytesIO(data), formats=["BMP"]) as image:
            return np.array(image.convert("RGBA"))
    masks = [0xFF0000, 0xFF00, 0xFF, 0xFF000000]
    if coding in (_MASKED, _MASKED_ALPHA):
        known = 4 if length >= 56 or coding == _MASKED_ALPHA else 3
        masks = [*struct.unpack_from(f"<{known}I", data, 54), 0][:4]
    words = np.frombuffer(data, "<u4", width * abs(height), at).reshape(abs(height), width)
    result = np.empty((*words.shape, 4), np.uint8)
    for channel, mask in enumerate(masks):
        if mask == 0:
            result[:, :, channel] = 255 if channel == 3 else 0
            continue
        shift = (mask & -mask).bit_length() - 1
        most = mask >> shift
        for top in range(0, len(words), _BAND):  # wide numbers for some rows, not for all at once
            band = slice(top, top + _BAND)
            levels = ((words[band] & np.uint32(mask)) >> np.uint32(shift)).astype(np.uint64)
            result[band, :, channel] = (levels * 255 + most // 2) // most
    if not result[:, :, 3].any():  # a fourth byte that was never set is no alpha (common practice)
        result[:, :, 3] = 255
    return np.ascontiguousarray(result[::-1]) if height > 0 else result
