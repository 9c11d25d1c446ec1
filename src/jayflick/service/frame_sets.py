"""Projects made of what came, and what makes another set of frames of one: a part, frames anew, two joined."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace

from pydantic import ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.errors import InputError
from ..core.recipe import Framing, Gather, Recipe, Rhythm, Size, Take
from ..core.sequence import gather as gathering
from ..core.sequence.first import clear_frames
from ..core.sequence.gather import Found, gather, majority_size, missing_after
from ..core.sequence.joining import with_joined, with_part
from ..core.sequence.pieces import Piece
from ..core.sequence.project_file import DOCUMENT, ProjectFile
from ..core.sequence.renewal import Known, renewed, with_moved
from ..core.text import LONGEST_NAME, clean
from ..core.timing.plan import plan_rhythm
from . import carrying, projects
from .imports import forget_files, look_through, origins_of, still_open
from .models import Frame, ImportFile, Picture, Project, Revision
from .origins import note_source
from .pictures import found_of, note_pictures
from .results import Results
from .schemas.imports import Choice, NewProject, Report
from .schemas.plans import ProjectNotes, SettingsRequest
from .schemas.projects import Renewed


def finish(
    session: Session, import_id: str, results: Results, choice: Choice | None = None
) -> tuple[list[Project], list[dict[str, str]]]:
    """Make projects of the sequences the import brought: one of each, unless ``choice`` says otherwise.

    Returns them and the files that went into none. What was not chosen can be, later: the import stays open.
    """
    opened = still_open(session, import_id, lock=True)
    sequences, ignored, hashes = look_through(session, import_id)
    if opened.project is not None and choice is None:
        made_again = _made_again(session, import_id, ProjectFile.model_validate_json(opened.project), results)
        opened.state = "done"
        return [made_again], ignored
    known = {sequence.pattern: sequence for sequence in sequences}
    requests = choice.projects if choice else [NewProject(patterns=[pattern]) for pattern in known]
    taken = {pattern for request in requests for pattern in request.patterns}
    _require(known, taken)
    made: list[Project] = []
    origins = origins_of(session, import_id)
    like = choice.like if choice is not None else None
    for request in requests:
        for some in _each(request, known):
            project = make_project(session, some, hashes, results, title=request.title, like=like)
            note_source(session, project.id, some, origins, hashes, separate=request.separate)
            made.append(project)
    if taken == known.keys():
        opened.state = "done"
    else:
        forget_files(session, import_id, [found.name for pattern in taken for found in known[pattern].files])
    return made, ignored


def look_at(session: Session, import_id: str, choice: Choice) -> list[ProjectNotes]:
    """What each of the projects would not take of the settings that they are to be like. Nothing is changed."""
    sequences, _, _ = look_through(session, import_id)
    known = {sequence.pattern: sequence for sequence in sequences}
    looked = []
    for request in choice.projects:
        _require(known, request.patterns)
        notes: dict[str, None] = {}
        for some in _each(request, known):
            together = gathering.joined(some)
            title = _titled(request.title, together)
            notes.update(dict.fromkeys(carrying.first_like(session, title, together, choice.like)[1]))
        looked.append(ProjectNotes(notes=list(notes)))
    return looked


def _require(known: Mapping[str, gathering.Sequence], patterns: Iterable[str]) -> None:
    if not known.keys() >= set(patterns):
        raise InputError("this import has no such sequence", remedy="choose again")


def _each(request: NewProject, known: Mapping[str, gathering.Sequence]) -> list[list[gathering.Sequence]]:
    """The sequences of each project that is asked for: of one, or of as many as there are files."""
    chosen = [known[pattern] for pattern in request.patterns]
    if not request.separate:
        return [chosen]
    return [gather([found])[0] for sequence in chosen for found in sequence.files]


def _titled(title: str | None, together: gathering.Sequence) -> str:
    return clean(title or together.title)[:200].strip() or "Untitled"


def make_project(
    session: Session,
    sequences: Sequence[gathering.Sequence],
    hashes: dict[str, str],
    results: Results,
    *,
    title: str | None = None,
    recipe: Recipe | None = None,
    like: SettingsRequest | None = None,
) -> Project:
    """Sequences, one after the other, as a project.

    With a first recipe that suits them if none is given; ``like``: with these settings.
    """
    together = gathering.joined(sequences)
    files = together.files
    frames = _frames(files, [hashes[found.name] for found in files])
    title = _titled(title, together)
    if recipe is None:
        recipe, _ = carrying.first_like(session, title, together, like)
    return projects.create(session, title, together.document(), frames, recipe, results)


def _made_again(session: Session, import_id: str, file: ProjectFile, results: Results) -> Project:
    """The project that an archive describes, of the frames that came with it, whatever these are called now."""
    came = set(session.scalars(select(ImportFile.sha256).where(ImportFile.import_id == import_id)))
    lacking = [entry for entry in file.frames if entry.sha256 not in came]
    if lacking:
        raise InputError(
            f"{len(lacking)} of the project's {len(file.frames)} frames are missing, or have changed",
            file=lacking[0].name,
            remedy="import all parts of the project together, unchanged",
        )
    try:
        report = Report.model_validate(file.report).model_dump(mode="json")
    except ValidationError as error:
        where = ".".join(str(part) for part in error.errors()[0]["loc"])
        raise InputError(
            f"report.{where}: {error.errors()[0]['msg']}",
            file=DOCUMENT,
            remedy="save the project again, or import its frames without it",
        ) from error
    frames = [
        Frame(position=position, number=entry.number, name=entry.name, sha256=entry.sha256)
        for position, entry in enumerate(file.frames, 1)
    ]
    try:
        for output in file.recipe.outputs:
            plan_rhythm(file.recipe.gather, file.recipe.rhythm, [0] * len(frames), output.take)
    except InputError as error:
        raise InputError(f"recipe: {error.message}", file=DOCUMENT, remedy=error.remedy) from error
    return projects.create(session, file.name, report, frames, file.recipe, results)


def split(
    session: Session, project_id: str, positions: Sequence[int], results: Results, *, separate: bool = False
) -> list[Project]:
    """A new project of some of a project's frames; ``separate``: one of each."""
    if separate:
        return [made for one in positions for made in split(session, project_id, [one], results)]
    project = projects.find(session, project_id)
    revision = projects.current(session, project)
    wanted = set(positions)
    all_rows = _rows(session, revision)
    rows = [row for row in all_rows if row[0].position in wanted]
    if len(rows) < len(wanted):
        raise InputError("the project has no such frames", remedy="choose among those it has")
    files = [found_of(frame, picture) for frame, picture in rows]
    first = rows[0][0].number
    title = f"{project.name} from {first if first is not None else rows[0][0].position}"
    hashes = {frame.name: frame.sha256 for frame, _ in rows}
    (sequence,) = [gathering.joined(gather(files)[0])]
    made = _frames(sequence.files, [hashes[found.name] for found in sequence.files])
    position_of = {frame.name: frame.position for frame, _ in rows}
    moved = {position_of[found.name]: position for position, found in enumerate(sequence.files, 1)}
    recipe = Recipe.model_validate(revision.recipe)
    if recipe.gather.sizes == "scale" and recipe.gather.size is None:  # that of most may be another in a part
        usual = majority_size([found_of(frame, picture) for frame, picture in all_rows])
        recipe = recipe.model_copy(update={"gather": recipe.gather.model_copy(update={"size": usual})})
    kept = with_part(recipe, moved, _gaps(session, revision, [frame.number for frame, _ in all_rows]))
    return [projects.create(session, title[:200], sequence.document(), made, kept, results)]


