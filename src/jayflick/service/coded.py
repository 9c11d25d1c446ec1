"""Coded pictures as they are recorded, and the files that they become with their time."""

import json
from fractions import Fraction
from typing import Any, Generic, NamedTuple, TypeVar

from sqlalchemy import select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ..core.formats.format import Coded, Timed
from ..core.formats.table import format_of
from ..core.recipe import Output
from ..core.render import Rendered
from ..core.store import Store
from ..core.timing.held import FormatTiming
from ..core.timing.listed import Listed
from .models import CodedFile, CodedPictures, now

InfoT = TypeVar("InfoT")


class OutputFiles(NamedTuple, Generic[InfoT]):
    """What was made of an output, with what it takes to fetch its files."""

    info: InfoT
    output: Output
    coded: Coded
    timed: Timed


def keep_coded(session: Session, coded: Coded) -> None:
    """Record coded pictures and their files. The row stays locked until something points at it."""
    statement = insert(CodedPictures).values(key=coded.key, document=coded.dump().decode(), created=now())
    session.execute(statement.on_duplicate_key_update(created=statement.inserted.created))
    there = session.scalar(select(CodedFile.number).where(CodedFile.coded_key == coded.key).limit(1))
    if there is None:
        files = [
            {"coded_key": coded.key, "number": number, "sha256": file.sha256, "bytes": file.size}
            for number, file in enumerate(coded.files)
        ]
        session.execute(insert(CodedFile).prefix_with("IGNORE").values(files))


def playing_of(rendered: Rendered) -> dict[str, Any]:
    """What it takes to play an output: what was measured on it, and its time as the format holds it."""
    held = rendered.held
    listed = {} if held.listed is None else {"listed": held.listed.dump()}
    return {
        "info": rendered.info,
        "held": {"unit": str(held.unit), "units": held.units, "repeat": held.repeat, **listed},
        "delays": [_whole(delay) for delay in held.milliseconds],
        "at": rendered.timed.at,
        "sources": rendered.sources,
    }


def files_of(info: InfoT, output: Output, coded: str, time: dict[str, Any], store: Store) -> OutputFiles[InfoT]:
    """Coded pictures with their time; ``coded`` and ``time`` as they were recorded."""
    parsed = Coded.parse(coded.encode())
    listed = Listed.parse(time["listed"]) if "listed" in time else None
    held = FormatTiming(output.format, time["units"], Fraction(time["unit"]), time["repeat"], listed=listed)
    return OutputFiles(info, output, parsed, format_of(output).timed(parsed, held, output, store))


def dumped(document: dict[str, Any]) -> str:
    return json.dumps(document, separators=(",", ":"))


def _whole(delay: float) -> int | float:
    """Whole milliseconds as such, others to the millionth."""
    return int(delay) if delay == int(delay) else round(delay, 6)
