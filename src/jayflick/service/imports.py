"""Bringing frames in: files one by one, then what they make together."""

import hashlib
import itertools
import re
import unicodedata
from base64 import b64decode, b64encode
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from pydantic import ValidationError
from sqlalchemy import delete, func, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ..core.errors import InputError
from ..core.pictures.header import Header
from ..core.pictures.kinds import NAMED, read_picture
from ..core.pictures.looks import Looks
from ..core.recipe import MAX_SIDE, Gather, Output, Recipe, Rhythm, Size, Take, Tuning
from ..core.sequence import gather as gathering
from ..core.sequence.gather import Found, gather, majority_size
from ..core.sequence.names import title_of
from ..core.sequence.pieces import Piece, thumbnail
from ..core.sequence.project_file import ProjectFile
from ..core.sequence.renewal import Known, renewed, with_joined, with_moved
from ..core.sequence.rhythm import own_rhythm
from ..core.stages import Stages, stage_key
from ..core.timing.plan import plan_rhythm
from . import projects
from .models import Frame, Import, ImportClip, ImportFile, Picture, Project, Revision, now
from .projects import Conflict, NotFound, new_id
from .schemas import Choice, NewProject, Renewed, Report
from .store import Store

LONGEST_NAME = 255


def begin(session: Session) -> str:
    """Open an import; nothing shows until it is finished."""
    opened = Import(id=new_id())
    session.add(opened)
    return opened.id


def clean_name(name: str) -> str:
    """The name of an upload with its folders; ``InputError`` when it is none that can be kept."""
    # Browsers write a quote in a form's file name as %22 (HTML Standard, multipart/form-data encoding).
    plain = unicodedata.normalize("NFC", name.replace("%22", '"')).replace("\\", "/")
    parts = [part for part in plain.split("/") if part not in ("", ".")]
    if plain.startswith("/") or ".." in parts or not parts or plain.endswith("/"):
        raise InputError("its name points outside its folder", file=name, remedy="give it a plain name")
    clean = "/".join(parts)
    if len(clean) > LONGEST_NAME:
        raise InputError(
            f"its name has {len(clean)} characters; {LONGEST_NAME} are the most",
            file=clean[:60] + "…",
            remedy="give it a shorter name",
        )
    return clean


def keep(store: Store, stages: Stages, piece: Piece, data: bytes) -> str:
    """Keep a piece's picture, ``data`` if it brings none of its own; returns its hash once it is safe."""
    sha256 = store.put(piece.data if piece.data is not None else data)
    stages.obtain("thumb", _thumb_key(sha256), lambda: piece.thumb)
    return sha256


def thumb_of(stages: Stages, store: Store, sha256: str) -> bytes:
    """A small WebP of a picture in the store."""

    def make() -> bytes:
        return thumbnail(read_picture(store.read(sha256), name=sha256))

    return stages.obtain("thumb", _thumb_key(sha256), make)


def _thumb_key(sha256: str) -> str:
    return stage_key("thumb", 1, sha256)


def note_taken(session: Session, import_id: str, piece: Piece, sha256: str, size: int) -> None:
    """Record a frame of an import; the same name again replaces what it brought before."""
    keep_picture(session, piece, sha256, size)
    _note(
        session,
        import_id,
        piece.name,
        sha256=sha256,
        duration=piece.duration,
        repeat=piece.repeat,
        written=piece.written,
        message="",
        remedy="",
    )


def keep_picture(session: Session, piece: Piece, sha256: str, size: int) -> None:
    """Record a picture of the store, unless it is known already."""
    header, looks = piece.header, piece.looks
    facts = {
        "notes": header.notes,
        "digest": looks.digest,
        "signature": b64encode(looks.signature).decode(),
        "cut": looks.cut,
        "rim": looks.rim,
    }
    values = {
        "sha256": sha256,
        "bytes": size,
        "width": header.width,
        "height": header.height,
        "label": header.label[:40],
        "transparent": header.transparent,
        "facts": facts,
        "created": now(),
    }
    session.execute(insert(Picture).values(**values).on_duplicate_key_update(facts=facts))


