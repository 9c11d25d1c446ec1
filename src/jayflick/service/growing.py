"""A file while it is coded: a worker writes down each frame as it is done, the server hands them on."""

import asyncio
import os
import struct
from collections.abc import AsyncIterator, Callable
from contextlib import suppress
from pathlib import Path
from typing import BinaryIO

from ..core.formats.gif.writer import TRAILER

PAUSE = 0.04
"""Seconds between two looks at what has come."""
_BLOCK = 1 << 20
_LENGTH = struct.Struct("<I")


class Growing:
    """What a job has coded so far, in a file that is there while the job is at it.

    Each part is written with its length before it, so that half of one is never taken for all of it.
    """

    def __init__(self, folder: Path, job_id: int) -> None:
        self._path = folder / str(job_id)
        self._file: BinaryIO | None = None
        self._given_up = False

    def add(self, part: bytes) -> None:
        """Add what was coded. Where there is no room for it, nothing is shown; the job goes on."""
        if self._given_up:
            return
        try:
            if self._file is None:
                self._path.parent.mkdir(parents=True, exist_ok=True)
                self._path.unlink(missing_ok=True)  # a worker that died at it may have left one
                self._file = self._path.open("xb", buffering=0)
            record = _LENGTH.pack(len(part)) + part
            # On a disk that is all but full less may be written than was asked for: nothing may follow that.
            self._given_up = self._file.write(record) < len(record)
        except OSError:
            self._given_up = True

    def close(self) -> None:
        if self._file is not None:
            self._file.close()
            with suppress(OSError):
                self._path.unlink()


def begun(folder: Path, job_id: int) -> BinaryIO | None:
    """What a job has coded so far, to :func:`follow`; ``None`` if it has nothing to show."""
    try:
        return (folder / str(job_id)).open("rb")
    except OSError:
        return None


async def follow(file: BinaryIO, at_work: Callable[[], bool]) -> AsyncIterator[bytes]:
    """All whole parts of ``file`` and those that come, to the end of a GIF, while the job is ``at_work``."""
    with file:
        rest = b""
        while True:
            # Looked at before reading, so that what was written last is not missed.
            over = os.fstat(file.fileno()).st_nlink == 0 or not at_work()
            data = file.read(_BLOCK)
            rest += data
            whole, used = _whole(rest)
            rest = rest[used:]
            if whole:
                yield whole
            if data:
                continue
            if over:
                break
            await asyncio.sleep(PAUSE)
    yield TRAILER


def _whole(records: bytes) -> tuple[bytes, int]:
    """The parts that are whole, joined, and how many bytes they take with their lengths."""
    parts, at = [], 0
    while at + 4 <= len(records):
        stop = at + 4 + _LENGTH.unpack_from(records, at)[0]
        if stop > len(records):
            break
        parts.append(records[at + 4 : stop])
        at = stop
    return b"".join(parts), at
