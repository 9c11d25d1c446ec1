"""Reading the counter out of a file name."""

import re
from dataclasses import dataclass

_COUNTER = re.compile(r"^(?P<stem>.*?)(?P<number>\d+)(?P<tail>\D*)$", re.DOTALL)


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


def split_name(name: str) -> NumberedName:
    """Take a bare file name apart at its last run of digits before the ending.

    The ending's own digits (``.mp4``) never count. Leading zeros are padding: ``007`` and ``7`` are one number.
    """
    base, dot, ending = name.rpartition(".")
    if not dot:
        base, ending = name, ""
    match = _COUNTER.match(base)
    tail = f"{dot}{ending}"
    if match is None or len(match["number"]) > 18:
        return NumberedName(name, base, None, tail)
    return NumberedName(name, match["stem"], int(match["number"]), match["tail"] + tail)


def title_of(pattern: str) -> str:
    """A name for people from a pattern: ``dusk_lamp_#.png`` gives ``Dusk lamp``."""
    stem = pattern.partition("#")[0] if "#" in pattern else pattern.rpartition(".")[0] or pattern
    words = re.sub(r"[\s_.\-]+", " ", stem).strip()
    return (words[:1].upper() + words[1:])[:80] or "Frames"
