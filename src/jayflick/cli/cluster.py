"""``batch`` by the workers of a Dask scheduler: sequences are tasks, frames and files go by a shared place.

Dask's own configuration holds for it, with its security settings for ``tls://``.
"""

import argparse
import logging
import socket
import sys
from collections.abc import Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from contextlib import ExitStack, suppress
from pathlib import Path
from threading import Semaphore
from typing import Any

from ..core.content import read_file
from ..core.errors import InputError, JayFlickError
from ..core.shared import Shared, missing_packages, new_run
from .each import NOTES, Known, Result, failed, kept_of, key_of, known_from, of_task, put_here, unpacked
from .many import Task
from .pool import here, one
from .remote import Answer, File, Order, make_one, program
from .writing import scratch_folder

PATIENCE = 10.0
"""Seconds that a scheduler may take to answer, and to have a worker."""
_AHEAD = 2
"""Tasks that are handed to a worker at once: one is made, another waits there for its turn."""
_MOST_AHEAD = 512
"""Tasks that are under way at once, at most."""
_HANDS = 4
"""Sequences whose frames, or files, are in this process's memory at once."""
_HERE = {"input", "output", "report", "json", "spared", "command", "scheduler", "share", "jobs", "recipe"}
"""Options that say nothing to a worker, or go there in another way."""


class _LostError(Exception):
    """The scheduler does not answer, or no longer. ``begun``: tasks of which something may have been made."""

    begun: Sequence[Task] = ()


def elsewhere(
    options: argparse.Namespace, tasks: Sequence[Task], known: dict[str, Known]
) -> Iterator[list[Result]]:
    """What becomes of each task, as it is done. What the cluster does not do, local workers do."""
    left = {task.name: task for task in tasks}
    with ExitStack() as open_:
        try:
            cluster = open_.enter_context(_Cluster(options))
            for task, found in cluster.done(tasks, known):
                del left[task.name]
                yield found
        except _LostError as error:
            print(f"jayflick: note: {error}; local workers go on", file=sys.stderr, flush=True)
            noted = known_from(Path(options.output) / NOTES)
            for task in error.begun:  # what is in its place already is known to be ours
                known = {**known, **of_task(task, noted)}
    if left:
        yield from here(options, list(left.values()), known)


