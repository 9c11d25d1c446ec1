"""TGA pictures: raw and run-length coded, true-colour, grey and mapped, from any corner.

Source: Truevision TGA File Format Specification, version 2.0; fields are named by their number there.
"""

import struct
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled
from ..errors import InputError
from .header import Header, check_area

_ENDINGS = (".tga", ".icb", ".vda", ".vst")
_FOOTER = b"TRUEVISION-XFILE.\0"
_HEADER = 18
_MAPPED, _COLOUR, _GREY = 1, 2, 3
AlphaState = Literal["none", "unset", "set"]
_RUNS = 8
"""Added to an image type (field 3) when its data is run-length coded."""
_DEPTHS = {_MAPPED: (8, 16), _COLOUR: (15, 16, 24, 32), _GREY: (8, 16)}


@dataclass(frozen=True)
class _Fields:
    image_type: int
    map_length: int
    map_first: int
    map_depth: int
    width: int
    height: int
    depth: int
    alpha_bits: int
    right_to_left: bool
    top_down: bool
    map_at: int
    pixels_at: int
    runs: bool
    attributes: int | None
    """Field 24, what the alpha means: 3 useful alpha, 4 premultiplied, below that none. Version 2.0 only."""

    @property
    def bytes_each(self) -> int:
        return (self.depth + 7) // 8


def knows(data: bytes, name: str) -> bool:
    """A TGA has no mark at its beginning: known by its footer, or by its ending and a header of sense.

    What goes by a name without any ending, as files in a store do, is known by its header alone.
    """
    if data[-18:] == _FOOTER:
        return True
    named = name.lower().endswith(_ENDINGS)
    if len(data) < _HEADER or not (named or "." not in name):
        return named
    return data[1] in (0, 1) and data[2] & ~_RUNS in _DEPTHS


def family(data: bytes) -> str:
    return "TGA"


