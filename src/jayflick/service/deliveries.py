"""Sending outputs to devices and hosts: in threads, remembered with their answers, never twice by accident."""

import threading
import time
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import PurePath
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.orm import Session, sessionmaker

from ..core.errors import Cancelled, InputError, JayFlickError
from ..core.recipe import FramesOutput
from ..core.store import Store
from ..core.targets.check import file_delays
from ..delivery.protocol import Answer, Offer, Use
from ..delivery.sender import Gone, Load, Progress, Sender, offer_of, offered, usable
from . import projects
from .cards import delivery_info
from .checks import check_of
from .errors import Conflict, NotFound
from .events import Hub
from .handoffs import leaving, outputs
from .models import Delivery, Project, now
from .results import MadeOutput
from .schemas.sending import DeliveryInfo, SendRequest
from .standins import StandIns

SIDE_BY_SIDE = 3
"""Deliveries to one place."""
STOPPING = 3.0
"""Seconds that deliveries are given to be called off when the server stops."""


class Deliveries:
    """All that is being sent."""

    def __init__(
        self,
        transact: Callable[..., Any],
        sessions: sessionmaker[Session],
        store: Store,
        hub: Hub,
        standins: StandIns,
        beyond: bool,
    ) -> None:
        self._transact = transact
        self._sessions = sessions
        self._store = store
        self._hub = hub
        self._standins = standins
        self._beyond = beyond
        self._lock = threading.Lock()
        self._under_way: dict[str, tuple[threading.Event, Progress]] = {}
        self._turns: dict[str, threading.Semaphore] = {}
        self._threads: list[threading.Thread] = []

    def start(self) -> None:
        """What was being sent when the program ended can be sent again; it goes on where it stopped."""
        answer = {
            "message": "the program ended while it was sent",
            "remedy": "send it again: it goes on where it stopped",
        }
        self._transact(
            lambda session: session.execute(
                update(Delivery)
                .where(Delivery.state == "sending")
                .values(state="failed", answer=answer, ended=now())
            )
        )

    def stop(self) -> None:
        """Call off what is under way, without waiting for a place that does not answer."""
        with self._lock:
            for called_off, _ in self._under_way.values():
                called_off.set()
            threads = list(self._threads)
        patient = time.monotonic() + STOPPING
        for thread in threads:  # one whose place hangs ends with the process
            thread.join(max(patient - time.monotonic(), 0))

    def send(self, project_id: str, request: SendRequest) -> DeliveryInfo:
        """Begin to send an output as it is now.

        ``Conflict`` while it is on its way there already, or when the same files were taken there before and it
        is not said that they shall be sent again.
        """
        place = request.to if self._standins.address(request.to) else ""
        address = self._standins.address(request.to) or usable(request.to, beyond=self._beyond)
        with self._sessions() as session:
            (one,) = outputs(session, self._store, project_id, [request.output])
            title = f"{projects.find(session, project_id).name}, {one.output.name}"
        cut = request.cut or (check_of(one.output, one.info).cut if one.output.target is not None else None)
        offer, files = _offer(one, title[:200], request, cut)  # nothing is recorded that cannot be offered
        held = self._standins.held(place)
        number = self._transact(self._enter, project_id, request, one.info.content, place, address, held)
        with self._lock:
            called_off = threading.Event()
            self._under_way[number] = called_off, Progress("sending", 0, len(files))
        self._hub.tell("project", project_id=project_id)
        thread = threading.Thread(
            target=self._run,
            args=(number, project_id, address, offer.model_copy(update={"key": number}), files, called_off),
            name="delivery",
            daemon=True,
        )
        with self._lock:
            self._threads = [one for one in self._threads if one.is_alive()] + [thread]
        thread.start()
        return self.show(project_id, number)

    def show(self, project_id: str, number: str) -> DeliveryInfo:
        """A delivery, and how far it is."""
        with self._sessions() as session:
            row = session.get(Delivery, number)
            if row is None or row.project_id != project_id:
                raise NotFound("there is no such delivery")
            info = delivery_info(row)
        with self._lock:
            _, progress = self._under_way.get(number, (None, None))
        return info if progress is None else info.model_copy(update=progress._asdict())

    def cancel(self, project_id: str, number: str) -> None:
        """Call a delivery off; one that has ended stays as it is."""
        self.show(project_id, number)
        with self._lock:
            if number in self._under_way:
                self._under_way[number][0].set()

    def _enter(
        self,
        session: Session,
        project_id: str,
        request: SendRequest,
        key: str,
        place: str,
        address: str,
        held: tuple[str, ...] | None,
    ) -> str:
        """Record it, or find the one that broke off, to go on with that. ``held``: what the place still has."""
        session.get(Project, project_id, with_for_update=True)  # two requests at once: one after the other
        rows = session.scalars(
            select(Delivery)
            .where(Delivery.project_id == project_id, Delivery.output_id == request.output)
            .order_by(Delivery.created.desc())
        )
        there = [row for row in rows if row.place == place and (place or row.address == address)]
        if any(row.state == "sending" for row in there):
            raise Conflict("it is on its way there already", remedy="wait for it, or cancel it")
        last = next((row for row in there if row.memory == request.memory), None)
        if last is not None and last.key == key:
            there_still = held is None or last.id in held
            if last.state in ("taken", "changed") and there_still and not request.again:
                remedy = "send them again if they are gone"
                raise Conflict("the same files were accepted there already", remedy=remedy)
            if last.state == "failed":
                last.state, last.answer, last.ended, last.address = "sending", None, None, address
                last.created = now()
                return last.id
        number = uuid.uuid4().hex
        session.add(
            Delivery(
                id=number,
                project_id=project_id,
                output_id=request.output,
                key=key,
                place=place,
                address=address,
                memory=request.memory,
                state="sending",
            )
        )
        return number

    def _run(
        self,
        number: str,
        project_id: str,
        address: str,
        offer: Offer,
        files: list[Load],
        called_off: threading.Event,
    ) -> None:
        def progress(one: Progress) -> None:
            with self._lock:
                self._under_way[number] = called_off, one

        try:
            with self._turn(address, called_off), Sender(address) as sender:
                answer = sender.send(offer, files, progress=progress, cancelled=called_off.is_set)
            state = "changed" if answer.verdict == "changed" else "taken"
        except Cancelled as error:
            state, answer = "cancelled", _refused(error)
        except Gone as error:
            state, answer = "failed", _refused(error)
        except InputError as error:
            state, answer = "refused", _refused(error)
        except Exception as error:  # a fault of ours; nobody must wait for ever
            state, answer = "failed", _refused(JayFlickError(f"an unexpected fault, {type(error).__name__}"))
        try:
            self._transact(self._end, number, state, answer)
        finally:
            with self._lock:
                del self._under_way[number]
            self._hub.tell("project", project_id=project_id)

    @contextmanager
    def _turn(self, address: str, called_off: threading.Event) -> Iterator[None]:
        """One of those that are sent to a place side by side: what waits for it holds no other place up."""
        with self._lock:
            turns = self._turns.setdefault(address, threading.Semaphore(SIDE_BY_SIDE))
        while not turns.acquire(timeout=0.1):
            if called_off.is_set():
                raise Cancelled("sending was called off before its turn came; nothing of it stayed there")
        try:
            yield
        finally:
            turns.release()

    def _end(self, session: Session, number: str, state: str, answer: Answer) -> None:
        row = session.get(Delivery, number)
        if row is not None:  # its project may have been deleted for good
            row.state, row.answer, row.ended = state, answer.model_dump(mode="json"), now()


