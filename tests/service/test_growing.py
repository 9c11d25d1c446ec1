"""A file is handed on while it is coded: whole frames only, to the end, and not for longer than the job."""

import asyncio
import struct
import threading
from collections.abc import Callable, Iterator
from io import BytesIO
from pathlib import Path
from unittest import mock

import numpy as np
import pytest
from PIL import Image, ImageSequence

from jayflick.core.formats.gif.encoder import encode_gif
from jayflick.core.formats.gif.own_tables import OwnTables
from jayflick.core.formats.gif.shared import share_palette
from jayflick.service.growing import Growing, _whole, begun, follow
from tests.conftest import lit_ball, moving_square, steps_of


def followed(folder: Path, at_work: Callable[[], bool] = lambda: True) -> list[bytes]:
    file = begun(folder, 7)
    assert file is not None

    async def read() -> list[bytes]:
        return [part async for part in follow(file, at_work)]

    return asyncio.run(asyncio.wait_for(read(), 20))


@pytest.mark.parametrize("options", [{}, {"loss": 30}, {"own": OwnTables(64)}, {"amount": 60}])
def test_what_is_handed_on_is_the_file_as_it_is_coded(options: dict[str, object], tmp_path: Path) -> None:
    """Each step is there, once, and looks as in the file that comes of it; Pillow reads it at any length."""
    frames = [*moving_square(3, 96, 64), *[moving_square(3, 96, 64)[2]] * 2, *moving_square(5, 96, 64)[3:]]
    growing = Growing(tmp_path / "growing", 7)
    parts: list[bytes] = []

    def add(part: bytes) -> None:
        parts.append(part)
        growing.add(part)

    data = encode_gif(frames, share_palette(frames, 64), firsts=[0, 1, 2, 2, 2, 5, 6], on_coded=add, **options)  # type: ignore[arg-type]
    closing = threading.Timer(0.1, growing.close)
    closing.start()
    whole = b"".join(followed(tmp_path / "growing"))
    closing.join()
    assert begun(tmp_path / "growing", 7) is None
    assert whole == b"".join(parts) + b"\x3b"
    with Image.open(BytesIO(whole)) as picture:
        shown = [
            np.array(frame.convert("RGBA"))
            for frame in ImageSequence.Iterator(picture)
            for _ in range(frame.info["duration"] // 10 - 1)
        ]
    for seen, wanted in zip(shown, steps_of(data), strict=True):
        np.testing.assert_array_equal(seen, wanted)
    for count in range(2, len(parts)):
        with Image.open(BytesIO(b"".join(parts[:count]) + b"\x3b")) as picture:
            assert picture.n_frames == count - 1  # type: ignore[attr-defined]


def test_of_the_two_ways_only_the_first_is_handed_on() -> None:
    """A file that has to be coded twice to be judged is one file for whoever looks on."""
    frames = lit_ball(3)
    parts: list[bytes] = []
    own = OwnTables(64, where_they_pay=True)
    encode_gif(frames, share_palette(frames, 64, weighed=True), loss=20, own=own, on_coded=parts.append)
    assert [part[:6] for part in parts].count(b"GIF89a") == 1
    assert len(parts) == 1 + len(frames)


def test_half_a_frame_is_not_handed_on_and_nothing_waits_for_a_worker_that_died(tmp_path: Path) -> None:
    growing = Growing(tmp_path, 7)
    growing.add(b"head")
    growing.add(b"frame")
    with (tmp_path / "7").open("ab") as file:
        file.write(struct.pack("<I", 100) + b"half of it")
    looks: Iterator[bool] = iter([True, True, False])
    assert followed(tmp_path, lambda: next(looks)) == [b"headframe", b"\x3b"]
    again = Growing(tmp_path, 7)  # the next worker that tries begins anew
    again.add(b"other")
    again.close()
    assert begun(tmp_path, 7) is None
    growing.close()


def test_nothing_follows_what_was_only_half_written(tmp_path: Path) -> None:
    """A disk that is all but full takes less than it is given, and raises nothing."""
    growing = Growing(tmp_path, 7)
    growing.add(b"head")
    file = mock.Mock(write=mock.Mock(return_value=3))
    with mock.patch.object(growing, "_file", file):
        growing.add(b"frame")
        growing.add(b"later")
    assert file.write.call_count == 1
    closing = threading.Timer(0.1, growing.close)
    closing.start()
    assert b"".join(followed(tmp_path)) == b"head\x3b"
    closing.join()


def test_as_many_frames_as_there_may_be_are_handed_on_in_time_in_proportion(tmp_path: Path) -> None:
    parts = [bytes([n & 255]) * (20 + n % 5) for n in range(20_000)]
    records = b"".join(struct.pack("<I", len(part)) + part for part in parts)
    assert _whole(records) == (b"".join(parts), len(records))
    for cut in (0, 3, 4, 23, 24, len(records) - 1):
        whole, used = _whole(records[:cut])
        assert b"".join(parts).startswith(whole)
        assert used <= cut < used + 30
    (tmp_path / "7").write_bytes(records)
    assert b"".join(followed(tmp_path, lambda: False)) == b"".join(parts) + b"\x3b"


def test_where_there_is_no_room_nothing_is_shown_and_the_job_goes_on(tmp_path: Path) -> None:
    (tmp_path / "file").write_bytes(b"")
    growing = Growing(tmp_path / "file" / "inside", 7)
    growing.add(b"head")
    growing.add(b"frame")
    growing.close()
    assert begun(tmp_path / "file" / "inside", 7) is None