def _fields(data: bytes, name: str) -> _Fields:
    def broken(what: str) -> InputError:
        return InputError(what, file=name, remedy="render or copy the file again")

    if len(data) < _HEADER:
        raise broken(f"the file ends early, after {len(data)} bytes")
    (
        id_length,
        map_type,
        image_type,
        map_first,
        map_length,
        map_depth,
        _x,
        _y,
        width,
        height,
        depth,
        descriptor,
    ) = struct.unpack_from("<BBBHHBHHHHBB", data)
    kind = image_type & ~_RUNS
    if depth not in _DEPTHS.get(kind, ()) or map_type > 1 or (kind == _MAPPED and not map_type):
        raise broken("the file is damaged: its header makes no sense")
    if map_type and map_depth not in (15, 16, 24, 32):
        raise broken("the file is damaged: its colour map makes no sense")
    check_area(width, height, name)
    map_at = _HEADER + id_length
    pixels_at = map_at + (map_length * ((map_depth + 7) // 8) if map_type else 0)
    attributes = None
    if data[-18:] == _FOOTER:
        (extension,) = struct.unpack_from("<I", data, len(data) - 26)
        if extension and extension + 495 <= len(data):
            attributes = data[extension + 494]
    return _Fields(
        kind,
        map_length if map_type else 0,
        map_first,
        map_depth,
        width,
        height,
        depth,
        descriptor & 15,
        bool(descriptor & 16),
        bool(descriptor & 32),
        map_at,
        pixels_at,
        bool(image_type & _RUNS),
        attributes,
    )


def _may_have_alpha(fields: _Fields) -> bool:
    deep = fields.map_depth if fields.image_type == _MAPPED else fields.depth
    if fields.attributes is not None and fields.attributes < 3:
        return False
    return deep == 32 or (fields.image_type == _GREY and deep == 16) or (deep == 16 and fields.alpha_bits > 0)


def alpha_of(data: bytes, name: str) -> AlphaState:
    """Whether the file's alpha is to be believed.

    Many writers leave it at 0 throughout, whatever their attribute bits say (common practice, no published
    source); in others that is a clear frame of a fade: the other frames of its set tell. Field 24 settles it
    for the file itself.
    """
    fields = _fields(data, name)
    if not _may_have_alpha(fields):
        return "none"
    if fields.attributes is not None:
        return "set"
    return "set" if _pixels(data, fields, name)[:, 3].any() else "unset"


def header(data: bytes, name: str) -> Header:
    """Check a file's header and that its pixels can be there."""
    fields = _fields(data, name)
    pixels = fields.width * fields.height
    # A run of 128 pixels takes one byte and one pixel.
    least = -(-pixels // 128) * (1 + fields.bytes_each) if fields.runs else pixels * fields.bytes_each
    if fields.pixels_at + least > len(data):
        raise InputError(
            f"the file ends early, after {len(data)} bytes", file=name, remedy="render or copy the file again"
        )
    names = {_MAPPED: "palette", _COLOUR: "RGB", _GREY: "grey"}
    clear = _may_have_alpha(fields)
    label = f"{fields.depth}-bit TGA, {names[fields.image_type]}{' with alpha' if clear else ''}"
    notes = ("alpha was multiplied into the colours and is taken out again",) if fields.attributes == 4 else ()
    return Header(fields.width, fields.height, label, clear, notes=notes)


@compiled
def _expand_runs(data: NDArray[np.uint8], each: int, out: NDArray[np.uint8]) -> bool:
    """Undo run-length packets of ``each`` bytes a pixel (images of types 9 to 11); False: cut short."""
    at = 0
    place = 0
    total = out.shape[0]
    while place < total:
        if at >= data.shape[0]:
            return False
        count = (np.int64(data[at]) & 127) + 1
        run = data[at] > 127
        at += 1
        stop = min(place + count * each, total)  # packets of some writers run past the last pixel
        if run:
            if at + each > data.shape[0]:
                return False
            while place < stop:
                for byte in range(each):
                    out[place + byte] = data[at + byte]
                place += each
            at += each
        else:
            if at + (stop - place) > data.shape[0]:
                return False
            while place < stop:
                out[place] = data[at]
                place += 1
                at += 1
    return True


def _colours(raw: NDArray[np.uint8], depth: int, alpha_bits: int) -> NDArray[np.uint8]:
    """Rows of little-endian pixel bytes, shape (n, bytes), as RGBA, shape (n, 4)."""
    result = np.full((len(raw), 4), 255, np.uint8)
    if depth in (15, 16):
        words = raw[:, 0].astype(np.uint16) | (raw[:, 1].astype(np.uint16) << 8)
        for channel, shift in enumerate((10, 5, 0)):
            result[:, channel] = (((words >> shift) & 31).astype(np.uint32) * 255 + 15) // 31
        if depth == 16 and alpha_bits:
            result[:, 3] = np.where(words & 0x8000, 255, 0)
        return result
    result[:, :3] = raw[:, 2::-1]
    if depth == 32:
        result[:, 3] = raw[:, 3]
    return result


def decode(data: bytes, name: str) -> NDArray[np.uint8]:
    """The picture as straight RGBA, shape (height, width, 4)."""
    fields = _fields(data, name)
    picture = _pixels(data, fields, name)
    if not _may_have_alpha(fields) or (fields.attributes is None and not picture[:, 3].any()):
        picture[:, 3] = 255  # see alpha_of
    elif fields.attributes == 4:
        alpha = np.maximum(picture[:, 3:].astype(np.uint32), 1)
        picture[:, :3] = np.minimum((picture[:, :3].astype(np.uint32) * 255 + alpha // 2) // alpha, 255)
    picture = picture.reshape(fields.height, fields.width, 4)
    if not fields.top_down:
        picture = picture[::-1]
    if fields.right_to_left:
        picture = picture[:, ::-1]
    return np.ascontiguousarray(picture)


def _pixels(data: bytes, fields: _Fields, name: str) -> NDArray[np.uint8]:
    """The pixels in the order of the file, RGBA, shape (n, 4), their alpha as it is written."""
    each = fields.bytes_each
    count = fields.width * fields.height
    source = np.frombuffer(bytearray(data), np.uint8)[fields.pixels_at :]
    if fields.runs:
        flat = np.empty(count * each, np.uint8)
        whole = _expand_runs(source, each, flat)
    else:
        flat = source[: count * each]
        whole = len(flat) == count * each
    if not whole:
        raise InputError(
            f"the file ends early, after {len(data)} bytes", file=name, remedy="render or copy the file again"
        )
    pixels = flat.reshape(count, each)
    if fields.image_type == _GREY:
        picture = np.repeat(pixels[:, :1], 4, axis=1)
        picture[:, 3] = pixels[:, 1] if each == 2 else 255
    elif fields.image_type == _MAPPED:
        map_each = (fields.map_depth + 7) // 8
        table = np.frombuffer(data, np.uint8)[fields.map_at : fields.map_at + fields.map_length * map_each]
        colours = _colours(table.reshape(-1, map_each), fields.map_depth, fields.alpha_bits)
        index = pixels[:, 0].astype(np.int64)
        if each == 2:
            index |= pixels[:, 1].astype(np.int64) << 8
        picture = colours[index - fields.map_first]
    else:
        picture = _colours(pixels, fields.depth, fields.alpha_bits)
    return picture
