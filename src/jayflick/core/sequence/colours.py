"""The colours that a file brings for a palette: a picture's own, or those of a list."""

from collections.abc import Iterator
from dataclasses import dataclass

from ..content import Content, head_of, whole
from ..errors import InputError
from ..palette.choose import choose_palette
from ..palette.histogram import Histogram
from ..pictures import clip
from ..pictures.header import MOST_FRAME_PIXELS, check_area
from ..pictures.kinds import read_header, read_picture
from ..pictures.moving import open_clip, open_moving
from ..typed import read_colours
from .pieces import Refused, need_bounded, told

MOST = 255
"""Colours that a palette takes; one place is for clear pixels."""
MOST_LISTED = 1 << 16
"""Bytes of a list of colours."""


@dataclass(frozen=True)
class Brought:
    """What a file brings."""

    colours: tuple[str, ...]
    """As #rrggbb, each once: of a picture dark to light, of a list as listed."""


def colours_brought(content: Content, name: str, most: int = MOST) -> Iterator[Brought | Refused]:
    """All colours that a picture shows, or the best ``most`` for it; of a clip or loop, by all its frames.

    A list brings what it lists, at most 255: a colour a line, or apart by commas, such as ``#262a2e``. Never
    raises for bad input.
    """
    return told(name, _found(content, name, most))


def _found(content: Content, name: str, most: int) -> Iterator[Brought]:
    listed = _listed(content, name)
    if listed is not None:
        if not 1 <= len(listed) <= MOST:
            raise InputError(f"lists {len(listed)} colours", file=name, remedy=f"list 1 to {MOST}")
        yield Brought(listed)
        return
    if clip.knows(head_of(content), name):
        moving = open_clip(content, name, clip.WHOLE).pictures
    else:
        data = whole(content)
        header = read_header(data, name=name)
        check_area(header.width, header.height, name, MOST_FRAME_PIXELS)
        need_bounded(header, header.count, name)
        moving = open_moving(data, name).pictures if header.count > 1 else iter([read_picture(data, name=name)])
    counted = Histogram.empty()
    for picture in moving:
        counted.add(picture)
    chosen = choose_palette(counted.counted(), most)
    if len(chosen) == 0:
        raise InputError("shows no colour: every pixel is clear", file=name, remedy="use another picture")
    yield Brought(tuple(f"#{entry.tobytes().hex()}" for entry in chosen))


def _listed(content: Content, name: str) -> tuple[str, ...] | None:
    """The colours of a text, each once; ``None`` of a file that is none."""
    size = len(content) if isinstance(content, bytes) else content.stat().st_size
    if not 0 < size <= MOST_LISTED or b"\0" in head_of(content):
        return None
    try:
        text = whole(content).decode("utf-8-sig")
    except UnicodeDecodeError:
        return None
    try:
        return tuple(dict.fromkeys(read_colours(" ".join(text.split()))))
    except InputError as error:
        remedy = "list colours such as #262a2e, one per line"
        raise InputError(error.message, file=name, remedy=remedy) from error
