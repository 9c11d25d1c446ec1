"""Played frames as Pillow's savers of animations take them: one at a time."""

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..framing.bleed import bled


class Played(Image.Image):
    """A picture of many frames that are fetched as they are sought, so that they never all stand in memory."""

    def __init__(self, frames: Any, *, soft: bool, bleed: bool = False, on_frame: Callable[[], None]) -> None:
        """``frames``: straight RGBA by index; ``soft``: whether their alpha is kept; ``bleed``: whether colour
        is spread under what is clear."""
        super().__init__()
        self._frames = frames
        self._soft = soft
        self._bleed = bleed
        self._on_frame = on_frame
        self._at = -1
        self.n_frames = len(frames)
        self.is_animated = len(frames) > 1
        self.seek(0)

    def seek(self, frame: int) -> None:
        if frame >= self.n_frames:
            raise EOFError
        if frame == self._at:
            return
        picture: NDArray[np.uint8] = self._frames[frame]
        if not self._soft:
            picture = np.ascontiguousarray(picture[:, :, :3])
        elif self._bleed:
            picture = bled(picture)
        shown = Image.fromarray(picture)
        self._at, self.im, self._mode, self._size = frame, shown.im, shown.mode, shown.size
        if frame:
            self._on_frame()

    def tell(self) -> int:
        return 0  # a saver goes back to where it began; there is no need to fetch that
