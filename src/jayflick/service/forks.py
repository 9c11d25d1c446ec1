"""The process that workers, readers and stand-ins are forked from.

It has loaded what they need and has one thread, so that another of them takes some hundredths of a second
and shares its memory. It is itself forked from the server as soon as that has loaded its own parts: those are
loaded once.
"""

import multiprocessing
import os
import select
import signal
import socket
import tempfile
import threading
from contextlib import suppress
from importlib import import_module
from multiprocessing import forkserver, resource_tracker, util
from typing import Any

from .processes import forked_as, forks_from_here

_LOADED = "jayflick.service.forked"
CONTEXT = multiprocessing.get_context("forkserver")
"""Starts processes there. Where that process is gone, or never was, the library starts one, from nothing.

Starting one waits until all is loaded; ``OSError`` or ``EOFError`` when that process is killed meanwhile.
"""
CONTEXT.set_forkserver_preload([_LOADED])
stopping = threading.Event()
"""Set once the server ends: whoever was told that a process could not be started does not try again."""


class Forks:
    """That process, as a server begins it."""

    def __init__(self) -> None:
        """Fork it off this one, which must have one thread. Returns at once: it still loads its parts."""
        resource_tracker.ensure_running()
        alive, alive_here = os.pipe()
        self._loaded, loaded = os.pipe()
        with socket.socket(socket.AF_UNIX) as listener:
            # Whoever connects runs what it likes: the folder is this user's own; a name without a file is not.
            address = os.path.join(tempfile.mkdtemp(dir=util.get_temp_dir()), "forks")
            listener.bind(address)
            listener.listen()
            server = os.getpid()
            self._pid = os.fork()
            if self._pid == 0:
                try:
                    _serve(server, listener.fileno(), alive, loaded)
                finally:
                    os._exit(1)
        os.close(alive)
        os.close(loaded)
        # What ensure_running() of the library's one object would have noted.
        one: Any = forkserver._forkserver
        one._forkserver_address, one._forkserver_alive_fd, one._forkserver_pid = address, alive_here, self._pid

    def end_loading(self) -> None:
        """The server ends: whoever still waits for all to be loaded, waits no longer: ``EOFError``."""
        stopping.set()
        if not select.select([self._loaded], [], [], 0)[0]:
            with suppress(ProcessLookupError):
                os.kill(self._pid, signal.SIGKILL)


def _serve(server: int, listener: int, alive: int, loaded: int) -> None:
    """Fork processes until the server closes its end of the pipe, or ends."""
    forked_as("forks", server)
    forks_from_here()
    for name in os.listdir("/proc/self/fd"):  # the lock of the data folder, above all
        if int(name) > 2 and int(name) not in (listener, alive, loaded):
            with suppress(OSError):
                os.close(int(name))
    import_module(_LOADED)
    os.close(loaded)
    forkserver.main(listener, alive, [])
