"""Played frames with their soft edges settled, for what holds one bit of alpha or none."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError
from ..recipe import Alpha
from .alpha import is_opaque, laid_over, settle
from .frames import PlayedFrames


@dataclass(frozen=True)
class Settled:
    """Frames with alpha of 0 or 255, fetched one at a time."""

    frames: PlayedFrames
    alpha: Alpha

    def __len__(self) -> int:
        return len(self.frames)

    def __getitem__(self, index: int, /) -> NDArray[np.uint8]:
        return settle(self.frames[index], self.alpha)


@dataclass(frozen=True)
class LaidOver:
    """Frames over a colour that fills all of them; as they are if there is none."""

    frames: PlayedFrames
    over: str | None

    def __len__(self) -> int:
        return len(self.frames)

    def __getitem__(self, index: int, /) -> NDArray[np.uint8]:
        frame = self.frames[index]
        return frame if self.over is None else laid_over(frame, self.over)

    @property
    def may_be_soft(self) -> bool:
        """Whether a pixel may be clear or soft, as far as is known without looking."""
        return self.over is None and not self.frames.opaque

    def soft(self) -> int | None:
        """The first frame that is not opaque throughout, counted from 0."""
        if not self.may_be_soft:
            return None
        firsts: Sequence[int] = self.frames.firsts
        return next((i for i, first in enumerate(firsts) if first == i and not is_opaque(self[i])), None)

    def require_opaque(self, what: str, remedy: str) -> None:
        """Refuse frames that ``what`` would lose the alpha of."""
        at = self.soft()
        if at is not None:
            raise InputError(f"{what} has no alpha, and frame {at + 1} is not opaque", remedy=remedy)
