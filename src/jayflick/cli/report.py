"""The report of ``make``: what was done and measured, as a document with a schema."""

import contextlib
import json
import resource
from collections.abc import Sequence
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from ..core.recipe import Recipe, SheetOutput
from ..core.render import Rendered
from ..core.targets.check import Verdict, check, facts_of, has_time, verdict_of
from ..core.timing.flicks import milliseconds
from .writing import Written


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid")


class FileReport(_Part):
    """A file that was written."""

    file: str = Field(description="Its path, from the folder that -o names or lies in", examples=["lamp.gif"])
    bytes: int
    sha256: str


class SecondsReport(_Part):
    """Where the time went."""

    read: float = Field(description="Listing, reading and looking at the frames, once for all outputs")
    rhythm: float
    framing: float
    tuning: float
    encoding: float
    total: float = Field(description="Of this output; of a single one of the whole run")


class RuleReport(_Part):
    """How a rule of the target stands."""

    rule: str
    measured: str
    allowed: str
    verdict: Verdict
    remedy: str


class CheckReport(_Part):
    """Whether the target takes it."""

    target: str
    verdict: Verdict
    rules: list[RuleReport]


class BudgetReport(_Part):
    """What became of --max-bytes."""

    most: int
    met: bool
    trials: int = Field(description="Files that were made to find it")


class OutputReport(_Part):
    """An output."""

    output: str = Field(description="Where it lies; a set ends with /", examples=["lamp.gif", "set/"])
    format: str
    bytes: int = Field(description="Of all files; of a sheet of its pictures")
    width: int
    height: int
    count: int = Field(description="Pictures in it")
    duration_ms: float | None = Field(description="As the file says; null where it has no time")
    wanted_duration_ms: float = Field(description="As the recipe says")
    sheets: list[tuple[int, int]] | None = Field(None, description="Width and height of each page of a sheet")
    files: list[FileReport]
    seconds: SecondsReport
    peak_memory_bytes: int
    scaled_by: str | None = Field(description="The filter by which it was scaled; null: it was not")
    dither: dict[str, Any] | str | None = Field(None, description="Which one automatic chose")
    notes: list[str]
    check: CheckReport | None = None
    budget: BudgetReport | None = None


class Report(OutputReport):
    """One output, and the recipe it was made by."""

    options: Recipe = Field(description="The whole recipe, as --recipe takes it")


class TotalSeconds(_Part):
    """How long it took."""

    total: float


class AllReport(_Part):
    """All outputs of a recipe or project, by --all."""

    outputs: list[OutputReport]
    seconds: TotalSeconds
    options: Recipe = Field(description="The whole recipe, as --recipe takes it")


class ErrorReport(_Part):
    """Why nothing was made of a sequence."""

    message: str
    file: str | None
    remedy: str


class SequenceReport(_Part):
    """One of many sequences; what ``batch --json`` prints, a line each."""

    sequence: str = Field(description="Its name, and folders that set it apart", examples=["E/tern-dive"])
    state: Literal["made", "kept", "failed"] = Field(description="kept: from an earlier run, unchanged")
    seconds: float
    notes: list[str] = []
    outputs: list[OutputReport] = []
    error: ErrorReport | None = None


class BatchReport(_Part):
    """All sequences of ``batch``, by name."""

    sequences: list[SequenceReport]
    seconds: TotalSeconds


def schema() -> str:
    """The JSON Schema (draft 2020-12) of what ``--json`` prints and ``--report`` writes."""
    either: TypeAdapter[Any] = TypeAdapter(Report | AllReport | SequenceReport | BatchReport)
    document = {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "A report of jayflick make or batch",
        **either.json_schema(mode="serialization"),
    }
    return json.dumps(document, indent=2, ensure_ascii=False) + "\n"


def report_of(
    recipe: Recipe, output_id: str, rendered: Rendered, place: Path, written: Sequence[Written], read: float
) -> dict[str, Any]:
    """What is told of an output; its total seconds are those of this output."""
    info, output = rendered.info, recipe.output(output_id)
    if isinstance(output, SheetOutput):  # of the picture that is written, not of a frame on it
        width, height = info["sheets"][0]
        info = {**info, "width": width, "height": height, "bytes": info["picture_bytes"]}
    if not has_time(output, info):
        info = {**info, "duration_ms": None}
    seconds = {
        stage: round(rendered.seconds[stage], 4) for stage in ("rhythm", "framing", "tuning", "encoding")
    }
    below = place if written[0].path.parent == place else place.parent
    report = {
        "output": place.name + ("/" if below == place else ""),
        "format": info["format"],
        **{key: info[key] for key in ("bytes", "width", "height", "count", "duration_ms")},
        **({"sheets": info["sheets"]} if "sheets" in info else {}),
        "wanted_duration_ms": milliseconds(rendered.plan.durations),
        "files": [
            {"file": _from(below, file.path), "bytes": file.bytes, "sha256": file.sha256} for file in written
        ],
        "seconds": {"read": round(read, 4), **seconds, "total": round(sum(seconds.values()), 4)},
        "peak_memory_bytes": _peak_memory(),
        "scaled_by": rendered.scaled_by,
        **({"dither": info["dither"]} if "dither" in info else {}),
        "options": recipe.model_dump(mode="json"),
        "notes": rendered.notes,
    }
    if output.target is not None and output.target.name:
        names = [file.name for file in rendered.timed.files]
        facts = facts_of(output, info, names, rendered.held.milliseconds)
        checked = check(facts, output.target, output)
        report["check"] = {
            "target": output.target.name,
            "verdict": verdict_of(checked),
            "rules": [rule.document() for rule in checked],
        }
    return report


def _from(folder: Path, path: Path) -> str:
    """A path from a folder; a description that lies elsewhere by its name."""
    return path.relative_to(folder).as_posix() if path.is_relative_to(folder) else path.name


def whole(reports: list[dict[str, Any]], total: float, *, several: bool) -> dict[str, Any]:
    """The report on all that was made: of one output, or with a list of them."""
    last = reports[-1]
    if not several:
        last["seconds"]["total"] = round(total, 4)
        return last
    document = last["options"]
    for report in reports:
        del report["options"]
    return {"outputs": reports, "seconds": {"total": round(total, 4)}, "options": document}


def _peak_memory() -> int:
    """The most memory this process ever had resident, in bytes.

    Asked of the kernel's own page on it: the usual call also counts what a parent had before it started us.
    """
    with contextlib.suppress(OSError):
        for line in Path("/proc/self/status").read_text().splitlines():
            if line.startswith("VmHWM:"):
                return int(line.split()[1]) * 1024
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
