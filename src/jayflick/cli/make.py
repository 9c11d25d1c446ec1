"""``jayflick make``: frames in, files out."""

import argparse
import contextlib
import os
import sys
import time
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any, NamedTuple

from ..core.carried import carried
from ..core.errors import InputError, JayFlickError, Unfinished, printable
from ..core.heap import keep_freed_memory
from ..core.pictures.clip import Cut
from ..core.progress import OnProgress
from ..core.recipe import BaseOutput, Gather, GifOutput, Recipe, SheetOutput, Tuning
from ..core.render import Rendered, render
from ..core.sequence.files import FileFrame, cut_into_views, look_at, project_in
from ..core.sequence.first import clear_frames, spans_of
from ..core.sequence.gather import Sequence as Sequence_
from ..core.sequence.gather import gather, joined, missing_after
from ..core.sequence.project_file import ProjectFile
from ..core.sequence.rhythm import own_rhythm
from ..core.stages import Stages
from . import budget, sheets
from .earlier import SET, forget_old, inputs_of, left_over, remember
from .framing import grid_of, lined_up, trimmed
from .gather import none_of
from .parsing import cut
from .recipes import beyond, laid_over, of_frames, recipe_of, without_effect
from .report import report_of, whole
from .writing import Writing, Written, encoded, print_json, scratch_folder


class Made(NamedTuple):
    """What one run made, all of it in its place."""

    report: dict[str, Any]
    outputs: list[dict[str, Any]]
    """The reports of single outputs."""
    notes: list[str]
    called: list[tuple[str, list[Written]]]
    """What each output, and each document beside it, is called in its folder, and its files."""
    written: list[Written]
    """All files."""


def run_make(options: argparse.Namespace) -> int:
    keep_freed_memory()
    made = make(options)
    try:
        keep_in_mind(made)
        forget_old()
        for note in made.notes:
            print(f"jayflick: note: {note}", file=sys.stderr)
        if options.json:
            print_json(made.report)
        return say_verdicts(made.outputs)
    except KeyboardInterrupt:
        raise JayFlickError("stopped; everything was written") from None


def keep_in_mind(made: Made) -> None:
    """Later runs know what this one wrote."""
    for called, written in made.called:
        remember(called, written)


