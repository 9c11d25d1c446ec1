"""One frame as a picture file: PNG, TGA, BMP, JPEG or WebP.

Sources: PNG third edition; Truevision TGA file format specification 2.0.
"""

import struct
from io import BytesIO

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from .png_writer import GREY, RGB, RGBA, SIGNATURE, chunk, deflated, filtered, header

MEDIA_TYPES = {
    "png": "image/png",
    "tga": "image/x-tga",
    "bmp": "image/bmp",
    "jpeg": "image/jpeg",
    "webp": "image/webp",
}
ENDINGS = {"png": ".png", "tga": ".tga", "bmp": ".bmp", "jpeg": ".jpg", "webp": ".webp"}
_LEVEL = 6
_FOOTER = b"TRUEVISION-XFILE.\0"
_FOOTER_SIZE = 26
_EXTENSION_SIZE = 495
_STRAIGHT, _PREMULTIPLIED = 3, 4
"""What the alpha of a TGA means (field 24)."""
_LUMA = np.array([2126, 7152, 722], np.uint32)
"""Weights of red, green and blue (ITU-R BT.709), of 10,000."""


def png(rows: NDArray[np.uint8]) -> bytes:
    """A PNG of 8 bits a sample, by shape: (height, width) grey, (…, 3) RGB, (…, 4) straight RGBA."""
    height, width = rows.shape[:2]
    step = 1 if rows.ndim == 2 else rows.shape[2]
    colour_type = {1: GREY, 3: RGB, 4: RGBA}[step]
    body = deflated(filtered(rows.reshape(height, width * step), step, adaptive=True), _LEVEL)
    parts = [SIGNATURE, header(width, height, 8, colour_type), chunk(b"IDAT", body), chunk(b"IEND", b"")]
    return b"".join(parts)


def with_pixels(frame: NDArray[np.uint8], pixels: str) -> NDArray[np.uint8]:
    """A frame's samples as they are written: ``rgba``, ``rgb``, ``premultiplied`` or ``grey``."""
    if pixels == "rgb":
        return np.ascontiguousarray(frame[:, :, :3])
    if pixels == "grey":
        return ((frame[:, :, :3] @ _LUMA + 5000) // 10_000).astype(np.uint8)
    if pixels == "premultiplied":
        out = frame.copy()
        alpha = frame[:, :, 3:].astype(np.uint16)
        out[:, :, :3] = (frame[:, :, :3] * alpha + 127) // 255
        return out
    return frame


def _with_attributes(tga: bytes, attributes: int) -> bytes:
    """A TGA that says what its alpha means (version 2.0, fields 10 to 26), however clear its pixels are."""
    body = tga[:-_FOOTER_SIZE] if tga.endswith(_FOOTER) else tga
    extension = struct.pack("<H", _EXTENSION_SIZE) + bytes(_EXTENSION_SIZE - 3) + bytes([attributes])
    return body + extension + struct.pack("<II", len(body), 0) + _FOOTER


def write_picture(
    samples: NDArray[np.uint8], kind: str, *, quality: int = 90, rle: bool = False, premultiplied: bool = False
) -> bytes:
    """A file of ``kind`` (a key of :data:`MEDIA_TYPES`); ``quality`` of JPEG and WebP, ``rle`` of TGA.

    ``premultiplied``: its alpha is in its colours, which a TGA says.
    """
    if kind == "png":
        return png(samples)
    out = BytesIO()
    picture = Image.fromarray(samples)
    if kind == "tga":  # with 8 attribute bits where there is alpha
        picture.save(out, "TGA", compression="tga_rle" if rle else None, orientation=1)
        if samples.ndim == 3 and samples.shape[2] == 4:
            return _with_attributes(out.getvalue(), _PREMULTIPLIED if premultiplied else _STRAIGHT)
    elif kind == "bmp":
        picture.save(out, "BMP")
    elif kind == "jpeg":
        picture.save(out, "JPEG", quality=max(quality, 1), subsampling=0 if quality >= 90 else 2, optimize=True)
    else:
        picture.save(out, "WEBP", quality=quality, method=6)
    return out.getvalue()
