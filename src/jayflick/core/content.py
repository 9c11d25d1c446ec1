"""What a file holds: in memory if it is small, or where it lies, to be read as it is needed."""

from io import BytesIO
from pathlib import Path
from typing import BinaryIO

from .errors import InputError

Content = bytes | Path

MAX_BYTES = 256 * 1024 * 1024
"""The most bytes one picture file may have."""
HEAD = 512
"""Bytes by which the kind of an archive or a clip is told: a block of a tar."""


def opened(content: Content) -> BinaryIO:
    """A file of the content, at its beginning."""
    return BytesIO(content) if isinstance(content, bytes) else content.open("rb")


def head_of(content: Content) -> bytes:
    """The first ``HEAD`` bytes."""
    if isinstance(content, bytes):
        return content[:HEAD]
    with content.open("rb") as file:
        return file.read(HEAD)


def whole(content: Content) -> bytes:
    """All of it, in memory."""
    return content if isinstance(content, bytes) else content.read_bytes()


def read_file(path: Path) -> bytes:
    """A file's bytes; ``InputError`` names it when it is not there, not a file, not readable or too large."""
    try:
        if not path.is_file():
            what = "is not a file" if path.exists() else "there is no such file"
            raise InputError(what, file=path.name, remedy="check the name")
        if path.stat().st_size > MAX_BYTES:
            raise InputError(
                f"is larger than {MAX_BYTES // 1048576} MB", file=path.name, remedy="scale it down"
            )
        return path.read_bytes()
    except OSError as failed:
        raise InputError(
            f"cannot be read ({failed.strerror})", file=path.name, remedy="check the name and its permissions"
        ) from failed
