"""Taking files apart in processes of their own: no file costs more than its share of memory and time."""

import heapq
import itertools
import logging
import os
import resource
import signal
import time
import warnings
from collections.abc import Callable, Generator, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from multiprocessing.connection import Connection
from multiprocessing.reduction import recv_handle, send_handle
from pathlib import Path
from threading import Condition, Lock, Thread
from typing import Any, BinaryIO, TypeVar

from ..core.errors import Cancelled, InputError
from ..core.heap import keep_freed_memory
from ..core.pictures.clip import WHOLE, Cut, Survey
from ..core.pictures.header import Header
from ..core.sequence.colours import Brought, colours_brought
from ..core.sequence.pieces import (
    Enclosed,
    Glimpse,
    Piece,
    Refused,
    glimpse,
    header,
    look_through,
    only_piece,
    pieces,
)
from .errors import TooSlow, Unavailable
from .forks import CONTEXT, stopping
from .processes import forked_as

T = TypeVar("T")
Sent = bytes | BinaryIO
"""What is read: bytes, or a file on the disk, of which only a handle is passed on."""

_PATIENCE = 30
"""On a busy machine a process may wait for its turn, but no longer than so many times what it may compute."""

_TRIES = 4
_MOMENT = 0.02
"""Seconds of reading small files after which those that were read are told."""
TURN = 0.5
"""Seconds after which a file that takes long gives way to others, between two of its pictures."""
MOST_STANDING = 8
"""Files that have been begun and wait for their next turn."""
PATIENT = 6
"""How many times as long a file may take that somebody wants read all the same."""


class Wanted:
    """Whether somebody still waits for what is read. Safe to call from many threads."""

    def __init__(self) -> None:
        self.cancelled = False
        self._lock = Lock()
        self._ends: list[Callable[[], None]] = []

    def cancel(self) -> None:
        """Nobody does any more: what is read for them ends at once."""
        with self._lock:
            self.cancelled = True
            for end in self._ends:
                end()

    def need(self) -> None:
        """Raises ``Cancelled`` once nobody waits."""
        if self.cancelled:
            raise Cancelled("it was cancelled")

    @contextmanager
    def ending(self, end: Callable[[], None]) -> Iterator[None]:
        """``end`` is called, by whoever cancels, if that happens within."""
        with self._lock:
            self._ends.append(end)
        try:
            yield
        finally:
            with self._lock:
                self._ends.remove(end)


