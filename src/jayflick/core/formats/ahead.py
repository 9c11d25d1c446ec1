"""Work that is done while what came before it is coded."""

from collections import deque
from collections.abc import Callable, Generator, Iterable
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeVar

A = TypeVar("A")
B = TypeVar("B")
AHEAD = 2
"""So much is made and waits: pictures are large."""


def ahead(make: Callable[[A], B], wanted: Iterable[A]) -> Generator[B, None, None]:
    """``make`` of each in turn, the next ones in another thread while one is used. What it raises is raised."""
    pool = ThreadPoolExecutor(1, thread_name_prefix="ahead")
    waiting: deque[Future[B]] = deque()
    try:
        for one in wanted:
            waiting.append(pool.submit(make, one))
            if len(waiting) > AHEAD:
                yield waiting.popleft().result()
        while waiting:
            yield waiting.popleft().result()
    finally:
        # Not waited for: what is no longer wanted may be collected in that very thread.
        pool.shutdown(wait=False, cancel_futures=True)
