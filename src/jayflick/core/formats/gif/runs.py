"""Frames in a row that are equal: they are coded as one that lasts longer."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import groupby, islice, repeat

import numpy as np
from numpy.typing import NDArray

from .reader import Gif
from .side_by_side import Frames
from .writer import FrameBlock

Tell = Callable[[FrameBlock], None]
"""Told of each coded frame as soon as it is known for how many steps it lasts."""


def untold(frame: FrameBlock) -> None:
    """Nobody is told."""


def follow_on(blocks: list[FrameBlock], frame: FrameBlock | None, tell: Tell) -> None:
    """Add the next coded frame; ``None``: the last one lasts a step longer."""
    if frame is None:
        blocks[-1] = blocks[-1].lasting(blocks[-1].steps + 1)
        return
    if blocks:
        tell(blocks[-1])
    blocks.append(frame)


def steps_of(gif: Gif) -> Iterator[NDArray[np.uint8]]:
    """What each of the frames that were coded shows, of a file that was not given its time."""
    for frame, shown in zip(gif.frames, gif.pictures(), strict=True):
        yield from repeat(shown, frame.delay)


@dataclass(frozen=True)
class _Starts:
    """The first frame of each run."""

    frames: Frames
    starts: Sequence[int]

    def __len__(self) -> int:
        return len(self.starts)

    def __getitem__(self, index: int, /) -> NDArray[np.uint8]:
        return self.frames[self.starts[index]]


@dataclass(frozen=True)
class Runs:
    """Where the runs of equal frames begin, and how many frames each is of."""

    starts: Sequence[int]
    lengths: Sequence[int]
    firsts: Sequence[int]
    """For each run the first one that shows the same."""

    @classmethod
    def of(cls, firsts: Sequence[int]) -> "Runs":
        """``firsts``: for each frame the index of the first that is equal to it."""
        runs = [list(run) for _, run in groupby(range(len(firsts)), firsts.__getitem__)]
        starts = [run[0] for run in runs]
        place = {start: run for run, start in enumerate(starts)}
        return cls(starts, [len(run) for run in runs], [place[firsts[start]] for start in starts])

    def __len__(self) -> int:
        return len(self.starts)

    def frames(self, frames: Frames) -> Frames:
        """One frame of each run."""
        return frames if len(self) == len(frames) else _Starts(frames, self.starts)

    def spread(self, blocks: Sequence[FrameBlock]) -> list[FrameBlock]:
        """Coded frames, whose steps are runs, with the frames these are of as their steps."""
        lengths = iter(self.lengths)
        return [block.lasting(sum(islice(lengths, block.steps))) for block in blocks]
