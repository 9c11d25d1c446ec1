"""The sequences in a folder as far as names tell them, before anything is read."""

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import Literal

from ..roots import Entry
from ..text import clean
from .gather import far_apart, stride
from .names import split_names

Kind = Literal["frames", "clip", "archive"]
_FRAMES = ".png .apng .tga .icb .vda .vst .bmp .dib .jpg .jpeg .jpe .jfif .tif .tiff .webp .avif .gif"
_CLIPS = ".mp4 .m4v .mov .webm .mkv .avi .mpg .mpeg .ts .m2ts .mts .vob"
_ARCHIVES = ".zip .tar .tgz .gz .bz2 .xz"
_ENDINGS: dict[str, Kind] = {
    **dict.fromkeys(_FRAMES.split(), "frames"),
    **dict.fromkeys(_CLIPS.split(), "clip"),
    **dict.fromkeys(_ARCHIVES.split(), "archive"),
}
"""What a file is by its ending, common practice: what it really is tells its content, once it is read."""


@dataclass(frozen=True)
class Listed:
    """Files of one pattern, in the order of their numbers."""

    pattern: str
    kind: Kind
    names: tuple[str, ...]
    """As the system gives them."""
    first: int | None
    last: int | None
    missing: int
    """How many numbers between first and last have no file."""
    size: int
    """All their bytes."""
    written: int
    """When the newest was last written, in nanoseconds since 1970."""


def kind_by_name(name: str) -> Kind | None:
    """What a file should be by its ending; ``None`` for none that is brought in."""
    return _ENDINGS.get(PurePosixPath(name).suffix.lower())


def listed(entries: Iterable[Entry]) -> tuple[list[Listed], int]:
    """The sequences that files make by their names, in their order, and how many files are none of frames.

    Of two files whose names look alike once they are cleaned the first counts, the other is none.
    """
    files: dict[str, Entry] = {}
    others = 0
    for entry in entries:
        if entry.folder:
            continue
        shown = clean(entry.name)
        if kind_by_name(shown) is None or shown in files:
            others += 1
        else:
            files[shown] = entry
    groups: dict[str, list[tuple[int | None, str]]] = defaultdict(list)
    for shown, named in split_names(files).items():
        apart = kind_by_name(shown) != "frames"
        groups[shown if apart else named.pattern].append((None if apart else named.number, shown))
    for pattern in [p for p, some in groups.items() if far_apart(number for number, _ in some)]:
        for _, shown in groups.pop(pattern):
            groups[shown] = [(None, shown)]
    return sorted((_one(pattern, some, files) for pattern, some in groups.items()), key=_order), others


def _one(pattern: str, some: list[tuple[int | None, str]], files: dict[str, Entry]) -> Listed:
    some.sort(key=lambda one: (-1 if one[0] is None else one[0], one[1]))
    numbers = sorted({number for number, _ in some if number is not None})
    first, last = (numbers[0], numbers[-1]) if numbers else (None, None)
    missing = (numbers[-1] - numbers[0]) // stride(numbers) + 1 - len(numbers) if numbers else 0
    chosen = [files[shown] for _, shown in some]
    return Listed(
        pattern,
        kind_by_name(some[0][1]) or "frames",
        tuple(entry.name for entry in chosen),
        first,
        last,
        max(0, missing),
        sum(entry.size for entry in chosen),
        max(entry.written for entry in chosen),
    )


def _order(one: Listed) -> tuple[str, str]:
    return one.pattern.casefold(), one.pattern
