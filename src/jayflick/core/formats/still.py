"""One frame of a project as a picture: a poster or thumbnail."""

from collections.abc import Iterator, Sequence
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from ..framing.alpha import is_opaque
from ..framing.frames import PlayedFrames
from ..framing.settled import LaidOver
from ..pictures.kinds import read_picture
from ..recipe import StillOutput
from ..store import Store
from ..timing.held import FormatTiming
from ..timing.plan import Plan
from .format import Coded, File, Json, Timed, Tools
from .picture import MEDIA_TYPES, with_pixels, write_picture


class StillFormat:
    version = 1
    effort = 2

    def hold(self, plan: Plan, output: StillOutput) -> FormatTiming:
        """A still has no time: it is looked at for a second."""
        return FormatTiming("Still", [1], Fraction(1), 1)

    def inputs(self, frames: PlayedFrames, output: StillOutput, held: FormatTiming) -> Json:
        over = None if frames.opaque else output.over
        return over, output.picture, None if output.picture == "png" else output.quality

    def encode(
        self, frames: PlayedFrames, output: StillOutput, held: FormatTiming, key: str, tools: Tools
    ) -> Coded:
        tools.begin("encoding", 1)
        laid = LaidOver(frames, output.over)
        if output.picture == "jpeg":
            laid.require_opaque("JPEG", "lay it over a page colour, or use PNG or WebP")
        frame = laid[0]
        clear = not is_opaque(frame)
        data = write_picture(
            with_pixels(frame, "rgba" if clear else "rgb"), output.picture, quality=output.quality
        )
        height, width = frame.shape[:2]
        info = {"width": width, "height": height, "colours": None, "transparent": clear}
        kept = tools.keep(data, MEDIA_TYPES[output.picture])
        return Coded(key, (kept,), info, (len(data),), (0,))

    def timed(self, coded: Coded, held: FormatTiming, output: StillOutput, store: Store) -> Timed:
        (file,) = coded.files
        made = File(output.file_name, file.media_type, file.size, lambda: store.read(file.sha256))
        return Timed((made,), (0,), Fraction(0), 1, 1)

    def pictures(self, files: Sequence[bytes]) -> Iterator[NDArray[np.uint8]]:
        return iter([read_picture(files[0], name="still")])
