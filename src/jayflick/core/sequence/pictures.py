"""Reading one picture file to straight 8-bit RGBA, with every way it can be wrong told apart.

Source: Portable Network Graphics (PNG) Specification, third edition (W3C); sections are named where used.
"""

import struct
import warnings
import zlib
from dataclasses import dataclass
from io import BytesIO

import imagecodecs
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..errors import InputError

MAX_PIXELS = 50_000_000
"""The most pixels one frame may have: about 8700 × 5800, 200 MB as RGBA."""

_SIGNATURE = b"\x89PNG\r\n\x1a\n"
_CHANNELS = {0: 1, 2: 3, 3: 1, 4: 2, 6: 4}
_DEPTHS = {0: (1, 2, 4, 8, 16), 2: (8, 16), 3: (1, 2, 4, 8), 4: (8, 16), 6: (8, 16)}


@dataclass(frozen=True)
class Header:
    """What a picture file says of itself before it is decoded."""

    width: int
    height: int
    depth: int
    """Bits a sample."""
    kind: int
    """PNG colour type (section 11.2.1): 0 grey, 2 RGB, 3 palette, 4 grey with alpha, 6 RGBA."""
    keyed: bool
    """Whether one colour, or palette entries, are marked transparent (tRNS, section 11.3.1.1)."""

    @property
    def transparent(self) -> bool:
        return self.kind in (4, 6) or self.keyed

    @property
    def label(self) -> str:
        """For people: ``16-bit RGB``."""
        names = {0: "grey", 2: "RGB", 3: "palette", 4: "grey with alpha", 6: "RGBA"}
        return f"{self.depth}-bit {names[self.kind]}"


def read_header(data: bytes, *, name: str) -> Header:
    """Check a PNG file from end to end without decoding it.

    Raises ``InputError`` naming the file when it is empty, not a PNG, cut short, damaged or too large; costs
    time in proportion to the file's size and no picture memory.
    """

    def broken(what: str, remedy: str = "render or copy the file again") -> InputError:
        return InputError(what, file=name, remedy=remedy)

    if not data:
        raise broken("the file is empty (0 bytes)")
    if not data.startswith(_SIGNATURE):
        if len(data) < len(_SIGNATURE) and _SIGNATURE.startswith(data):
            raise broken(f"the file ends early, after {len(data)} bytes")
        raise broken("not a PNG picture", "bring the frames as PNG files")
    at = len(_SIGNATURE)
    header: Header | None = None
    keyed = pictured = False
    while True:
        if at + 12 > len(data):
            raise broken(f"the file ends early, after {len(data)} bytes")
        length, tag = struct.unpack_from(">I4s", data, at)
        stop = at + 12 + length
        if stop > len(data):
            raise broken(f"the file ends early, after {len(data)} bytes")
        body = data[at + 8 : at + 8 + length]
        if zlib.crc32(data[at + 4 : at + 8 + length]) != struct.unpack_from(">I", data, stop - 4)[0]:
            raise broken(f"the file is damaged near byte {at} (checksum of its {printable_tag(tag)} part)")
        if header is None:
            if tag != b"IHDR" or length != 13:
                raise broken("the file is damaged: its header is missing")
            width, height, depth, kind = struct.unpack_from(">IIBB", body)
            if depth not in _DEPTHS.get(kind, ()) or not width or not height:
                raise broken("the file is damaged: its header makes no sense")
            if width * height > MAX_PIXELS:
                raise broken(
                    f"{width} × {height} is more than the {MAX_PIXELS // 10**6} million pixels allowed",
                    "scale the frames down first",
                )
            header = Header(width, height, depth, kind, keyed=False)
        elif tag == b"tRNS":
            keyed = True
        elif tag == b"IDAT":
            pictured = True
        elif tag == b"IEND":
            break
        at = stop
    if not pictured:
        raise broken("the file is damaged: it holds no picture data")
    return Header(header.width, header.height, header.depth, header.kind, keyed)


def printable_tag(tag: bytes) -> str:
    """A chunk's name for a message."""
    return "".join(chr(byte) if chr(byte).isascii() and chr(byte).isalpha() else "?" for byte in tag)


def read_picture(data: bytes, *, name: str) -> NDArray[np.uint8]:
    """The picture as straight RGBA, shape (height, width, 4), 8 bits a sample.

    16-bit samples are rounded, v × 255 / 65535 (section 13.12), not cut. Grey and palette are expanded and a
    transparent colour becomes alpha. Raises ``InputError`` as :func:`read_header` does.
    """
    header = read_header(data, name=name)
    try:
        return _deep(data, header) if header.depth == 16 else _plain(data)
    except MemoryError as large:
        raise InputError(
            "there is not memory enough to decode it", file=name, remedy="scale it down"
        ) from large
    except Exception as broken:  # decoders raise many kinds; each means the same to a person
        raise InputError(
            "its picture data is damaged", file=name, remedy="render or copy the file again"
        ) from broken


def _plain(data: bytes) -> NDArray[np.uint8]:
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        with Image.open(BytesIO(data), formats=["PNG"]) as image:
            image.load()
            return np.array(image.convert("RGBA"))


def _deep(data: bytes, header: Header) -> NDArray[np.uint8]:
    samples: NDArray[np.uint16] = imagecodecs.png_decode(data)
    if samples.ndim == 2:
        samples = samples[:, :, None]
    samples = samples.astype(np.uint16, copy=False)
    result = np.empty((header.height, header.width, 4), np.uint8)
    small = ((samples.astype(np.uint32) * 255 + 32767) // 65535).astype(np.uint8)
    colours = 1 if samples.shape[2] <= 2 else 3
    result[:, :, :3] = small[:, :, :colours]
    result[:, :, 3] = small[:, :, -1] if samples.shape[2] in (2, 4) else 255
    return result
