"""Drawing the demo's files side by side, for whoever wants to keep them."""

from collections.abc import Callable, Generator, Sequence
from concurrent.futures import Executor

from . import DemoProject


def _made(draw: Callable[[], bytes]) -> bytes:
    return draw()


def drawn(projects: Sequence[DemoProject], pool: Executor) -> Generator[tuple[DemoProject, list[bytes]]]:
    """Each demo project with the bytes of its files, made by ``pool``, which is shut down afterwards."""
    try:
        for project in projects:
            yield project, list(pool.map(_made, [draw for _, draw in project.files], chunksize=4))
    finally:
        pool.shutdown(wait=False, cancel_futures=True)
