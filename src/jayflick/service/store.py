"""Picture files kept under the hash of their content: written once, never changed, never half there."""

import hashlib
from pathlib import Path

from ..core.atomic import atomic_write


class Store:
    """A folder of files named by SHA-256. A name that exists is whole and safe on disk."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)

    def path(self, sha256: str) -> Path:
        """Where the content with this hash is, or would be."""
        return self.folder / sha256[:2] / sha256

    def put(self, data: bytes) -> str:
        """Keep ``data``; returns its SHA-256 once it is on disk. ``OSError`` leaves nothing behind."""
        sha256 = hashlib.sha256(data).hexdigest()
        path = self.path(sha256)
        if path.exists():
            return sha256
        atomic_write(path, data)
        return sha256

    def read(self, sha256: str) -> bytes:
        return self.path(sha256).read_bytes()

    def sweep(self) -> None:
        """Remove what a killed process left half-written. Only safe while nothing else is writing."""
        for part in self.folder.glob("*/.part-*"):
            part.unlink(missing_ok=True)
