"""A project's frames, which never change once it is made: asked of the database once and remembered."""

from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass
from threading import Lock

from sqlalchemy import select
from sqlalchemy.orm import Session

from .models import Frame, Picture
from .schemas import FrameInfo
from .store import Store
from .worker import StoredFrame

REMEMBERED = 24
"""Projects whose frames are remembered, those used last."""


@dataclass(frozen=True)
class FrameList:
    """The frames of one project in order."""

    infos: Sequence[FrameInfo]
    sizes: Sequence[int]
    """The bytes of each frame's file."""

    @property
    def numbers(self) -> list[int | None]:
        return [info.number for info in self.infos]

    def stored(self, store: Store) -> list[StoredFrame]:
        """The frames as they are read from the store."""
        return [
            StoredFrame(info.name, info.sha256, info.width, info.height, info.number, store)
            for info in self.infos
        ]


class FrameLists:
    """Remembers frames of the projects used last. Safe to call from many threads."""

    def __init__(self) -> None:
        self._known: OrderedDict[str, FrameList] = OrderedDict()
        self._lock = Lock()

    def of(self, session: Session, project_id: str) -> FrameList:
        """The frames of a project; none when there is no such project."""
        with self._lock:
            known = self._known.get(project_id)
            if known is not None:
                self._known.move_to_end(project_id)
                return known
        found = _asked(session, project_id)
        if found.infos:
            with self._lock:
                self._known[project_id] = found
                while len(self._known) > REMEMBERED:
                    self._known.popitem(last=False)
        return found


def _asked(session: Session, project_id: str) -> FrameList:
    # Columns, not rows: what was seen of each picture's pixels is not asked for, and large.
    rows = session.execute(
        select(
            Frame.position,
            Frame.number,
            Frame.name,
            Frame.sha256,
            Picture.width,
            Picture.height,
            Picture.label,
            Picture.transparent,
            Picture.bytes,
        )
        .join(Picture, Picture.sha256 == Frame.sha256)
        .where(Frame.project_id == project_id)
        .order_by(Frame.position)
    ).all()
    infos = tuple(FrameInfo.model_validate(row._mapping) for row in rows)
    return FrameList(infos, tuple(row.bytes for row in rows))
