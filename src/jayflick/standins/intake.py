"""Deliveries as they come in: offered, received file by file, checked, converted; never half there."""

import shutil
import threading
import time
import uuid
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Protocol

from ..delivery.protocol import Answer, Intake, Offer, State
from .errors import CalledOff, Refusal

MOST_BYTES = 4 << 30
"""The most bytes of one delivery."""
MOST_AT_ONCE = 8
"""Deliveries that come in side by side."""
MOST_KEPT = 200
"""Deliveries that are remembered; of older ones that left nothing here it is forgotten that they came."""
STALLED = 600.0
"""Seconds after which a delivery that nobody goes on with is given up."""


class Work:
    """How far a conversion is; handed to the device that converts."""

    def __init__(self, pace: Callable[[], float]) -> None:
        self._pace = pace
        self._called_off = threading.Event()
        self._begun = time.monotonic()
        self.done = 0
        self.total = 0

    def begin(self) -> None:
        """Its turn has come: the pace counts from now on."""
        self._begun = time.monotonic()

    def step(self, total: int) -> None:
        """One of ``total`` pictures is done: waits for as long as the device's pace wants it.

        Raises ``CalledOff`` when somebody called it off meanwhile.
        """
        self.total = total
        pace = self._pace()
        if pace > 0:
            due = self._begun + (self.done + 1) / pace
            self._called_off.wait(max(0.0, min(due - time.monotonic(), 1 / pace)))
        if self._called_off.is_set():
            raise CalledOff
        self.done += 1

    def call_off(self) -> None:
        self._called_off.set()


class Taker(Protocol):
    """What a device does with what comes in."""

    def consider(self, offer: Offer) -> Offer:
        """Say at once what can be said of names, counts and places; returns the offer as it is understood.

        Raises ``Refusal``.
        """

    def convert(self, offer: Offer, folder: Path, work: Work) -> Answer:
        """Check the files, make them its own, and put them in their place. Raises ``Refusal``."""


@dataclass
class _Delivery:
    offer: Offer
    folder: Path
    work: Work
    intake: Intake
    touched: float = field(default_factory=time.monotonic)
    received: dict[str, None] = field(default_factory=dict)


def _is_held(one: _Delivery) -> bool:
    return one.intake.state == "taken" and one.folder.exists()


