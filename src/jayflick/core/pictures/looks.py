"""What can be told of a frame by looking at its pixels once: enough to compare it with the others later."""

import zlib
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PIL import Image

SIDE = 16
"""A signature has SIDE × SIDE samples."""
GLANCE = 48
"""Samples along the longer side of a glance."""
_TOUCHED = 8
"""Alpha from which a pixel at the canvas edge counts as content."""


@dataclass(frozen=True)
class Looks:
    """A frame boiled down."""

    digest: str
    """Two checksums over all pixels. With the signature they tell pictures apart, however written.

    Made for comparing frames that came together, not against somebody who wants two to be mistaken."""
    signature: bytes
    """The picture scaled to SIDE × SIDE, premultiplied RGBA."""
    cut: bool
    """Whether transparent art reaches the edge of its canvas."""

    def shows_the_same(self, other: "Looks") -> bool:
        """Whether both are the same picture, pixel by pixel."""
        return self.digest == other.digest and self.signature == other.signature

    def distance(self, other: "Looks") -> float:
        """The mean difference of the two signatures, in levels."""
        mine = np.frombuffer(self.signature, np.uint8).astype(np.int16)
        theirs = np.frombuffer(other.signature, np.uint8).astype(np.int16)
        return float(np.abs(mine - theirs).mean())


def reduced(picture: NDArray[np.uint8], width: int, height: int) -> Image.Image:
    """A picture averaged down by a whole number that leaves it at least ``width`` × ``height``."""
    image = Image.fromarray(picture)
    return image.reduce(max(1, min(image.width // width, image.height // height)))


def glance(image: Image.Image) -> NDArray[np.uint8]:
    """A picture averaged down to GLANCE samples a side at most, premultiplied RGBA, as one row of bytes."""
    share = GLANCE / max(image.size)
    size = max(1, round(image.width * share)), max(1, round(image.height * share))
    small = image.convert("RGBA").convert("RGBa").resize(size, Image.Resampling.BOX)
    return np.asarray(small).reshape(-1)


def look(picture: NDArray[np.uint8], overview: Image.Image | None = None) -> Looks:
    """Boil a picture down; straight RGBA, shape (height, width, 4). ``overview``: it :func:`reduced`."""
    small = overview or reduced(picture, 4 * SIDE, 4 * SIDE)
    pixels = np.ascontiguousarray(picture).data
    digest = f"{picture.shape[1]}x{picture.shape[0]}-{zlib.crc32(pixels):08x}{zlib.adler32(pixels):08x}"
    alpha = picture[:, :, 3]
    edge = max(alpha[0].max(), alpha[-1].max(), alpha[:, 0].max(), alpha[:, -1].max())
    cut = bool(edge >= _TOUCHED and small.getchannel("A").histogram()[0:_TOUCHED] != [0] * _TOUCHED)
    signature = small.convert("RGBa").resize((SIDE, SIDE), Image.Resampling.BOX)
    return Looks(digest, signature.tobytes(), cut)
