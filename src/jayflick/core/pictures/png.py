"""PNG and APNG files, checked from end to end before they are decoded.

Source: Portable Network Graphics (PNG) Specification, third edition (W3C); sections are named where used.
"""

import struct
import warnings
import zlib
from collections.abc import Iterator
from io import BytesIO

import imagecodecs
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..checksums import crc32
from ..errors import InputError
from .colour import profile_name, to_rgba
from .header import Header, bands, check_area
from .unfilter import unfiltered

SIGNATURE = b"\x89PNG\r\n\x1a\n"
_KINDS = {0: "grey", 2: "RGB", 3: "palette", 4: "grey with alpha", 6: "RGBA"}
_DEPTHS = {0: (1, 2, 4, 8, 16), 2: (8, 16), 3: (1, 2, 4, 8), 4: (8, 16), 6: (8, 16)}


def knows(data: bytes, name: str) -> bool:
    return data.startswith(SIGNATURE) or (0 < len(data) < 8 and SIGNATURE.startswith(data))


def family(data: bytes) -> str:
    return "PNG"


def chunks(data: bytes, name: str) -> Iterator[tuple[bytes, bytes]]:
    """Each chunk's type and data up to IEND (section 5.3), its checksum checked."""

    def broken(what: str) -> InputError:
        return InputError(what, file=name, remedy="render or copy the file again")

    view = memoryview(data)
    at = len(SIGNATURE)
    tag = b""
    while tag != b"IEND":
        if at + 12 > len(data):
            raise broken(f"the file ends early, after {len(data)} bytes")
        length, tag = struct.unpack_from(">I4s", data, at)
        stop = at + 12 + length
        if stop > len(data):
            raise broken(f"the file ends early, after {len(data)} bytes")
        if crc32(view[at + 4 : stop - 4]) != struct.unpack_from(">I", data, stop - 4)[0]:
            raise broken(f"the file is damaged near byte {at} (checksum of its {printable_tag(tag)} part)")
        yield tag, data[at + 8 : stop - 4]
        at = stop


def header(data: bytes, name: str) -> Header:
    """Check a file from end to end without decoding it; costs time in proportion to its size."""

    def broken(what: str) -> InputError:
        return InputError(what, file=name, remedy="render or copy the file again")

    width = height = depth = kind = 0
    keyed = pictured = False
    count = 1
    notes: list[str] = []
    for tag, body in chunks(data, name):
        if not width:
            if tag != b"IHDR" or len(body) != 13:
                raise broken("the file is damaged: its header is missing")
            width, height, depth, kind = struct.unpack_from(">IIBB", body)
            if depth not in _DEPTHS.get(kind, ()) or not width or not height:
                raise broken("the file is damaged: its header makes no sense")
            check_area(width, height, name)
            if depth == 16:
                notes.append("16 bits a sample brought to 8")
        elif tag == b"tRNS":  # section 11.3.1.1: one colour, or palette entries, are transparent
            keyed = True
        elif tag == b"acTL" and len(body) == 8:  # section 11.3.6.1
            count = max(struct.unpack_from(">I", body)[0], 1)
        elif tag == b"iCCP":
            profile = profile_name(_profile(body))
            if profile:
                notes.append(f"colours brought from the profile {profile} to sRGB")
        elif tag == b"IDAT":
            pictured = True
    if not pictured:
        raise broken("the file is damaged: it holds no picture data")
    label = f"{depth}-bit {_KINDS[kind]}"
    return Header(width, height, label, kind in (4, 6) or keyed, count, tuple(notes))


def _profile(body: bytes) -> bytes | None:
    """The profile in an iCCP chunk (section 11.3.2.3), at most a few megabytes of it."""
    _, _, packed = body.partition(b"\0")
    try:
        return zlib.decompressobj().decompress(packed[1:], 8 << 20)
    except zlib.error:
        return None


def printable_tag(tag: bytes) -> str:
    """A chunk's type for a message."""
    return "".join(chr(byte) if chr(byte).isascii() and chr(byte).isalpha() else "?" for byte in tag)


def decode(data: bytes, name: str) -> NDArray[np.uint8]:
    """The picture as straight RGBA; 16-bit samples are rounded, v × 255 / 65535 (section 13.12), not cut."""
    if data[24] == 16:
        return _deep(data)
    if data[25] in (2, 6) and not any(tag in data[: data.find(b"IDAT")] for tag in (b"tRNS", b"iCCP")):
        return _plain(data, name)
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        with Image.open(BytesIO(data), formats=["PNG"]) as image:
            image.load()
            return to_rgba(image, image.info.get("icc_profile"))


def _plain(data: bytes, name: str) -> NDArray[np.uint8]:
    """RGB or RGBA of 8 bits that needs no conversion; what is interlaced or odd is left to libpng."""
    width, height, _, kind, _, _, interlaced = struct.unpack_from(">IIBBBBB", data, 16)  # section 11.2.1
    if not interlaced:
        body = b"".join(part for tag, part in chunks(data, name) if tag == b"IDAT")
        pixels = unfiltered(body, width, height, 4 if kind == 6 else 3)
        if pixels is not None:
            return pixels
    samples: NDArray[np.uint8] = imagecodecs.png_decode(data)
    if samples.shape[2] == 4:
        return samples
    result = np.full((height, width, 4), 255, np.uint8)
    result[:, :, :3] = samples
    return result


def _deep(data: bytes) -> NDArray[np.uint8]:
    samples: NDArray[np.uint16] = imagecodecs.png_decode(data)
    if samples.ndim == 2:
        samples = samples[:, :, None]
    samples = samples.astype(np.uint16, copy=False)
    result = np.full((*samples.shape[:2], 4), 255, np.uint8)
    colours = 1 if samples.shape[2] <= 2 else 3
    for rows in bands(samples):
        small = ((samples[rows].astype(np.uint32) * 255 + 32767) // 65535).astype(np.uint8)
        result[rows, :, :3] = small[:, :, :colours]
        if samples.shape[2] in (2, 4):
            result[rows, :, 3] = small[:, :, -1]
    with Image.open(BytesIO(data), formats=["PNG"]) as image:
        profile = image.info.get("icc_profile")
    if profile_name(profile):
        alpha = result[:, :, 3].copy()
        grey = samples.shape[2] <= 2
        flat = Image.fromarray(result[:, :, 0] if grey else np.ascontiguousarray(result[:, :, :3]))
        result = to_rgba(flat, profile)
        result[:, :, 3] = alpha
    return result
