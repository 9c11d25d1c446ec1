"""Putting the demo on a new shelf."""

from sqlalchemy.orm import Session, sessionmaker

from ..core.sequence.gather import Found, gather
from ..core.sequence.pieces import Piece, pieces
from ..core.stages import Stages
from ..demo.load import drawn_demo
from .imports import keep, keep_picture, make_project
from .settings import Settings
from .store import Store


def load_demo(settings: Settings, sessions: sessionmaker[Session]) -> bool:
    """Draw the demo's frames and make its projects, once per data folder; returns whether it had to."""
    mark = settings.data / "demo-loaded"
    if mark.exists():
        return False
    store, stages = Store(settings.store), Stages(settings.stages)
    for demo, files in drawn_demo():
        taken: list[tuple[Piece, str, int]] = []
        for index, data in enumerate(files):
            for piece in pieces(data, demo.file_name(index)):
                assert isinstance(piece, Piece)
                taken.append((piece, keep(store, stages, piece, data), len(data)))
        sequences, _ = gather(Found(piece.name, piece.header, None, piece.looks) for piece, _, _ in taken)
        hashes = {piece.name: sha256 for piece, sha256, _ in taken}
        with sessions.begin() as session:
            for piece, sha256, size in taken:
                keep_picture(session, piece, sha256, size)
            make_project(session, sequences, hashes, title=demo.title, recipe=demo.recipe)
    mark.touch()
    return True
