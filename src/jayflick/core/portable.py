"""File names that every system takes, whatever they were typed as.

Sources: POSIX.1-2017, NAME_MAX in bytes, of which usual file systems have 255; Microsoft, "Naming Files, Paths,
and Namespaces" (reserved characters and names).
"""

import re
from pathlib import PurePath

from .text import clean

MOST_BYTES = 240
"""Of 255 that a name may have, so that something can stand before or behind it."""
_RESERVED = re.compile(r"(con|prn|aux|nul|com[0-9¹²³]|lpt[0-9¹²³])(\..*)?", re.IGNORECASE)
"""Names of devices, with and without an ending."""


def slug(title: str) -> str:
    """A title in small letters and digits of any script, with dashes between; empty if it has none of them."""
    return re.sub(r"[\W_]+", "-", title.lower()).strip("-")


def portable(name: str, *, otherwise: str = "loop") -> str:
    """A name without folders that is taken everywhere, hidden nowhere, and no device; ``otherwise``: for one of
    which nothing is left. Its ending is kept."""
    plain = re.sub(r'[<>:"/\\|?*\x00-\x1f\x7f]', "-", clean(name)).strip()
    plain = plain.rstrip(". ")
    if plain.startswith("."):
        plain = f"_{plain[1:]}"
    if not plain.strip("-_ "):
        plain = plain or otherwise
    if _RESERVED.fullmatch(plain):
        plain = f"_{plain}"
    if len(plain.encode()) <= MOST_BYTES:
        return plain
    ending = PurePath(plain).suffix if len(PurePath(plain).suffix) <= 20 else ""
    stem = plain[: len(plain) - len(ending)].encode()[: MOST_BYTES - len(ending.encode())]
    return stem.decode(errors="ignore").rstrip(". ") + ending
