"""What the vision desk shows in each frame: a function of what was done up to it."""

from dataclasses import dataclass, replace

from .clips import Clip
from .desk import Overlay, Source


@dataclass(frozen=True)
class Change:
    """A change from one source to the other that takes time."""

    began: int
    frames: int
    clip: Clip | None = None
    """What is played over the cut; ``None``: both sources are mixed."""

    @property
    def cut(self) -> int:
        """The frame on air from which on the other source is seen."""
        return self.began + (self.clip.cut_at - 1 if self.clip else self.frames)


@dataclass(frozen=True)
class Laid:
    """A clip on an overlay layer."""

    clip: Clip
    asked: Overlay
    began: int

    def frame(self, number: int) -> int:
        """Which of its frames, from 0, is seen in the ``number``-th on air."""
        played, count = number - self.began, self.clip.count
        mode = self.asked.mode or self.clip.own_mode
        if mode == "once":
            return min(played, count - 1)
        if mode == "loop" or count == 1:
            return played % count
        turn = played % (2 * count - 2)
        return turn if turn < count else 2 * count - 2 - turn


@dataclass(frozen=True)
class Moment:
    """What the desk does from one frame on."""

    since: int = 0
    program: Source = "A"
    change: Change | None = None
    overlays: tuple[Laid | None, ...] = (None, None)

    def settled(self, number: int) -> "Moment":
        """The same with a change that has ended by then carried out."""
        change = self.change
        if change is None or number < change.began + change.frames:
            return self
        return replace(self, since=change.began + change.frames, program=other(self.program), change=None)


def other(source: Source) -> Source:
    return "B" if source == "A" else "A"
