"""Zip archives written bit by bit, without compression: pictures hardly get smaller."""

import zipfile
from collections.abc import Callable, Iterable, Iterator
from io import RawIOBase
from typing import Any

_BEGINNING = (1980, 1, 1, 0, 0, 0)  # the earliest time a zip can hold: the same files give the same bytes


class _Sink(RawIOBase):
    """What was written since it was last emptied."""

    def __init__(self) -> None:
        self._parts: list[bytes] = []

    def writable(self) -> bool:
        return True

    def write(self, data: Any, /) -> int:
        self._parts.append(bytes(data))
        return len(data)

    def take(self) -> bytes:
        taken = b"".join(self._parts)
        self._parts.clear()
        return taken


def zipped(files: Iterable[tuple[str, Callable[[], bytes]]]) -> Iterator[bytes]:
    """An archive of files, each given by its name and what reads it; never more than one is in memory."""
    sink = _Sink()
    with zipfile.ZipFile(sink, "w", zipfile.ZIP_STORED) as archive:
        for name, read in files:
            archive.writestr(zipfile.ZipInfo(name, _BEGINNING), read())
            yield sink.take()
    yield sink.take()