class Intakes:
    """All deliveries of one device; one is converted at a time."""

    def __init__(self, folder: Path, taker: Taker, pace: Callable[[], float]) -> None:
        self._folder = folder
        self._taker = taker
        self._pace = pace
        self._lock = threading.Lock()
        self._converting = threading.Lock()
        self._all: dict[str, _Delivery] = {}
        folder.mkdir(parents=True, exist_ok=True)

    def offer(self, offer: Offer) -> Intake:
        """Begin a delivery, or find the one with the same key that is under way, or still there."""
        with self._lock:
            for one in self._all.values():
                if one.offer.key == offer.key and (not one.intake.ended or _is_held(one)):
                    one.touched = time.monotonic()
                    return self._shown(one)
            self._forget_old()
            if sum(not one.intake.ended for one in self._all.values()) >= MOST_AT_ONCE:
                raise Refusal("too much is on its way here already", remedy="wait for it", status=409)
        names = [file.name for file in offer.files]
        if len(set(names)) < len(names):
            raise Refusal("two of its files have the same name", remedy="name them apart")
        if sum(file.bytes for file in offer.files) > MOST_BYTES:
            raise Refusal(f"is more than {MOST_BYTES >> 30} GB", remedy="send less at once")
        understood = self._taker.consider(offer)
        number = uuid.uuid4().hex
        folder = self._folder / number
        folder.mkdir()
        one = _Delivery(understood, folder, Work(self._pace), Intake(id=number, state="receiving"))
        with self._lock:
            self._all[number] = one
            return self._shown(one)

    def file(self, number: str, name: str) -> tuple[Path, int]:
        """Where a file of a delivery is to be written, and how many bytes it is to have."""
        with self._lock:
            one = self._find(number)
            sizes = {file.name: file.bytes for file in one.offer.files}
            if one.intake.state != "receiving":
                raise Refusal("this delivery is complete", status=409)
            if name not in sizes:
                raise Refusal("was not offered", file=name)
            one.touched = time.monotonic()
            return one.folder / name, sizes[name]

    def received(self, number: str, name: str) -> None:
        with self._lock:
            one = self._find(number)
            one.received[name] = None
            one.touched = time.monotonic()

    def finish(self, number: str) -> Intake:
        """Begin to convert; doing so twice is the same as once."""
        with self._lock:
            one = self._find(number)
            if one.intake.state != "receiving":
                return self._shown(one)
            lacking = [file.name for file in one.offer.files if file.name not in one.received]
            if lacking:
                raise Refusal(
                    f"{len(lacking)} of its files did not arrive", file=lacking[0], remedy="send them"
                )
            self._enter(one, "waiting")
            threading.Thread(target=self._convert, args=(one,), daemon=True).start()
            return self._shown(one)

    def show(self, number: str) -> Intake:
        with self._lock:
            return self._shown(self._find(number))

    def cancel(self, number: str) -> Intake:
        """Call a delivery off; one that was taken stays taken."""
        with self._lock:
            one = self._find(number)
            if not one.intake.ended:
                one.work.call_off()
                if one.intake.state == "receiving":
                    self._enter(one, "cancelled")
                    shutil.rmtree(one.folder, ignore_errors=True)
            return self._shown(one)

    def held(self) -> tuple[str, ...]:
        """Keys of what was taken and is still there: a device throws a thing away together with its folder."""
        with self._lock:
            return tuple(one.offer.key for one in self._all.values() if _is_held(one))

    @property
    def busy(self) -> bool:
        with self._lock:
            return any(not one.intake.ended for one in self._all.values())

    def _convert(self, one: _Delivery) -> None:
        with self._converting:
            with self._lock:
                self._enter(one, "converting")
            one.work.begin()
            try:
                answer = self._taker.convert(one.offer, one.folder, one.work)
                state: State = "taken"
            except Refusal as refusal:
                state, answer = "refused", Answer(verdict="refused", **refusal.problem.model_dump())
            except CalledOff:
                state, answer = "cancelled", Answer(verdict="refused", message="it was called off")
            except OSError as error:
                said = f"the device's disk refused: {error.strerror or error}"
                state, answer = "refused", Answer(verdict="refused", message=said, remedy="make room")
            except Exception as error:  # a fault of the device; whoever sent must not wait for ever
                said = f"the device failed, {type(error).__name__}: {error}"
                state, answer = "refused", Answer(verdict="refused", message=said)
            if state != "taken":
                shutil.rmtree(one.folder, ignore_errors=True)
            with self._lock:
                one.intake = one.intake.model_copy(update={"answer": answer})
                self._enter(one, state)

    def _enter(self, one: _Delivery, state: State) -> None:
        one.intake = one.intake.model_copy(update={"state": state})

    def _find(self, number: str) -> _Delivery:
        if number not in self._all:
            raise Refusal("there is no such delivery", remedy="offer it again", status=404)
        return self._all[number]

    def _shown(self, one: _Delivery) -> Intake:
        total = one.work.total if one.intake.state not in ("receiving", "waiting") else 0
        return one.intake.model_copy(
            update={"received": tuple(one.received), "done": one.work.done, "total": total}
        )

    def _forget_old(self) -> None:
        for number, one in list(self._all.items()):
            stalled = one.intake.state == "receiving" and time.monotonic() - one.touched > STALLED
            if stalled:
                shutil.rmtree(one.folder, ignore_errors=True)
            if stalled or (len(self._all) >= MOST_KEPT and one.intake.ended and not _is_held(one)):
                del self._all[number]
