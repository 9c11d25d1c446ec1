"""Picture files kept under the hash of their content: written once, never changed, never half there."""

import fcntl
import hashlib
import os
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import BinaryIO

from .atomic import PART, atomic_write, atomic_write_all, moved_in

_FICLONE = 0x40049409
_BLOCK = 1 << 20


class Store:
    """A folder of files named by SHA-256. A name that exists is whole and safe on disk.

    A file is kept for as long as something refers to it, and for some time after it was put or kept: what
    refers to it is recorded a little later.
    """

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)

    def path(self, sha256: str) -> Path:
        """Where the content with this hash is, or would be."""
        return self.folder / sha256[:2] / sha256

    def put(self, data: bytes | BinaryIO) -> str:
        """Keep ``data``, bytes or a file; returns its SHA-256 once it is on disk. ``OSError`` leaves nothing
        behind."""
        if isinstance(data, bytes):
            sha256 = hashlib.sha256(data).hexdigest()
        else:
            data.seek(0)
            digest = hashlib.sha256()
            while block := data.read(_BLOCK):
                digest.update(block)
            sha256 = digest.hexdigest()
            data.seek(0)
        if not self.keep(sha256):
            atomic_write(self.path(sha256), data)
        return sha256

    def put_all(self, contents: Sequence[bytes]) -> list[str]:
        """Keep several small ones, as :meth:`put` does, in less time than one by one."""
        hashes = [hashlib.sha256(data).hexdigest() for data in contents]
        with self._locked(fcntl.LOCK_SH):
            missing = {
                self.path(sha256): data
                for sha256, data in zip(hashes, contents, strict=True)
                if not self._stays(sha256)
            }
        atomic_write_all(missing)
        return hashes

    def copy(self, file: BinaryIO, size: int) -> str:
        """Keep what a file holds that others may write to meanwhile; returns the SHA-256 of what is kept.

        ``size``: its bytes as they were told; of one that grows no more is copied, however fast that is.
        Where the file system can (``FICLONE``, ioctl_ficlone(2)) it shares the file's blocks. ``OSError``
        leaves nothing behind.
        """
        digest = hashlib.sha256()
        beside = self.folder / "00"  # where what a killed one left half-written is swept away
        beside.mkdir(exist_ok=True)
        handle, name = tempfile.mkstemp(dir=beside, prefix=PART)
        try:
            with os.fdopen(handle, "w+b") as kept:
                file.seek(0)
                try:
                    fcntl.ioctl(kept, _FICLONE, file.fileno())
                except OSError:
                    left = size
                    while block := file.read(min(_BLOCK, left)):
                        digest.update(block)
                        kept.write(block)
                        left -= len(block)
                else:
                    while block := kept.read(_BLOCK):
                        digest.update(block)
                sha256 = digest.hexdigest()
                if not self.keep(sha256):
                    kept.flush()
                    os.fsync(kept.fileno())
                    moved_in(Path(name), self.path(sha256))
                    return sha256
            os.unlink(name)
        except BaseException:
            Path(name).unlink(missing_ok=True)
            raise
        return sha256

    def keep(self, sha256: str) -> bool:
        """Whether the content is there; if so it stays until it can be referred to."""
        with self._locked(fcntl.LOCK_SH):
            return self._stays(sha256)

    def _stays(self, sha256: str) -> bool:
        try:
            os.utime(self.path(sha256))
        except FileNotFoundError:
            return False
        return True

    def discard(self, sha256: str, before: float) -> int:
        """Remove what was last put or kept ``before`` that time (in seconds since 1970); the bytes freed."""
        path = self.path(sha256)
        with self._locked(fcntl.LOCK_EX):
            try:
                status = path.stat()
            except FileNotFoundError:
                return 0
            if status.st_mtime >= before:
                return 0
            path.unlink()
        return status.st_size

    def read(self, sha256: str) -> bytes:
        return self.path(sha256).read_bytes()

    def hashes(self, prefix: str) -> list[str]:
        """What is kept whose hash begins with these two digits."""
        try:
            return [name for name in os.listdir(self.folder / prefix) if len(name) == 64]
        except FileNotFoundError:
            return []

    @contextmanager
    def _locked(self, how: int) -> Iterator[None]:
        """Between processes: no file is discarded while another makes sure that it stays."""
        handle = os.open(self.folder / ".lock", os.O_RDWR | os.O_CREAT, 0o600)
        try:
            fcntl.flock(handle, how)
            yield
        finally:
            os.close(handle)


def folder_bytes(folder: Path) -> int:
    """The bytes of the files in a folder's folders; what goes meanwhile counts as gone."""
    total = 0
    for part in os.scandir(folder):
        if part.is_dir():
            for file in os.scandir(part.path):
                with suppress(FileNotFoundError):
                    total += file.stat().st_size
    return total
