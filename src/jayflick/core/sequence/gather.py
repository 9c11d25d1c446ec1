"""Sorting a heap of file names into sequences, in order, with one honest report."""

import itertools
from collections import Counter, defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

from ..errors import InputError
from .names import NumberedName, split_name
from .pictures import Header

MOST_NAMED = 1000
"""The most missing numbers that are listed one by one."""


@dataclass(frozen=True)
class Found:
    """A file that was looked at: readable, with a header, or not, with the reason."""

    name: str
    header: Header | None
    error: InputError | None = None


@dataclass
class Sequence:
    """The readable frames of one pattern in the order of their numbers, and what is wrong with the set."""

    pattern: str
    files: list[Found]
    missing: list[int] = field(default_factory=list)
    repeated: list[int] = field(default_factory=list)
    problems: list[dict[str, str]] = field(default_factory=list)

    @property
    def numbers(self) -> list[int]:
        return [number for found in self.files if (number := split_name(found.name).number) is not None]

    def document(self) -> dict[str, Any]:
        """The sequence as the gather report states it."""
        numbers = self.numbers
        sizes = Counter(
            f"{found.header.width}x{found.header.height}" for found in self.files if found.header is not None
        )
        return {
            "name": self.pattern.partition("#")[0].rstrip("_-. ") or self.pattern,
            "pattern": self.pattern,
            "count": len(self.files),
            "first": numbers[0] if numbers else None,
            "last": numbers[-1] if numbers else None,
            "missing": self.missing,
            "repeated": self.repeated,
            "sizes": dict(sizes),
            "files": [found.name for found in self.files],
            "problems": self.problems,
        }


def _by_number(found: Found) -> tuple[int, str]:
    number = split_name(found.name).number
    return (-1 if number is None else number, found.name)


def gather(files: Iterable[Found]) -> tuple[list[Sequence], list[dict[str, str]]]:
    """Group files by the part of the name that does not count, order each group by number, not by character.

    Returns the sequences, longest first, and what was ignored: files that are in no sequence because they
    could not be read and nothing else shares their pattern.
    """
    groups: dict[str, list[tuple[NumberedName, Found]]] = defaultdict(list)
    for found in files:
        parts = split_name(found.name)
        groups[parts.pattern].append((parts, found))
    sequences: list[Sequence] = []
    ignored: list[dict[str, str]] = []
    for pattern, members in groups.items():
        readable = sorted((found for _, found in members if found.error is None), key=_by_number)
        unreadable = sorted((found for _, found in members if found.error is not None), key=_by_number)
        if not readable:
            ignored += [{"file": found.name, "message": _why(found)} for found in unreadable]
            continue
        sequence = Sequence(pattern, readable)
        counted = Counter(sequence.numbers)
        if counted:
            present = set(counted)
            sequence.missing = _gaps(sorted(present))
            sequence.repeated = sorted(number for number, times in counted.items() if times > 1)
        for found in unreadable:
            error = found.error
            if error is not None:
                sequence.problems.append(_problem("unreadable", found.name, error.message, error.remedy))
        sequence.problems += _size_problems(readable)
        if sequence.missing:
            sequence.problems.append(
                _problem(
                    "missing",
                    "",
                    f"numbers missing: {numbers_in_words(sequence.missing)}",
                    "render them, or play on without them",
                )
            )
        for number in sequence.repeated:
            names = ", ".join(f.name for f in readable if split_name(f.name).number == number)
            sequence.problems.append(
                _problem("repeated", names, f"number {number} comes more than once", "keep one of them")
            )
        sequences.append(sequence)
    sequences.sort(key=lambda sequence: (-len(sequence.files), sequence.pattern))
    return sequences, ignored


def _gaps(present: list[int]) -> list[int]:
    missing: list[int] = []
    for before, after in itertools.pairwise(present):
        for number in range(before + 1, after):
            if len(missing) == MOST_NAMED:
                return missing
            missing.append(number)
    return missing


def _size_problems(readable: list[Found]) -> list[dict[str, str]]:
    sizes = Counter((found.header.width, found.header.height) for found in readable if found.header)
    if len(sizes) < 2:
        return []
    usual = majority_size(readable)
    return [
        _problem(
            "size",
            found.name,
            f"is {found.header.width} × {found.header.height}, the others are {usual[0]} × {usual[1]}",
            "render it at the size of the others, or leave it out",
        )
        for found in readable
        if found.header and (found.header.width, found.header.height) != usual
    ]


def majority_size(readable: Iterable[Found]) -> tuple[int, int]:
    """The size that most frames have; of equals, the one that comes first."""
    sizes = Counter((found.header.width, found.header.height) for found in readable if found.header)
    return max(sizes, key=lambda size: sizes[size])


def numbers_in_words(numbers: list[int], most: int = 8) -> str:
    """``3, 5–7, 12``: runs drawn together, the rest counted once there are many."""
    runs: list[tuple[int, int]] = []
    for number in numbers:
        if runs and number == runs[-1][1] + 1:
            runs[-1] = (runs[-1][0], number)
        else:
            runs.append((number, number))
    words = [str(a) if a == b else f"{a}–{b}" for a, b in runs[:most]]
    return ", ".join(words) + (f" and {len(runs) - most} more runs" if len(runs) > most else "")


def _problem(kind: str, file: str, message: str, remedy: str) -> dict[str, str]:
    return {"kind": kind, "file": file, "message": message, "remedy": remedy}


def _why(found: Found) -> str:
    return found.error.message if found.error else ""
