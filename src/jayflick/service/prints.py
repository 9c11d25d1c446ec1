"""Many small pictures in one: a contact view of thousands of frames asks for sheets, not for each of them."""

from io import BytesIO

from PIL import Image
from sqlalchemy.orm import Session

from ..core.stages import Stages, cache_key
from ..core.store import Store
from .errors import NotFound
from .frames import FrameLists
from .models import FrameSet
from .pictures import thumb_of

ACROSS = DOWN = 6
PRINT = (160, 112)
"""The room each picture has on the sheet, in pixels; it is reduced to fit and lies in the room's corner."""


def sheet(
    session: Session,
    lists: FrameLists,
    stages: Stages,
    store: Store,
    project_id: str,
    frame_set: int,
    page: int,
) -> bytes:
    """The WebP sheet with a set's frames from ``36 * (page - 1)`` on, row by row."""
    if session.get(FrameSet, (project_id, frame_set)) is None:
        raise NotFound("the project has no such frames")
    count = ACROSS * DOWN
    infos = lists.of(session, project_id, frame_set).infos[count * (page - 1) : count * page]
    if not infos:
        raise NotFound("there is no such sheet")

    def make() -> bytes:
        paper = Image.new("RGBA", (ACROSS * PRINT[0], -(-len(infos) // ACROSS) * PRINT[1]))
        for place, info in enumerate(infos):
            with Image.open(BytesIO(thumb_of(stages, store, info.sha256))) as small:
                scale = min(1.0, PRINT[0] / info.width, PRINT[1] / info.height)
                size = max(1, round(info.width * scale)), max(1, round(info.height * scale))
                corner = place % ACROSS * PRINT[0], place // ACROSS * PRINT[1]
                paper.paste(small.convert("RGBA").resize(size, Image.Resampling.LANCZOS), corner)
        out = BytesIO()
        paper.save(out, "WEBP", quality=80, method=2)
        return out.getvalue()

    return stages.obtain("prints", cache_key("prints", 1, [info.sha256 for info in infos]), make)