def note_refused(session: Session, import_id: str, error: InputError, name: str) -> None:
    """Record a file that could not be used, for the report."""
    _note(
        session,
        import_id,
        name[:LONGEST_NAME],
        sha256=None,
        message=error.message,
        remedy=error.remedy,
    )


def hold_clip(session: Session, import_id: str, name: str, sha256: str, size: int) -> None:
    """Record a clip whose bytes are safe; nothing of it is taken yet. Bringing it twice changes nothing."""
    _open(session, import_id)
    values = {"import_id": import_id, "sha256": sha256, "name": name, "bytes": size}
    session.execute(insert(ImportClip).values(**values).on_duplicate_key_update(name=name))


def held_clip(session: Session, import_id: str, sha256: str) -> ImportClip:
    """A clip that waits; refused when it is not there."""
    _open(session, import_id)
    clip = session.get(ImportClip, (import_id, sha256))
    if clip is None:
        raise NotFound("there is no such clip", remedy="drop it again")
    return clip


def forget(session: Session, import_id: str, folder: str) -> None:
    """Drop what an import has of files whose names begin so."""
    mine = ImportFile.import_id == import_id, ImportFile.name.startswith(folder, autoescape=True)
    session.execute(delete(ImportFile).where(*mine))


def note_enclosed(session: Session, import_id: str, project: ProjectFile) -> None:
    """Record what an archive said of its project: finishing the import makes it again."""
    _open(session, import_id, lock=True).project = project.model_dump_json()


def _note(session: Session, import_id: str, name: str, **facts: Any) -> None:
    key = hashlib.sha256(name.encode()).hexdigest()
    session.execute(
        insert(ImportFile)
        .values(import_id=import_id, name=name, name_key=key, **facts)
        .on_duplicate_key_update(**facts)
    )


def held(session: Session, import_id: str) -> tuple[int, int]:
    """How many files and bytes an open import has already; refused when it is not open."""
    _open(session, import_id)
    count, size = session.execute(
        select(func.count(), func.coalesce(func.sum(Picture.bytes), 0))
        .select_from(ImportFile)
        .outerjoin(Picture, Picture.sha256 == ImportFile.sha256)
        .where(ImportFile.import_id == import_id)
    ).one()
    return count, int(size)


def _open(session: Session, import_id: str, *, lock: bool = False) -> Import:
    opened = session.get(Import, import_id, with_for_update=lock)
    if opened is None:
        raise NotFound("there is no such import", remedy="drop the frames again")
    if opened.state != "open":
        raise Conflict("this import is finished already", remedy="drop the frames again")
    return opened


def look_through(
    session: Session, import_id: str
) -> tuple[list[gathering.Sequence], list[dict[str, str]], dict[str, str]]:
    """The sequences that an import's files make, what is in none of them, and each frame's hash by its name.

    ``InputError`` when there is no sequence at all.
    """
    _open(session, import_id)
    rows = session.execute(
        select(ImportFile, Picture)
        .outerjoin(Picture, Picture.sha256 == ImportFile.sha256)
        .where(ImportFile.import_id == import_id)
    ).all()
    hashes = {row.name: row.sha256 for row, _ in rows if row.sha256}
    sequences, ignored = gather(_found(row, picture) if picture else _refused(row) for row, picture in rows)
    if not sequences:
        reasons = "; ".join(f"{item['file']}: {item['message']}" for item in ignored[:3])
        more = f"; and {len(ignored) - 3} more" if len(ignored) > 3 else ""
        raise InputError(
            f"no usable frames: {reasons}{more}" if ignored else "no frames came",
            remedy=f"drop {NAMED} files, a clip or an archive of frames",
        )
    return sequences, ignored, hashes


def _found(row: ImportFile | Frame, picture: Picture) -> Found:
    facts = picture.facts or {}
    header = Header(
        picture.width,
        picture.height,
        picture.label,
        picture.transparent,
        notes=tuple(facts.get("notes", ())),
    )
    looks = None
    if "digest" in facts:
        signature = b64decode(facts["signature"])
        looks = Looks(facts["digest"], signature, facts["cut"], facts.get("rim", ""))
    if isinstance(row, Frame):
        return Found(row.name, header, None, looks, written=row.written)
    return Found(row.name, header, None, looks, row.duration, row.repeat, written=row.written)


