"""The frames a revision works on, which never change: asked of the database once and remembered."""

from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass
from threading import Lock

from sqlalchemy import select
from sqlalchemy.orm import Session

from .models import Frame, Picture, Revision
from .schemas import FrameInfo
from .store import Store
from .worker import StoredFrame

REMEMBERED = 24
"""Sets of frames that are remembered, those used last."""


@dataclass(frozen=True)
class FrameList:
    """One set of a project's frames in order."""

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
    """Remembers the sets used last. Safe to call from many threads."""

    def __init__(self) -> None:
        self._known: OrderedDict[tuple[str, int], FrameList] = OrderedDict()
        self._lock = Lock()

    def of(self, session: Session, revision: Revision) -> FrameList:
        """The frames a revision works on."""
        key = revision.project_id, revision.frame_set
        with self._lock:
            known = self._known.get(key)
            if known is not None:
                self._known.move_to_end(key)
                return known
        found = _asked(session, *key)
        if found.infos:
            with self._lock:
                self._known[key] = found
                while len(self._known) > REMEMBERED:
                    self._known.popitem(last=False)
        return found


def _asked(session: Session, project_id: str, frame_set: int) -> FrameList:
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
        .where(Frame.project_id == project_id, Frame.frame_set == frame_set)
        .order_by(Frame.position)
    ).all()
    infos = tuple(FrameInfo.model_validate(row._mapping) for row in rows)
    return FrameList(infos, tuple(row.bytes for row in rows))
