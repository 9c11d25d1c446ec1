"""Drawing the demo's frames side by side, for whoever wants to keep them."""

import multiprocessing
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor

from . import DEMO, DemoProject


def _png(which: int, index: int) -> bytes:
    return DEMO[which].png(index)


def drawn_demo(workers: int = 2) -> Iterator[tuple[DemoProject, list[bytes]]]:
    """Each demo project with its frames as PNG files, drawn in ``workers`` processes."""
    context = multiprocessing.get_context("spawn")
    with ProcessPoolExecutor(workers, mp_context=context) as pool:
        for which, project in enumerate(DEMO):
            yield project, list(pool.map(_png, [which] * project.count, range(project.count), chunksize=4))
