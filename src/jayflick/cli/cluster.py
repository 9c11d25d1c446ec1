"""``batch`` by the workers of a Dask scheduler: sequences are tasks, frames and files go by a shared place."""

import argparse
import sys
from collections.abc import Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from pathlib import Path
from threading import Semaphore
from typing import Any

from ..core.cluster.scheduler import LostError, Scheduler
from ..core.cluster.shared import Shared, absolute, new_run
from ..core.cluster.worker import other_program, program
from ..core.content import read_file
from ..core.errors import InputError, JayFlickError
from .each import NOTES, Known, Result, failed, kept_of, key_of, known_from, of_task, put_here, unpacked
from .many import Task
from .pool import here, one
from .remote import Answer, File, Order, make_one
from .writing import scratch_folder

_AHEAD = 2
"""Tasks that are handed to a worker at once: one is made, another waits there for its turn."""
_MOST_AHEAD = 512
"""Tasks that are under way at once, at most."""
_HANDS = 4
"""Sequences whose frames, or files, are in this process's memory at once."""
_HERE = {"input", "output", "report", "json", "spared", "command", "scheduler", "share", "jobs", "recipe"}
"""Options that say nothing to a worker, or go there in another way."""


def elsewhere(
    options: argparse.Namespace, tasks: Sequence[Task], known: dict[str, Known]
) -> Iterator[list[Result]]:
    """What becomes of each task, as it is done. What the cluster does not do, local workers do."""
    left = {task.name: task for task in tasks}
    cluster = _Cluster(options)
    try:
        with cluster:
            for task, found in cluster.done(tasks, known):
                del left[task.name]
                yield found
    except LostError as error:
        print(f"jayflick: note: {error}; local workers go on", file=sys.stderr, flush=True)
        noted = known_from(Path(options.output) / NOTES)
        for task in cluster.lost:  # what is in its place already is known to be ours
            known = {**known, **of_task(task, noted)}
    if left:
        yield from here(options, list(left.values()), known)


class _Cluster:
    """A scheduler, its workers, and the place that all reach."""

    def __init__(self, options: argparse.Namespace) -> None:
        self._options = options
        self.lost: list[Task] = []
        """Those that were under way when the scheduler went: something of them may have been made."""
        self._scheduler = Scheduler(options.scheduler)
        self._hands = Semaphore(_HANDS)
        self._shared = Shared(absolute(options.share), new_run())
        self._texts = {
            name: read_file(Path(text))
            for name in ("recipe", "target")
            if (text := getattr(options, name)) and text.endswith(".json")
        }

    def __enter__(self) -> "_Cluster":
        self._scheduler.__enter__()
        try:
            self._shared.begin()
        except BaseException:
            self._scheduler.close()
            raise
        self._shared.clear_old()
        return self

    def __exit__(self, kind: type[BaseException] | None, *more: object) -> None:
        if kind is not None:
            self._shared.cancel()  # what is at work ends by itself
        self._scheduler.close()
        if kind is None or kind is LostError:
            self._shared.end()

    def done(self, tasks: Sequence[Task], known: dict[str, Known]) -> Iterator[tuple[Task, list[Result]]]:
        """Tasks with what became of them. Once the scheduler is gone, what is done yet, then ``LostError``."""
        threads = self._scheduler.threads
        waiting = sorted(tasks, key=lambda task: (-task.size, task.name))
        at_work: dict[Future[list[Result]], Task] = {}
        lost: LostError | None = None
        with ThreadPoolExecutor(min(_AHEAD * max(1, threads), _MOST_AHEAD)) as lanes:
            try:
                while at_work or (waiting and lost is None):
                    while waiting and lost is None and len(at_work) < lanes._max_workers:
                        task = waiting.pop(0)
                        at_work[lanes.submit(self._made, task, known)] = task
                    for ended in wait(at_work, return_when=FIRST_COMPLETED).done:
                        task = at_work.pop(ended)
                        try:
                            found = ended.result()
                        except LostError as error:
                            lost = error
                            self.lost.append(task)
                        else:
                            yield task, found
            except BaseException:
                self._shared.cancel()  # what is at work ends by itself, and nobody waits for it
                self._scheduler.cancel()
                lanes.shutdown(wait=False, cancel_futures=True)
                raise
        if lost is not None:
            raise lost

    def _made(self, task: Task, known: dict[str, Known]) -> list[Result]:
        """What became of a task, from its frames here to its files here."""
        if task.archive:
            return self._inside(task, known)
        before = of_task(task, known).get(task.name)
        found = self._begun(task, before)
        return [found if isinstance(found, dict) else self._ended(found, task, before)]

    def _inside(self, task: Task, known: dict[str, Known]) -> list[Result]:
        """What became of the sequences in an archive, which is unpacked here."""
        with scratch_folder() as scratch:
            try:
                found, results = unpacked(self._options, task, scratch)
            except (JayFlickError, OSError) as error:
                return [failed(task.name, error)]
            if any(each.archive for each in found):  # a project: its recipe and frames belong together
                return one(self._options, task, of_task(task, known))
            begun = [(each, self._begun(each, known.get(each.name))) for each in found]
            for each, future in begun:
                is_over = isinstance(future, dict)
                results.append(future if is_over else self._ended(future, each, known.get(each.name)))
        return results

    def _begun(self, task: Task, before: Known | None) -> Any:
        """A task under way as a future; or its result, if there is nothing to do or nothing can be done."""
        try:
            key = key_of(self._options, task.files)
            if (kept := kept_of(self._options, key, before)) is not None:
                return kept
            root = Path(*_shared_parents(task.files))
            names = [file.relative_to(root).as_posix() for file in task.files]
            written = [file.stat().st_mtime_ns for file in task.files]
            with self._hands:
                hashes = self._shared.put(read_file(file) for file in task.files)
        except (JayFlickError, OSError) as error:
            return failed(task.name, error)
        order = Order(
            program=program(),
            share=self._shared.url,
            run=self._shared.run,
            sequence=task.name,
            size=task.size,
            files=tuple(map(File, names, hashes, written)),
            options={
                **{name: value for name, value in vars(self._options).items() if name not in _HERE},
                "force": True,
                "resume": False,
                "recipe": None,
            },
            texts=self._texts,
            key=key,
            beside=self._scheduler.beside,
        )
        return self._scheduler.submit(make_one, order)

    def _ended(self, future: Any, task: Task, before: Known | None) -> Result:
        """What became of a task, its files in their places here."""
        try:
            answer: Answer = self._scheduler.result(future)
        except JayFlickError as error:
            return failed(task.name, error)
        if answer.other_program:
            raise other_program("that came later", answer.other_program, program())
        if answer.error is not None:
            message, file, remedy = answer.error
            return failed(task.name, InputError(message, file=file, remedy=remedy))
        assert answer.result is not None
        try:
            with self._hands:
                called = [
                    (name, list(zip(paths, self._shared.get(hashes), strict=True)))
                    for name, files in answer.called
                    for paths, hashes in [tuple(zip(*files, strict=True))]
                ]
                return put_here(self._options, task, answer.result, called, before)
        except (JayFlickError, OSError) as error:
            return failed(task.name, error)


def _shared_parents(files: Sequence[Path]) -> tuple[str, ...]:
    """The folders that all files lie in."""
    parents = [file.parent.parts for file in files]
    shared = []
    for parts in zip(*parents, strict=False):
        if len(set(parts)) > 1:
            break
        shared.append(parts[0])
    return tuple(shared)
