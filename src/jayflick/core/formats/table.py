"""All formats, by the name that an output's ``format`` has."""

from typing import Any

from ..recipe import BaseOutput
from .apng import ApngFormat
from .avif import AvifFormat
from .format import Format
from .frames import FramesFormat
from .gif.format import GifFormat
from .sheet.format import SheetFormat
from .still import StillFormat
from .video import VideoFormat
from .webp import WebpFormat

FORMATS: dict[str, Format[Any]] = {
    "gif": GifFormat(),
    "apng": ApngFormat(),
    "webp": WebpFormat(),
    "avif": AvifFormat(),
    "video": VideoFormat(),
    "frames": FramesFormat(),
    "still": StillFormat(),
    "sheet": SheetFormat(),
}


def format_of(output: BaseOutput) -> Format[Any]:
    """How an output is made."""
    return FORMATS[output.format]
