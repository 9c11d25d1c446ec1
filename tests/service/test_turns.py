"""Reading has turns: a short file passes long ones, and all come to an end."""

import struct
import threading
import time
from io import BytesIO
from pathlib import Path

import httpx
import pytest
from PIL import Image

from jayflick.core.errors import Cancelled
from jayflick.core.sequence.pieces import Piece
from jayflick.service.decoding import MOST_STANDING, Decoders, Wanted, _Turns
from jayflick.service.mariadb import PrivateServer
from jayflick.service.settings import Settings
from tests.server import until
from tests.service.conftest import serving

FRAMES = 30


def long_gif(frames: int) -> bytes:
    """A GIF of one pixel a frame on a large canvas: a few bytes, and much to take apart."""
    head = b"GIF89a" + struct.pack("<HH", 1500, 1400) + b"\x80\0\0" + b"\0\0\0\xff\xff\xff"
    picture = b"\x2c" + struct.pack("<HHHH", 0, 0, 1, 1) + b"\0" + b"\x02\x02\x4c\x01\0"
    return head + picture * frames + b"\x3b"


def short_png() -> bytes:
    out = BytesIO()
    Image.new("RGBA", (20, 20), (200, 90, 40, 255)).save(out, "PNG")
    return out.getvalue()


def test_a_short_file_passes_long_ones_and_all_are_read() -> None:
    decoders = Decoders(2, 960 << 20, 10)
    data, ended = long_gif(FRAMES), {}

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
        turns.get(used=used)
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


def test_what_nobody_waits_for_any_more_ends_at_once_read_or_not() -> None:
    decoders = Decoders(1, 960 << 20, 10)
    data, ended = long_gif(900), []
    wishes = [Wanted() for _ in range(3)]

    def read(number: int) -> None:
        with pytest.raises(Cancelled):
            list(decoders.pieces(data, f"{number}.gif", wanted=wishes[number]))
        ended.append(number)

    try:
        threads = [threading.Thread(target=read, args=(number,)) for number in range(3)]
        for thread in threads:
            thread.start()
        until(lambda: decoders._free._standing)  # one has been begun and waits for its next turn
        for number in (2, 0, 1):
            wishes[number].cancel()
            threads[number].join(30)  # reading it takes longer
            assert number in ended
        with pytest.raises(Cancelled):
            list(decoders.pieces(data, "late.gif", wanted=wishes[0]))
        assert not decoders.pids(at_work=True)
        assert decoders._free._standing == 0
        assert isinstance(next(decoders.pieces(short_png(), "a.png")), Piece)
    finally:
        decoders.stop()


def test_an_upload_that_is_cancelled_frees_the_readers(database: PrivateServer, tmp_path: Path) -> None:
    settings = Settings(data=tmp_path, database=database.url, workers=1, decoders=1)
    with serving(settings) as (client, service):
        address = f"{client.base_url}/api/imports/{client.post('/api/imports').json()['id']}/files"
        with pytest.raises(httpx.ReadTimeout):
            httpx.post(address, files={"files": ("wave.gif", long_gif(900))}, timeout=1)
        until(lambda: not service.decoders.pids(at_work=True), 30)
        (taken,) = client.post(address, files={"files": ("wave.png", short_png())}).json()
        assert taken["frames"] == 1