def renew(
    session: Session,
    project_id: str,
    import_id: str,
    most_frames: int,
    results: Results,
    *,
    numbers: Mapping[str, int | None] | None = None,
    gesture: str = "",
    only_changes: bool = False,
) -> Renewed:
    """Lay what an import brought over a project's frames; see :func:`core.sequence.renewal.renewed`.

    ``numbers``: the counters of files, where more is known of these than the names that came tell. ``gesture``:
    renewals of one that follow each other are undone together. ``only_changes``: where nothing would change,
    nothing is done.
    """
    project = projects.find(session, project_id, lock=True)
    revision = projects.current(session, project)
    opened = still_open(session, import_id, lock=True)
    sequences, ignored, hashes = look_through(session, import_id)
    rows = _rows(session, revision)
    brought = {hashes[found.name]: found for sequence in sequences for found in sequence.files}
    old = [Known(frame.name, frame.number, frame.sha256) for frame, _ in rows]
    new = [
        Known(found.name, (numbers or {}).get(found.name, found.number), hashes[found.name])
        for sequence in sequences
        for found in sequence.files
    ]
    result = renewed(old, new)
    if only_changes and not result.count("replaced") + result.count("added"):
        opened.state = "done"
        counts = {what: result.count(what) for what in ("same", "replaced", "added", "old")}
        return Renewed(**counts, changed=[])
    if len(result.frames) > most_frames:
        raise InputError(
            f"the project would have {len(result.frames)} frames; the limit is {most_frames}",
            remedy="import fewer, or make them a project of their own",
        )
    there = {frame.sha256: found_of(frame, picture) for frame, picture in rows}
    known = there | brought
    files = [replace(known[frame.sha256], name=frame.name, number=frame.number) for _, frame in result.frames]
    before = Report.model_validate(projects.report_of(session, revision))
    bad = [problem for one in sequences for problem in one.problems if problem["kind"] == "unreadable"]
    refused = [
        Found(item["file"], None, InputError(item["message"], file=item["file"], remedy=item.get("remedy", "")))
        for item in [*ignored, *bad]
    ]
    size = Recipe.model_validate(revision.recipe).gather.size
    judged = gathering.judged(before.pattern, files, refused, size)
    judged.labels = before.labels
    report = judged.document()
    if result.count("added") == 0:
        report["parts"] = [part.model_dump() for part in before.parts]
    frames = _frames(files, [frame.sha256 for _, frame in result.frames])
    counts = {what: result.count(what) for what in ("same", "replaced", "added", "old")}
    recipe = with_moved(Recipe.model_validate(revision.recipe), result.moved, len(frames))
    clear = {"clear": clear_frames(judged)}
    recipe = recipe.model_copy(update={"gather": recipe.gather.model_copy(update=clear)})
    label = f"Frames renewed: {counts['replaced']} replaced, {counts['added']} new"
    if gesture:
        label = f"Followed to {len(frames)} frames"
    projects.renew(session, project, label, report, frames, recipe, results, gesture)
    opened.state = "done"
    changed = [p for p, (what, _) in enumerate(result.frames, 1) if what in ("replaced", "added")]
    return Renewed(**counts, changed=changed)


