"""Brings files to a place that takes them and waits for its answer; goes on after a broken connection."""

import ipaddress
import socket
import ssl
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from functools import cache
from typing import Any, NamedTuple, TypeVar
from urllib.parse import quote, urlsplit

from pydantic import BaseModel, ValidationError

from ..core.errors import Cancelled, InputError, JayFlickError
from .protocol import Answer, Intake, Offer, OfferedFile, Problem, Status

T = TypeVar("T", bound=BaseModel)
TRIES = 4
"""How often a request is made before its place is given up."""
PAUSE = 0.25
"""Seconds between two looks at how far a conversion is."""
MOST_ANSWER = 64 << 10
"""The most bytes of an answer, beside the names of files that it lists."""
SLOWEST = 128 << 10
"""Bytes a second at which files are brought at least."""
STUCK = 120.0
"""Seconds without any progress after which a conversion is given up."""
_FAREWELL = 1.5
_LOOKS = 0.05
"""Seconds between two looks of the watch."""


class Load(NamedTuple):
    """A file that is sent."""

    name: str
    size: int
    read: Callable[[], bytes]


class Progress(NamedTuple):
    """How far a delivery is: files sent, then pictures converted there."""

    stage: str
    done: int
    total: int


class Gone(JayFlickError):
    """The place does not answer (any more). Sending again with the same key goes on where it stopped."""


def usable(address: str, *, beyond: bool) -> str:
    """An address to send to, without what follows its host and port; ``InputError`` if it may not be used.

    ``beyond``: it need not be this machine's loopback. Names other than ``localhost`` are never looked up to
    find out.
    """
    try:
        parts = urlsplit(address if "://" in address else f"http://{address}")
        host, port = parts.hostname, parts.port
    except ValueError:
        host, port = None, None
        parts = urlsplit("")
    if parts.scheme not in ("http", "https") or not host or parts.username or parts.password:
        raise InputError(
            f"{address!r} is no address to send to", remedy="use one such as http://127.0.0.1:8231"
        )
    try:
        near = ipaddress.ip_address(host).is_loopback
    except ValueError:
        near = host == "localhost"
    if not near and not beyond:
        raise InputError(
            f"{host} is not this machine",
            remedy="allow it first: start with JAYFLICK_SEND_BEYOND=true",
        )
    shown = f"[{host}]" if ":" in host else host
    return f"{parts.scheme}://{shown}" + (f":{port}" if port else "")


class Sender:
    """Speaks with one place."""

    def __init__(self, address: str, *, patience: float = 20, pause: float = 0.5) -> None:
        """``address``: as :func:`usable` gives it.

        ``patience``: seconds that a whole answer may take. ``pause``: seconds before a request is made anew,
        doubled each time.
        """
        self._pause = pause
        self._patience = patience
        self._cancelled: Callable[[], bool] = _never
        self._listed = 0
        self._watch = _Watch()
        import httpx  # here, since most that may send never do

        self._broken = httpx.TransportError
        self._client = httpx.Client(
            base_url=address,
            timeout=httpx.Timeout(patience, connect=3),
            follow_redirects=False,
            trust_env=False,
            verify=_authorities(),
        )

    def __enter__(self) -> "Sender":
        return self

    def __exit__(self, *exception: object) -> None:
        self._watch.stop()
        self._client.close()

    def status(self) -> Status:
        """What answers there. One try: whoever asks wants to know now."""
        return self._ask(Status, "GET", "/api/status", tries=1)

    def send(
        self,
        offer: Offer,
        files: Sequence[Load],
        *,
        progress: Callable[[Progress], None] = lambda progress: None,
        cancelled: Callable[[], bool] | None = None,
    ) -> Answer:
        """Send all files and wait for the answer.

        Raises ``InputError`` when it is refused, ``Gone`` when the place does not answer, and ``Cancelled``
        after it has been called off there too.
        """
        self._cancelled = cancelled or _never
        self._listed = sum(len(file.name.encode()) + 8 for file in files)
        intake = self._ask(Intake, "POST", "/api/intakes", json=offer.model_dump())
        where = f"/api/intakes/{intake.id}"
        try:
            if intake.state == "receiving":
                self._bring(where, intake, files, progress)
                intake = self._ask(Intake, "POST", f"{where}/finish")
            moved, begun = (intake.state, intake.done), time.monotonic()
            while not intake.ended:
                progress(Progress("converting", intake.done, intake.total))
                _heed(self._cancelled)
                if time.monotonic() - begun > STUCK:
                    raise Gone(
                        f"the place made no progress for {STUCK:.0f} s",
                        remedy="look there; sending again goes on where it stopped",
                    )
                time.sleep(PAUSE)
                intake = self._ask(Intake, "GET", where)
                if (intake.state, intake.done) != moved:
                    moved, begun = (intake.state, intake.done), time.monotonic()
        except Cancelled:
            self._cancelled = _never
            try:
                self._patience = min(self._patience, _FAREWELL)
                intake = self._ask(Intake, "DELETE", where, tries=1)
            except (Gone, InputError):
                raise Cancelled("sending was called off; the place does not answer, ") from None
            if intake.state != "taken":
                raise
        answer = intake.answer or Answer(verdict="refused", message="it was called off there")
        if answer.verdict == "refused":
            raise InputError(answer.message, file=answer.file, remedy=answer.remedy)
        return answer

    def _bring(
        self,
        where: str,
        intake: Intake,
        files: Sequence[Load],
        progress: Callable[[Progress], None],
    ) -> None:
        there = set(intake.received)
        for number, file in enumerate(files):
            progress(Progress("sending", number, len(files)))
            _heed(self._cancelled)
            if file.name not in there:
                self._request("PUT", f"{where}/files/{quote(file.name)}", content=file.read())
        progress(Progress("sending", len(files), len(files)))

    def _ask(self, kind: type[T], method: str, path: str, *, tries: int = TRIES, **content: Any) -> T:
        answer = self._request(method, path, tries=tries, **content)
        try:
            return kind.model_validate_json(answer)
        except ValidationError:
            remedy = "check the address: something else answers there"
            raise InputError("what answers there takes no files this way", remedy=remedy) from None

    def _request(self, method: str, path: str, *, tries: int = TRIES, **content: Any) -> bytes:
        for attempt in range(tries):
            if attempt:
                _heed(self._cancelled)
                time.sleep(self._pause * 2 ** (attempt - 1))
            lasts = self._patience + len(content.get("content", b"")) / SLOWEST
            try:
                with (
                    self._watch.over(lasts, self._cancelled),
                    self._client.stream(method, path, extensions=self._watch.hooks, **content) as answer,
                ):
                    data = b""
                    for block in answer.iter_bytes():
                        data += block
                        if len(data) > MOST_ANSWER + self._listed:
                            raise InputError("what answers there takes no files this way")
            except self._broken:
                continue
            if answer.status_code >= 500:
                continue
            if answer.status_code >= 300:
                raise _refusal(answer.status_code, data)
            return data
        _heed(self._cancelled)
        raise Gone(
            "the place does not answer",
            remedy="once it is there again, sending goes on where it stopped",
        )


