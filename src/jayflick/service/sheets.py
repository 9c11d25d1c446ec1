"""How a project's sheet would be laid out: answered at once, nothing is made."""

from sqlalchemy.orm import Session

from ..core.errors import InputError
from ..core.formats.sheet.layout import Space
from ..core.formats.sheet.plan import plan_sheet
from ..core.recipe import SheetOutput
from ..core.stages import Stages
from . import projects
from .checks import remedy_info
from .errors import NotFound
from .frames import FrameLists
from .schemas.plans import PlanRequest, SheetInfo, SheetRow


def layout(
    session: Session, stages: Stages, lists: FrameLists, project_id: str, request: PlanRequest
) -> SheetInfo:
    """The sheets of an output under a recipe that need not be the project's own."""
    project = projects.find(session, project_id)
    frames = lists.of(session, project_id, projects.current(session, project).frame_set).frames
    try:
        output = request.recipe.output(request.output_id)
    except KeyError:
        raise NotFound("there is no such output") from None
    if not isinstance(output, SheetOutput):
        raise InputError("this output is no sheet", remedy="choose one that is")
    plan = plan_sheet(request.recipe, frames, output, stages)
    most = Space.of(output).most
    if plan is None:
        return SheetInfo(measured=False, most=most)
    found = plan.laid.layout
    return SheetInfo(
        measured=True,
        most=most,
        sheets=list(found.sheets),
        cells=[(cell.sheet, cell.x, cell.y, int(cell.turned)) for cell in found.cells],
        boxes=[tuple(box) for box in plan.laid.boxes],
        positions=list(plan.positions),
        of_step=list(plan.items.of_step),
        off=sorted(found.off),
        rows=[
            SheetRow(name=name, count=count)
            for name, count in zip(plan.items.row_names, plan.items.rows, strict=True)
        ],
        columns=found.columns,
        empty=found.empty,
        canvas=plan.canvas,
        crop=tuple(plan.crop),
        placed=tuple(plan.placed),
        texture_bytes=plan.texture_bytes,
        unused=plan.unused,
        remedies=[remedy_info(remedy) for remedy in plan.remedies],
    )
