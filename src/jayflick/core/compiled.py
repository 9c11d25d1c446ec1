"""The one way hot loops are compiled, so that each has the same promises.

A compiled function releases the interpreter lock (frames go through in side-by-side threads), is kept on
disk between runs, and never uses relaxed float arithmetic: the same input gives the same bytes everywhere.
"""

from collections.abc import Callable
from typing import Any, TypeVar, cast

from numba import njit

F = TypeVar("F", bound=Callable[..., Any])


def compiled(function: F) -> F:
    """Compile ``function`` on first use, cached on disk, running without the interpreter lock."""
    return cast(F, njit(cache=True, nogil=True, boundscheck=False)(function))


def inlined(function: F) -> F:
    """Like :func:`compiled`, for small helpers that should vanish into their callers."""
    return cast(F, njit(cache=True, nogil=True, inline="always")(function))
