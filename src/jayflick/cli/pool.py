"""Sequences made side by side by processes of this machine, one that dies costing no other anything."""

import argparse
import os
import signal
from collections.abc import Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from contextlib import ExitStack, suppress
from multiprocessing import get_context
from pathlib import Path
from typing import Any

from ..core.compiled import load_loops
from ..core.errors import InputError, JayFlickError
from ..core.heap import keep_freed_memory
from ..parent import die_with_parent
from .each import NOTES, Known, Result, failed, known_from, made_of, of_task, unpacked
from .many import Task
from .writing import scratch_folder

_DIED = "the process that made it died, each time"


def here(options: argparse.Namespace, tasks: Sequence[Task], known: dict[str, Known]) -> Iterator[list[Result]]:
    """What becomes of each task, as it is done. One whose process dies is tried again, alone."""
    waiting = sorted(tasks, key=lambda task: (-task.size, task.name))  # the longest first: none is left over
    jobs = min(options.jobs, len(tasks))
    alone: list[Task] = []
    while waiting or alone:
        many = bool(waiting)
        turn = waiting if many else alone[:1]
        if not many:  # what it had noted may have taken its place before it died
            known = {**known, **of_task(alone[0], known_from(Path(options.output) / NOTES))}
        with _Pool(jobs if many else 1) as pool:
            for task, found in pool.done(turn, options, known):
                if found is not None:
                    yield found
                elif many:
                    alone.append(task)
                else:
                    yield [failed(task.name, InputError(_DIED, remedy="use fewer or smaller frames"))]
        if not many:
            del alone[0]


class _Pool:
    """A few processes, forked from this one with all that it has loaded."""

    def __init__(self, jobs: int) -> None:
        self._jobs = jobs
        load_loops()
        forked = get_context("fork")
        begun = forked.Value("i", 0)
        self._executor = ProcessPoolExecutor(
            jobs, mp_context=forked, initializer=_begin, initargs=(os.getpid(), jobs, begun)
        )

    def __enter__(self) -> "_Pool":
        return self

    def __exit__(self, kind: type[BaseException] | None, *more: object) -> None:
        if kind is not None:
            for process in list((self._executor._processes or {}).values()):
                with suppress(ProcessLookupError):
                    os.kill(process.pid or 0, signal.SIGTERM)
        self._executor.shutdown(wait=True, cancel_futures=True)

    def done(
        self, waiting: list[Task], options: argparse.Namespace, known: dict[str, Known]
    ) -> Iterator[tuple[Task, list[Result] | None]]:
        """Tasks with what became of them, ``None`` where their process died; those are taken off the list.

        Ends once all are done, or a process has died.
        """
        at_work: dict[Future[list[Result]], Task] = {}
        broken = False
        while at_work or (waiting and not broken):
            while waiting and len(at_work) < self._jobs and not broken:
                task = waiting[0]
                try:
                    future = self._executor.submit(one, options, task, of_task(task, known))
                except BrokenProcessPool:
                    broken = True
                    break
                at_work[future] = waiting.pop(0)
            ended, _ = wait(at_work, return_when=FIRST_COMPLETED)
            for future in ended:
                task = at_work.pop(future)
                error = future.exception()
                broken = broken or isinstance(error, BrokenProcessPool)
                if error is None:
                    yield task, future.result()
                elif isinstance(error, BrokenProcessPool):
                    yield task, None
                else:
                    raise error


_at_work = False


def _begin(parent: int, jobs: int, begun: Any) -> None:
    """First thing in a process of the pool. Each has its share of the processors: threads that hand small
    frames over from one to another take longer than they save. ``begun``: how many processes are there."""
    with begun.get_lock():
        share = sorted(os.sched_getaffinity(0))[begun.value :: jobs]
        begun.value += 1
    if share:
        os.sched_setaffinity(0, share)
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C reaches all of the terminal's processes
    signal.signal(signal.SIGTERM, _end)
    keep_freed_memory()
    die_with_parent(parent)


def _end(number: int, frame: object) -> None:
    """What is under way is unwound first: nothing is left half-written."""
    signal.signal(signal.SIGTERM, signal.SIG_IGN)
    if _at_work:
        raise KeyboardInterrupt
    os._exit(1)


def one(options: argparse.Namespace, task: Task, known: dict[str, Known]) -> list[Result]:
    """Make a task's files; what cannot be made of it is told, not raised."""
    global _at_work
    try:
        _at_work = True
        if not task.archive:
            return [made_of(options, task, known.get(task.name))]
        with ExitStack() as open_:
            try:
                inside, lost = unpacked(options, task, open_.enter_context(scratch_folder()))
            except (JayFlickError, OSError) as error:
                return [failed(task.name, error)]
            return [*lost, *(made_of(options, one, known.get(one.name)) for one in inside)]
    except MemoryError:
        return [failed(task.name, InputError("there is too little memory", remedy="use fewer --jobs"))]
    except KeyboardInterrupt:
        os._exit(1)
    finally:
        _at_work = False
