"""What one running server shares, and how a route asks for it."""

import socket
from collections.abc import Callable, Iterator
from hashlib import sha256
from typing import Annotated, Any, Concatenate, ParamSpec, TypeVar
from urllib.parse import quote

from anyio import CapacityLimiter, Semaphore
from fastapi import Depends, Path, Request, Response
from sqlalchemy.orm import Session

from ..core.sequence.project_file import MOST_NUMBER
from ..core.stages import Stages
from ..core.store import Store
from . import trials
from .cards import Shelf
from .coded import OutputFiles
from .database import make_engine, make_sessions, transact
from .decoding import Decoders
from .deliveries import Deliveries
from .demo import Demo
from .elsewhere import Cluster
from .events import Hub
from .folders import Folders, Listings
from .frames import FrameLists
from .jobs import JobRunner
from .likeness import Likenesses
from .planner import Planner
from .results import Results
from .schemas.likeness import LikenessInfo
from .searches import Searches
from .settings import Settings
from .standins import StandIns
from .worker import Place

P = ParamSpec("P")
T = TypeVar("T")

FOR_EVER = "private, max-age=31536000, immutable"
"""For addresses whose content can never change: they name a result, a revision or a content."""


def answers(*media_types: str) -> dict[int | str, dict[str, Any]]:
    """For the API's document: the route answers with a file of one of these types."""
    file = {"schema": {"type": "string", "format": "binary"}}
    return {200: {"content": dict.fromkeys(media_types, file)}}


def lasting(data: bytes | str, media_type: str, **headers: str) -> Response:
    """An answer that the browser may keep: whatever its address names never changes."""
    return Response(data, media_type=media_type, headers={**headers, "cache-control": FOR_EVER})


PNG, WEBP = answers("image/png"), answers("image/webp")
_LOOPS = ("image/gif", "image/apng", "image/webp", "image/avif", "video/mp4", "video/webm", "video/quicktime")
_STILLS = ("image/png", "image/jpeg", "image/bmp", "image/x-tga")
ONE_FILE = answers(*_LOOPS, *_STILLS)
LISTED_FILE = answers(*_LOOPS, *_STILLS, "application/json", "text/csv", "text/css")
WHOLE_OUTPUT = answers(*_LOOPS, *_STILLS, "application/zip")


class Service:
    """The parts one running server shares."""

    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        index = settings.web / "index.html"
        self.client = sha256(index.read_bytes()).hexdigest()[:16] if index.is_file() else ""
        """A fingerprint of the web client that belongs to this service."""
        self.engine = make_engine(settings.database)
        self.sessions = make_sessions(self.engine)
        self.store = Store(settings.store)
        self.stages = Stages(settings.stages, self.store)
        self.hub = Hub()
        self.frames = FrameLists(self.store)
        self.shelf = Shelf()
        self.results = Results(self.stages, self.frames)
        self.likenesses = Likenesses(self.stages)
        place = Place(
            settings.database,
            settings.store.resolve(),
            settings.stages.resolve(),
            settings.growing.resolve(),
            _cluster(settings),
        )
        self.jobs = JobRunner(self.sessions, place, self.hub, settings.workers)
        self.searches = Searches(self.sessions, place, self.hub)
        self.planner = Planner(self.sessions, self.results, self.jobs.wake, self.tell_changed)
        self.standins = StandIns(
            settings.data / "standins", settings.web, share=settings.share, port=settings.port
        )
        self.deliveries = Deliveries(
            self.transact, self.sessions, self.store, self.hub, self.standins, settings.send_beyond
        )
        self.decoders = Decoders(settings.decoders, settings.decode_bytes, settings.decode_seconds)
        self.demo = Demo(settings, self.transact, self.decoders, self.results, self.changed)
        self.folders = Folders(settings.frames)
        self.listings = Listings(self.decoders)
        self.uploads = Semaphore(settings.uploads)
        """Uploads that are received side by side; others wait, with nothing of them in memory."""
        self.readers = CapacityLimiter(max(2 * settings.decoders, settings.uploads))
        """Files that are on their way to a decoder and from it into the store."""

    def transact(self, work: Callable[Concatenate[Session, P], T], *args: P.args, **options: P.kwargs) -> T:
        """Carry out ``work`` in a transaction of its own, again when it had to give way to another's."""
        return transact(self.sessions, work, *args, **options)

    def interrupt(self) -> None:
        """End what requests wait for, before the server stops: news, and files that are being read."""
        self.hub.close()
        self.demo.interrupt()
        self.decoders.stop()
        self.likenesses.interrupt()
        self.jobs.interrupt()
        self.standins.interrupt()

    def changed(self, project_id: str) -> None:
        """After a commit: let all windows know, and whoever carries out what is new."""
        self.look_for_work()
        self.tell_changed(project_id)

    def look_for_work(self) -> None:
        """After a commit: there may be something to make."""
        self.planner.wake()
        self.jobs.wake()

    def note_likeness(self, project_id: str, of: OutputFiles[Any], found: LikenessInfo) -> None:
        """Let a trial have what was measured on it."""
        if self.transact(trials.note_likeness, project_id, of.output.id, of.coded.key, found):
            self.hub.tell("search", project_id=project_id)

    def tell_changed(self, project_id: str) -> None:
        self.hub.tell("project", project_id=project_id)


def _cluster(settings: Settings) -> Cluster | None:
    if not settings.scheduler:
        return None
    whose = f"{socket.gethostname()} {settings.data.resolve()}"
    return Cluster(settings.scheduler, settings.cluster_share, whose)


def _service(request: Request) -> Service:
    service: Service = request.app.state.service
    return service


def _session(request: Request) -> Iterator[Session]:
    with _service(request).sessions() as session:
        yield session


Parts = Annotated[Service, Depends(_service)]
Reading = Annotated[Session, Depends(_session)]

Number = Annotated[int, Path(ge=0, le=MOST_NUMBER)]
ProjectId = Annotated[str, Path(pattern="^[0-9a-f]{32}$")]
ImportId = Annotated[str, Path(pattern="^[0-9a-f]{32}$")]
Sha256 = Annotated[str, Path(pattern="^[0-9a-f]{64}$")]


def disposition(kind: str, name: str) -> str:
    """How a file is saved and under what name, as RFC 6266, section 4.3, and RFC 8187 say."""
    named = f'filename="{name}"' if quote(name) == name else f"filename*=utf-8''{quote(name)}"
    return f"{kind}; {named}"