class Decoders:
    """A few processes that take files apart, one file each at a time. Safe to call from many threads."""

    def __init__(self, count: int, memory: int, seconds: int) -> None:
        """``memory``: bytes that one process may have; ``seconds``: of computing one frame may take."""
        self._limits = memory, seconds
        self._free = _Turns(count)
        self._count = count
        self._alone = Lock()
        self._working: set[_Decoder] = set()
        self._stopped = False

    def start(self) -> None:
        """Bring the processes up before they are needed."""
        for _ in range(self._count):
            Thread(target=self._bring_up, daemon=True).start()

    def _bring_up(self) -> None:
        decoder = self._free.get()
        try:
            decoder = decoder or _Decoder(*self._limits)
        except Unavailable:
            pass  # the server ends; or whoever has a file to read tries again, and is told
        finally:
            self._free.put(decoder)

    def pieces(
        self,
        data: Sent,
        name: str,
        cut: Cut = WHOLE,
        *,
        patient: bool = False,
        wanted: Wanted | None = None,
    ) -> Generator[Piece | Refused | Enclosed]:
        """What :func:`core.sequence.pieces.pieces` gives; a file that breaks the bounds ends as ``Refused``.

        ``patient``: it may take six times as long. Raises ``Cancelled`` once it is not ``wanted`` any more.
        """
        task = _Task("pieces", name, {"cut": cut}, PATIENT if patient else 1)
        for found in self._asked(task, data, wanted or Wanted()):
            if isinstance(found, Piece | Refused | Enclosed):
                yield found

    def only_pieces(
        self, files: Sequence[tuple[bytes, str]], *, patient: bool = False, wanted: Wanted | None = None
    ) -> Iterator[Piece | Refused | None]:
        """Of small files the picture that each is, in less time than one by one.

        ``None`` of what is more than a picture, and of those that were not read since the process ended:
        :meth:`pieces` tells what becomes of them. Raises ``Cancelled`` once it is not ``wanted`` any more.
        """
        task = _Task("several", "", {"files": files}, PATIENT if patient else 1, once=True)
        told = 0
        for found in self._asked(task, b"", wanted or Wanted()):
            if isinstance(found, _Several):
                told += len(found.pieces)
                yield from found.pieces
        yield from itertools.repeat(None, len(files) - told)

    def survey(self, data: Sent, name: str, wanted: Wanted) -> Survey:
        """What a clip holds; ``InputError`` when it cannot be told, ``Cancelled`` once it is not wanted."""
        return self._one(_Task("look_through", name, {}), data, Survey, wanted)

    def glimpse(self, data: Sent, name: str, number: int) -> Glimpse:
        """A frame of a clip; ``InputError`` when there is none."""
        return self._one(_Task("glimpse", name, {"number": number}), data, Glimpse, Wanted())

    def header(self, data: Sent, name: str) -> Header:
        """What a picture says of itself; ``InputError`` when it is none, or damaged as far as that tells."""
        return self._one(_Task("header", name, {}), data, Header, Wanted())

    def colours(self, data: Sent, name: str, most: int, wanted: Wanted) -> Brought:
        """The colours that a file brings for a palette; ``InputError`` when it brings none."""
        return self._one(_Task("colours", name, {"most": most}), data, Brought, wanted)

    def _one(self, task: "_Task", data: Sent, kind: type[T], wanted: Wanted) -> T:
        for one in list(self._asked(task, data, wanted)):
            if isinstance(one, Refused):
                raise one.error
            if isinstance(one, kind):
                return one
        raise InputError("is damaged", file=task.name, remedy="render or copy the file again")

    def _asked(self, task: "_Task", data: Sent, wanted: Wanted) -> "Generator[Found]":
        """What is found. A file whose process ends is tried once more, alone: it may not be its fault."""
        at_work: _Decoder | None = None

        def end() -> None:
            if at_work is not None:
                at_work.kill()
            self._free.look_again()

        with wanted.ending(end):
            given, used = 0, 0.0
            decoder, has_turn = self._free.get(wanted), True
            try:
                self._need_running()
                decoder = decoder if decoder is not None and decoder.answers else _Decoder(*self._limits)
                at_work = decoder
                self._working.add(decoder)
                begun = time.monotonic()
                for found in decoder.asked(task, data, wanted):
                    yield found
                    given += 1
                    if time.monotonic() - begun > TURN and self._free.give_way():
                        # Its process goes no further than the next picture while nobody takes that from it.
                        has_turn = False
                        used += time.monotonic() - begun
                        spare, has_turn = self._free.get(wanted, used), True
                        if spare is not None:
                            spare.stop()
                        begun = time.monotonic()
            finally:
                at_work = None
                if decoder is not None:
                    self._working.discard(decoder)
                kept = self._still_good(decoder)
                if has_turn:
                    self._free.put(kept)
                elif kept is not None:
                    kept.stop()
            if decoder.alive or task.once:
                return
            with self._alone:
                taken: list[_Decoder | None] = []
                last = None
                try:
                    while len(taken) < self._count:
                        taken.append(self._free.get(wanted))
                    self._need_running()
                    at_work = last = _Decoder(*self._limits)
                    self._working.add(last)
                    yield from itertools.islice(last.asked(task, data, wanted), given, None)
                    if not last.alive:
                        self._need_running()
                        yield last.refusal(task)
                finally:
                    at_work = None
                    if last is not None:
                        self._working.discard(last)
                        last.stop()
                    for one in taken:
                        self._free.put(one)

    def _need_running(self) -> None:
        if self._stopped:
            raise Unavailable("the server is being stopped", remedy="start it again, then drop the files again")

    @staticmethod
    def _still_good(decoder: "_Decoder | None") -> "_Decoder | None":
        """A process that can take another file; not one that died, or of which nobody wanted the rest."""
        if decoder is not None and not (decoder.alive and decoder.idle):
            decoder.stop()
            return None
        return decoder

    def pids(self, *, at_work: bool = False) -> list[int]:
        """The process ids of those that have nothing to do, or of those that are ``at_work``."""
        decoders = list(self._working) if at_work else self._free.idle()
        return [decoder.pid for decoder in decoders if decoder is not None and decoder.answers]

    def stop(self) -> None:
        """End all processes, at work or not; whoever waits for one is told."""
        self._stopped = True
        for decoder in [*self._working, *self._free.idle()]:
            if decoder is not None:
                decoder.kill()