def make(
    options: argparse.Namespace,
    stages: Stages | None = None,
    ours: Callable[[Path], bool] = lambda path: False,
    *,
    strict: bool = False,
    carry: bool = False,
    placed: Callable[[BaseOutput], Path] | None = None,
    ready: Callable[[Made], None] = lambda made: None,
    spared: Sequence[Path] = (),
    on_progress: OnProgress = lambda progress: None,
) -> Made:
    """Read the frames, make what the options say, and put it there: all of it or nothing.

    ``stages``: where what was made before may be found. ``ours``: tells of a file that is there whether it may
    be replaced without ``--force``. ``strict``: a frame that cannot be read is refused, never left out.
    ``carry``: what a recipe says of frames that are not there is left out, with notes.
    ``placed``: where each of several outputs goes, if not into the folder that ``-o`` names. ``ready``: is told
    of all that was made before any of it takes its place. ``spared``: others' frames, never replaced either.
    ``on_progress`` may raise to end it.
    """
    begun = time.perf_counter()
    options = argparse.Namespace(**vars(options))
    output = Path(options.output)
    options.folder = _is_folder(options.output)
    if placed is None:
        need_sense(options, ours)
    cut_out = cut(options.clip)
    with contextlib.ExitStack() as open_:
        scratch = open_.enter_context(scratch_folder())
        taken_out = scratch / "frames"
        taken_out.mkdir()
        files, notes = inputs_of(options.input, output)
        writing = open_.enter_context(
            Writing(force=options.force, inputs=[*files, *read_by(options), *spared], ours=ours)
        )
        _claim(writing, output, options)
        project = None if options.recipe else project_in(files)
        if project is not None:
            frames = _frames_of(project, files, taken_out, cut_out)
            recipe = recipe_of(options, project.recipe)
        else:
            decided = options.recipe is not None
            recipe = recipe_of(options, Recipe()) if decided else Recipe()  # before anything is read
            if placed is not None and decided:
                _need_room([placed(one) for one in recipe.outputs], options, ours)
            several = options.sheet is not None
            frames, sequence, more = _frames(
                files, options.input, taken_out, cut_out, decided=decided, several=several, strict=strict
            )
            notes += more
            if options.views is not None:
                found, views = cut_into_views(frames, grid_of(options), taken_out)
                sequence = joined(gather(found)[0])
                frames = [views[one.name] for one in sequence.files]
            if not decided:
                rhythm = own_rhythm(sequence.files).model_copy(update={"spans": spans_of(sequence)})
                options.size = of_frames(options, frames[0])
                tuning = Tuning(dither="auto" if options.dither_amount is None else "diffusion")
                outputs = (GifOutput(tuning=tuning),)
                first = Recipe(gather=Gather(clear=clear_frames(sequence)), rhythm=rhythm, outputs=outputs)
                recipe = recipe_of(options, first)
        seconds_read = time.perf_counter() - begun
        stages = stages or Stages(scratch / "stages", flat=True)
        if carry and options.recipe:
            recipe, more = carried(
                recipe, [frame.missing_after for frame in frames], frames[0].width, frames[0].height
            )
            notes += more
        notes += [*without_effect(options, files), *beyond(recipe, len(frames), options)]
        if options.line_up is not None:
            recipe, more = lined_up(recipe, frames, options, stages)
            notes += more
        if options.trim is not None or options.trim_bars:  # of the frames as they lie then
            recipe, more = trimmed(recipe, frames, options, stages)
            notes += more
        if options.scale_to_fit:
            recipe, more = sheets.scaled_to_fit(recipe, frames, stages)
            notes += more
        reports: list[dict[str, Any]] = []
        outputs_of: list[tuple[str, list[Written]]] = []
        taken: set[Path] = set()
        for one in recipe.outputs:
            rendered = render(recipe, frames, one.id, stages, on_progress=on_progress)
            recipe, rendered, met, more = budget.fitted(
                recipe, frames, rendered, options, stages, writing, on_progress
            )
            notes += [*more, *laid_over(recipe.output(one.id), frames, options)]
            place = placed(one) if placed is not None else _place(output, one, options, taken)
            before = len(writing.written)
            called = _put(writing, rendered, place, one, options, ours)
            written = writing.written[before:]
            outputs_of.append((called, written))
            reports.append(report_of(recipe, one.id, rendered, place, written, seconds_read))
            if met is not None:
                reports[-1]["budget"] = met
            notes += rendered.notes
        for called, written in outputs_of:
            for old in left_over(written[0].path.parent, called, [file.path.name for file in written]):
                writing.remove(old)
        report = whole(reports, time.perf_counter() - begun, several=options.all)
        if options.report:
            writing.put(Path(options.report), encoded(report), claimed=True)
        of_outputs = {one for _, written in outputs_of for one in written}
        outputs_of += [(one.path.name, [one]) for one in writing.written if one not in of_outputs]
        made = Made(report, reports, notes, outputs_of, writing.written)
        ready(made)
        writing.commit()
    return made


def _is_folder(output: str) -> bool:
    return output.endswith(("/", os.sep)) or Path(output).is_dir()


def need_sense(options: argparse.Namespace, ours: Callable[[Path], bool]) -> None:
    """Refuse what cannot be meant, before a file is read."""
    output = Path(options.output)
    if options.all and not _is_folder(options.output):
        raise InputError("--all needs a folder", file=output.name, remedy="use -o DIR/")
    if options.sheet is not None and options.still is not None:
        raise InputError("--sheet and --still contradict each other", remedy="use one of them")
    if not options.force and _in_the_way(output, ours):
        raise InputError("already exists", file=output.name, remedy="add --force to replace it")


def _need_room(places: Sequence[Path], options: argparse.Namespace, ours: Callable[[Path], bool]) -> None:
    """Refuse places where something is that may not be replaced, or that two outputs would have."""
    if len(set(places)) < len(places):
        raise InputError("two outputs would go to the same place", remedy="use {file} in --names")
    for place in places:
        if not options.force and _in_the_way(place, ours):
            raise InputError("already exists", file=place.name, remedy="add --force to replace it")


def _in_the_way(place: Path, ours: Callable[[Path], bool]) -> bool:
    """Whether something is where a file or a folder of files is to be put."""
    there = place.rglob("*") if place.is_dir() else [place]
    return any(file.exists() and not file.is_dir() and not ours(file) for file in there)


def read_by(options: argparse.Namespace) -> list[Path]:
    """Files that options name and that are read."""
    named = [options.recipe, options.target if (options.target or "").endswith(".json") else None]
    return [Path(one) for one in named if one]


def _claim(writing: Writing, output: Path, options: argparse.Namespace) -> None:
    """What is to be written cannot lie where something else does, and is told before anything is made."""
    if not options.folder and options.sheet is None:  # the pages of a sheet have names of their own
        writing.claim(output, "-o", rework=True)
    for option, path in (("--report", options.report), ("--trials", options.trials)):
        if path:
            writing.claim(Path(path), option)
    for path in options.describe or []:
        writing.claim(Path(path), "--describe")