def _refused(row: ImportFile) -> Found:
    return Found(row.name, None, InputError(row.message, file=row.name, remedy=row.remedy))


def finish(
    session: Session, import_id: str, choice: Choice | None = None
) -> tuple[list[Project], list[dict[str, str]]]:
    """Make projects of the sequences the import brought: one of each, unless ``choice`` says otherwise.

    Returns them and the files that went into none.
    """
    opened = _open(session, import_id, lock=True)
    sequences, ignored, hashes = look_through(session, import_id)
    if opened.project is not None and choice is None:
        made_again = _made_again(session, import_id, ProjectFile.model_validate_json(opened.project))
        opened.state = "done"
        return [made_again], ignored
    known = {sequence.pattern: sequence for sequence in sequences}
    wishes = choice.projects if choice else [NewProject(patterns=[pattern]) for pattern in known]
    if not {pattern for wish in wishes for pattern in wish.patterns} <= known.keys():
        raise InputError("a sequence was chosen that this import does not hold", remedy="choose anew")
    made: list[Project] = []
    for wish in wishes:
        chosen = [known[pattern] for pattern in wish.patterns]
        if wish.separate:
            alone = [gather([found])[0][0] for sequence in chosen for found in sequence.files]
            made += [make_project(session, [single], hashes) for single in alone]
        else:
            made.append(make_project(session, chosen, hashes, title=wish.name))
    opened.state = "done"
    return made, ignored


def make_project(
    session: Session,
    sequences: Sequence[gathering.Sequence],
    hashes: dict[str, str],
    *,
    title: str | None = None,
    recipe: Recipe | None = None,
) -> Project:
    """Sequences, one after the other, as a project; with a first recipe that suits them if none is given."""
    together = gathering.joined(sequences)
    files = together.files
    frames = _frames(files, [hashes[found.name] for found in files])
    title = title or title_of(together.pattern)
    recipe = recipe or first_recipe(title, *majority_size(files), unused(together), own_rhythm(files))
    return projects.create(session, title, together.document(), frames, recipe)


def _rows(session: Session, revision: Revision) -> list[tuple[Frame, Picture]]:
    """The frames a revision works on, in order, with their pictures."""
    rows = session.execute(
        select(Frame, Picture)
        .join(Picture, Picture.sha256 == Frame.sha256)
        .where(Frame.project_id == revision.project_id, Frame.frame_set == revision.frame_set)
        .order_by(Frame.position)
    )
    return [(frame, picture) for frame, picture in rows]


def _frames(files: Sequence[Found], hashes: Sequence[str]) -> list[Frame]:
    return [
        Frame(position=position, number=found.number, name=found.name, sha256=sha256, written=found.written)
        for position, (found, sha256) in enumerate(zip(files, hashes, strict=True), 1)
    ]


def enclosed_name(session: Session, import_id: str) -> str | None:
    """The name of the project that an archive of this import described."""
    project = _open(session, import_id).project
    return ProjectFile.model_validate_json(project).name if project is not None else None


def _made_again(session: Session, import_id: str, file: ProjectFile) -> Project:
    """The project that an archive describes, of the frames that came with it, whatever these are called now."""
    came = set(session.scalars(select(ImportFile.sha256).where(ImportFile.import_id == import_id)))
    lacking = [entry for entry in file.frames if entry.sha256 not in came]
    if lacking:
        raise InputError(
            f"{len(lacking)} of the {len(file.frames)} frames of the project did not come, or have changed",
            file=lacking[0].name,
            remedy="bring all parts of the project together, unchanged",
        )
    try:
        report = Report.model_validate(file.report).model_dump(mode="json")
    except ValidationError as error:
        raise InputError("its report cannot be read", remedy="bring its frames without it") from error
    frames = [
        Frame(position=position, number=entry.number, name=entry.name, sha256=entry.sha256)
        for position, entry in enumerate(file.frames, 1)
    ]
    for output in file.recipe.outputs:
        plan_rhythm(file.recipe.gather, file.recipe.rhythm, [0] * len(frames), output.take)
    return projects.create(session, file.name, report, frames, file.recipe)


