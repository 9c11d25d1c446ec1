"""A Dask scheduler as this program uses it: asked whether it is there, its workers whether they are alike.

Dask's own configuration holds for it, with its security settings for ``tls://``.
"""

import logging
import socket
from collections.abc import Callable
from contextlib import suppress
from typing import Any, Self, TypeVar

from ..errors import InputError, JayFlickError
from .shared import missing_packages
from .worker import Beside, OtherProgramError, other_program, program

PATIENCE = 10.0
"""Seconds that a scheduler may take to answer, and to have a worker."""
OrderT = TypeVar("OrderT")


class LostError(Exception):
    """The scheduler does not answer, or no longer."""


class Scheduler:
    """A connection to one. Leaves no thread behind once it is closed: processes may be forked then."""

    def __init__(self, address: str) -> None:
        """Raises ``InputError`` where the packages for it are missing."""
        try:
            import distributed
        except ImportError:
            raise missing_packages() from None
        for part in ("distributed", "distributed.client", "distributed.core", "distributed.comm"):
            logging.getLogger(part).setLevel(logging.CRITICAL)  # what matters is said in our words
        self.address = address
        self.beside: Beside = {}
        self._dask: Any = distributed
        self._client: Any = None
        self._loop: Any = None
        self._futures: set[Any] = set()

    def __enter__(self) -> Self:
        """Raises ``LostError`` when nobody answers or there is no worker, ``InputError`` for other programs."""
        try:
            # Asked first whether anything listens at all: the client would wait for it to come.
            where = self._dask.comm.get_address_host_port(self.address)
            socket.create_connection(where, PATIENCE).close()
            # Its settings, for TLS among others, are Dask's own.
            self._loop = self._dask.utils.LoopRunner()
            self._loop.start()
            how = {"timeout": PATIENCE, "set_as_default": False, "loop": self._loop.loop}
            self._client = self._dask.Client(self.address, **how)
        except Exception as error:
            self.close()
            raise LostError(f"no scheduler answers at {self.address} ({_first_line(error)})") from None
        try:
            self._client.wait_for_workers(1, timeout=PATIENCE)
            self.look_at_workers()
        except TimeoutError:
            self.close()
            raise LostError(f"the scheduler at {self.address} has no workers") from None
        except BaseException:
            self.close()
            raise
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        with suppress(Exception):
            if self._client is not None:
                self._client.close(timeout=PATIENCE)
        with suppress(Exception):
            if self._loop is not None:
                self._loop.stop(timeout=PATIENCE)

    @property
    def threads(self) -> int:
        """How many tasks its workers carry out side by side."""
        try:
            return sum(self._client.nthreads().values())
        except Exception:
            raise self.lost() from None

    def look_at_workers(self) -> None:
        """Refuse workers that would give other bytes; note which share a machine."""
        try:
            found: dict[str, str] = self._client.run(program)
        except Exception as error:
            raise OtherProgramError(
                f"a worker of {self.address} does not have this program: {_first_line(error)}",
                remedy="install the same version with its workers",
            ) from None
        for worker, other in found.items():
            if other != program():
                raise other_program(worker, other, program())
        by_host: dict[str, list[str]] = {}
        for worker in sorted(found):
            by_host.setdefault(self._dask.comm.get_address_host(worker), []).append(worker)
        self.beside = {
            worker: (number, len(workers))
            for workers in by_host.values()
            for number, worker in enumerate(workers)
        }

    def submit(self, work: Callable[[OrderT], object], order: OrderT) -> Any:
        """Hand an order to a worker; a future for :meth:`result`."""
        try:
            future = self._client.submit(work, order, pure=False, retries=0)
        except Exception:
            raise self.lost() from None
        self._futures.add(future)
        return future

    def result(self, future: Any) -> Any:
        """What a worker gave back. Raises what it raised, ``JayFlickError`` for what befell it."""
        try:
            return future.result()
        except JayFlickError:
            raise
        except self._dask.scheduler.KilledWorker:
            raise InputError(
                "the worker that made it died, each time", remedy="use fewer or smaller frames"
            ) from None
        except Exception as error:
            if self._client.status == "running" and future.status == "error":
                raise JayFlickError(f"a worker failed: {_first_line(error)}") from None
            raise self.lost() from None
        finally:
            self._futures.discard(future)

    def cancel(self, *futures: Any) -> None:
        """Call off these tasks, or all; one that has begun ends when it looks whether it is wanted."""
        with suppress(Exception):
            self._client.cancel(list(futures or self._futures), force=True)
        self._futures -= set(futures or self._futures)

    def follow(self, topic: str, heard: Callable[[Any], None]) -> None:
        """Be told what a task logs as an event, in a thread of the client's."""
        with suppress(Exception):
            self._client.subscribe_topic(topic, lambda event: heard(event[1]))

    def unfollow(self, topic: str) -> None:
        with suppress(Exception):
            self._client.unsubscribe_topic(topic)

    def lost(self) -> LostError:
        return LostError(f"the scheduler at {self.address} is gone")


def _first_line(error: BaseException) -> str:
    return next(iter(str(error).splitlines()), "") or type(error).__name__
