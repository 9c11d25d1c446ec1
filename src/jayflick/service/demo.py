"""Putting the demo on a new shelf."""

from sqlalchemy.orm import Session, sessionmaker

from ..core.sequence.gather import Found, gather
from ..core.sequence.pieces import Enclosed, Piece, Refused, pieces
from ..core.stages import Stages
from ..core.store import Store
from ..demo.load import drawn_demo
from .frame_sets import make_project
from .frames import FrameLists
from .pictures import keep_picture, note_pictures
from .results import Results
from .settings import Settings


def load_demo(settings: Settings, sessions: sessionmaker[Session]) -> bool:
    """Draw the demo's frames and make its projects, once per data folder; returns whether it had to."""
    mark = settings.data / "demo-loaded"
    if mark.exists():
        return False
    store = Store(settings.store)
    stages = Stages(settings.stages, store)
    results = Results(stages, FrameLists(store))
    for demo, files in drawn_demo():
        taken: list[tuple[Piece, str, int]] = []
        found: list[Found] = []
        for (name, _), data in zip(demo.files, files, strict=True):
            for piece in pieces(data, name):
                assert not isinstance(piece, Enclosed)  # the demo's frames come by themselves
                if isinstance(piece, Refused):  # one is broken on purpose
                    found.append(Found(piece.name, None, piece.error))
                    continue
                taken.append((piece, *keep_picture(store, stages, piece, data)))
                times = piece.duration, piece.repeat
                found.append(Found(piece.name, piece.header, None, piece.fingerprint, *times))
        sequences = sorted(gather(found)[0], key=lambda sequence: sequence.pattern)
        hashes = {piece.name: sha256 for piece, sha256, _ in taken}
        with sessions.begin() as session:
            note_pictures(session, taken)
            make_project(session, sequences, hashes, results, title=demo.title, recipe=demo.recipe)
    mark.touch()
    return True
