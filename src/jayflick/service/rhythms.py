"""What a rhythm would play, and where its loop closes: answered at once, nothing is changed."""

from concurrent.futures import ThreadPoolExecutor
from io import BytesIO

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from sqlalchemy.orm import Session

from ..core.errors import InputError
from ..core.pictures.fingerprint import preview
from ..core.recipe import Recipe
from ..core.stages import Stages, cache_key
from ..core.store import Store
from ..core.timing import held as held_as
from ..core.timing.flicks import milliseconds
from ..core.timing.plan import plan_rhythm
from ..core.timing.seam import Closing, find_seams
from . import projects
from .errors import NotFound
from .frames import FrameLists
from .pictures import thumb_of
from .schemas.plans import ClosingInfo, HeldInfo, PlanInfo, PlanRequest, SeamInfo

READERS = 2
"""Pictures previewed side by side."""


def plan(session: Session, lists: FrameLists, project_id: str, request: PlanRequest) -> PlanInfo:
    """What an output would play under a recipe that need not be the project's own."""
    project = projects.find(session, project_id)
    frames = lists.of(session, project_id, projects.current(session, project).frame_set)
    recipe = request.recipe
    try:
        output = recipe.output(request.output_id)
    except KeyError:
        raise NotFound("there is no such output") from None
    made = plan_rhythm(recipe.gather, recipe.rhythm, frames.gaps, output.take)
    held = [form(made.durations) for form in (held_as.gif, held_as.webp, held_as.apng)]
    held.append(held_as.video(made.times))
    return PlanInfo(
        shots=[str(shot) for shot in made.shots],
        positions=list(made.positions),
        places=list(made.places),
        durations=list(made.durations),
        dropped=list(made.dropped),
        duration_ms=milliseconds(made.durations),
        formats=[
            HeldInfo(
                format=one.format,
                unit=str(one.unit),
                units=one.units,
                duration_ms=float(one.seconds * 1000),
            )
            for one in held
        ],
    )


def seam(
    session: Session, stages: Stages, store: Store, project_id: str, lists: FrameLists, least: int
) -> SeamInfo:
    """How the frames that are used close as a loop, in their order, and which ranges close best."""
    project = projects.find(session, project_id)
    revision = projects.current(session, project)
    recipe = Recipe.model_validate(revision.recipe)
    hashes = [info.sha256 for info in lists.of(session, project_id, revision.frame_set).infos]
    order = recipe.rhythm.order or range(1, len(hashes) + 1)
    unused = recipe.gather.left_out | recipe.gather.folded | {0}
    places = [place for place, position in enumerate(order, 1) if position not in unused]
    if len(places) < 2:
        raise InputError("a loop needs at least two frames", remedy="use two or more")
    wanted = [hashes[order[place - 1] - 1] for place in places]
    with ThreadPoolExecutor(READERS) as pool:
        seen = dict(
            zip(
                dict.fromkeys(wanted),
                pool.map(lambda one: _preview(stages, store, one), dict.fromkeys(wanted)),
                strict=True,
            )
        )
    lengths = {len(one) for one in seen.values()}
    if len(lengths) > 1:
        raise InputError("frames of different shapes cannot loop", remedy="scale them or leave the others out")
    found = find_seams(np.stack([seen[one] for one in wanted]), least)

    def shown(closing: Closing) -> ClosingInfo:
        return ClosingInfo(
            first=places[closing.first],
            last=places[closing.last],
            count=closing.last - closing.first + 1,
            step=round(closing.step, 2),
            jump=round(closing.jump, 3),
        )

    return SeamInfo(
        places=places,
        steps=[round(step, 2) for step in found.steps],
        usual=round(found.usual, 2),
        whole=shown(found.whole),
        best=[shown(closing) for closing in found.best],
    )


def _preview(stages: Stages, store: Store, sha256: str) -> NDArray[np.uint8]:
    """The preview of a picture, made from its thumbnail."""

    def make() -> bytes:
        with Image.open(BytesIO(thumb_of(stages, store, sha256))) as small:
            return preview(small).tobytes()

    return np.frombuffer(stages.obtain("preview", cache_key("preview", 1, sha256), make), np.uint8)
