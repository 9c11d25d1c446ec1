"""What runs on a worker: one sequence, of frames known by their content, made into files known by theirs."""

import argparse
import os
from pathlib import Path
from typing import Any, NamedTuple

from ..core.cluster.shared import Shared
from ..core.cluster.worker import Beside, Cache, program, share_of_processors, while_wanted
from ..core.errors import JayFlickError
from ..core.heap import keep_freed_memory
from .each import inside, made_here
from .many import Task
from .writing import scratch_folder


class File(NamedTuple):
    """A file that a sequence is made of."""

    name: str
    sha256: str
    written: int
    """When it was last written, in nanoseconds since 1970: it is told where the order is in doubt."""


class Order(NamedTuple):
    """What is to be made."""

    program: str
    share: str
    run: str
    sequence: str
    size: int
    files: tuple[File, ...]
    options: dict[str, Any]
    texts: dict[str, bytes]
    """By option what the files hold that options name: a recipe, a target."""
    key: str
    beside: Beside


class Answer(NamedTuple):
    """What came of it: a result with the files by output, or why there is none."""

    result: dict[str, Any] | None
    called: tuple[tuple[str, tuple[tuple[str, str], ...]], ...] = ()
    """What each output is called in its folder, and its files: their paths and hashes."""
    error: tuple[str, str | None, str] | None = None
    other_program: str = ""


def make_one(order: Order) -> Answer:
    """Make a sequence's files; what cannot be made is answered, not raised."""
    if order.program != program():
        return Answer(None, other_program=program())
    keep_freed_memory()
    with share_of_processors(order.beside):
        return _made(order)


def _made(order: Order) -> Answer:
    try:
        shared = Shared(order.share, order.run)
        with scratch_folder() as scratch:
            files = _laid_out(order, shared, scratch / "in")
            options = argparse.Namespace(**order.options)
            for name, text in order.texts.items():
                path = scratch / f"{name}.json"
                path.write_bytes(text)
                setattr(options, name, str(path))
            output = scratch / "out"
            options.output, options.spared = str(output), []
            task = Task(order.sequence, tuple(files), order.size)
            result, made = made_here(options, task, order.key, on_progress=while_wanted(shared))
            hashes = dict(
                zip(made.written, shared.put(one.path.read_bytes() for one in made.written), strict=True)
            )
            called = tuple(
                (name, tuple((inside(output, one.path), hashes[one]) for one in written))
                for name, written in made.called
            )
            return Answer(result, called)
    except JayFlickError as error:
        return Answer(None, error=(error.message, error.file, error.remedy))
    except OSError as error:
        return Answer(
            None, error=(f"the worker's disk refused: {error.strerror or error}", None, "make room there")
        )
    except MemoryError:
        return Answer(None, error=("there is too little memory", None, "use workers with more"))


def _laid_out(order: Order, shared: Shared, folder: Path) -> list[Path]:
    """The files as they lie where they come from, in a folder; only what is not kept here is fetched."""
    for parent in {(folder / file.name).parent for file in order.files}:
        parent.mkdir(parents=True, exist_ok=True)
    paths = []
    contents = Cache(shared).read([file.sha256 for file in order.files])
    for file, data in zip(order.files, contents, strict=True):
        path = folder / file.name
        path.write_bytes(data)
        os.utime(path, ns=(file.written, file.written))
        paths.append(path)
    return paths
