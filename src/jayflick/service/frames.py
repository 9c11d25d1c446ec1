"""Sets of frames, which never change: asked of the database once and remembered."""

from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from threading import Lock

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.framing.prepared import FrameFacts
from ..core.pictures.kinds import read_picture
from ..core.sequence.gather import missing_after
from ..core.sequence.project_file import in_parts
from ..core.store import Store
from .models import Frame, FrameSet, Picture
from .schemas.imports import FrameInfo, Report

REMEMBERED = 24
"""Sets of frames that are remembered, those used last."""


@dataclass(frozen=True)
class StoredFrame(FrameFacts):
    """A frame whose file lies in the store."""

    store: Store

    def read(self) -> NDArray[np.uint8]:
        return read_picture(self.store.read(self.sha256), name=self.name)


@dataclass(frozen=True)
class FrameList:
    """One set of a project's frames in order."""

    infos: Sequence[FrameInfo]
    frames: Sequence[StoredFrame]
    """The same frames as they are read from the store."""
    sizes: Sequence[int]
    """The bytes of each frame's file."""
    report: Report
    """What gathering found in them."""

    def parts(self, most_bytes: int) -> int:
        """In how many files of at most so many bytes they are taken away."""
        if sum(self.sizes) <= most_bytes // 2:  # surely one, which is asked at every change
            return 1
        return len(in_parts([(None, size) for size in self.sizes], most_bytes))

    @cached_property
    def gaps(self) -> Sequence[int]:
        """How many numbers are missing after each."""
        return [frame.missing_after for frame in self.frames]


def frames_of(session: Session, project_id: str, frame_set: int, store: Store) -> FrameList:
    """One set of a project's frames."""
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
    report = session.get_one(FrameSet, (project_id, frame_set)).report
    infos = tuple(FrameInfo.model_validate(row._mapping) for row in rows)
    gaps = missing_after([row.number for row in rows], report)
    frames = tuple(
        StoredFrame(row.name, row.sha256, row.width, row.height, row.transparent, gap, store)
        for row, gap in zip(rows, gaps, strict=True)
    )
    return FrameList(infos, frames, tuple(row.bytes for row in rows), Report.model_validate(report))


class FrameLists:
    """Remembers the sets used last. Safe to call from many threads."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._known: OrderedDict[tuple[str, int], FrameList] = OrderedDict()
        self._lock = Lock()

    def of(self, session: Session, project_id: str, frame_set: int) -> FrameList:
        """One set of a project's frames."""
        key = project_id, frame_set
        with self._lock:
            known = self._known.get(key)
            if known is not None:
                self._known.move_to_end(key)
                return known
        found = frames_of(session, *key, self._store)
        if found.infos:
            with self._lock:
                self._known[key] = found
                while len(self._known) > REMEMBERED:
                    self._known.popitem(last=False)
        return found
