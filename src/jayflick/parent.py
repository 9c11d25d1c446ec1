"""Processes that are never there for longer than the one that began them."""

import ctypes
import os
import signal

_PR_SET_PDEATHSIG = 1


def die_with_parent(parent: int) -> None:
    """Ask the kernel to end this process when its parent is gone, however the parent went (prctl(2)).

    ``parent``: its process id. It may be gone already, in which case nothing would ever come.
    """
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)
    if os.getppid() != parent:
        os._exit(1)
