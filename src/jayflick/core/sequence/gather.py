"""Sorting a heap of file names into sequences, in order, with one honest report."""

import itertools
import math
import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping
from collections.abc import Sequence as Sequence_
from dataclasses import dataclass, field, replace
from statistics import median
from typing import Any

from ..errors import InputError
from ..pictures.fingerprint import Fingerprint
from ..pictures.header import Header
from .names import labels_of, split_names, title_of

MOST_NAMED = 1000
"""The most missing numbers that are listed one by one."""
MOST_HELD = 1000
"""Missing numbers that can be made good at most: past that, a gap is a leap in the numbering."""
UNLIKE = "*"
"""The pattern of sequences put together whose names have nothing in common."""
LEAST_TIMES = 4
"""Different times that files must have before anything is said of their order."""
FEW, FAR = 3, 4
"""So few files with so many missing numbers each are no sequence."""
CLOSED = 0.25
"""The last frame repeats the first when they differ by less than this share of the usual step."""


@dataclass(frozen=True)
class Found:
    """A file that was looked at: readable, with a header, or not, with the reason."""

    name: str
    header: Header | None
    error: InputError | None = None
    fingerprint: Fingerprint | None = None
    duration: int | None = None
    """How long it is shown, in flicks, when the file it was taken out of says so."""
    repeat: int | None = None
    number: int | None = None
    """The counter in its name; known once it was gathered with the others."""
    written: float | None = None
    """When its file was last written, in seconds since 1970, where that is known."""


@dataclass(frozen=True)
class PartOf:
    """One of several sequences that were put together."""

    pattern: str
    labels: list[str]
    count: int


@dataclass
class Sequence:
    """The readable frames of one pattern in the order of their numbers, and what is wrong with the set."""

    pattern: str
    files: list[Found]
    missing: list[int] = field(default_factory=list)
    repeated: list[int] = field(default_factory=list)
    problems: list[dict[str, Any]] = field(default_factory=list)
    labels: list[str] = field(default_factory=list)
    """What tells it from the other sequences it came with: direction, motion."""
    parts: list[PartOf] = field(default_factory=list)
    """The sequences it was put together of, in order; empty when it is one by itself."""

    @property
    def numbers(self) -> list[int]:
        return [found.number for found in self.files if found.number is not None]

    @property
    def title(self) -> str:
        """A name for people; of sequences put together that have no name in common, those of the first few."""
        patterns = [part.pattern for part in self.parts] if self.pattern == UNLIKE else [self.pattern]
        titles = list(dict.fromkeys(title_of(pattern) for pattern in patterns))
        return ", ".join(titles[:3]) + (" and more" if len(titles) > 3 else "")

    def document(self) -> dict[str, Any]:
        """The sequence as the gather report states it."""
        numbers = self.numbers
        sizes = Counter(
            f"{found.header.width}x{found.header.height}" for found in self.files if found.header is not None
        )
        return {
            "name": self.pattern.partition("#")[0].rstrip("_-. /") or self.pattern,
            "pattern": self.pattern,
            "labels": self.labels,
            "count": len(self.files),
            "first": min(numbers, default=None),
            "last": max(numbers, default=None),
            "missing": self.missing,
            "repeated": self.repeated,
            "sizes": dict(sizes),
            "files": [found.name for found in self.files],
            "problems": self.problems,
            "parts": [
                {"pattern": part.pattern, "labels": part.labels, "first": end - part.count + 1, "last": end}
                for part, end in zip(
                    self.parts, itertools.accumulate(part.count for part in self.parts), strict=True
                )
            ],
        }


def _by_number(found: Found) -> tuple[int, str]:
    return (-1 if found.number is None else found.number, found.name)


def gather(files: Iterable[Found]) -> tuple[list[Sequence], list[dict[str, str]]]:
    """Group files by the part of the name that does not count, order each group by number, not by character.

    Returns the sequences, longest first, and what was ignored: files that are in no sequence because they
    could not be read and nothing else shares their pattern.
    """
    everything = list(files)
    names = split_names(found.name for found in everything)
    groups: dict[str, list[Found]] = defaultdict(list)
    for found in everything:
        parts = names[found.name]
        groups[parts.pattern].append(replace(found, number=parts.number))
    for pattern in [p for p, members in groups.items() if far_apart(one.number for one in members)]:
        for found in groups.pop(pattern):
            groups[found.name] = [replace(found, number=None)]
    sequences: list[Sequence] = []
    ignored: list[dict[str, str]] = []
    for pattern, members in groups.items():
        readable = sorted((found for found in members if found.error is None), key=_by_number)
        unreadable = sorted((found for found in members if found.error is not None), key=_by_number)
        if readable:
            sequences.append(_judged(Sequence(pattern, readable), unreadable))
        else:
            ignored += [{"file": found.name, "message": _why(found)} for found in unreadable]
    sequences.sort(key=lambda sequence: (-len(sequence.files), sequence.pattern))
    for sequence, labels in zip(sequences, labels_of([s.pattern for s in sequences]), strict=True):
        sequence.labels = labels
    return sequences, ignored


