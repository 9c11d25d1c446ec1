"""Frames that lie in a folder and change there: which files are a project's, and which differ by now."""

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass

from ..roots import Entry
from ..text import clean
from .names import number_in


@dataclass(frozen=True)
class Seen:
    """A file as it was when it was read last."""

    size: int
    written: int
    """In nanoseconds since 1970. Only compared: whether a clock is right does not matter."""
    sha256: str = ""
    """Of its content; empty of one that could not be used."""
    message: str = ""
    """Why it could not."""

    def is_still(self, entry: Entry) -> bool:
        return (self.size, self.written) == (entry.size, entry.written)


@dataclass(frozen=True)
class Difference:
    """Paths of files in a folder, by how they differ from what a project has of them."""

    newer: tuple[str, ...]
    """Written since, or no longer what the project shows, as after an undo."""
    added: tuple[str, ...]
    gone: tuple[str, ...]
    changed: tuple[str, ...]
    """Of the newer and added ones those that were written since they were seen."""

    @property
    def wanted(self) -> tuple[str, ...]:
        """What would be read to be up to date."""
        return (*self.newer, *self.added)


def members(entries: Iterable[tuple[str, Entry]], patterns: Collection[str]) -> dict[str, Entry]:
    """Those files, by their path, that belong to some patterns, or are named by one."""
    counting = [pattern for pattern in patterns if "#" in pattern]
    exact = frozenset(patterns)
    return {
        path: entry
        for path, entry in entries
        if (shown := clean(path)) in exact or any(number_in(pattern, shown) is not None for pattern in counting)
    }


def number_of(path: str, patterns: Iterable[str]) -> int | None:
    """The counter of a file by the first pattern that it belongs to."""
    numbers = (number_in(pattern, clean(path)) for pattern in patterns)
    return next((number for number in numbers if number is not None), None)


def differing(there: Mapping[str, Entry], seen: Mapping[str, Seen], held: Collection[str]) -> Difference:
    """What differs; ``held``: the SHA-256 of the frames that the project shows."""
    newer: list[str] = []
    added: list[str] = []
    changed: list[str] = []
    for path, entry in there.items():
        known = seen.get(path)
        still = known is not None and known.is_still(entry)
        if not still:
            changed.append(path)
            (newer if known is not None and known.sha256 else added).append(path)
        elif known is not None and known.sha256 and known.sha256 not in held:
            newer.append(path)
    gone = [path for path, known in seen.items() if known.sha256 and path not in there]
    return Difference(tuple(newer), tuple(added), tuple(gone), tuple(changed))


@dataclass(frozen=True)
class Match:
    """How the files of another folder compare with the frames that a project has."""

    same: int
    """Of the same content."""
    other: int
    """Of a number, or a name, that the project has, with other content."""
    added: int
    lacking: int
    """Frames of the project of which there is neither."""


def matched(
    there: Mapping[str, str], names: Mapping[str, int | None], known: Iterable[tuple[str, int | None, str]]
) -> Match:
    """Compare files with frames, by content first, then by name and number.

    ``there``: the SHA-256 of files by path, empty where it cannot be one of the project's. ``names``: the
    counter of each. ``known``: name, counter and SHA-256 of each frame.
    """
    frames = list(known)
    contents = {sha256 for _, _, sha256 in frames}
    same = {path for path, sha256 in there.items() if sha256 in contents}
    found = {there[path] for path in same}
    rest = [frame for frame in frames if frame[2] not in found]
    numbers = {number for _, number, _ in rest if number is not None}
    called = {name.rpartition("/")[2] for name, _, _ in rest}

    def takes_a_place(path: str) -> bool:
        number = names[path]
        return number in numbers if number is not None else clean(path).rpartition("/")[2] in called

    other = {path for path in there if path not in same and takes_a_place(path)}
    replaced = {names[path] for path in other if names[path] is not None}
    lacking = sum(number not in replaced if number is not None else True for _, number, _ in rest)
    return Match(len(same), len(other), len(there) - len(same) - len(other), lacking)
