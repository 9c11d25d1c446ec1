"""The one way hot loops are compiled, so that each has the same promises.

A compiled function releases the interpreter lock (frames go through in side-by-side threads), is kept on
disk between runs, and never uses relaxed float arithmetic: the same input gives the same bytes everywhere.

Numba itself, which takes as long to load as all of the core, is loaded with the first call of any loop: whoever
only asks what frames are, or plans what is made of them, goes without.
"""

import sys
import threading
from collections.abc import Callable
from typing import Any, TypeVar, cast

F = TypeVar("F", bound=Callable[..., Any])

_PACKAGE = __name__.partition(".")[0]
_lock = threading.RLock()
_loaded = False


def compiled(function: F) -> F:
    """Compile ``function`` on first use, cached on disk, running without the interpreter lock."""
    return _later(function, boundscheck=False)


def inlined(function: F) -> F:
    """Like :func:`compiled`, for small helpers that should vanish into their callers."""
    return _later(function, inline="always")


def load_loops() -> None:
    """Load Numba and put all loops in their places, as the first call of any does.

    For a process that others are forked from: they have it all, and share it.
    """
    global _loaded
    with _lock:
        _loaded = True  # what is imported from now on has its loops at once
        # Loops call each other by the names of their modules, and Numba looks there for what it compiles.
        for name, module in list(sys.modules.items()):
            if name.partition(".")[0] == _PACKAGE:
                for bound, value in list(vars(module).items()):
                    if isinstance(value, _Later):
                        setattr(module, bound, value.loop)


def _later(function: F, **options: Any) -> F:
    later = _Later(function, options)
    return cast(F, later.loop if _loaded else later)


class _Later:
    """Stands where a loop is bound until any is called."""

    def __init__(self, function: Callable[..., Any], options: dict[str, Any]) -> None:
        self._function, self._options = function, options
        self._made: Callable[..., Any] | None = None

    def __call__(self, *arguments: Any) -> Any:
        if self._made is None:
            load_loops()
        return self.loop(*arguments)

    @property
    def loop(self) -> Callable[..., Any]:
        if self._made is None:
            from numba import njit

            self._made = njit(cache=True, nogil=True, **self._options)(self._function)
        return self._made