def cut_apart(
    session: Session,
    project_id: str,
    base_revision: int,
    label: str,
    taken: Sequence[tuple[Piece, str, int]],
    results: Results,
) -> None:
    """Put what was cut out of a project's frames in their place; undo leads back to them."""
    project = projects.find_at(session, project_id, base_revision)
    revision = projects.current(session, project)
    note_pictures(session, taken)
    hashes = {piece.name: sha256 for piece, sha256, _ in taken}
    found = [Found(piece.name, piece.header, None, piece.fingerprint) for piece, _, _ in taken]
    together = gathering.joined(gather(found)[0])
    frames = _frames(together.files, [hashes[one.name] for one in together.files])
    before = Recipe.model_validate(revision.recipe)
    recipe = before.model_copy(
        update={
            "gather": Gather(over=before.gather.over),
            "rhythm": Rhythm(rate=before.rhythm.rate, repeat=before.rhythm.repeat),
            "framing": Framing(),
            "outputs": tuple(
                output.model_copy(
                    update={
                        "take": Take(rate=output.take.rate, keep=output.take.keep),
                        "framing": None,
                        "size": _not_enlarged(output.size, majority_size(together.files)),
                    }
                )
                for output in before.outputs
            ),
        }
    )
    projects.renew(session, project, label, together.document(), frames, recipe, results)


