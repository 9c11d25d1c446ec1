"""What a file holds: in memory if it is small, or where it lies, to be read as it is needed."""

from io import BytesIO
from pathlib import Path
from typing import BinaryIO

Content = bytes | Path

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
