"""Putting the demo on a new shelf."""

from sqlalchemy.orm import Session, sessionmaker

from ..core.sequence.gather import Found, gather
from ..core.sequence.names import split_name
from ..core.stages import Stages
from ..demo.load import drawn_demo
from . import projects
from .imports import keep_picture, take
from .models import Frame
from .settings import Settings
from .store import Store


def load_demo(settings: Settings, sessions: sessionmaker[Session]) -> bool:
    """Draw the demo's frames and make its projects, once per data folder; returns whether it had to."""
    mark = settings.data / "demo-loaded"
    if mark.exists():
        return False
    store, stages = Store(settings.store), Stages(settings.stages)
    for demo, files in drawn_demo():
        taken = []
        for index, data in enumerate(files):
            name = demo.file_name(index)
            header, sha256 = take(store, stages, name, data)
            taken.append((name, header, sha256, len(data)))
        report = gather(Found(name, header) for name, header, _, _ in taken)[0][0].document()
        with sessions.begin() as session:
            frames = []
            for position, (name, header, sha256, size) in enumerate(taken, 1):
                keep_picture(session, header, sha256, size)
                frames.append(
                    Frame(position=position, number=split_name(name).number, name=name, sha256=sha256)
                )
            projects.create(session, demo.title, report, frames, demo.recipe)
    mark.touch()
    return True