class _Turns:
    """Who reads next: of those who wait, the one that has read for the shortest time so far, then the first.

    A turn comes with a process, if one is idle.
    """

    def __init__(self, count: int) -> None:
        self._free: list[_Decoder | None] = [None] * count
        self._waiting: list[tuple[float, int]] = []
        self._numbers = itertools.count()
        self._standing = 0
        self._changed = Condition()

    def get(self, wanted: Wanted | None = None, used: float = 0.0) -> "_Decoder | None":
        """Wait for a turn; ``used``: seconds that were read already, by one that gave way.

        Raises ``Cancelled`` once it is not ``wanted`` any more.
        """
        wanted = wanted or Wanted()
        with self._changed:
            me = (used, next(self._numbers))
            heapq.heappush(self._waiting, me)
            self._changed.wait_for(lambda: wanted.cancelled or (bool(self._free) and self._waiting[0] == me))
            self._waiting.remove(me)
            heapq.heapify(self._waiting)
            if used:
                self._standing -= 1
            self._changed.notify_all()
            wanted.need()
            return self._free.pop()

    def look_again(self) -> None:
        """Have those who wait look whether they still want a turn."""
        with self._changed:
            self._changed.notify_all()

    def put(self, decoder: "_Decoder | None") -> None:
        """Give a turn back."""
        with self._changed:
            self._free.append(decoder)
            self._changed.notify_all()

    def give_way(self) -> bool:
        """Give the turn to somebody who waits, if there is one; then get another. The process is kept, and of
        such there are only so many."""
        with self._changed:
            if not self._waiting or self._standing >= MOST_STANDING:
                return False
            self._standing += 1
            self._free.append(None)
            self._changed.notify_all()
            return True

    def idle(self) -> "list[_Decoder | None]":
        """The processes that have nothing to do."""
        with self._changed:
            return list(self._free)


@dataclass(frozen=True)
class _Task:
    """What is to be done with a file."""

    kind: str
    name: str
    options: dict[str, Any]
    times: int = 1
    """How many times as long as usual it may take."""
    once: bool = False
    """Whether it is not tried again where its process ends."""


@dataclass(frozen=True)
class _Several:
    """What some of several files are, in their order."""

    pieces: tuple[Piece | Refused | None, ...]


def _several(data: bytes, name: str, files: Sequence[tuple[bytes, str]]) -> Iterator[_Several]:
    """What several files are, a few at a time: as many as take no time that counts."""
    found: list[Piece | Refused | None] = []
    begun = time.monotonic()
    for content, called in files:
        found.append(only_piece(content, called))
        if time.monotonic() - begun > _MOMENT:
            yield _Several(tuple(found))
            found, begun = [], time.monotonic()
    yield _Several(tuple(found))


Found = Piece | Refused | Enclosed | Survey | Glimpse | Brought | Header | _Several
_TASKS: dict[str, Callable[..., Iterable[Found]]] = {
    "pieces": pieces,
    "look_through": look_through,
    "glimpse": glimpse,
    "header": header,
    "colours": colours_brought,
    "several": _several,
}


