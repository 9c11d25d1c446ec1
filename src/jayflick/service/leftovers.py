"""Clearing away what nothing refers to any more: old deletions, imports never finished, and their files."""

from datetime import timedelta

from sqlalchemy import delete, select
from sqlalchemy.orm import Session, sessionmaker

from . import projects
from .models import Frame, Import, ImportClip, ImportFile, Picture, Result, now
from .store import Store

FORGOTTEN = timedelta(hours=1)
"""Age from which an import that is still open will not be finished: its window is long gone."""


def clear(sessions: sessionmaker[Session], store: Store, older: timedelta = FORGOTTEN) -> int:
    """Drop what is left over; returns how many files went. Only safe while nothing is being brought in.

    A file goes only if no picture, result or waiting clip has its hash; a picture, only if no frame shows it.
    """
    with sessions.begin() as session:
        projects.empty_bin(session, projects.KEPT)
    with sessions.begin() as session:
        session.execute(delete(Import).where((Import.state == "done") | (Import.created < now() - older)))
    with sessions.begin() as session:
        wanted = select(Frame.sha256).union(select(ImportFile.sha256).where(ImportFile.sha256.is_not(None)))
        session.execute(delete(Picture).where(Picture.sha256.not_in(wanted)))
    with sessions() as session:
        kept = {
            sha256
            for column in (Picture.sha256, Result.sha256, ImportClip.sha256)
            for sha256 in session.scalars(select(column))
        }
    gone = [path for path in store.folder.glob("*/*") if len(path.name) == 64 and path.name not in kept]
    for path in gone:
        path.unlink(missing_ok=True)
    return len(gone)
