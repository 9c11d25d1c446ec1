"""The folders of this machine that may be read: what is in them, and files of them opened where they lie."""

import os
from collections import Counter
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache
from pathlib import Path

from ..core.errors import InputError
from ..core.roots import Entry, Listing, Root
from ..core.sequence.listing import Listed, kind_by_name, listed
from ..core.text import clean
from .decoding import Decoders
from .errors import NotFound
from .origins import Place
from .schemas.folders import FolderInfo, FolderSequence, OpenInPlace

MOST_SIZED = 60
"""Sequences of a folder of which the size is told: it takes reading a frame of each."""
SIZES = 4096
"""Sizes that are remembered."""
MOST_NAMES = 100_000
"""Files and folders that are looked at below a folder that is opened whole."""


class Folders:
    """The folders that may be read, each with a name of its own."""

    def __init__(self, folders: Sequence[Path]) -> None:
        once = {root.path: root for root in map(Root, folders)}.values()
        names = Counter(root.name for root in once)
        self.roots = [
            root if names[root.name] == 1 else Root(Path(root.path), clean(root.path)) for root in once
        ]

    def root(self, name: str) -> Root:
        """The one of this name."""
        for root in self.roots:
            if root.name == name:
                return root
        raise NotFound("there is no such folder", remedy="choose one that is listed")

    def of(self, absolute: str) -> tuple[Root, str] | None:
        """The one that a place lies in, and the path there; ``None`` if it lies in none."""
        for root in self.roots:
            path = root.relative(absolute)
            if path is not None:
                return root, path
        return None

    def shown(self, absolute: str) -> str:
        """A place as people know it: from the name of its folder on."""
        found = self.of(absolute)
        if found is None:
            return clean(os.path.basename(absolute))
        root, path = found
        return f"{root.name}/{clean(path)}" if path else root.name


class Listings:
    """Tells what is in folders. The sizes of pictures are remembered: a folder is looked at again and again."""

    def __init__(self, decoders: Decoders) -> None:
        self._decoders = decoders
        self._size = lru_cache(SIZES)(self._read_size)

    def of(self, root: Root, shown: str) -> FolderInfo:
        """What is in a folder, its sequences as names tell them."""
        path = root.found(shown)
        found = root.listing(path)
        sequences, others = listed(found.entries)
        entries = {entry.name: entry for entry in found.entries}
        sized = [one for one in sequences if one.kind == "frames"][:MOST_SIZED]

        def size(one: Listed) -> tuple[int, int] | None:
            return self._size(root, os.path.join(path, one.names[0]), entries[one.names[0]])

        with ThreadPoolExecutor(2) as pool:
            sizes = dict(zip(sized, pool.map(size, sized), strict=True))
        return _told(root, path, found, sequences, others, sizes)

    def _read_size(self, root: Root, path: str, entry: Entry) -> tuple[int, int] | None:
        """Of a picture as it was when it was listed; one that has changed since is another entry."""
        try:
            with root.open_file(path) as file:
                header = self._decoders.header(file, entry.name)
        except InputError:
            return None
        return header.width, header.height


def _told(
    root: Root,
    path: str,
    found: Listing,
    sequences: Sequence[Listed],
    others: int,
    sizes: Mapping[Listed, tuple[int, int] | None],
) -> FolderInfo:
    return FolderInfo(
        root=root.name,
        path=clean(path),
        folders=sorted(
            (clean(entry.name) for entry in found.entries if entry.folder), key=lambda name: name.casefold()
        ),
        sequences=[
            FolderSequence(
                pattern=one.pattern,
                kind=one.kind,
                count=len(one.names),
                first=one.first,
                last=one.last,
                missing=one.missing,
                bytes=one.size,
                written=one.written / 1e9,
                width=size[0] if size else None,
                height=size[1] if size else None,
            )
            for one in sequences
            for size in [sizes.get(one)]
        ],
        others=others,
        more=found.more,
    )


def chosen(root: Root, choice: OpenInPlace, most: int) -> list[Place]:
    """The files of a choice, in the order of their names; those with endings of none that is read are left out.

    Raises ``InputError`` for more than ``most``, and for none, saying what is there instead.
    """
    here = root.found(choice.path)
    found = root.listing(here)
    inside: list[str] = []
    if not choice.sequences and not choice.folders:
        inside = _below(root, here)
    else:
        by_pattern = {one.pattern: one for one in listed(found.entries)[0]}
        gone = [pattern for pattern in choice.sequences if pattern not in by_pattern]
        if gone:
            raise InputError("is not there any more", file=gone[0], remedy="look at the folder again")
        inside = [_joined(here, name) for pattern in choice.sequences for name in by_pattern[pattern].names]
        for name in choice.folders:
            inside += _below(root, root.found(_joined(clean(here), name)))
    if not inside:
        raise InputError(f"there are no frames here: {_holds(found.entries)}", remedy="choose another folder")
    if len(inside) > most:
        raise InputError(
            f"{len(inside)} files are too many; one import takes up to {most}",
            remedy="open them in parts, or thin them out first",
        )
    base = os.path.commonpath([os.path.dirname(path) for path in inside])
    paths = [os.path.relpath(path, base or ".") for path in inside]
    return [Place(root.absolute(base), path, clean(path)) for path in paths]


def _below(root: Root, path: str) -> list[str]:
    files = [inside for inside, _ in root.walked(path, MOST_NAMES)]
    return [inside for inside in files if kind_by_name(clean(inside)) is not None]


def _holds(entries: Sequence[Entry]) -> str:
    folders = sum(entry.folder for entry in entries)
    files = len(entries) - folders
    parts = [
        f"{count} {word if count == 1 else word + 's'}"
        for count, word in ((folders, "folder"), (files, "other file"))
        if count
    ]
    return " and ".join(parts) or "it is empty"


def _joined(folder: str, name: str) -> str:
    return f"{folder}/{name}" if folder else name
