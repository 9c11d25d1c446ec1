"""How processes of this server begin: named, deaf to Ctrl-C, and never there for longer than it is."""

import ctypes
import os
import signal

from setproctitle import setproctitle

_PR_SET_PDEATHSIG = 1


def die_with_parent(parent: int) -> None:
    """Ask the kernel to end this process when its parent is gone, however the parent went.

    ``parent``: its process id. It may be gone already, in which case nothing would ever come.
    """
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)
    if os.getppid() != parent:
        os._exit(1)


def forked_as(name: str) -> None:
    """First thing in a process that was forked: ``name`` it for lists of processes, and end with its parent."""
    setproctitle(f"jayflick {name}")
    for number in (signal.SIGTERM, signal.SIGCHLD):
        signal.signal(number, signal.SIG_DFL)
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C reaches all of the terminal's processes
    die_with_parent(os.getppid())
