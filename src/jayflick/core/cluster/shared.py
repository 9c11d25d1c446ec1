"""A place that several machines reach, a folder or ``s3://…``: files by their content, for one run."""

import hashlib
import re
import secrets
import time
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

from ..atomic import atomic_write
from ..errors import InputError, JayFlickError

_DAY = 24 * 3600
OLD = 7 * _DAY
"""Seconds after which what a run left behind, one that was killed, is cleared away by another."""
_AT_ONCE = 64
"""Files that are in memory together."""
_RUN = re.compile(r"jayflick-(\d{10,12})-[0-9a-f]{8}")
_CANCELLED = "cancelled"


class Shared:
    """The files of one run, in a folder of their own below an fsspec URL.

    Content is named by its SHA-256, and checked against it whenever it is read: what came to harm on its way is
    refused. All raise ``JayFlickError`` naming the place when that refuses.
    """

    def __init__(self, url: str, run: str) -> None:
        """``run``: what the run is called; see :func:`new_run`."""
        self.url, self.run = url, run
        self._fs, root = _file_system(url)
        self._folder = f"{root.rstrip('/')}/{run}"
        self._in_folder = "file" in self._fs.protocol
        self._there: set[str] = set()

    def begin(self) -> None:
        """Make the run's folder."""
        if self._in_folder:  # elsewhere folders are but names, and no bucket is made
            with _said(self.url):
                self._fs.makedirs(self._folder, exist_ok=True)

    def clear_old(self) -> None:
        """Clear away what other runs left long ago."""
        root = self._folder.rpartition("/")[0]
        with suppress(Exception):  # no run depends on it
            for path in self._fs.ls(root, detail=False):
                found = _RUN.fullmatch(path.rstrip("/").rpartition("/")[2])
                if found and time.time() - int(found[1]) > OLD:
                    self._fs.rm(path, recursive=True)

    def put(self, contents: Iterable[bytes]) -> list[str]:
        """Keep contents, those that are not there yet; their hashes."""
        named = [(hashlib.sha256(data).hexdigest(), data) for data in contents]
        missing = {self._path(sha256): data for sha256, data in named if sha256 not in self._there}
        with _said(self.url):
            if self._in_folder:  # where others may read a file while it is written, or write the same
                for path, data in missing.items():
                    atomic_write(Path(path), data, durable=False)
            elif missing:
                self._fs.pipe(missing)
        self._there |= {sha256 for sha256, _ in named}
        return [sha256 for sha256, _ in named]

    def bring(self, files: Mapping[str, Path]) -> None:
        """Put files by their hashes, those that are not there yet, whoever put them."""
        if not self._there:
            with suppress(Exception):  # nothing is there yet
                self._fs.invalidate_cache()
                found = self._fs.ls(self._folder, detail=False)
                self._there = {path.rstrip("/").rpartition("/")[2] for path in found}
        missing = [sha256 for sha256 in files if sha256 not in self._there]
        for at in range(0, len(missing), _AT_ONCE):
            self.put(files[sha256].read_bytes() for sha256 in missing[at : at + _AT_ONCE])

    def get(self, hashes: Sequence[str]) -> list[bytes]:
        """Contents by their hashes."""
        if not hashes:
            return []
        paths = {self._path(sha256): sha256 for sha256 in hashes}
        with _said(self.url):
            found: dict[str, bytes] = self._fs.cat(list(paths))
        for path, data in found.items():
            if hashlib.sha256(data).hexdigest() != paths[path]:
                raise JayFlickError(
                    f"what lies in {self.url} is not what was put there", remedy="look who else writes there"
                )
        return [found[self._path(sha256)] for sha256 in hashes]

    def cancel(self) -> None:
        """Let all that work for the run know that nothing of it is wanted any more."""
        with suppress(JayFlickError), _said(self.url):
            self._fs.pipe_file(self._path(_CANCELLED), b"")

    def is_cancelled(self) -> bool:
        """Whether that is so."""
        with _said(self.url):
            self._fs.invalidate_cache()
            return bool(self._fs.exists(self._path(_CANCELLED)))

    def end(self) -> None:
        """Take away all that the run has there."""
        with suppress(Exception):  # another run does, later
            self._fs.rm(self._folder, recursive=True)

    def _path(self, name: str) -> str:
        return f"{self._folder}/{name}"


def new_run() -> str:
    """A name for a run, which says when it began."""
    return f"jayflick-{int(time.time())}-{secrets.token_hex(4)}"


def run_of_today(whose: str) -> str:
    """A name for all that somebody, told by any text, has made within a day: what is put there is put once.

    No run is so long that it is cleared away before its end.
    """
    began = int(time.time()) // _DAY * _DAY
    return f"jayflick-{began}-{hashlib.sha256(whose.encode()).hexdigest()[:8]}"


def absolute(url: str) -> str:
    """A folder is the same wherever it is named from."""
    return url if "://" in url else str(Path(url).absolute())


def require_known(url: str) -> None:
    """Raise ``InputError`` for what is no place, without a look whether it is there: that takes a thread."""
    with _known(url):
        import fsspec

        fsspec.get_filesystem_class(fsspec.core.split_protocol(url)[0] or "file")


def _file_system(url: str) -> tuple[Any, str]:
    with _known(url):
        import fsspec

        fs, root = fsspec.url_to_fs(url)
    return fs, str(root)


@contextmanager
def _known(url: str) -> Iterator[None]:
    try:
        yield
    except ImportError as error:
        if error.name == "fsspec":
            raise missing_packages() from None
        raise InputError(f"{url} cannot be reached: {error}", remedy="install what it names") from None
    except ValueError as error:
        raise InputError(
            f"{url} is no place that is known: {error}", remedy="use a folder, or s3://…"
        ) from None
    except Exception as error:  # its libraries have errors of their own
        raise _refused(url, error) from error


def missing_packages() -> InputError:
    """More machines take packages that are not installed with the rest."""
    return InputError(
        "the packages for more machines are not installed",
        remedy="install them: pip install -r requirements/cluster.txt",
    )


class _said:  # noqa: N801 - used as a function
    """Says what a place refused: its libraries have errors of their own."""

    def __init__(self, url: str) -> None:
        self._url = url

    def __enter__(self) -> None:
        return None

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: object) -> None:
        if isinstance(error, Exception) and not isinstance(error, JayFlickError):
            raise _refused(self._url, error) from error


def _refused(url: str, error: Exception) -> JayFlickError:
    why = " ".join(str(getattr(error, "strerror", None) or error or type(error).__name__).split())
    return JayFlickError(f"{url} refused: {why}"[:400], remedy="make room, or allow reading and writing there")
