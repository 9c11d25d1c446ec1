"""The kinds a general library reads well: JPEG, TIFF, WebP, AVIF.

Sources: EXIF 2.32, section 4.6.4 (orientation); TIFF 6.0, sections 3 to 6 and 18 (associated alpha).
"""

import warnings
from io import BytesIO
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageOps, UnidentifiedImageError

from ..errors import InputError
from .colour import profile_name, to_rgba
from .header import Header, bands, check_area

_MARKS = {
    "JPEG": (b"\xff\xd8\xff",),
    "TIFF": (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"),
}
_ORIENTATION = 0x0112
_NAMES = {
    "1": "1-bit",
    "L": "grey",
    "LA": "grey with alpha",
    "P": "palette",
    "RGB": "RGB",
    "RGBA": "RGBA",
    "RGBX": "RGB",
    "RGBa": "RGBA",
    "CMYK": "CMYK",
    "YCbCr": "RGB",
    "LAB": "Lab",
    "I;16": "16-bit grey",
    "I;16B": "16-bit grey",
}


def _format(data: bytes) -> str | None:
    for kind, marks in _MARKS.items():
        if data.startswith(marks):
            return kind
    if data[:4] == b"RIFF" and data[8:12] == b"WEBP":
        return "WEBP"
    if data[4:8] == b"ftyp" and data[8:12] in (b"avif", b"avis", b"mif1", b"msf1"):
        return "AVIF"
    return None


def knows(data: bytes, name: str) -> bool:
    return _format(data) is not None


def family(data: bytes) -> str:
    return (_format(data) or "").replace("WEBP", "WebP")


def open_image(data: bytes, name: str) -> Image.Image:
    """Open a file without decoding it; ``InputError`` when its header is damaged."""
    kind = _format(data) or ""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # sizes are checked by ourselves
            return Image.open(BytesIO(data), formats=[kind])
    except Image.DecompressionBombError as large:
        raise InputError(
            "has far more pixels than allowed", file=name, remedy="scale the frames down first"
        ) from large
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, KeyError, TypeError, EOFError) as broken:
        raise InputError(
            "its header is damaged or cut short", file=name, remedy="render or copy the file again"
        ) from broken


def header(data: bytes, name: str) -> Header:
    """Read a file's header; a JPEG or TIFF that is cut short shows only when it is decoded."""
    deep = False
    try:
        with open_image(data, name) as image:
            check_area(*image.size, name)
            kind = image.format or ""
            mode = image.mode
            if kind == "TIFF":
                deep = _is_deep(data)
            width, height = image.size
            turn = image.getexif().get(_ORIENTATION, 1)
            profile = profile_name(image.info.get("icc_profile"))
            count = int(getattr(image, "n_frames", 1))
            clear = mode in ("RGBA", "LA", "RGBa", "PA", "La") or "transparency" in image.info
    except InputError:
        raise
    except Exception as broken:  # readers of damaged headers raise many kinds
        raise InputError(
            "its header is damaged or cut short", file=name, remedy="render or copy the file again"
        ) from broken
    if turn in (5, 6, 7, 8) and kind != "TIFF":
        width, height = height, width
    notes = []
    if deep:
        notes.append("16 bits a sample brought to 8")
    if mode == "CMYK":
        notes.append("CMYK brought to sRGB")
    if profile:
        notes.append(f"colours brought from the profile {profile} to sRGB")
    if turn in range(2, 9):
        notes.append("turned as its orientation says")
    label = f"{'16-bit ' if deep else ''}{family(data)}, {_NAMES.get(mode, mode)}"
    return Header(width, height, label, clear, count, tuple(notes))


def _is_deep(data: bytes) -> bool:
    import tifffile  # takes long to load

    with tifffile.TiffFile(BytesIO(data)) as file:
        page = file.pages.first
        return page.dtype is not None and page.dtype.itemsize > 1


def decode(data: bytes, name: str) -> NDArray[np.uint8]:
    """The first picture as straight RGBA, shape (height, width, 4)."""
    return decode_page(data, 0, name)


def decode_page(data: bytes, page: int, name: str) -> NDArray[np.uint8]:
    """Picture number ``page`` (from 0) of a file, by itself, not drawn over those before it."""
    if _format(data) == "TIFF" and _is_deep(data):
        return _deep_tiff(data, page)
    with open_image(data, name) as image:
        if page:
            image.seek(page)
        image.load()
        profile = image.info.get("icc_profile")
        ImageOps.exif_transpose(image, in_place=True)  # which copies nothing when there is nothing to turn
        return to_rgba(image, profile)


def _deep_tiff(data: bytes, number: int) -> NDArray[np.uint8]:
    """A TIFF page of 16 bits a sample, rounded to 8; associated alpha (section 18) is divided out."""
    import tifffile  # takes long to load

    with tifffile.TiffFile(BytesIO(data)) as file:
        page = file.pages[number]
        samples = np.asarray(page.asarray())
        associated = 1 in tuple(getattr(page, "extrasamples", ()) or ())
        inverted = getattr(page, "photometric", None) == tifffile.PHOTOMETRIC.MINISWHITE
        if getattr(page, "planarconfig", 1) == 2 and samples.ndim == 3:
            samples = np.moveaxis(samples, 0, -1)
    if samples.ndim == 2:
        samples = samples[:, :, None]
    colours = 1 if samples.shape[2] <= 2 else 3
    result = np.full((*samples.shape[:2], 4), 255, np.uint8)
    for rows in bands(samples):
        deep = _in_16_bits(samples[rows])
        if inverted:
            deep[:, :, 0] = 65535 - deep[:, :, 0]
        colour = deep[:, :, :colours]
        if samples.shape[2] in (2, 4):
            alpha = deep[:, :, -1:]
            if associated:
                whole = np.maximum(alpha, 1).astype(np.uint64)
                divided = (colour * np.uint64(65535) + whole // 2) // whole
                colour = np.minimum(divided, 65535).astype(np.uint32)
            result[rows, :, 3] = ((alpha[:, :, 0] * 255 + 32767) // 65535).astype(np.uint8)
        result[rows, :, :3] = ((colour * 255 + 32767) // 65535).astype(np.uint8)
    return result


def _in_16_bits(samples: NDArray[Any]) -> NDArray[np.uint32]:
    """Samples of any depth as levels up to 65535."""
    if samples.dtype.kind == "f":
        samples = np.clip(np.nan_to_num(samples) * 65535.0 + 0.5, 0, 65535)
    elif samples.dtype.itemsize > 2:
        samples = samples.astype(np.uint64) >> 16
    levels: NDArray[np.uint32] = samples.astype(np.uint32)
    return levels
