"""Archives of frames: their files, one after the other, and nothing that could do harm.

Sources: APPNOTE.TXT 6.3 (ZIP), POSIX.1-2017 pax (tar).
"""

import bz2
import gzip
import lzma
import tarfile
import zipfile
import zlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import PurePosixPath
from typing import BinaryIO

from ..content import Content, head_of, opened
from ..errors import InputError
from ..text import clean, safe_path

MAX_MEMBERS = 20_000
"""The most entries of an archive that are looked at."""
MAX_UNPACKED = 8 << 30
"""The most bytes that all files of an archive may have unpacked."""
_Read = Callable[[int], bytes]
_Entry = tuple[str, int, _Read, str | None, float | None]
"""A file's name, size, what reads it, why it is refused, and when it was written."""
_BROKEN = (
    zipfile.BadZipFile,
    tarfile.TarError,
    zlib.error,
    lzma.LZMAError,
    OSError,
    EOFError,
    RuntimeError,
    ValueError,
)
_ZIPPED = b"PK\3\4", b"PK\5\6"
_ENDINGS = (".tar", ".tar.gz", ".tgz", ".tar.bz2", ".tar.xz")


@dataclass(frozen=True)
class Member:
    """A file of an archive: its name with its folders, and its bytes or why there are none."""

    name: str
    data: bytes
    error: InputError | None = None
    written: float | None = None
    """When it was last written, in seconds since 1970, as the archive says."""


def is_archive(data: bytes, name: str) -> bool:
    """Whether a file whose first bytes these are is an archive that is opened: zip, or tar, also compressed."""
    if data.startswith(_ZIPPED):
        return True
    return data[257:262] == b"ustar" or name.lower().endswith(_ENDINGS)


def members(data: Content, name: str, most_file_bytes: int) -> Iterator[Member]:
    """The files of an archive in its order; folders and hidden files are passed over.

    A file with a name that leads elsewhere, a link, a device, one that is encrypted, too large or damaged comes
    with its error; the others come all the same. Raises ``InputError`` when the archive itself is unreadable,
    or holds more than is allowed: nothing is unpacked beyond the limits, whatever its directory promises.
    """
    zipped = head_of(data).startswith(_ZIPPED)
    if zipped and _counted(data, b"PK\1\2") > MAX_MEMBERS:  # before its directory is read into memory
        raise _too_many(name)
    files = _zip(data) if zipped else _tar(data)
    left = MAX_UNPACKED
    try:
        for number, (packed_as, size, read, refusal, written) in enumerate(files, 1):
            inside = clean(packed_as)
            if number > MAX_MEMBERS:
                raise _too_many(name)
            parts = PurePosixPath(inside.replace("\\", "/")).parts
            if parts and (parts[-1].startswith(".") or "__MACOSX" in parts):
                continue
            if refusal is None and (inside.startswith(("/", "\\")) or ".." in parts or ":" in inside[:3]):
                refusal = "its name points outside the archive"
            if refusal is None and size > most_file_bytes:
                refusal = f"is larger than {most_file_bytes // 1048576} MB"
            shown = safe_path(inside)
            if refusal is not None:
                yield Member(shown, b"", InputError(refusal, file=shown, remedy="import it on its own"))
                continue
            try:
                unpacked = read(min(most_file_bytes, left) + 1)
            except NotImplementedError:
                error = InputError(
                    "uses a compression method that is not supported",
                    file=shown,
                    remedy="pack it as a plain zip or tar",
                )
                yield Member(shown, b"", error)
                continue
            except _BROKEN:
                error = InputError("is damaged in the archive", file=shown, remedy="pack it again")
                yield Member(shown, b"", error)
                continue
            if len(unpacked) > left:
                raise InputError(
                    f"unpacks to more than {MAX_UNPACKED >> 30} GB",
                    file=name,
                    remedy="import the frames in parts",
                )
            left -= len(unpacked)
            if len(unpacked) > most_file_bytes:
                message = f"unpacks to more than {most_file_bytes // 1048576} MB"
                yield Member(shown, b"", InputError(message, file=shown, remedy="import it on its own"))
                continue
            yield Member(shown, unpacked, written=written)
    except _BROKEN as broken:
        raise InputError("is a damaged archive", file=name, remedy="pack it again") from broken


def _moment(date: tuple[int, int, int, int, int, int]) -> float | None:
    """A zip's time, to two seconds and without a zone: good for telling which file is older."""
    try:
        return datetime(*date, tzinfo=UTC).timestamp()
    except ValueError:
        return None


def _counted(content: Content, mark: bytes) -> int:
    """How often ``mark`` comes in a file."""
    count, kept = 0, b""
    with opened(content) as file:
        while block := file.read(1 << 20):
            block = kept + block
            count += block.count(mark)
            kept = block[1 - len(mark) :]
    return count


def _too_many(name: str) -> InputError:
    return InputError(
        f"holds more than {MAX_MEMBERS:,} entries", file=name, remedy="import the frames in parts"
    )


def _zip(data: Content) -> Iterator[_Entry]:
    with opened(data) as file, zipfile.ZipFile(file) as archive:
        for info in archive.infolist():
            if info.is_dir():
                continue
            refusal = None
            if info.flag_bits & 1:
                refusal = "is encrypted"
            elif (info.external_attr >> 16) & 0o170000 == 0o120000:
                refusal = "is a link, not a file"

            def read(most: int, info: zipfile.ZipInfo = info) -> bytes:
                with archive.open(info) as inside:
                    return inside.read(most)

            yield info.filename, info.file_size, read, refusal, _moment(info.date_time)


def _tar(data: Content) -> Iterator[_Entry]:
    # Unpacked by a file object of bounded reads: tarfile's own streams unpack as much at once as a block holds.
    with (
        opened(data) as packed,
        _unpacked(packed, head_of(data)) as plain,
        tarfile.open(fileobj=plain, mode="r|") as archive,
    ):
        for info in archive:
            if info.isdir():
                continue
            refusal = None if info.isreg() else "is a link or a device, not a file"

            def read(most: int, info: tarfile.TarInfo = info) -> bytes:
                file = archive.extractfile(info)
                return file.read(most) if file is not None else b""

            yield info.name, info.size, read, refusal, float(info.mtime)


def _unpacked(packed: BinaryIO, mark: bytes) -> gzip.GzipFile | bz2.BZ2File | lzma.LZMAFile | BinaryIO:
    if mark.startswith(b"\x1f\x8b"):
        return gzip.GzipFile(fileobj=packed)
    if mark.startswith(b"BZh"):
        return bz2.BZ2File(packed)
    if mark.startswith(b"\xfd7zXZ\0"):
        return lzma.LZMAFile(packed)
    return packed
