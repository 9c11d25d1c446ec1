"""Frames of a sequence, and work on them in threads that run side by side."""

from collections.abc import Callable
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from typing import Any, Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray

T = TypeVar("T")
SMALL = 100_000
"""Pixels of a frame below which all is done in one thread."""
THREADS = 2
"""Frames counted or coded side by side. The result does not depend on it."""


class Frames(Protocol):
    """Frames fetched one at a time, so that a long sequence never stands in memory whole."""

    def __len__(self) -> int: ...

    def __getitem__(self, index: int, /) -> NDArray[np.uint8]:
        """Frame ``index``, shape (height, width, 4), straight alpha of 0 or 255."""
        ...


class _Done(Future[T]):
    """A future that is over before anybody has it: without the locks, which cost more than small frames do."""

    def __init__(self, value: T) -> None:
        self._value = value

    def result(self, timeout: float | None = None) -> T:
        return self._value

    def cancel(self) -> bool:
        return False


class _Inline(Executor):
    """Runs what it is given at once."""

    def submit(self, function: Callable[..., T], /, *args: Any, **options: Any) -> Future[T]:
        return _Done(function(*args, **options))


def threads_for(frames: Frames) -> int:
    """How many threads share the work: handing small frames over costs more than it gains."""
    height, width = frames[0].shape[:2]
    return 1 if height * width < SMALL else THREADS


def executor(frames: Frames, threads: int) -> Executor:
    return _Inline() if threads_for(frames) == 1 else ThreadPoolExecutor(threads)