def _refused(error: JayFlickError) -> Answer:
    return Answer(verdict="refused", message=error.message, file=error.file, remedy=error.remedy)


def _offer(one: MadeOutput, title: str, request: SendRequest, cut: int | None) -> tuple[Offer, list[Load]]:
    """What is offered, under a key that is yet to be set, and the files."""
    (files,) = leaving([one])
    loads = [Load(PurePath(file.path).name, file.size, file.read) for file in files]
    output, target = one.output, one.output.target
    numbered = isinstance(output, FramesOutput)
    use: Use | None = request.use
    if use is None and target is not None and numbered:
        use = "transition" if target.cover else "overlay" if target.name == "overlay" else None
    delays = set(file_delays(output, one.info.info.model_dump(), one.info.delays))
    offer = offer_of(
        key=uuid.uuid4().hex,
        title=title,
        files=offered(loads),
        first=loads[0].name if numbered else None,
        size=(one.info.info.width, one.info.info.height) if numbered else None,
        use=use,
        place=request.memory,
        # A set whose frames last differently is made for no rate.
        rate=round(1000 / delays.pop(), 3) if numbered and len(delays) == 1 else None,
        repeat=one.info.info.repeat,
        at=output.place if isinstance(output, FramesOutput) else None,
        cut=cut if use == "transition" else None,
    )
    return offer, loads
