"""What the bytes of a file are spent on."""

from dataclasses import dataclass

from ..recipe import BaseOutput
from .format import Coded, Timed
from .gif.reader import read_gif


@dataclass(frozen=True)
class Spent:
    """Bytes by part; together all of the file's."""

    palettes: int
    pictures: int
    rest: int
    """Headers, time, what describes it."""


def spent(output: BaseOutput, coded: Coded, timed: Timed) -> Spent | None:
    """What an output's bytes are spent on; ``None`` where it cannot be told what its pictures take."""
    whole = sum(file.size for file in timed.files)
    if output.format == "gif":
        return spent_on_gif(timed.files[0].read())
    return Spent(0, sum(coded.costs), whole - sum(coded.costs)) if coded.costs else None


def spent_on_gif(data: bytes) -> Spent:
    """A GIF's colour tables (GIF89a, 19 and 21), its picture data (22), and the rest.

    Raises ``InputError`` when it is none.
    """
    gif = read_gif(data)
    tables = [gif.palette, *(frame.local_palette for frame in gif.frames)]
    palettes = sum(3 * len(table) for table in tables if table is not None)
    pictures = sum(frame.stop - frame.data_at for frame in gif.frames)
    return Spent(palettes, pictures, len(data) - palettes - pictures)
