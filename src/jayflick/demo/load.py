"""Drawing the demo's files side by side, for whoever wants to keep them."""

import multiprocessing
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor

from . import DEMO, DemoProject


def _made(which: int, index: int) -> bytes:
    return DEMO[which].files[index][1]()


def drawn_demo(workers: int = 2) -> Iterator[tuple[DemoProject, list[bytes]]]:
    """Each demo project with the bytes of its files, made in ``workers`` processes."""
    context = multiprocessing.get_context("spawn")
    with ProcessPoolExecutor(workers, mp_context=context) as pool:
        for which, project in enumerate(DEMO):
            count = len(project.files)
            yield project, list(pool.map(_made, [which] * count, range(count), chunksize=4))
