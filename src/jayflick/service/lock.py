"""One server to a data folder: a lock that goes with its process, however that ends."""

import fcntl
import os
from dataclasses import dataclass
from pathlib import Path

from ..core.errors import JayFlickError


@dataclass(frozen=True)
class Lock:
    """Held while the process lives; says to others where the server is."""

    handle: int

    @classmethod
    def take(cls, data: Path) -> "Lock":
        """Lock a data folder; ``JayFlickError`` says where the server runs that has it."""
        handle = os.open(data / "server.lock", os.O_RDWR | os.O_CREAT, 0o600)
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as taken:
            where = os.read(handle, 200).decode(errors="replace").strip()
            os.close(handle)
            at = f"at {where}" if where else "and still starting"
            raise JayFlickError(
                f"already running {at} with this data folder",
                remedy="use that one, or another folder with --data",
            ) from taken
        os.ftruncate(handle, 0)
        return cls(handle)

    def tell(self, address: str) -> None:
        """Say where the server is."""
        os.pwrite(self.handle, address.encode(), 0)
