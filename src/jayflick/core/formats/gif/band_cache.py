"""How frames that are shown again looked the first time."""

import os
import tempfile
import zlib
from collections import Counter
from collections.abc import Sequence
from threading import Lock

import numpy as np

from ...dither.quantise import Band


class BandCache:
    """Bands of frames that are shown again later, kept in a file: there may be many."""

    def __init__(self, firsts: Sequence[int]) -> None:
        """``firsts``: for each frame the index of the first that is equal to it."""
        times = Counter(firsts)
        self._wanted = {first for first, shown in times.items() if shown > 1}
        self._file = tempfile.TemporaryFile() if self._wanted else None  # noqa: SIM115
        self._lock = Lock()
        self._places: dict[tuple[int, int], tuple[int, int, int]] = {}

    def keep(self, frame: int, rows: slice, band: Band) -> None:
        """Note how a band is shown, if its frame comes again."""
        if self._file is None or frame not in self._wanted:
            return
        shown = zlib.compress(band.shown.tobytes(), 1)
        written = zlib.compress(band.written.tobytes(), 1) if band.written is not None else b""
        with self._lock:
            at = self._file.seek(0, os.SEEK_END)
            self._file.write(shown + written)
            self._places[frame, rows.start] = at, len(shown), len(written)

    def band(self, frame: int, rows: slice, width: int) -> Band:
        """A band as it was kept."""
        at, shown, written = self._places[frame, rows.start]
        if self._file is None:
            raise KeyError(frame)
        with self._lock:
            self._file.seek(at)
            data = self._file.read(shown + written)
        sources = zlib.decompress(data[shown:]) if written else None
        return Band(
            np.frombuffer(zlib.decompress(data[:shown]), np.uint8).reshape(-1, width),
            np.frombuffer(sources, np.uint32).reshape(-1, width) if sources is not None else None,
        )

    def close(self) -> None:
        if self._file is not None:
            self._file.close()
