"""How like their frames results are: measured when it is asked for, and kept."""

import json
import threading
import time
from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from ..core.errors import Cancelled, InputError
from ..core.formats.spent import Spent, spent
from ..core.framing.prepared import SourceFrame
from ..core.quality.likeness import Likeness
from ..core.recipe import Recipe, SheetOutput
from ..core.stages import Stages, cache_key
from ..core.tuning.trial import MEASURE_VERSION, Measured, lost, measure, page_colour
from .coded import OutputFiles
from .errors import Conflict, Unavailable
from .schemas.likeness import LikenessInfo
from .schemas.results import ResultInfo
from .schemas.searches import TrialFile

MOST_PIXELS = 60_000_000
"""Looked at of an output: of more, some of its steps are, evenly apart."""

MOST_WAIT = 20.0
"""Seconds that one waits for its turn: those who wait hold a thread each."""
_DOCUMENT_VERSION = 3
_LOOK = 0.1
"""Seconds between two looks whether it is still wanted."""


class _GivesWayError(Exception):
    """What is measured is wanted, but later."""


class Likenesses:
    """Measures one result at a time; one of the same output that is asked for later takes its place."""

    def __init__(self, stages: Stages) -> None:
        self._stages = stages
        self._measuring = threading.Lock()
        self._stopped = threading.Event()
        self._newest: dict[tuple[str, str, bool], str] = {}
        """By project and output, of results and of trials, what was asked for last."""
        self._pressing: set[object] = set()
        """Who waits for a result: trials give way to them."""

    def interrupt(self) -> None:
        """Give up what is measured, before the server stops."""
        self._stopped.set()

    def of(
        self,
        project_id: str,
        result: OutputFiles[ResultInfo] | OutputFiles[TrialFile],
        recipe: Recipe,
        frames: Sequence[SourceFrame],
    ) -> LikenessInfo:
        """Of what was made by a recipe.

        A trial gives way to results, and is begun anew after them. Raises ``Conflict`` when another result, or
        another trial, of the output is asked for meanwhile.
        """
        if isinstance(result.output, SheetOutput):
            raise InputError(
                "a sheet is not measured", file=result.output.file_name, remedy="look at its frames"
            )
        info = result.info
        key = cache_key(
            "likeness",
            MEASURE_VERSION,
            _DOCUMENT_VERSION,
            info.sources,
            result.coded.key,
            info.at,
            page_colour(result.output),
        )
        trial = isinstance(info, TrialFile)
        where = project_id, result.output.id, trial
        self._newest[where] = key

        def wanted() -> None:
            if self._stopped.is_set():
                raise Unavailable("the service is stopping", remedy="ask again once it is back")
            if self._newest[where] != key:
                raise Cancelled("another file was asked for")

        def on_step() -> None:
            wanted()
            if trial and self._pressing:
                raise _GivesWayError

        def make() -> bytes:
            deadline = time.monotonic() + MOST_WAIT
            while True:
                while (trial and self._pressing) or not self._measuring.acquire(timeout=_LOOK):
                    wanted()
                    if time.monotonic() > deadline:
                        raise Unavailable("too much is being measured", remedy="ask again in a moment")
                    if trial and self._pressing:
                        self._stopped.wait(_LOOK)
                try:
                    on_step()
                    most = max(1, MOST_PIXELS // (info.info.width * info.info.height))
                    made = recipe, frames, result.output.id, result.timed, self._stages
                    measured = measure(*made, most=most, on_step=on_step)
                    bytes_spent = spent(result.output, result.coded, result.timed)
                    return json.dumps(_document(measured, bytes_spent)).encode()
                except _GivesWayError:
                    continue
                finally:
                    self._measuring.release()

        pressing = object()
        if not trial:
            self._pressing.add(pressing)
        try:
            return LikenessInfo.model_validate_json(self._stages.obtain("likeness", key, make))
        except Cancelled as error:
            raise Conflict(str(error)) from error
        finally:
            self._pressing.discard(pressing)


def _document(measured: Measured, bytes_spent: Spent | None) -> dict[str, Any]:
    return {
        "whole": figures_of(measured.whole),
        "error": lost(measured.whole),
        "steps": measured.steps,
        "parts": [figures_of(part) for part in measured.parts],
        "stands_out": None if measured.worst is None else asdict(measured.worst),
        "spent": None if bytes_spent is None else asdict(bytes_spent),
    }


def figures_of(of: Likeness) -> dict[str, float | None]:
    """As the interface shows them."""
    figures = {name: value for name, value in asdict(of).items() if name != "error"}
    return {"psnr": of.psnr, **figures}
