"""The pictures that frames show: their bytes in the store, what is known of them in the database."""

from base64 import b64decode, b64encode
from collections.abc import Iterable, Sequence
from io import BytesIO
from typing import Any, BinaryIO

from PIL import Image
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ..core.pictures.fingerprint import Fingerprint
from ..core.pictures.header import Header
from ..core.pictures.kinds import decoders, read_picture
from ..core.sequence.gather import Found
from ..core.sequence.pieces import Piece, thumbnail
from ..core.stages import Stages, cache_key
from ..core.store import Store
from .models import Frame, ImportFile, Picture, now, table_of


def keep_picture(
    store: Store, stages: Stages, piece: Piece, data: bytes | BinaryIO, kept: str | None = None
) -> tuple[str, int]:
    """Keep a piece's picture, ``data`` if it brings none of its own. ``kept``: the hash of that, if it is kept.

    Returns its hash, once it is safe, and how many bytes it has.
    """
    sha256 = kept if piece.data is None and kept else store.put(data if piece.data is None else piece.data)
    _keep_thumb(stages, piece, sha256)
    return sha256, store.path(sha256).stat().st_size


def keep_pictures(store: Store, stages: Stages, taken: Sequence[tuple[Piece, bytes]]) -> list[tuple[str, int]]:
    """Keep small pictures, as :func:`keep_picture` does, in less time than one by one."""
    hashes = store.put_all([data for _, data in taken])
    for (piece, _), sha256 in zip(taken, hashes, strict=True):
        _keep_thumb(stages, piece, sha256)
    return [(sha256, len(data)) for sha256, (_, data) in zip(hashes, taken, strict=True)]


def _keep_thumb(stages: Stages, piece: Piece, sha256: str) -> None:
    if (thumb := piece.thumb) is not None:
        stages.obtain("thumb", _thumb_key(sha256), lambda: thumb)


def thumb_of(stages: Stages, store: Store, sha256: str) -> bytes:
    """A small WebP of a picture in the store."""

    def make() -> bytes:
        return thumbnail(read_picture(store.read(sha256), name=sha256))

    return stages.obtain("thumb", _thumb_key(sha256), make)


VIEW = 1280, 800
"""The most pixels across and down of a frame that is looked at as a whole."""


def view_of(stages: Stages, store: Store, sha256: str) -> bytes:
    """A picture in the store as a PNG, no larger than a screen."""

    def make() -> bytes:
        picture = Image.fromarray(read_picture(store.read(sha256), name=sha256))
        picture.thumbnail(VIEW, Image.Resampling.BILINEAR)
        out = BytesIO()
        picture.save(out, "PNG", compress_level=1)
        return out.getvalue()

    return stages.obtain("view", cache_key("view", 1, decoders(), sha256), make)


def _thumb_key(sha256: str) -> str:
    return cache_key("thumb", 1, sha256)


def note_pictures(session: Session, taken: Iterable[tuple[Piece, str, int]]) -> None:
    """Record pictures of the store, each with its hash and size, unless they are known already."""
    # In one order, whoever brings them: two that bring the same ones then never wait for each other.
    rows = {sha256: _row(piece, sha256, size) for piece, sha256, size in taken}
    if rows:
        statement = insert(table_of(Picture))
        renewed = {"facts": statement.inserted.facts, "created": statement.inserted.created}
        session.execute(statement.on_duplicate_key_update(renewed), [rows[sha256] for sha256 in sorted(rows)])


def _row(piece: Piece, sha256: str, size: int) -> dict[str, Any]:
    header, seen = piece.header, piece.fingerprint
    facts = {
        "notes": header.notes,
        "digest": seen.digest,
        "signature": b64encode(seen.signature).decode(),
        "cut": seen.cut,
        "rim": seen.rim,
    }
    return {
        "sha256": sha256,
        "bytes": size,
        "width": header.width,
        "height": header.height,
        "label": header.label[:40],
        "transparent": header.transparent,
        "facts": facts,
        "created": now(),
    }


def found_of(row: ImportFile | Frame, picture: Picture) -> Found:
    """A frame, and all that is known of its picture, as gathering takes it."""
    facts = picture.facts or {}
    header = Header(
        picture.width,
        picture.height,
        picture.label,
        picture.transparent,
        notes=tuple(facts.get("notes", ())),
    )
    fingerprint = None
    if "digest" in facts:
        signature = b64decode(facts["signature"])
        fingerprint = Fingerprint(facts["digest"], signature, facts["cut"], facts.get("rim", ""))
    if isinstance(row, Frame):
        return Found(row.name, header, None, fingerprint, written=row.written)
    return Found(row.name, header, None, fingerprint, row.duration, row.repeat, written=row.written)
