"""What may be wrong with a request, and how it is said."""

import errno

from ..core.errors import InputError, JayFlickError


class NotFound(JayFlickError):
    """There is no such thing (any more)."""


class Conflict(JayFlickError):
    """Somebody else, or another window, was faster."""


class TooSlow(InputError):
    """A file takes longer to read than is allowed for at first; it may be read again with patience."""


class Unavailable(JayFlickError):
    """It is no fault of the request: the server has too much to do, or is on its way down."""


def problem_of(error: JayFlickError) -> dict[str, object]:
    """An error as the interface shows it."""
    kind = "slow" if isinstance(error, TooSlow) else "input" if isinstance(error, InputError) else "failed"
    return {"kind": kind, "message": error.message, "file": error.file, "remedy": error.remedy}


def fault(error: Exception) -> dict[str, object]:
    """What nobody expected, as a job that it ended tells it."""
    return {"kind": "fault", "message": f"an unexpected fault, {type(error).__name__}: {error}"}


def database_full() -> dict[str, object]:
    """The database's refusal on a full disk as the interface shows it."""
    return disk_problem(OSError(errno.ENOSPC, "No space left for the database"))


def disk_problem(error: OSError) -> dict[str, object]:
    """A file system's refusal as the interface shows it."""
    return {
        "kind": "disk",
        "message": f"the disk refused: {error.strerror or error}",
        "file": None,
        "remedy": "make room on the disk, then try again; nothing was lost",
    }
