"""What can be told of a frame by looking at its pixels once: enough to compare it with the others later."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..checksums import adler32, crc32

SIDE = 16
"""A signature has SIDE × SIDE samples."""
PREVIEW = 48
"""Samples along the longer side of a preview."""
_LOOKED_AT = 300_000
"""About so many pixels are looked at for what shines through soft edges."""
_SOFT = 24
_FEW = 24
_TELLING = 110
"""Solid art must have levels this far from black, or from white, to tell anything."""
_NEARLY_ALL = 0.99
_NEARLY_NOTHING = 2.5
"""The mean alpha, in levels, below which a picture is nearly clear: a hundredth of it is opaque."""
_TOUCHED = 8
"""Alpha from which a pixel at the canvas edge counts as content."""


@dataclass(frozen=True)
class Fingerprint:
    """A frame boiled down."""

    digest: str
    """Two checksums over all pixels. With the signature they tell pictures apart, however written.

    Made for comparing frames that came together, not against somebody who wants two to be mistaken."""
    signature: bytes
    """The picture scaled to SIDE × SIDE, premultiplied RGBA."""
    cut: bool
    """Whether transparent art reaches the edge of its canvas."""
    rim: str = ""
    """The colour that its soft edges seem to have been rendered over: ``black``, ``white`` or none."""

    @property
    def nearly_clear(self) -> bool:
        """Whether next to nothing is on the picture."""
        return float(np.frombuffer(self.signature, np.uint8)[3::4].mean()) < _NEARLY_NOTHING

    def same_picture(self, other: "Fingerprint") -> bool:
        """Whether both are the same picture, pixel by pixel."""
        return self.digest == other.digest and self.signature == other.signature

    def distance(self, other: "Fingerprint") -> float:
        """The mean difference of the two signatures, in levels."""
        mine = np.frombuffer(self.signature, np.uint8).astype(np.int16)
        theirs = np.frombuffer(other.signature, np.uint8).astype(np.int16)
        return float(np.abs(mine - theirs).mean())


def reduced(picture: NDArray[np.uint8], width: int, height: int) -> Image.Image:
    """A picture averaged down by a whole number that leaves it at least ``width`` × ``height``."""
    pixels = np.ascontiguousarray(picture)
    factor = max(1, min(picture.shape[1] // width, picture.shape[0] // height))
    if not (pixels.view("<u4") >= 0xFF000000).all():
        return Image.fromarray(pixels).reduce(factor)
    # Opaque pixels have nothing to be weighted by, which would cost three times as much.
    size = picture.shape[1], picture.shape[0]
    small = Image.frombuffer("RGBX", size, pixels, "raw", "RGBX", 0, 1).reduce(factor)
    return Image.frombytes("RGBA", small.size, small.tobytes())


def preview(image: Image.Image) -> NDArray[np.uint8]:
    """A picture averaged down to PREVIEW samples a side at most, premultiplied RGBA, as one row of bytes."""
    share = PREVIEW / max(image.size)
    size = max(1, round(image.width * share)), max(1, round(image.height * share))
    small = image.convert("RGBA").convert("RGBa").resize(size, Image.Resampling.BOX)
    return np.asarray(small).reshape(-1)


def fingerprint(picture: NDArray[np.uint8], overview: Image.Image | None = None) -> Fingerprint:
    """Boil a picture down; straight RGBA, shape (height, width, 4). ``overview``: it :func:`reduced`."""
    small = overview or reduced(picture, 4 * SIDE, 4 * SIDE)
    pixels = np.ascontiguousarray(picture).data.cast("B")
    digest = f"{picture.shape[1]}x{picture.shape[0]}-{crc32(pixels):08x}{adler32(pixels):08x}"
    alpha = picture[:, :, 3]
    edge = max(alpha[0].max(), alpha[-1].max(), alpha[:, 0].max(), alpha[:, -1].max())
    cut = bool(edge >= _TOUCHED and small.getchannel("A").histogram()[0:_TOUCHED] != [0] * _TOUCHED)
    rim = _rim(picture) if small.getchannel("A").getextrema() != (255, 255) else ""
    signature = small.convert("RGBa").resize((SIDE, SIDE), Image.Resampling.BOX)
    return Fingerprint(digest, signature.tobytes(), cut, rim)


def _rim(picture: NDArray[np.uint8]) -> str:
    """What shines through soft edges.

    Over black no channel is brighter than its alpha, over white none darker than what alpha leaves of white;
    art that is dark or bright throughout is like that by itself and tells nothing.
    """
    step = max(1, picture.shape[0] * picture.shape[1] // _LOOKED_AT)
    pixels = picture[::step].reshape(-1, 4).astype(np.int16)
    alpha = pixels[:, 3]
    soft = pixels[(alpha > _SOFT) & (alpha < 255 - _SOFT)]
    solid = pixels[alpha >= 250]
    if len(soft) < _FEW or len(solid) < _FEW:
        return ""
    brightest, darkest = soft[:, :3].max(axis=1), soft[:, :3].min(axis=1)
    if np.median(solid[:, :3].max(axis=1)) > _TELLING and (brightest <= soft[:, 3] + 2).mean() >= _NEARLY_ALL:
        return "black"
    bright = (darkest >= 255 - soft[:, 3] - 2).mean() >= _NEARLY_ALL
    if bright and np.median(solid[:, :3].min(axis=1)) < 255 - _TELLING:
        return "white"
    return ""
