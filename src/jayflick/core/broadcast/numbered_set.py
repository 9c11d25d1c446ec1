"""A numbered set of pictures in a folder, each read once, in the order of its numbers."""

from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property
from itertools import chain, islice, pairwise
from pathlib import Path
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from ..content import read_file
from ..errors import InputError
from ..pictures.kinds import read_picture
from ..pictures.unset import leaves_alpha_unset, sets_alpha
from ..sequence.files import list_files, names_of
from ..sequence.names import split_names

T = TypeVar("T")
SOME = 6
READERS = 2
"""Pictures read side by side."""


@dataclass(frozen=True)
class NumberedSet:
    """The files of a set, in order."""

    files: tuple[Path, ...]
    missing: tuple[int, ...]
    """Numbers between the first and the last that no file has: the first SOME of them."""

    def each(self, look: Callable[[NDArray[np.uint8]], T]) -> Iterator[T]:
        """What ``look`` finds on each picture, straight RGBA, a few read ahead.

        ``InputError`` names a picture that cannot be read, or is of another size than the first.
        """
        sizes: list[tuple[int, ...]] = []

        def one(path: Path) -> tuple[Path, tuple[int, ...], T]:
            data = read_file(path)
            picture = read_picture(data, name=path.name)
            if leaves_alpha_unset(data, path.name) and self._alpha_is_set:
                picture[:, :, 3] = 0
            return path, picture.shape[1::-1], look(picture)

        with ThreadPoolExecutor(READERS) as pool:
            for begin in range(0, len(self.files), 2 * READERS):
                for path, size, found in pool.map(one, self.files[begin : begin + 2 * READERS]):
                    sizes = sizes or [size]
                    if size != sizes[0]:
                        (width, height), (across, down) = size, sizes[0]
                        raise InputError(
                            f"is {width} × {height}, the first is {across} × {down}",
                            file=path.name,
                            remedy="render it at the size of the others",
                        )
                    yield found

    @cached_property
    def _alpha_is_set(self) -> bool:
        """Whether any of the files has alpha that is meant: then that of all is."""
        return any(sets_alpha(read_file(path), path.name) for path in self.files)


def numbered_set(folder: str) -> NumberedSet:
    """The one set in a folder; ``InputError`` when there is none, or more than one."""
    if not Path(folder).is_dir():
        raise InputError("is no folder", file=Path(folder).name, remedy="name the folder with the frames")
    files = list_files([folder])
    named = dict(zip(names_of(files), files, strict=True))
    sets: dict[str, list[tuple[int, Path]]] = defaultdict(list)
    for name, part in split_names(named).items():
        if part.number is not None:
            sets[part.pattern].append((part.number, named[name]))
    if len(sets) != 1:
        what = f"holds {len(sets)} sequences: {_first(list(sets))}" if sets else "holds no numbered frames"
        raise InputError(what, file=Path(folder).name, remedy="name a folder with one sequence")
    (members,) = sets.values()
    members.sort(key=lambda member: member[0])
    gaps = (range(one + 1, other) for (one, _), (other, _) in pairwise(members))
    return NumberedSet(tuple(path for _, path in members), tuple(islice(chain.from_iterable(gaps), SOME)))


def _first(names: Sequence[str]) -> str:
    return ", ".join(names[:3]) + (" …" if len(names) > 3 else "")