def joined(sequences: Iterable[Sequence], usual: tuple[int, int] | None = None) -> Sequence:
    """Sequences put together, one after the other.

    ``usual``: the size they should have, if not that of most.
    """
    each = list(sequences)
    if len(each) == 1:
        return each[0]
    together = Sequence(_common([sequence.pattern for sequence in each]), [])
    for sequence in each:
        before = len(together.files)
        together.files += sequence.files
        together.missing += sequence.missing
        together.repeated += sequence.repeated
        together.parts += sequence.parts or [PartOf(sequence.pattern, sequence.labels, len(sequence.files))]
        for problem in sequence.problems:
            if problem["kind"] != "size":
                positions = [before + position for position in problem["positions"]]
                named = problem["file"] or sequence.pattern
                together.problems.append({**problem, "file": named, "positions": positions})
    together.problems += _size_problems(together.files, usual)
    return together


def judged(
    pattern: str,
    files: Iterable[Found],
    unreadable: Iterable[Found] = (),
    usual: tuple[int, int] | None = None,
) -> Sequence:
    """Frames that are in order already, as one sequence with what is to be said of it.

    ``usual``: the size they should have, if not that of most.
    """
    return _judged(Sequence(pattern, list(files)), list(unreadable), usual)


def missing_after(numbers: Iterable[int | None], report: Mapping[str, Any] | None = None) -> list[int]:
    """How many numbers are missing between each frame and the next, where they can be made good.

    ``report``: the gather report. Where it says that several sequences were put together, nothing is missing
    between two of them, however the numbers leap.
    """
    known = list(numbers)
    gaps = [0] * len(known)
    step = stride([number for number in known if number is not None])
    for index, (here, following) in enumerate(itertools.pairwise(known)):
        if here is not None and following is not None and 1 < following - here <= MOST_HELD + 1:
            gaps[index] = (following - here) // step - 1
    parts = (report or {}).get("parts")
    for part in parts if isinstance(parts, list) else []:  # it may come from a file
        last = part.get("last") if isinstance(part, dict) else None
        if isinstance(last, int) and 1 <= last <= len(gaps):
            gaps[last - 1] = 0
    return gaps


def stride(numbers: Sequence_[int]) -> int:
    """By how much numbers in rising order usually rise: 1, or more where every second or fifth was rendered.

    What all steps are whole numbers of, if most are just that.
    """
    steps = [b - a for a, b in itertools.pairwise(sorted(set(numbers)))]
    if len(steps) < 2:
        return 1
    whole = math.gcd(*steps)
    return whole if Counter(steps)[whole] * 2 > len(steps) else 1


def far_apart(counters: Iterable[int | None]) -> bool:
    """Whether files of one pattern, by their counters, are too few and too far from each other for a sequence.

    Two photographs 18 numbers from each other are two photographs (common practice, no published source).
    """
    known = list(counters)
    numbers = sorted(number for number in known if number is not None)
    if not 2 <= len(known) <= FEW or len(numbers) < len(known):
        return False
    missing = numbers[-1] - numbers[0] + 1 - len(numbers)
    return stride(numbers) == 1 and missing >= FAR * len(known)


def _common(patterns: list[str]) -> str:
    """What patterns have in common, with a star for each word in which they differ."""
    split = [re.split(r"([\s_.\-/]+)", pattern) for pattern in patterns]
    if len({len(words) for words in split}) > 1:
        return UNLIKE
    return "".join(column[0] if len(set(column)) == 1 else "*" for column in zip(*split, strict=True))


def _judged(sequence: Sequence, unreadable: list[Found], usual: tuple[int, int] | None = None) -> Sequence:
    """The sequence with everything that is to be said of it."""
    readable = sequence.files
    counted = Counter(sequence.numbers)
    step = stride(sequence.numbers)
    sequence.missing = _gaps(sorted(counted), step)
    sequence.repeated = sorted(number for number, times in counted.items() if times > 1)
    for found in unreadable:
        if found.error is not None:
            sequence.problems.append(
                _problem("unreadable", found.name, found.error.message, found.error.remedy)
            )
    sequence.problems += _size_problems(readable, usual)
    if sequence.missing:
        sequence.problems.append(
            _problem(
                "missing",
                "",
                f"numbers missing: {numbers_in_words(sequence.missing)}",
                "render them, hold the frame before, or play on without them",
            )
        )
    if step > 1:
        sequence.problems.append(
            _problem(
                "stride",
                "",
                f"only every {ordinal(step)} number is there: {_first_few(sequence.numbers)}",
                "nothing need be done if they were rendered so; their rate may be that much lower",
            )
        )
    for number in sequence.repeated:
        same = [(position, f.name) for position, f in enumerate(readable, 1) if f.number == number]
        sequence.problems.append(
            _problem(
                "repeated",
                ", ".join(name for _, name in same),
                f"number {number} comes more than once",
                "keep one of them",
                [position for position, _ in same],
            )
        )
    if _written_backwards(readable):
        sequence.problems.append(
            _problem(
                "backwards",
                "",
                "the files were written from the last to the first: they may run backwards",
                "watch it, and turn it round if it does",
            )
        )
    sequence.problems += _pixel_problems(readable)
    notes = Counter(note for found in readable if found.header for note in found.header.notes)
    for note, times in notes.items():
        which = "all frames" if times == len(readable) else f"{times} of {len(readable)} frames"
        sequence.problems.append(_problem("converted", "", f"{which}: {note}", "nothing need be done"))
    return sequence


