"""The kinds of picture files that are read, all behind the same two functions."""

from functools import cache
from importlib.metadata import version
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError
from . import bmp, gif, png, tga, usual
from .header import Header


class Kind(Protocol):
    """One kind of file. Each module of this package that reads one has these functions."""

    def knows(self, data: bytes, name: str) -> bool:
        """Whether the file is of this kind, by its first bytes (for one that has no mark, by its ending)."""
        ...

    def family(self, data: bytes) -> str:
        """What people call a file of this kind: ``"TIFF"``."""
        ...

    def header(self, data: bytes, name: str) -> Header:
        """Check the file as far as can be done without decoding it; ``InputError`` says what is wrong."""
        ...

    def decode(self, data: bytes, name: str) -> NDArray[np.uint8]:
        """The first picture as straight RGBA, shape (height, width, 4). May raise anything."""
        ...


KINDS: tuple[Kind, ...] = (png, gif, usual, bmp, tga)
NAMED = "PNG, TGA, BMP, JPEG, TIFF, WebP, AVIF, animated GIF, APNG or WebP"


VERSION = 2
"""Raised when one of these modules reads a file to other pixels than before."""


@cache
def decoders() -> str:
    """What pixels depend on besides a file: the version of our readers and of the libraries they use."""
    libraries = (f"{name} {version(name)}" for name in ("pillow", "imagecodecs", "tifffile"))
    return f"{VERSION}, {', '.join(libraries)}"


def kind_of(data: bytes, name: str) -> Kind:
    """Which kind a file is; ``InputError`` when it is empty or none that is read."""
    if not data:
        raise InputError("the file is empty (0 bytes)", file=name, remedy="render or copy the file again")
    for kind in KINDS:
        if kind.knows(data, name):
            return kind
    raise InputError("not a supported picture format", file=name, remedy=f"use {NAMED} files, or a clip")


def read_header(data: bytes, *, name: str) -> Header:
    """What a file says of itself. Raises ``InputError`` naming the file when it is empty, of no known kind, cut
    short, damaged or too large; costs no picture memory."""
    return kind_of(data, name).header(data, name)


def read_picture(data: bytes, *, name: str) -> NDArray[np.uint8]:
    """The (first) picture as straight RGBA in sRGB, shape (height, width, 4), 8 bits a sample.

    Grey and palette are expanded, 16 bits rounded to 8, CMYK and other colour spaces brought to sRGB, and what
    was held sideways turned. Raises ``InputError`` as :func:`read_header` does.
    """
    kind = kind_of(data, name)
    kind.header(data, name)
    try:
        return kind.decode(data, name)
    except InputError:
        raise
    except MemoryError as large:
        raise InputError(
            "there is not enough memory to decode it", file=name, remedy="scale it down"
        ) from large
    except Exception as broken:  # decoders raise many kinds; each means the same to a person
        raise InputError(
            "its picture data is damaged", file=name, remedy="render or copy the file again"
        ) from broken
