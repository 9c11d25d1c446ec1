"""What failed on a full disk: it is tried again once there is room."""

import errno
import shutil
import time
from pathlib import Path

from sqlalchemy.exc import DBAPIError

from .database import error_code

MORE = 32 << 20
"""Bytes by which there must be more room than when it failed."""
_EVERY = 2.0
"""Seconds between two looks at the disk, while something waits for room."""
_DATABASE_FULL = {1021, 1026, 1114}
"""ER_DISK_FULL, ER_ERROR_ON_WRITE, ER_RECORD_FILE_FULL."""


def is_full(error: Exception) -> bool:
    """Whether an error says that the disk is full, ours or the database's."""
    if isinstance(error, DBAPIError):
        return error_code(error) in _DATABASE_FULL or "No space left on device" in str(error.orig)
    return isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT)


class Starved:
    """Jobs that failed on a full disk, each with how much room there was then."""

    def __init__(self, folder: Path) -> None:
        """``folder``: one on the disk in question."""
        self._folder = folder
        self._free: dict[int, int] = {}
        self._due = 0.0

    def note(self, job_id: int, *, earlier: bool = False) -> None:
        """A job failed just now, or in an ``earlier`` run, when nobody knows how much room there was."""
        self._free[job_id] = 0 if earlier else self._room()

    def ready(self) -> list[int]:
        """Those for which there is more room by now; they are not kept any longer."""
        if not self._free or time.monotonic() < self._due:
            return []
        self._due = time.monotonic() + _EVERY
        room = self._room()
        ready = [job_id for job_id, free in self._free.items() if room >= free + MORE]
        for job_id in ready:
            del self._free[job_id]
        return ready

    def _room(self) -> int:
        return shutil.disk_usage(self._folder).free
