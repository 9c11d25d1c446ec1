"""Reading has turns: a short file passes long ones, and all come to an end."""

import threading
import time
from io import BytesIO

import numpy as np
from PIL import Image

from jayflick.core.sequence.pieces import Piece
from jayflick.service.decoding import MOST_STANDING, Decoders, _Turns
from tests.server import until

FRAMES = 24


def long_gif() -> bytes:
    """A GIF of noise that takes seconds to take apart, and few bytes."""
    random = np.random.default_rng(5)
    noise = [Image.fromarray(random.integers(0, 256, (40, 60), np.uint8)).resize((600, 400)) for _ in "1234"]
    out = BytesIO()
    pictures = [noise[number % 4] for number in range(FRAMES)]
    pictures[0].save(out, "GIF", save_all=True, append_images=pictures[1:], duration=40)
    return out.getvalue()


def short_png() -> bytes:
    out = BytesIO()
    Image.new("RGBA", (20, 20), (200, 90, 40, 255)).save(out, "PNG")
    return out.getvalue()


def test_a_short_file_passes_long_ones_and_all_are_read() -> None:
    decoders = Decoders(2, 960 << 20, 10)
    data, ended = long_gif(), {}

    def read(name: str) -> None:
        found = [piece for piece in decoders.pieces(data, f"{name}.gif") if isinstance(piece, Piece)]
        ended[name] = (time.monotonic(), len(found))

    try:
        threads = [threading.Thread(target=read, args=(str(number),)) for number in range(3)]
        for thread in threads:
            thread.start()
        until(lambda: len(decoders.pids(at_work=True)) == 2)
        for number in range(3):
            (piece,) = decoders.pieces(short_png(), f"{number}.png")
            assert isinstance(piece, Piece)
        passed = time.monotonic()
        for thread in threads:
            thread.join(120)
        assert {count for _, count in ended.values()} == {FRAMES}
        assert all(end > passed for end, _ in ended.values()), "the short ones waited for long ones"
        assert len([pid for pid in decoders.pids() if pid]) <= 2, "no process is left over"
        assert not decoders.pids(at_work=True)
    finally:
        decoders.stop()


def test_turns_go_to_who_had_least_and_only_so_many_stand_by() -> None:
    turns, order = _Turns(1), []
    turns.get()

    def wait(name: str, used: float) -> None:
        turns.get(used)
        order.append(name)
        turns.put(None)

    assert not turns.give_way(), "nobody waits"
    threads = []
    for name, used in (("long", 9.0), ("middle", 3.0), ("new", 0.0)):
        threads.append(threading.Thread(target=wait, args=(name, used)))
        threads[-1].start()
        until(lambda: len(turns._waiting) == len(threads))
    turns.put(None)
    for thread in threads:
        thread.join(5)
    assert order == ["new", "middle", "long"]
    crowd = _Turns(MOST_STANDING + 1)
    for _ in range(MOST_STANDING + 1):
        crowd.get()
    for _ in range(MOST_STANDING + 2):
        threading.Thread(target=crowd.get, daemon=True).start()
    until(lambda: len(crowd._waiting) == MOST_STANDING + 2)
    assert [crowd.give_way() for _ in range(MOST_STANDING + 1)] == [True] * MOST_STANDING + [False]
