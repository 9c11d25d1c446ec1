"""Files written for whoever may read here."""

import os
from pathlib import Path

from ..core.atomic import atomic_write


def write_file(path: Path, data: bytes) -> None:
    """Write a file whole or not at all, as readable as files are here."""
    atomic_write(path, data)
    mask = os.umask(0)  # the only way to ask for it
    os.umask(mask)
    path.chmod(0o666 & ~mask)
