"""What a stand-in will not do."""

from ..delivery.protocol import Problem


class Refusal(Exception):
    """Something is not taken; says why, and what would help."""

    def __init__(self, message: str, *, file: str | None = None, remedy: str = "", status: int = 422) -> None:
        super().__init__(message)
        self.problem = Problem(message=message, file=file, remedy=remedy)
        self.status = status


class CalledOff(Exception):
    """Somebody called it off while it was at work."""
