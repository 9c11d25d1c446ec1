"""Many projects as one table: a row each, with what is known of every output."""

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.recipe import Output, Recipe
from ..core.sequence.settled import open_questions
from .cards import Wanted, results_of
from .checks import check_of
from .models import FrameSet, Job, Project, Revision, TrialRow
from .queueing import UNDER_WAY
from .schemas.batches import CellResult, TableCell, TableRow
from .schemas.checks import CheckInfo
from .schemas.results import ResultInfo


def table(session: Session, wanted: Sequence[str] | None) -> list[TableRow]:
    """Rows of the projects that are on the shelf, by name; ``wanted``: only of these."""
    query = (
        select(Project.id, Project.name, Project.changed, Revision.id.label("revision_id"))
        # Of a report only this part: that it lists every file makes it long.
        .add_columns(Revision.parent_id, Revision.recipe, FrameSet.report["problems"].label("problems"))
        .join(Revision, Revision.id == Project.revision_id)
        .join(
            FrameSet,
            (FrameSet.project_id == Project.id) & (FrameSet.number == Revision.frame_set),
        )
        .where(Project.removed.is_(None))
    )
    if wanted is not None:
        query = query.where(Project.id.in_(wanted))
    projects = session.execute(query).all()
    recipes = {one.id: Recipe.model_validate(one.recipe) for one in projects}
    near = [Wanted(one.id, one.revision_id, one.parent_id, recipes[one.id]) for one in projects]
    results = results_of(session, near) if near else {}
    jobs = _jobs(session, [one.revision_id for one in projects])
    likeness = _likenesses(session, results)
    rows = []
    for one in projects:
        made = {result.output_id: result for result in results[one.id]}
        cells = [
            _cell(
                output,
                made.get(output.id),
                one.revision_id,
                jobs.get((one.revision_id, output.id)),
                likeness.get((one.id, output.id, made[output.id].pixels)) if output.id in made else None,
            )
            for output in recipes[one.id].outputs
        ]
        rows.append(
            TableRow(
                id=one.id,
                name=one.name,
                changed=one.changed,
                notes=open_questions(one.problems, recipes[one.id]),
                cells=cells,
            )
        )
    return sorted(rows, key=lambda row: (row.name.casefold(), row.id))


def _jobs(session: Session, revisions: Sequence[int]) -> dict[tuple[int, str], Job]:
    """The newest job of each output of these revisions."""
    rows = session.scalars(
        select(Job).where(Job.revision_id.in_(revisions), Job.state != "superseded").order_by(Job.id)
    )
    return {(job.revision_id, job.output_id): job for job in rows}


def _likenesses(
    session: Session, results: dict[str, list[ResultInfo]]
) -> dict[tuple[str, str, str], dict[str, object]]:
    """What was measured on the very pictures that results have."""
    pixels = {result.pixels for some in results.values() for result in some}
    columns = TrialRow.project_id, TrialRow.output_id, TrialRow.coded_key, TrialRow.likeness
    mine = TrialRow.project_id.in_(results), TrialRow.coded_key.in_(pixels), TrialRow.likeness.is_not(None)
    rows = session.execute(select(*columns).where(*mine))
    return {(row[0], row[1], row[2]): row[3] for row in rows if row[3] is not None}


def _cell(
    output: Output,
    result: ResultInfo | None,
    revision: int,
    job: Job | None,
    likeness: dict[str, object] | None,
) -> TableCell:
    check = None
    if output.target is not None and result is not None and result.info.format == output.format:
        check = check_of(output, result)
    state = "" if job is None else "making" if job.state in UNDER_WAY else job.state
    failed = job is not None and job.state == "failed" and job.error
    return TableCell(
        id=output.id,
        name=output.name,
        kind=output.kind,
        file_name=output.file_name,
        result=None if result is None else _result(result, likeness),
        behind=result is not None and result.revision_id != revision,
        job=state if state in ("making", "failed", "cancelled") else "",
        error=str(job.error["message"]) if job is not None and failed and job.error else "",
        most_bytes=None if output.target is None else output.target.most_bytes,
        target="" if output.target is None else output.target.title,
        verdict=None if check is None else check.verdict,
        broken=[] if check is None else _broken(check),
    )


def _result(result: ResultInfo, likeness: dict[str, object] | None) -> CellResult:
    known: dict[str, dict[str, object]] = likeness or {}  # type: ignore[assignment]
    info = result.info
    return CellResult(
        id=result.id,
        key=result.key,
        bytes=info.bytes,
        width=info.width,
        height=info.height,
        count=info.count,
        duration_ms=info.duration_ms,
        transparent=info.transparent,
        ssim=(known.get("likeness") or {}).get("ssim"),
        stands_out=(known.get("stands_out") or {}).get("blemish") or "",
    )


def _broken(check: CheckInfo) -> list[str]:
    return [
        f"{rule.rule}: {rule.measured}, allowed {rule.allowed}"
        for rule in check.rules
        if rule.verdict != "pass"
    ]