class _Watch:
    """Breaks a connection off whose answer takes too long in all, or that nobody waits for any more.

    What reads from it waits for the next bytes only, so that a place which drips them would never be given up.
    """

    def __init__(self) -> None:
        self.hooks = {"trace": self._traced}
        self._stream: Any = None
        self._lock = threading.Lock()
        self._deadline: float | None = None
        self._cancelled: Callable[[], bool] = _never
        self._stopped = threading.Event()
        self._thread: threading.Thread | None = None

    @contextmanager
    def over(self, seconds: float, cancelled: Callable[[], bool]) -> Iterator[None]:
        """Watch over a request."""
        if self._thread is None:
            self._thread = threading.Thread(target=self._look, name="watch", daemon=True)
            self._thread.start()
        with self._lock:
            self._deadline, self._cancelled = time.monotonic() + seconds, cancelled
        try:
            yield
        finally:
            with self._lock:
                self._deadline = None

    def stop(self) -> None:
        self._stopped.set()

    def _traced(self, event: str, info: dict[str, Any]) -> None:
        if event in ("connection.connect_tcp.complete", "connection.start_tls.complete"):
            self._stream = info["return_value"]

    def _look(self) -> None:
        while not self._stopped.wait(_LOOKS):
            with self._lock:
                over = self._deadline is not None and (time.monotonic() > self._deadline or self._cancelled())
                if over and self._stream is not None:
                    self._deadline = None
                    with suppress(OSError):
                        self._stream.get_extra_info("socket").shutdown(socket.SHUT_RDWR)


def offer_of(**facts: Any) -> Offer:
    """An offer of these facts; ``InputError`` where one of them can be no part of an offer."""
    try:
        return Offer(**facts)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        what = str(first["msg"]).removeprefix("Value error, ")
        raise InputError(f"this cannot be sent: {where}: {what}", remedy="send less, or correct it") from None


def load_of(name: str, data: bytes) -> Load:
    """A file whose bytes are at hand."""
    return Load(name, len(data), lambda: data)


def offered(files: Sequence[Load]) -> tuple[OfferedFile, ...]:
    return tuple(OfferedFile(name=file.name, bytes=file.size) for file in files)


@cache
def _authorities() -> ssl.SSLContext:
    """Whom a place that is asked by HTTPS is trusted by: read once, which takes longer than most answers."""
    import httpx

    return httpx.create_ssl_context(trust_env=False)


def _never() -> bool:
    return False


def _heed(cancelled: Callable[[], bool]) -> None:
    if cancelled():
        raise Cancelled("sending was called off; nothing of it stayed there")


def _refusal(status: int, data: bytes) -> JayFlickError:
    try:
        problem = Problem.model_validate_json(data)
    except ValidationError:
        return InputError(f"the place answered {status}", remedy="check the address")
    return InputError(problem.message, file=problem.file, remedy=problem.remedy)
