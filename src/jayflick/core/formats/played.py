"""Played frames as Pillow's savers of animations take them: one at a time."""

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..framing.bleed import bled
from .ahead import ahead


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
        self._coming = ahead(self._picture, range(len(frames)))
        self._next = 0
        self.n_frames = len(frames)
        self.is_animated = len(frames) > 1
        self.seek(0)

    def seek(self, frame: int) -> None:
        if frame >= self.n_frames:
            raise EOFError
        if frame == self._at:
            return
        # Savers take one after the other, and now and then go back to the first.
        in_turn = frame == self._next
        shown = Image.fromarray(next(self._coming) if in_turn else self._picture(frame))
        self._next += in_turn
        self._at, self.im, self._mode, self._size = frame, shown.im, shown.mode, shown.size
        if frame:
            self._on_frame()

    def close(self) -> None:
        """Make no more ahead."""
        self._coming.close()
        super().close()

    def _picture(self, frame: int) -> NDArray[np.uint8]:
        picture: NDArray[np.uint8] = self._frames[frame]
        if not self._soft:
            return np.ascontiguousarray(picture[:, :, :3])
        return bled(picture) if self._bleed else picture

    def tell(self) -> int:
        return 0  # a saver goes back to where it began; there is no need to fetch that