def _written_backwards(readable: list[Found]) -> bool:
    """Whether each frame is older than the one before it: what makes frames writes the first of them first.

    Copied or unpacked in one go, many have the same time, from which nothing follows (common practice, no
    published source).
    """
    times = [found.written for found in readable if found.written is not None]
    if len(times) < len(readable) or len(set(times)) < LEAST_TIMES:
        return False
    return all(later <= earlier for earlier, later in itertools.pairwise(times))


def _pixel_problems(readable: list[Found]) -> list[dict[str, Any]]:
    """What only the pixels tell: held pictures, a last frame that repeats the first, art that was cut off."""
    prints = [found.fingerprint for found in readable]
    known = [one for one in prints if one is not None]
    if len(known) < len(prints) or len(known) < 2:
        return []
    problems = []
    same = [i for i in range(1, len(known)) if known[i].same_picture(known[i - 1])]
    if same:
        problems.append(
            _problem(
                "identical",
                "",
                f"{_frames(same, readable)} {'repeats' if len(same) == 1 else 'repeat'} the previous picture",
                "fold them into a longer delay",
                [position + 1 for position in same],
            )
        )
    rims = Counter(look.rim for look in known if look.rim)
    if rims and max(rims.values()) > len(known) / 2:
        rim = max(rims, key=lambda one: rims[one])
        which = "black, or their colours multiplied by their alpha" if rim == "black" else rim
        problems.append(
            _problem(f"{rim}-rim", "", f"soft edges were rendered over {which}", f"take the {rim} out of them")
        )
    steps = [a.distance(b) for a, b in itertools.pairwise(known)]
    usual = median(step for step in steps if step > 0) if any(steps) else 0.0
    # What comes out of nothing and goes into nothing, as a transition does, is no loop.
    closes = len(known) > 3 and usual > 0 and known[-1].distance(known[0]) < CLOSED * usual
    if closes and not (known[0].nearly_clear and known[-1].nearly_clear):
        problems.append(
            _problem(
                "turn",
                readable[-1].name,
                "the last frame repeats the first, so that a loop would hold there",
                "leave the last one out",
                [len(readable)],
            )
        )
    cut = [i for i, look in enumerate(known) if look.cut]
    if cut:
        problems.append(
            _problem(
                "cut",
                "",
                f"{_frames(cut, readable)} reach the edge of their canvas: something may be cut off",
                "render them on a larger canvas",
                [position + 1 for position in cut],
            )
        )
    return problems


def _frames(positions: list[int], readable: list[Found]) -> str:
    numbers = [readable[i].number for i in positions]
    named = [number for number in numbers if number is not None]
    words = numbers_in_words(named if len(named) == len(numbers) else [i + 1 for i in positions])
    return f"{'frame' if len(positions) == 1 else 'frames'} {words}"


def ordinal(number: int) -> str:
    """``2nd``, ``3rd``, ``12th``."""
    teen = number % 100 in (11, 12, 13)
    return f"{number}{'th' if teen else {1: 'st', 2: 'nd', 3: 'rd'}.get(number % 10, 'th')}"


def _first_few(numbers: list[int]) -> str:
    return ", ".join(str(number) for number in sorted(set(numbers))[:3]) + " …"


def _gaps(present: list[int], step: int = 1) -> list[int]:
    missing: list[int] = []
    for before, after in itertools.pairwise(present):
        for number in range(before + step, after, step):
            if len(missing) == MOST_NAMED:
                return missing
            missing.append(number)
    return missing


def _size_problems(readable: list[Found], usual: tuple[int, int] | None = None) -> list[dict[str, Any]]:
    sizes = Counter((found.header.width, found.header.height) for found in readable if found.header)
    if not sizes:
        return []
    usual = usual or majority_size(readable)
    if sizes.keys() == {usual}:
        return []
    return [
        _problem(
            "size",
            found.name,
            f"is {found.header.width} × {found.header.height}, the others are {usual[0]} × {usual[1]}",
            "scale it to the size of the others, or leave it out",
            [position],
        )
        for position, found in enumerate(readable, 1)
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


def _problem(
    kind: str, file: str, message: str, remedy: str, positions: list[int] | None = None
) -> dict[str, Any]:
    """``positions``: which frames it is about, from 1 in the gathered order."""
    return {"kind": kind, "file": file, "message": message, "remedy": remedy, "positions": positions or []}


def _why(found: Found) -> str:
    return found.error.message if found.error else ""
