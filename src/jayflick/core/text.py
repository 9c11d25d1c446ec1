"""Names as they may be kept and shown: what cannot be seen, or turns the text beside it round, is taken out."""

import re
import unicodedata
from pathlib import PurePosixPath
from typing import Annotated

from pydantic import BeforeValidator

LONGEST_NAME = 255
"""The most characters of a file's name with its folders."""
_UNSEEN = re.compile("[\u061c\u200e\u200f\u202a-\u202e\u2066-\u2069\ufeff]")
"""Marks that set or override the direction of text (Unicode Standard Annex #9, section 2), and U+FEFF."""


def clean(text: str) -> str:
    """Text in Normalization Form C without control characters, direction marks and halves of surrogates."""
    # What was no UTF-8 comes as lone surrogates, a byte each (PEP 383): nearly always Latin-1.
    whole = "".join(chr(ord(c) - 0xDC00) if "\udc80" <= c <= "\udcff" else c for c in text)
    seen = (c for c in _UNSEEN.sub("", whole) if unicodedata.category(c) not in ("Cc", "Cs"))
    return unicodedata.normalize("NFC", "".join(seen))


def _clean_name(value: object) -> object:
    return clean(value).strip() if isinstance(value, str) else value


Clean = BeforeValidator(_clean_name)
"""For a field of a document: cleaned, and without space around it, before its length is checked."""
CleanText = Annotated[str, Clean]


def safe_path(name: str) -> str:
    """A file's name with its folders such that it leads nowhere else, whatever it was; never empty."""
    parts = [part.strip() for part in clean(name).replace("\\", "/").split("/")]
    path = "/".join(part for part in parts if part not in ("", ".", "..")) or "unnamed"
    if len(path) <= LONGEST_NAME:
        return path
    suffix = PurePosixPath(path).suffix[:20]
    return path[: LONGEST_NAME - len(suffix)].rstrip("/") + suffix
