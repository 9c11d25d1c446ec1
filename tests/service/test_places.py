"""Places that drip, hang, convert for ever or say too much: each is given up in time."""

import json
import socket
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from typing import Any

import pytest

from jayflick.core.errors import Cancelled, InputError
from jayflick.delivery import sender
from jayflick.delivery.protocol import Answer, Intake, Offer
from jayflick.delivery.sender import MOST_ANSWER, Gone, Sender, load_of, offered
from jayflick.service.deliveries import SIDE_BY_SIDE, Deliveries

FILES = [load_of("loop.gif", b"GIF89a")]
OFFER = Offer(key="a-delivery", files=offered(FILES))


@contextmanager
def place(answer: Callable[[socket.socket, bytes], None]) -> Iterator[str]:
    """Something that listens, and does with each request what it is told."""
    listening = socket.create_server(("127.0.0.1", 0))
    over = threading.Event()

    def one(far: socket.socket) -> None:
        with far:
            try:
                while request := far.recv(65536):
                    answer(far, request)
            except OSError:
                pass

    def serve() -> None:
        while not over.is_set():
            try:
                far, _ = listening.accept()
            except OSError:
                return
            threading.Thread(target=one, args=(far,), daemon=True).start()

    threading.Thread(target=serve, daemon=True).start()
    try:
        yield f"http://127.0.0.1:{listening.getsockname()[1]}"
    finally:
        over.set()
        listening.close()


def drip(far: socket.socket, request: bytes) -> None:
    """A byte now and then, for much longer than anybody waits for a whole answer."""
    far.sendall(b"HTTP/1.1 200 OK\r\ncontent-length: 5000\r\n\r\n")
    for _ in range(300):
        far.sendall(b" ")
        time.sleep(0.1)


def saying(*documents: dict[str, Any]) -> Callable[[socket.socket, bytes], None]:
    """Answers one document after the other, and the last again and again."""
    left = list(documents)

    def answer(far: socket.socket, request: bytes) -> None:
        document = left.pop(0) if len(left) > 1 else left[0]
        body = json.dumps(document).encode()
        far.sendall(b"HTTP/1.1 200 OK\r\ncontent-length: %d\r\n\r\n" % len(body) + body)

    return answer


def test_a_place_that_drips_its_answer_is_given_up() -> None:
    with place(drip) as address, Sender(address, patience=0.5, pause=0.01) as there:
        begun = time.monotonic()
        with pytest.raises(Gone, match="does not answer"):
            there.send(OFFER, FILES)
        assert time.monotonic() - begun < 8


@pytest.mark.parametrize("silent", [False, True])
def test_cancelling_frees_at_once_whatever_the_place_does(silent: bool) -> None:
    stop = threading.Event()
    hang = (lambda far, request: time.sleep(30)) if silent else drip
    with place(hang) as address, Sender(address, patience=30) as there:
        timer = threading.Timer(0.4, stop.set)
        timer.start()
        begun = time.monotonic()
        with pytest.raises(Cancelled):
            there.send(OFFER, FILES, cancelled=stop.is_set)
        assert time.monotonic() - begun < 4
        timer.cancel()


def test_one_that_converts_for_ever_is_given_up(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sender, "STUCK", 0.6)
    converting = {"id": "1", "state": "converting", "done": 3, "total": 9}
    with (
        place(saying(converting)) as address,
        Sender(address) as there,
        pytest.raises(Gone, match="made no progress"),
    ):
        there.send(OFFER, FILES)


def test_what_a_place_says_is_bounded_and_cleaned() -> None:
    long = "\u202e" + "y" * 30_000 + "\x07"
    said = {"verdict": "taken", "message": long, "remarks": [long] * 20}
    taken: dict[str, Any] = {"id": "1", "state": "taken", "answer": {**said, "remarks": []}}
    with place(saying(taken)) as address, Sender(address) as there:
        assert there.send(OFFER, FILES).message == "y" * 499 + "…"
    for wrong in (
        taken | {"padding": "z" * MOST_ANSWER},
        {"id": "../../projects", "state": "taken"},
        {"id": "1" * 5000, "state": "taken"},
        taken | {"answer": {**said, "remarks": ["b"] * 50}},
        taken | {"answer": said},  # more than an answer has
    ):
        with place(saying(wrong)) as address, Sender(address) as there, pytest.raises(InputError):
            there.send(OFFER, FILES)
    most = Answer(verdict="taken", message=long, remarks=(long,) * 20)
    assert len(most.model_dump_json()) < 32_000
    assert Intake(id="1", state="taken", received=tuple(f"frame_{n:04}.png" for n in range(4000))).ended


def test_turns_are_per_place_and_waiting_for_one_can_be_called_off() -> None:
    nothing: Any = None
    deliveries = Deliveries(nothing, nothing, nothing, nothing, nothing, False)
    called_off = threading.Event()
    with ExitStack() as held:
        for _ in range(SIDE_BY_SIDE):
            held.enter_context(deliveries._turn("http://127.0.0.1:1", called_off))
        with deliveries._turn("http://127.0.0.1:2", called_off):
            pass  # another place has turns of its own
        threading.Timer(0.2, called_off.set).start()
        with pytest.raises(Cancelled, match="before its turn came"):
            held.enter_context(deliveries._turn("http://127.0.0.1:1", called_off))
    with deliveries._turn("http://127.0.0.1:1", called_off):
        pass  # given back