class _Cluster:
    """A scheduler, its workers, and the place that all reach."""

    def __init__(self, options: argparse.Namespace) -> None:
        self._options = options
        try:
            import distributed
        except ImportError:
            raise missing_packages() from None
        for part in ("distributed", "distributed.client", "distributed.core", "distributed.comm"):
            logging.getLogger(part).setLevel(logging.CRITICAL)  # what matters is said in our words
        self._dask: Any = distributed
        self._client: Any = None
        self._loop: Any = None
        self._futures: set[Any] = set()
        self._hands = Semaphore(_HANDS)
        self._shared = Shared(_absolute(options.share), new_run())
        self._texts = {
            name: read_file(Path(text))
            for name in ("recipe", "target")
            if (text := getattr(options, name)) and text.endswith(".json")
        }

    def __enter__(self) -> "_Cluster":
        address = self._options.scheduler
        try:
            # Asked first whether anything listens at all: the client would wait for it to come.
            socket.create_connection(self._dask.comm.get_address_host_port(address), PATIENCE).close()
            # Its settings, for TLS among others, are Dask's own.
            self._loop = self._dask.utils.LoopRunner()
            self._loop.start()
            how = {"timeout": PATIENCE, "set_as_default": False, "loop": self._loop.loop}
            self._client = self._dask.Client(address, **how)
        except Exception as error:
            self._stop()
            raise _LostError(f"no scheduler answers at {address} ({_first_line(error)})") from None
        try:
            self._client.wait_for_workers(1, timeout=PATIENCE)
            self._need_alike()
            self._shared.begin()
        except TimeoutError:
            self._stop()
            raise _LostError(f"the scheduler at {address} has no workers") from None
        except BaseException:
            self._stop()
            raise
        return self

    def _stop(self) -> None:
        """Leave no thread behind: local workers are forked from this process."""
        with suppress(Exception):
            if self._client is not None:
                self._client.close(timeout=PATIENCE)
        with suppress(Exception):
            if self._loop is not None:
                self._loop.stop(timeout=PATIENCE)

    def __exit__(self, kind: type[BaseException] | None, *more: object) -> None:
        if kind is not None:
            self._shared.cancel()  # what is at work ends by itself
        self._stop()
        if kind is None or kind is _LostError:
            self._shared.end()

    def _need_alike(self) -> None:
        """Refuse workers that would give other bytes."""
        try:
            found: dict[str, str] = self._client.run(program)
        except Exception as error:
            raise InputError(
                f"a worker of {self._options.scheduler} does not have this program: {_first_line(error)}",
                remedy="install the same version with its workers",
            ) from None
        for worker, other in found.items():
            if other != program():
                raise _other(worker, other)
        by_host: dict[str, list[str]] = {}
        for worker in sorted(found):
            by_host.setdefault(self._dask.comm.get_address_host(worker), []).append(worker)
        self._beside = {
            worker: (number, len(workers))
            for workers in by_host.values()
            for number, worker in enumerate(workers)
        }

    def done(self, tasks: Sequence[Task], known: dict[str, Known]) -> Iterator[tuple[Task, list[Result]]]:
        """Tasks with what became of them. Once the scheduler is gone, what is done yet, then ``_LostError``."""
        threads = sum(self._client.nthreads().values())
        waiting = sorted(tasks, key=lambda task: (-task.size, task.name))
        at_work: dict[Future[list[Result]], Task] = {}
        begun: list[Task] = []
        lost: _LostError | None = None
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
                        except _LostError as error:
                            lost = error
                            begun.append(task)
                        else:
                            yield task, found
            except BaseException:
                self._shared.cancel()  # what is at work ends by itself, and nobody waits for it
                with suppress(Exception):
                    self._client.cancel(list(self._futures), force=True)
                lanes.shutdown(wait=False, cancel_futures=True)
                raise
        if lost is not None:
            lost.begun = begun
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
            beside=self._beside,
        )
        try:
            future = self._client.submit(make_one, order, pure=False, retries=0)
            self._futures.add(future)
            return future
        except Exception:
            raise _LostError(f"the scheduler at {self._options.scheduler} is gone") from None

    def _ended(self, future: Any, task: Task, before: Known | None) -> Result:
        """What became of a task, its files in their places here."""
        try:
            answer: Answer = future.result()
            self._futures.discard(future)
        except self._dask.scheduler.KilledWorker:
            died = InputError("the worker that made it died, each time", remedy="use fewer or smaller frames")
            return failed(task.name, died)
        except Exception as error:
            if self._client.status == "running" and future.status == "error":
                return failed(task.name, JayFlickError(f"a worker failed: {_first_line(error)}"))
            raise _LostError(f"the scheduler at {self._options.scheduler} is gone") from None
        if answer.other_program:
            raise _other("one that came later", answer.other_program)
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


def _other(worker: str, theirs: str) -> InputError:
    apart = sorted(set(theirs.split(", ")) ^ set(program().split(", ")))
    return InputError(
        f"worker {worker} runs another program: {', '.join(apart)}",
        remedy="install the same version with the same packages there",
    )


def _absolute(url: str) -> str:
    """A folder is the same wherever it is named from."""
    return url if "://" in url else str(Path(url).absolute())


def _shared_parents(files: Sequence[Path]) -> tuple[str, ...]:
    """The folders that all files lie in."""
    parents = [file.parent.parts for file in files]
    shared = []
    for parts in zip(*parents, strict=False):
        if len(set(parts)) > 1:
            break
        shared.append(parts[0])
    return tuple(shared)


def _first_line(error: BaseException) -> str:
    return next(iter(str(error).splitlines()), "") or type(error).__name__
