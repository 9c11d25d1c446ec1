"""What a new project starts with."""

import itertools

from ..pictures.unset import clear_among
from ..portable import slug
from ..recipe import (
    MAX_SIDE,
    MAX_SPANS,
    Gather,
    GifOutput,
    Recipe,
    Size,
    Span,
    Tuning,
    bytes_target,
    span_name,
)
from .gather import Sequence, majority_size
from .names import title_of
from .rhythm import own_rhythm


def unused(sequence: Sequence) -> frozenset[int]:
    """Positions that a new project leaves out: frames of another size, and all but the first of a number."""
    left_out = {p for problem in sequence.problems if problem["kind"] == "size" for p in problem["positions"]}
    ends = itertools.accumulate(part.count for part in sequence.parts)
    begins = {0, *ends}
    seen: set[int] = set()
    for index, found in enumerate(sequence.files):
        if index in begins:
            seen = set()
        if found.number is None or index + 1 in left_out:
            continue
        if found.number in seen:
            left_out.add(index + 1)
        seen.add(found.number)
    return frozenset(left_out)


def clear_frames(sequence: Sequence) -> frozenset[int]:
    """Positions of frames that are wholly clear, though their files alone do not say so."""
    return clear_among(found.header for found in sequence.files)


def first_recipe(title: str, sequence: Sequence) -> Recipe:
    """What a new project of this name starts with: its own size and time, but no wider than a page column.

    Of sequences put together each is a span.
    """
    width, height = majority_size(sequence.files)
    stem = slug(title) or "loop"
    column = 640
    scale = min(1.0, column / width, MAX_SIDE / height)
    size = Size() if scale == 1.0 else Size(width=max(1, round(width * scale)))
    output = GifOutput(
        file_name=f"{stem[:100]}.gif",
        size=size,
        tuning=Tuning(colours=128, dither="auto"),
        target=bytes_target(1024 * 1024),
    )
    rhythm = own_rhythm(sequence.files).model_copy(update={"spans": spans_of(sequence)})
    return Recipe(
        gather=Gather(left_out=unused(sequence), clear=clear_frames(sequence)), rhythm=rhythm, outputs=(output,)
    )


def spans_of(sequence: Sequence) -> tuple[Span, ...]:
    """One for each part of sequences that were put together, called by the words in which these differ.

    Those of one direction are "fly" and "dive" and not "NE fly" and "NE dive": other directions have them too.
    """
    places = list(zip(*(part.labels for part in sequence.parts), strict=False))
    alike = {at for at, words in enumerate(places) if len(words) > 1 and len(set(words)) == 1}
    spans: list[Span] = []
    first = 1
    for part in sequence.parts[:MAX_SPANS]:
        told = [label for at, label in enumerate(part.labels) if at not in alike]
        name = span_name(" ".join(told or part.labels) or title_of(part.pattern), spans)
        spans.append(Span(name=name, first=first, last=first + part.count - 1))
        first += part.count
    return tuple(spans)
