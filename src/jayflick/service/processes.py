"""How processes of this server begin: named, deaf to Ctrl-C, and never there for longer than it is."""

import os
import signal
from multiprocessing import forkserver
from typing import Any

from setproctitle import setproctitle

from ..parent import die_with_parent

_forker = 0


def forks_from_here() -> None:
    """Note that what is forked from now on is a child of this process, which may be gone before that asks."""
    global _forker
    _forker = os.getpid()


def forked_as(name: str, parent: int | None = None) -> None:
    """First thing in a process that was forked: ``name`` it for lists, and have it end with its ``parent``.

    That is the one that called :func:`forks_from_here`, if no other is named.
    """
    one: Any = forkserver._forkserver
    if one._forkserver_alive_fd is not None:
        # Its other end tells the fork server that somebody may still want a process: not those it forked, which
        # wait for its own end.
        os.close(one._forkserver_alive_fd)
        one._forkserver_alive_fd = None
    setproctitle(f"jayflick {name}")
    for number in (signal.SIGTERM, signal.SIGCHLD):
        signal.signal(number, signal.SIG_DFL)
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C reaches all of the terminal's processes
    die_with_parent(_forker if parent is None else parent)