class _Decoder:
    """One process and the pipe to it."""

    def __init__(self, memory: int, seconds: int) -> None:
        self._seconds = seconds
        self._memory = memory
        self.alive = True
        self.idle = True
        for tried in range(1, _TRIES + 1):
            self._pipe, theirs = CONTEXT.Pipe()
            self._process = CONTEXT.Process(
                target=_serve, args=(theirs, memory, seconds), name="decoder", daemon=True
            )
            try:
                self._process.start()
            except (EOFError, OSError) as error:  # what starts them has just been killed; it is started anew
                self._pipe.close()
                if tried == _TRIES or stopping.is_set():
                    raise Unavailable(
                        "files cannot be read right now", remedy="try again in a moment"
                    ) from error
                time.sleep(0.05 * tried)
            else:
                return
            finally:
                theirs.close()

    @property
    def pid(self) -> int:
        return self._process.pid or 0

    @property
    def answers(self) -> bool:
        """Whether it is still there; something else may have killed it while it had nothing to do."""
        return self.alive and self._process.is_alive()

    def asked(self, task: "_Task", data: Sent, wanted: Wanted) -> "Generator[Found]":
        """What it finds; where that ends too early it is not ``alive`` any more, or it is not ``wanted``."""
        wanted.need()
        self.idle = False
        try:
            self._pipe.send((task, isinstance(data, bytes)))
            if isinstance(data, bytes):
                self._pipe.send_bytes(data)
            else:
                send_handle(self._pipe, data.fileno(), self.pid)
            # It ends itself when it has used its time; much later it hangs where no signal reaches.
            while self._pipe.poll(_PATIENCE * self._seconds * task.times):
                piece = self._pipe.recv()
                if piece is None:
                    self.idle = True
                    return
                yield piece
        except (EOFError, OSError):
            pass
        self.alive = False
        wanted.need()

    def refusal(self, task: "_Task") -> Refused:
        """Why it ended in the middle of a file."""
        self._process.join(1)
        name, remedy = task.name, "render or save it again, or scale it down"
        if self._process.exitcode in (None, -signal.SIGPROF):
            message = f"a picture in it takes more than {self._seconds * task.times} s of CPU time to read"
            return Refused(name, TooSlow(message, file=name, remedy=remedy))
        message = f"reading it needs more than {self._memory // 1048576} MB of memory, or ends in a crash"
        return Refused(name, InputError(message, file=name, remedy=remedy))

    def stop(self) -> None:
        self.kill()
        self._process.join(5)
        self._pipe.close()

    def kill(self) -> None:
        self.alive = False
        self._process.kill()


def _serve(pipe: Connection, memory: int, seconds: int) -> None:
    """What a process does: one file after the other, until nobody is there to send any."""
    forked_as("reader")
    warnings.simplefilter("ignore")  # libraries speak of damage that is reported as what it means
    logging.disable()
    keep_freed_memory()
    shared = _data_bytes()  # what was loaded before the fork counts against the limit, and is no file's
    resource.setrlimit(resource.RLIMIT_DATA, (memory + shared, memory + shared))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    try:
        while True:
            task: _Task
            task, small = pipe.recv()
            handle = None if small else recv_handle(pipe)
            data = pipe.recv_bytes() if handle is None else Path(f"/proc/self/fd/{handle}")
            # Unhandled, its signal ends the process, in the middle of a decoder too. It counts the time that is
            # computed, not the clock's: on a busy machine the same files make the same project.
            signal.setitimer(signal.ITIMER_PROF, seconds * task.times)
            for piece in _TASKS[task.kind](data, task.name, **task.options):
                pipe.send(piece)
                signal.setitimer(signal.ITIMER_PROF, seconds * task.times)
            signal.setitimer(signal.ITIMER_PROF, 0)
            if handle is not None:
                os.close(handle)
            pipe.send(None)
    except (EOFError, OSError):
        return


def _data_bytes() -> int:
    """What this process has of the memory that RLIMIT_DATA is about."""
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) * 1024 for line in lines if line.startswith("VmData:"))
