"""Files that may leave their alpha unset, and what the other frames of their set say of it."""

from collections.abc import Iterable, Sequence

import numpy as np
from numpy.typing import NDArray

from . import tga
from .header import Header
from .kinds import kind_of, read_picture

UNSET = "its alpha is 0 throughout and was taken as opaque"
"""The note on such a frame."""


def leaves_alpha_unset(data: bytes, name: str) -> bool:
    """Whether a file has alpha that is 0 throughout, and does not say that it is meant."""
    return kind_of(data, name) is tga and tga.alpha_of(data, name) == "unset"


def sets_alpha(data: bytes, name: str) -> bool:
    """Whether a file is of a kind that may leave its alpha unset, and does not."""
    return kind_of(data, name) is tga and tga.alpha_of(data, name) == "set"


def clear_among(headers: Iterable[Header | None]) -> frozenset[int]:
    """The positions of frames that are clear, of those that leave their alpha unset: all, if others set it."""
    known = list(headers)
    unset = {position for position, one in enumerate(known, 1) if one is not None and UNSET in one.notes}
    others = (one for position, one in enumerate(known, 1) if one is not None and position not in unset)
    return frozenset(unset) if unset and any(one.sets_alpha for one in others) else frozenset()


def read_set(files: Sequence[tuple[str, bytes]]) -> Iterable[NDArray[np.uint8]]:
    """The pictures of a set, names and bytes given, straight RGBA, one after the other."""
    meant = any(sets_alpha(data, name) for name, data in files)
    for name, data in files:
        picture = read_picture(data, name=name)
        if meant and leaves_alpha_unset(data, name):
            picture[:, :, 3] = 0
        yield picture
