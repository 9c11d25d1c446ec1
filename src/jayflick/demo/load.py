"""Drawing the demo's files side by side, for whoever wants to keep them."""

from collections.abc import Callable, Generator, Sequence
from concurrent.futures import ProcessPoolExecutor
from multiprocessing.context import BaseContext

from . import DemoProject


def _made(draw: Callable[[], bytes]) -> bytes:
    return draw()


def drawn(
    projects: Sequence[DemoProject], context: BaseContext, workers: int = 2
) -> Generator[tuple[DemoProject, list[bytes]]]:
    """Each demo project with the bytes of its files, made in ``workers`` processes that ``context`` starts."""
    pool = ProcessPoolExecutor(workers, mp_context=context)
    try:
        for project in projects:
            yield project, list(pool.map(_made, [draw for _, draw in project.files], chunksize=4))
    finally:
        pool.shutdown(wait=False, cancel_futures=True)