def _place(output: Path, made: BaseOutput, options: argparse.Namespace, taken: set[Path]) -> Path:
    """Where an output goes: where ``-o`` says, or one of many under its own name."""
    if not options.all:
        return output
    name = Path(made.file_name).stem if made.folder else made.file_name
    place, number = output / name, 1
    while place in taken:
        number += 1
        place = output / f"{Path(name).stem}-{number}{Path(name).suffix}"
    taken.add(place)
    return place


def _put(
    writing: Writing,
    rendered: Rendered,
    place: Path,
    output: BaseOutput,
    options: argparse.Namespace,
    ours: Callable[[Path], bool],
) -> str:
    """Write an output's files; returns what it is called in its folder."""
    if isinstance(output, SheetOutput) and not options.all:
        sheets.put(writing, rendered, place, options.describe)
        return place.name
    if not output.folder:
        writing.put(place, rendered.timed.files[0].read(), claimed=not options.all)
        return place.name
    if not options.force and place.is_dir() and _in_the_way(place, ours):
        raise InputError("already exists", file=place.name, remedy="add --force to replace it")
    for file in rendered.timed.files:
        writing.put(place / file.name, file.read())
    return SET


def say_verdicts(reports: Sequence[dict[str, Any]]) -> int:
    """Say what a target does not take; 1 if it refuses an output."""
    for line in verdicts(reports):
        print(f"jayflick: {line}", file=sys.stderr)
    return int(any(refused(report) for report in reports))


def verdicts(reports: Sequence[dict[str, Any]]) -> list[str]:
    """What targets do not take, or not gladly, a line each."""
    return [
        f"{report['output']}: {rule['rule']} {rule['measured']}, allowed {rule['allowed']}"
        for report in reports
        if report.get("check")
        for rule in report["check"]["rules"]
        if rule["verdict"] != "pass"
    ]


def refused(report: dict[str, Any]) -> bool:
    """Whether an output is refused by its target, or larger than its budget."""
    found = report.get("check")
    return bool(found and found["verdict"] == "fail") or not report.get("budget", {"met": True})["met"]


def _frames_of(project: ProjectFile, files: list[Path], scratch: Path, cut: Cut) -> list[FileFrame]:
    """The frames of a project that came in a file, known by their content."""
    came = {frame.sha256: frame for frame in look_at(files, scratch, cut)[1].values()}
    for entry in project.frames:
        if entry.sha256 not in came:
            raise InputError(
                "of the project is missing, or has changed",
                file=entry.name,
                remedy="use all parts of the project, unchanged",
            )
    frames = [replace(came[entry.sha256], name=entry.name) for entry in project.frames]
    return _numbered(frames, [entry.number for entry in project.frames], project.report)


def _numbered(
    frames: list[FileFrame], numbers: list[int | None], report: dict[str, Any] | None = None
) -> list[FileFrame]:
    """The frames with how many numbers are missing after each."""
    gaps = missing_after(numbers, report)
    return [replace(frame, missing_after=gap) for frame, gap in zip(frames, gaps, strict=True)]


def _frames(
    files: list[Path],
    inputs: list[str],
    scratch: Path,
    cut: Cut,
    *,
    decided: bool,
    several: bool,
    strict: bool,
) -> tuple[list[FileFrame], Sequence_, list[str]]:
    """The frames of the one sequence the inputs bring, that sequence, and notes on it.

    ``decided``: a recipe says what becomes of frames that do not fit; without one they are refused.
    ``several`` sequences are put one behind the other. ``strict``: what cannot be read is refused even so.
    """
    found, frames = look_at(files, scratch, cut)
    sequences, ignored = gather(found)
    if not sequences:
        raise none_of(ignored, inputs)
    if several and len(sequences) > 1:
        sequences = [joined(sequences)]
    if len(sequences) > 1:
        names = ", ".join(printable(s.pattern) for s in sequences[:5]) + ("…" if len(sequences) > 5 else "")
        raise InputError(
            f"{len(sequences)} sequences are here: {names}", remedy="choose one with a pattern in quotes"
        )
    sequence = sequences[0]
    for problem in sequence.problems:
        if strict and problem["kind"] == "unreadable":
            raise Unfinished(problem["message"], file=problem["file"], remedy=problem["remedy"])
        if not decided and problem["kind"] in ("unreadable", "size", "repeated"):
            raise InputError(problem["message"], file=problem["file"], remedy=problem["remedy"])
    notes = [
        ": ".join(printable(text) for text in (problem["file"], problem["message"]) if text)
        for problem in sequence.problems
    ]
    brought = _numbered(
        [frames[found.name] for found in sequence.files], [found.number for found in sequence.files]
    )
    return brought, sequence, notes
