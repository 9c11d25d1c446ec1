"""The error of a pixel handed on to those that are still to come.

Source: R. Floyd and L. Steinberg, "An adaptive algorithm for spatial grey scale" (1976).
"""

import numpy as np
from numpy.typing import NDArray

from ..compiled import inlined


@inlined
def hand_on(error: np.float32, here: NDArray[np.float32], below: NDArray[np.float32], x: int, c: int) -> None:
    """Spread the error of channel ``c`` of pixel ``x`` over the rest of its row and the row below.

    ``here``, ``below``: what was handed on to those rows, shape (width + 2, channels); pixel ``x`` is at x + 1.
    """
    here[x + 2, c] += error * np.float32(7 / 16)
    below[x, c] += error * np.float32(3 / 16)
    below[x + 1, c] += error * np.float32(5 / 16)
    below[x + 2, c] += error * np.float32(1 / 16)