def split(session: Session, project_id: str, positions: Sequence[int]) -> Project:
    """A new project of some of a project's frames."""
    project = projects.find(session, project_id)
    revision = projects.current(session, project)
    wanted = set(positions)
    rows = [row for row in _rows(session, revision) if row[0].position in wanted]
    if len(rows) < len(wanted):
        raise InputError("the project has no such frames", remedy="choose among those it has")
    files = [_found(frame, picture) for frame, picture in rows]
    first = rows[0][0].number
    title = f"{project.name} from {first if first is not None else rows[0][0].position}"
    hashes = {frame.name: frame.sha256 for frame, _ in rows}
    recipe = Recipe.model_validate(revision.recipe)
    whole = tuple(output.model_copy(update={"take": Take(rate=output.take.rate)}) for output in recipe.outputs)
    kept = recipe.model_copy(
        update={"gather": Gather(), "rhythm": Rhythm(rate=recipe.rhythm.rate), "outputs": whole}
    )
    return make_project(session, gather(files)[0], hashes, title=title[:200], recipe=kept)


def renew(session: Session, project_id: str, import_id: str, most_frames: int) -> Renewed:
    """Lay what an import brought over a project's frames; see :func:`core.sequence.renewal.renewed`."""
    project = projects.find(session, project_id, lock=True)
    revision = projects.current(session, project)
    opened = _open(session, import_id, lock=True)
    sequences, ignored, hashes = look_through(session, import_id)
    rows = _rows(session, revision)
    brought = {hashes[found.name]: found for sequence in sequences for found in sequence.files}
    old = [Known(frame.name, frame.number, frame.sha256) for frame, _ in rows]
    new = [
        Known(found.name, found.number, hashes[found.name])
        for sequence in sequences
        for found in sequence.files
    ]
    result = renewed(old, new)
    if len(result.frames) > most_frames:
        raise InputError(
            f"the project would have {len(result.frames)} frames; {most_frames} are the most",
            remedy="bring fewer, or make them a project of their own",
        )
    there = {frame.sha256: _found(frame, picture) for frame, picture in rows}
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
    label = f"Frames renewed: {counts['replaced']} replaced, {counts['added']} new"
    projects.renew(session, project, label, report, frames, recipe)
    opened.state = "done"
    changed = [p for p, (what, _) in enumerate(result.frames, 1) if what in ("replaced", "added")]
    return Renewed(**counts, changed=changed)


def join(session: Session, project_id: str, other_id: str, most_frames: int) -> None:
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
            f"together they would have {count + len(second[0].files)} frames; {most_frames} are the most",
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
        count,
        len(second[0].files),
        other.name,
    )
    used = [found for at, found in enumerate(together.files, 1) if at not in recipe.gather.left_out]
    if len({(found.header.width, found.header.height) for found in used if found.header}) > 1:
        scaled = recipe.gather.model_copy(update={"sizes": "scale", "size": own})
        recipe = recipe.model_copy(update={"gather": scaled})
    frames = _frames(together.files, [*first[1], *second[1]])
    label = f"{other.name} put behind"[:120]
    projects.renew(session, project, label, together.document(), frames, recipe)


def _as_gathered(session: Session, revision: Revision) -> tuple[gathering.Sequence, list[str]]:
    """The frames of a revision as the sequence they were when they came, and their pictures' hashes."""
    rows = _rows(session, revision)
    report = Report.model_validate(projects.report_of(session, revision))
    files = [replace(_found(frame, picture), number=frame.number) for frame, picture in rows]
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


def unused(sequence: gathering.Sequence) -> frozenset[int]:
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


def first_recipe(
    title: str, width: int, height: int, left_out: frozenset[int] = frozenset(), rhythm: Rhythm | None = None
) -> Recipe:
    """What a new project starts with: its own size, but no wider than a page column."""
    stem = re.sub(r"[^a-z0-9]+", "-", title.lower()).strip("-") or "loop"
    column = 640
    scale = min(1.0, column / width, MAX_SIDE / height)
    size = Size() if scale == 1.0 else Size(width=max(1, round(width * scale)))
    output = Output(file_name=f"{stem[:100]}.gif", size=size, tuning=Tuning(colours=128), budget=1024 * 1024)
    return Recipe(gather=Gather(left_out=left_out), rhythm=rhythm or Rhythm(), outputs=(output,))
