"""What can be told of a frame by looking at its pixels once: enough to compare it with the others later."""

import hashlib
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PIL import Image

SIDE = 16
"""A signature has SIDE × SIDE samples."""
_TOUCHED = 8
"""Alpha from which a pixel at the canvas edge counts as content."""


@dataclass(frozen=True)
class Looks:
    """A frame boiled down."""

    digest: str
    """Equal for pictures that are equal pixel by pixel, however their files are written."""
    signature: bytes
    """The picture scaled to SIDE × SIDE, premultiplied RGBA."""
    cut: bool
    """Whether transparent art reaches the edge of its canvas."""

    def distance(self, other: "Looks") -> float:
        """The mean difference of the two signatures, in levels."""
        mine = np.frombuffer(self.signature, np.uint8).astype(np.int16)
        theirs = np.frombuffer(other.signature, np.uint8).astype(np.int16)
        return float(np.abs(mine - theirs).mean())


def look(picture: NDArray[np.uint8]) -> Looks:
    """Boil a picture down; straight RGBA, shape (height, width, 4)."""
    digest = hashlib.sha256(f"{picture.shape[1]}x{picture.shape[0]}:".encode())
    digest.update(np.ascontiguousarray(picture).data)
    alpha = picture[:, :, 3]
    edge = max(alpha[0].max(), alpha[-1].max(), alpha[:, 0].max(), alpha[:, -1].max())
    cut = bool(edge >= _TOUCHED and alpha.min() < _TOUCHED)
    small = Image.fromarray(picture).reduce((max(1, picture.shape[1] // 64), max(1, picture.shape[0] // 64)))
    signature = small.convert("RGBa").resize((SIDE, SIDE), Image.Resampling.BOX)
    return Looks(digest.hexdigest()[:32], signature.tobytes(), cut)
