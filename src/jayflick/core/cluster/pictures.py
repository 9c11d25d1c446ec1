"""The pictures of an output, made by a worker of a cluster instead of here: afterwards rendering finds them."""

import secrets
import time
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..errors import JayFlickError
from ..formats.format import Coded
from ..framing.prepared import FrameFacts, SourceFrame
from ..heap import keep_freed_memory
from ..pictures.kinds import read_picture
from ..progress import OnProgress, Progress
from ..recipe import Recipe
from ..render import lacking, render
from ..stages import Stages
from .scheduler import Scheduler
from .shared import Shared
from .worker import Beside, Cache, other_program, program, share_of_processors, while_wanted

_WAIT = 0.05
"""Seconds between two looks whether it is done, or still wanted."""
_AT_ONCE = 16
"""Files of a set that are in memory together."""


class Order(NamedTuple):
    """Pictures that are to be made."""

    program: str
    share: str
    run: str
    """Where the frames lie there."""
    task: str
    """Where what is made goes there."""
    recipe: str
    """As JSON."""
    output_id: str
    key: str
    """Names what the coded pictures depend on; to a worker that calls it otherwise they would be others."""
    frames: tuple[FrameFacts, ...]
    reads: tuple[int, ...]
    """The frames that are in the shared place, positions from 1."""
    beside: Beside


@dataclass(frozen=True)
class _FetchedFrame(FrameFacts):
    """A frame as a worker has it."""

    cache: Cache

    def read(self) -> NDArray[np.uint8]:
        (data,) = self.cache.read([self.sha256])
        return read_picture(data, name=self.name)


def make_pictures(order: Order) -> bytes:
    """Make what was ordered, on a worker. What ``Coded.dump`` gives: its files lie in the shared place then.

    Raises what rendering does, and ``OtherProgramError``.
    """
    if order.program != program():
        raise other_program("that came later", program(), order.program)
    keep_freed_memory()
    cache, made = Cache(Shared(order.share, order.run)), Shared(order.share, order.task)
    recipe = Recipe.model_validate_json(order.recipe)
    with share_of_processors(order.beside):
        cache.fetch(order.frames[position - 1].sha256 for position in order.reads)
        frames = [_FetchedFrame(**vars(frame), cache=cache) for frame in order.frames]
        wanted = lacking(recipe, frames, order.output_id, cache.stages)
        if wanted is not None and wanted.key != order.key:
            raise JayFlickError("a worker would make other pictures than are wanted")
        watch = while_wanted(made, lambda progress: _tell(order.task, progress))
        coded = render(recipe, frames, order.output_id, cache.stages, on_progress=watch).coded
    sides = [(order.frames[position - 1].width, order.frames[position - 1].height) for position in order.reads]
    cache.note(sum(4 * width * height for width, height in sides))
    made.bring({file.sha256: cache.stages.store.path(file.sha256) for file in coded.files})
    return coded.dump()


def _tell(topic: str, progress: Progress) -> None:
    with suppress(ImportError, ValueError):  # it is no worker
        from distributed import get_worker

        get_worker().log_event(topic, (progress.stage, progress.done, progress.total))


def have_made(
    scheduler: Scheduler,
    share: str,
    run: str,
    recipe: Recipe,
    frames: Sequence[SourceFrame],
    output_id: str,
    stages: Stages,
    on_progress: OnProgress,
) -> None:
    """Have the pictures of an output made by a worker; ``stages`` has them then.

    The frames' files lie in its store. Raises ``LostError`` when the scheduler is gone, what rendering
    raises, ``JayFlickError`` for what befell the worker or the shared place, and what ``on_progress`` raises.
    """
    wanted = lacking(recipe, frames, output_id, stages)
    if wanted is None:
        return
    source, made = Shared(share, run), Shared(share, task := f"{run}/task-{secrets.token_hex(8)}")
    source.begin()
    source.bring({(sha256 := frames[at - 1].sha256): stages.store.path(sha256) for at in wanted.reads})
    made.begin()
    order = Order(
        program=program(),
        share=share,
        run=run,
        task=task,
        recipe=recipe.model_dump_json(),
        output_id=output_id,
        key=wanted.key,
        frames=tuple(
            FrameFacts(one.name, one.sha256, one.width, one.height, one.transparent, one.missing_after)
            for one in frames
        ),
        reads=tuple(sorted(wanted.reads)),
        beside=scheduler.beside,
    )
    heard = [Progress("framing", 0, len(wanted.reads))]
    future = scheduler.submit(make_pictures, order)
    try:
        scheduler.follow(task, lambda far: heard.append(Progress(*far)))
        while not future.done():
            on_progress(heard[-1])
            time.sleep(_WAIT)
        dumped: bytes = scheduler.result(future)
        _take(Coded.parse(dumped), made, stages)
    except BaseException:
        made.cancel()  # what is at work ends by itself
        scheduler.cancel(future)
        raise
    finally:
        scheduler.unfollow(task)
    stages.drop("pictures", wanted.key)
    stages.obtain("pictures", wanted.key, lambda: dumped)
    made.end()


def _take(coded: Coded, made: Shared, stages: Stages) -> None:
    hashes = [file.sha256 for file in coded.files]
    for at in range(0, len(hashes), _AT_ONCE):
        stages.store.put_all(made.get(hashes[at : at + _AT_ONCE]))
