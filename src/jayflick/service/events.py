"""News for whoever listens: jobs moving, projects changing."""

import asyncio
import contextlib
import json
from collections.abc import AsyncIterator, Callable
from typing import Any

MOST_WAITING = 500


class Hub:
    """Hands every piece of news to every listener. May be told from any thread."""

    def __init__(self) -> None:
        self._listeners: set[asyncio.Queue[str | None]] = set()
        self._loop: asyncio.AbstractEventLoop | None = None
        self.hearers: list[Callable[[], None]] = []
        """Called at every piece of news, in the thread that tells it: none may take long."""

    def attach(self, loop: asyncio.AbstractEventLoop) -> None:
        self._loop = loop

    def tell(self, kind: str, **facts: Any) -> None:
        """Queue news for all listeners; without a running server it is dropped."""
        for hear in self.hearers:
            hear()
        loop = self._loop
        if loop is None or loop.is_closed():
            return
        text = json.dumps({"kind": kind, **facts}, default=str)
        with contextlib.suppress(RuntimeError):  # the loop closed in between
            loop.call_soon_threadsafe(self._spread, text)

    def _spread(self, text: str | None) -> None:
        for queue in list(self._listeners):
            try:
                queue.put_nowait(text)
            except asyncio.QueueFull:
                # A listener that has stalled this long starts afresh: it reloads when it reconnects.
                self._listeners.discard(queue)
                while not queue.empty():
                    queue.get_nowait()
                queue.put_nowait(None)

    def close(self) -> None:
        """End every listener's stream."""
        self._spread(None)

    async def listen(self) -> AsyncIterator[str]:
        queue: asyncio.Queue[str | None] = asyncio.Queue(MOST_WAITING)
        self._listeners.add(queue)
        try:
            while (text := await queue.get()) is not None:
                yield text
        finally:
            self._listeners.discard(queue)
