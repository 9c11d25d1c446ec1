"""Reading the counter out of file names."""

import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

_DIGITS = re.compile(r"\d+")
_LONGEST = 18
"""Digits a counter may have; longer runs are time stamps or hashes."""
_COUNTER = re.compile(rf"[0-9]{{1,{_LONGEST}}}")


@dataclass(frozen=True)
class NumberedName:
    """A file name taken apart: ``wave_0012.png`` is stem ``wave_``, number 12, tail ``.png``."""

    name: str
    stem: str
    number: int | None
    tail: str

    @property
    def pattern(self) -> str:
        """The name with its counter left open: ``wave_#.png``; the sequence a frame belongs to."""
        return f"{self.stem}#{self.tail}" if self.number is not None else self.name


def _runs(name: str) -> list[tuple[int, int]]:
    """Where runs of digits begin and end in the bare name; the folder's and the ending's never count."""
    begin = name.rfind("/") + 1
    dot = name.rfind(".")
    end = dot if dot >= begin else len(name)
    return [
        found.span() for found in _DIGITS.finditer(name, begin, end) if found.end() - found.start() <= _LONGEST
    ]


def _taken_apart(name: str, runs: list[tuple[int, int]], which: int) -> NumberedName:
    if not runs:
        dot = name.rfind(".")
        end = dot if dot > name.rfind("/") else len(name)
        return NumberedName(name, name[:end], None, name[end:])
    start, stop = runs[which]
    return NumberedName(name, name[:start], int(name[start:stop]), name[stop:])


def split_name(name: str) -> NumberedName:
    """Take one name apart, with no others to compare it with: at its last run of digits before the ending.

    Leading zeros are padding: ``007`` and ``7`` are one number.
    """
    runs = _runs(name)
    return _taken_apart(name, runs, len(runs) - 1)


def number_in(pattern: str, name: str) -> int | None:
    """The counter of a name that belongs to a pattern; ``None`` when it does not, or the pattern has none."""
    for at in (found.start() for found in re.finditer("#", pattern)):
        stem, tail = pattern[:at], pattern[at + 1 :]
        counter = name[len(stem) : len(name) - len(tail)]
        if name.startswith(stem) and name.endswith(tail) and _COUNTER.fullmatch(counter):
            return int(counter)
    return None


def by_number(names: Sequence[str]) -> list[str]:
    """Names in the order that their frames play in: by number, not 1, 10, 11, 2."""
    named = split_names(names)
    return sorted(names, key=lambda name: (named[name].stem, named[name].number or 0, name))


def split_names(names: Iterable[str]) -> dict[str, NumberedName]:
    """Take names apart that came together: digits that count are told from digits that do not.

    Names alike but for their digits are compared. Of several runs of digits that vary, the one counts that
    makes the longest sequences when the others stand still: ``shot2_take3_0001`` counts at its end,
    ``scan_0001_v2`` in its middle. Of equals it is the last.
    """
    alike: dict[tuple[str, ...], list[str]] = defaultdict(list)
    runs = {name: _runs(name) for name in names}
    for name, spans in runs.items():
        ends = [0, *(edge for span in spans for edge in span), len(name)]
        alike[tuple(name[ends[i] : ends[i + 1]] for i in range(0, len(ends), 2))].append(name)
    result: dict[str, NumberedName] = {}
    for shape, members in alike.items():
        which = len(shape) - 2
        if which > 0 and len(members) > 1:
            which = _counting_run([[name[a:b] for a, b in runs[name]] for name in members])
        for name in members:
            result[name] = _taken_apart(name, runs[name], which)
    return result


def _counting_run(rows: list[list[str]]) -> int:
    """Which column of digit runs counts."""
    best, longest = len(rows[0]) - 1, 0.0
    for column in reversed(range(len(rows[0]))):
        if len({row[column] for row in rows}) < 2:
            continue
        groups = Counter(tuple(row[:column] + row[column + 1 :]) for row in rows)
        mean = len(rows) / len(groups)
        if mean > longest:
            best, longest = column, mean
    return best


def title_of(pattern: str) -> str:
    """A name for people: ``dusk_lamp_#.png`` gives ``Dusk lamp``, ``walk/#.png`` gives ``Walk``."""
    folder, _, base = pattern.rpartition("/")
    stem = base.partition("#")[0] if "#" in base else base.rpartition(".")[0] or base
    if not re.search(r"\w", stem):
        stem = folder.rpartition("/")[2].partition(".")[0]
    words = re.sub(r"[\s_.\-*]+", " ", stem).strip()
    return (words[:1].upper() + words[1:])[:80] or "Frames"


def labels_of(patterns: Sequence[str]) -> list[list[str]]:
    """The parts in which patterns of one shape differ: direction and motion of ``gull-NE-fly-#.png``.

    Empty lists when the patterns have not the same number of parts, or nothing to tell them apart by.
    """
    split = [
        [part for part in re.split(r"[\s_.\-/]+", pattern.partition("#")[0]) if part] for pattern in patterns
    ]
    if len(split) < 2 or len({len(parts) for parts in split}) != 1:
        return [[] for _ in patterns]
    varying = [i for i in range(len(split[0])) if len({parts[i] for parts in split}) > 1]
    return [[parts[i] for i in varying] for parts in split]
