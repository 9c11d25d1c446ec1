"""What played steps are called, for what lists them by name."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from functools import cached_property
from typing import Any, NamedTuple


class PlayedSpan(NamedTuple):
    """A named run of played steps."""

    name: str
    first: int
    """Counted from 0, as is ``last``."""
    last: int
    direction: str
    repeat: int


@dataclass(frozen=True)
class Listed:
    """Frames and spans of played steps."""

    positions: tuple[int, ...]
    """The gathered frames they show, or show most of."""
    names: tuple[str, ...]
    """Of those frames."""
    span_names: tuple[str | None, ...]
    """The span that each belongs to."""
    spans: tuple[PlayedSpan, ...]
    """Of each that is played the first run."""

    @cached_property
    def numbers(self) -> tuple[int, ...]:
        """The number of each step in its span, from 1; of those in none among each other."""
        seen: dict[str | None, int] = {}
        numbers = []
        for span in self.span_names:
            seen[span] = seen.get(span, 0) + 1
            numbers.append(seen[span])
        return tuple(numbers)

    def dump(self) -> dict[str, Any]:
        return asdict(self)

    @classmethod
    def parse(cls, document: Mapping[str, Sequence[Any]]) -> "Listed":
        spans = tuple(PlayedSpan(*span) for span in document["spans"])
        return cls(tuple(document["positions"]), tuple(document["names"]), tuple(document["span_names"]), spans)
