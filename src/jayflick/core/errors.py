"""The two kinds of failure that a person can do something about."""


class JayFlickError(Exception):
    """Something a person asked for cannot be done; says what, about which file, and what will help.

    ``file`` is a name for people (never a full path of this machine), or ``None`` when no file is meant.
    """

    def __init__(self, message: str, *, file: str | None = None, remedy: str = "") -> None:
        super().__init__(message)
        self.message = message
        self.file = file
        self.remedy = remedy

    def __str__(self) -> str:
        parts = [self.message] if self.file is None else [f"{printable(self.file)}: {self.message}"]
        if self.remedy:
            parts.append(self.remedy)
        return "; ".join(parts)

    def __reduce__(self) -> tuple[object, ...]:
        # Errors travel from worker processes; the default would lose the keyword arguments.
        return (_rebuild, (type(self), self.message, self.file, self.remedy))


def _rebuild(kind: type[JayFlickError], message: str, file: str | None, remedy: str) -> JayFlickError:
    return kind(message, file=file, remedy=remedy)


class InputError(JayFlickError):
    """A file or an option is not usable as it is."""


class Unfinished(InputError):
    """A file is not complete yet, or was written to while it was read."""


class Cancelled(JayFlickError):
    """The work was called off before it was done; nothing was written."""


def printable(name: str) -> str:
    """A name as one safe line: control and direction-changing characters are shown as escapes."""
    return "".join(
        character if character.isprintable() else character.encode("unicode_escape").decode("ascii")
        for character in name
    )