def _not_enlarged(size: Size, views: tuple[int, int]) -> Size:
    """A size for what was cut out: one side that a picture was reduced to does not enlarge a view of it."""
    one = size.width is None or size.height is None
    larger = (size.width or 0) > views[0] or (size.height or 0) > views[1]
    return size.model_copy(update={"width": None, "height": None}) if one and larger else size


def join(session: Session, project_id: str, other_id: str, most_frames: int, results: Results) -> None:
    """Put another project's frames behind a project's own; the other stays as it is. Undo leads back.

    What the other leaves out stays left out; where its rate differs, its frames keep theirs as a span.
    Frames of another size are scaled to the project's own.
    """
    project, other = projects.find(session, project_id, lock=True), projects.find(session, other_id)
    here, there = projects.current(session, project), projects.current(session, other)
    first, second = _as_gathered(session, here), _as_gathered(session, there)
    count = len(first[0].files)
    if count + len(second[0].files) > most_frames:
        raise InputError(
            f"together they would have {count + len(second[0].files)} frames; the limit is {most_frames}",
            remedy="take some frames out first, or keep them apart",
        )
    taken = {found.name for found in first[0].files}
    second[0].files = [
        replace(found, name=f"{other.name}/{found.name}"[-LONGEST_NAME:]) if found.name in taken else found
        for found in second[0].files
    ]
    own = Recipe.model_validate(here.recipe).gather.size or majority_size(first[0].files)
    together = gathering.joined([first[0], second[0]], own)
    recipe = with_joined(
        Recipe.model_validate(here.recipe),
        Recipe.model_validate(there.recipe),
        _gaps(session, here, [found.number for found in first[0].files]),
        _gaps(session, there, [found.number for found in second[0].files]),
        other.name,
    )
    used = [found for at, found in enumerate(together.files, 1) if at not in recipe.gather.left_out]
    if len({(found.header.width, found.header.height) for found in used if found.header}) > 1:
        scaled = recipe.gather.model_copy(update={"sizes": "scale", "size": own})
        recipe = recipe.model_copy(update={"gather": scaled})
    frames = _frames(together.files, [*first[1], *second[1]])
    label = f"{other.name} put behind"[:120]
    projects.renew(session, project, label, together.document(), frames, recipe, results)


def _as_gathered(session: Session, revision: Revision) -> tuple[gathering.Sequence, list[str]]:
    """The frames of a revision as the sequence they were when they came, and their pictures' hashes."""
    rows = _rows(session, revision)
    report = Report.model_validate(projects.report_of(session, revision))
    files = [replace(found_of(frame, picture), number=frame.number) for frame, picture in rows]
    sequence = gathering.Sequence(
        report.pattern,
        files,
        report.missing,
        report.repeated,
        [problem.model_dump() for problem in report.problems],
        report.labels,
        [gathering.PartOf(part.pattern, part.labels, part.last - part.first + 1) for part in report.parts],
    )
    return sequence, [frame.sha256 for frame, _ in rows]


def _rows(session: Session, revision: Revision) -> list[tuple[Frame, Picture]]:
    """The frames a revision works on, in order, with their pictures."""
    rows = session.execute(
        select(Frame, Picture)
        .join(Picture, Picture.sha256 == Frame.sha256)
        .where(Frame.project_id == revision.project_id, Frame.frame_set == revision.frame_set)
        .order_by(Frame.position)
    )
    return [(frame, picture) for frame, picture in rows]


def _gaps(session: Session, revision: Revision, numbers: Sequence[int | None]) -> list[int]:
    """How many numbers are missing after each of a revision's frames, which have these."""
    return missing_after(numbers, projects.report_of(session, revision))


def _frames(files: Sequence[Found], hashes: Sequence[str]) -> list[Frame]:
    return [
        Frame(position=position, number=found.number, name=found.name, sha256=sha256, written=found.written)
        for position, (found, sha256) in enumerate(zip(files, hashes, strict=True), 1)
    ]
