"""The recipe that a file gives, or the frames bring along, with what the options say."""

import argparse
import json
import re
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from ..core.content import head_of, read_file
from ..core.errors import InputError, printable
from ..core.pictures import clip
from ..core.recipe import MAX_PLACES, BaseOutput, GifOutput, Recipe, Rhythm, SheetOutput, bytes_target
from ..core.sequence.files import FileFrame
from ..core.targets.catalogue import find, read_target
from ..core.timing.flicks import parse_delay, written_rate
from ..core.typed import read_number, read_order
from .framing import box_of
from .parsing import first_error, sides_of, size_in_bytes
from .sheets import SHEET_OPTIONS, sheet_settings

FORMATS = {
    ".gif": "gif",
    ".apng": "apng",
    ".png": "apng",
    ".webp": "webp",
    ".avif": "avif",
    ".mp4": "video",
    ".webm": "video",
    ".mov": "video",
}
STILLS = {".png": "png", ".jpg": "jpeg", ".jpeg": "jpeg", ".webp": "webp"}
CODECS = {".mp4": ("h264",), ".webm": ("vp9",), ".mov": ("prores", "png", "qtrle")}
_OWN = {
    "quality": ("webp", "avif", "video", "frames", "still"),
    "lossless": ("webp",),
    "codec": ("video",),
    "plays": ("video",),
    "names": ("frames", "sheet"),
    "first_number": ("frames",),
    "held": ("frames",),
    "colours": ("gif",),
    "palette": ("gif",),
    "dither": ("gif",),
    "dither_amount": ("gif",),
    "dither_matrix": ("gif",),
    "dither_sparing": ("gif",),
    "tolerance": ("gif",),
    "loss": ("gif",),
    "lock": ("gif",),
    "cutoff": ("gif",),
    "edges": ("gif",),
    **dict.fromkeys(SHEET_OPTIONS, ("sheet",)),
}
"""Options that only some formats have."""
_OF_ONE = (
    *("size", "canvas", "place", "fit", "resample", "matte", "keep_alpha", "max_bytes", "target"),
    *("play_fps", "play_by", "one_by_one", "still", "frames"),
)
"""Other options that are said of one output."""


def recipe_of(options: argparse.Namespace, first: Recipe) -> Recipe:
    """The whole recipe; what the options say of an output is said of ``outputs[0]``, which is the one made."""
    base: dict[str, Any] = {}
    if options.recipe:
        path = Path(options.recipe)
        try:
            base = Recipe.model_validate_json(read_file(path)).model_dump(mode="json")
        except ValidationError as error:
            raise InputError(first_error(error), file=path.name, remedy="fix the recipe") from error
    else:
        base = first.model_dump(mode="json")
    _set_rhythm(base, options)
    if options.crop is not None:
        base["framing"] |= {"crop": box_of("--crop", options.crop), "drawn_on": None}
    if options.match_tone is not None:
        base["framing"]["match"] = {"to": options.match_tone, "by": options.match_by or "levels"}
    tone = base["framing"]["tone"]
    _set(*((tone, key, getattr(options, key)) for key in ("exposure", "contrast", "saturation", "gamma")))
    _set((base["framing"], "choke", options.choke))
    if not options.all:
        base["outputs"] = [_output(options, base["outputs"], untimed=_untimed(base["rhythm"], options))]
    cropped = options.line_up is not None and options.line_up_cover == "crop"
    if cropped or options.crop is not None or options.trim is not None or options.trim_bars:
        for output in base["outputs"]:  # what is asked for goes before a crop of their own
            output["framing"] = None
    try:
        return Recipe.model_validate(base)
    except ValidationError as error:
        raise InputError(first_error(error, options), remedy="see 'jayflick make --help'") from error


def _untimed(rhythm: dict[str, Any], options: argparse.Namespace) -> bool:
    try:
        return options.fps is None and Rhythm.model_validate(rhythm).untimed
    except ValidationError:  # which the whole recipe is refused for
        return False


def _set_rhythm(base: dict[str, Any], options: argparse.Namespace) -> None:
    rhythm = base["rhythm"]
    if options.fps is not None:
        rhythm |= {"rate": written_rate(options.fps), "delay": None, "holds": {}}
    if options.delay is not None:
        rhythm |= {"delay": parse_delay(options.delay), "holds": {}}
    if options.order is not None:
        rhythm |= {"order": read_order(options.order, MAX_PLACES), "holds": {}, "spans": []}
    if options.range is not None:
        match = re.fullmatch(r"(\d{1,9})-(\d{1,9})", options.range)
        if match is None:
            raise InputError(
                f"--range {options.range!r} is not a range", remedy="use one such as 1-18, or --order"
            )
        rhythm |= {"first": int(match[1]), "last": int(match[2])}
    if options.reverse:
        rhythm["direction"] = "reverse"
    if options.there_and_back:
        rhythm["direction"] = "there-and-back"
    if options.between is not None:
        rhythm["between"] = {"count": options.between, "by": options.between_by or "motion"}
    if options.length is not None:
        rhythm |= {"length": parse_delay(options.length)}
    if options.speed is not None:
        rhythm |= {"speed": f"{float(read_number(options.speed.removesuffix('%'))):g}", "length": None}
    _set(
        (rhythm, "step", options.step),
        (rhythm, "thinned", options.thinned or ("same-time" if options.step is not None else None)),
        (rhythm, "repeat", options.repeat),
        (rhythm, "dissolve", options.dissolve),
        (base["gather"], "gaps", options.gaps),
    )


def of_frames(options: argparse.Namespace, frame: FileFrame) -> str | None:
    """A size that is a share of the frames', or of their crop, in pixels; any other as it was said."""
    size: str | None = options.size
    if size is None or options.canvas is not None or not size.strip().endswith("%"):
        return size
    if options.trim is not None or options.trim_bars:
        raise InputError("--size in percent and --trim do not go together", remedy="use pixels, such as 580x")
    width = frame.width if options.crop is None else box_of("--crop", options.crop)[2]
    share = read_number(size.strip().removesuffix("%")) / 100
    return f"{max(1, round(width * share))}x"


def _output(options: argparse.Namespace, outputs: list[dict[str, Any]], *, untimed: bool) -> dict[str, Any]:
    """The output that the ending asks for: one of that format, or the first made over into it."""
    form, settings = _asked(options)
    output = next((one for one in outputs if one["format"] == form and _fits(one, settings)), None)
    if output is None:
        output = made_over(outputs[0], form)
        if form == "frames":
            output["names"] = "####"
    output |= settings
    if options.keep_alpha and options.matte is not None:
        raise InputError("--keep-alpha and --matte contradict each other", remedy="use one of them")
    if options.target is not None:
        _aim(output, options.target, untimed=untimed)
        if options.repeat is not None:
            output["take"]["repeat"] = None  # typed, it counts for every output
    if options.canvas is not None:
        canvas = sides_of("--canvas", options.canvas)
        if None in (canvas["width"], canvas["height"]):
            raise InputError(f"--canvas {options.canvas!r} has one side", remedy="use one such as 640x640")
        output["size"] |= {**canvas, "fit": "place"}
        if options.size is not None:
            percent = options.size.strip().endswith("%")
            output["size"]["picture"] = (
                {"percent": float(read_number(options.size.strip().removesuffix("%")))}
                if percent
                else sides_of("--size", options.size)
            )
    elif options.size is not None:
        output["size"] |= sides_of("--size", options.size)
    if options.place is not None:
        corner = re.fullmatch(r"(-?\d{1,5}),(-?\d{1,5})", options.place)
        output["size"]["at"] = [int(corner[1]), int(corner[2])] if corner else options.place
    if options.max_bytes is not None:
        most = size_in_bytes(options.max_bytes)
        limit = bytes_target(most).model_dump(mode="json")
        if output["target"] is None:
            output["target"] = limit
        else:
            output["target"]["figures"] |= limit["figures"]
        if form == "video":
            output["most_bytes"] = most
    if form == "gif":
        if options.matte is not None:
            output["alpha"] |= {"edges": "matte", "matte": options.matte}
        _set(
            (output["alpha"], "cutoff", options.cutoff),
            (output["alpha"], "edges", options.edges),
            (output["tuning"], "colours", options.colours),
            (output["tuning"], "palette", options.palette),
            (output["tuning"], "dither", options.dither),
            (output["tuning"], "amount", options.dither_amount),
            (output["tuning"], "matrix", options.dither_matrix),
            (output["tuning"], "sparing", options.dither_sparing or None),
            (output["tuning"], "tolerance", options.tolerance),
            (output["tuning"], "loss", options.loss),
            (output["tuning"], "locked", options.lock),
        )
    elif options.matte is not None:
        output["over"] = options.matte
    elif not options.keep_alpha and output["over"] is None and _flat(output):
        output["over"] = "#ffffff"
    own = {
        "quality": options.quality,
        "lossless": True if options.lossless else None,
        "plays": options.plays,
        "names": options.names,
        "first_number": options.first_number,
        "held": options.held,
    }
    _set(
        (output["take"], "rate", written_rate(options.play_fps) if options.play_fps else None),
        (output["take"], "keep", "frames" if options.one_by_one else "time" if options.play_fps else None),
        (output["take"], "between", options.play_by),
        (output["size"], "fit", options.fit),
        (output["size"], "resample", options.resample),
        *((output, key, value) for key, value in own.items() if form in _OWN[key]),
    )
    if options.one_by_one and output["take"]["rate"] is None:
        raise InputError("--one-by-one needs a rate", remedy="add --play-fps, or a target that fixes one")
    return output


def _flat(output: dict[str, Any]) -> bool:
    """Whether the format asked for has no alpha."""
    return (
        output.get("codec") == "h264"
        or output.get("picture") in ("bmp", "jpeg")
        or output.get("pixels") == "565"
    )


def _asked(options: argparse.Namespace) -> tuple[str, dict[str, Any]]:
    """The format that ``-o`` asks for, and what it fixes of an output's settings."""
    name = Path(options.output).name
    ending = Path(name).suffix.lower()
    if options.folder and options.sheet is not None:
        raise InputError("a sheet is a file", file=name, remedy="use -o sheet.png")
    if options.folder:
        picture = {"jpg": "jpeg"}.get(options.frames or "png", options.frames or "png")
        settings = {"picture": picture, "file_name": "frames.zip"}
        if picture in ("bmp", "jpeg"):
            settings["pixels"] = "rgb"
        return "frames", settings
    if options.frames is not None:
        raise InputError("--frames needs a folder", file=name, remedy="use -o DIR/")
    if options.still is not None:
        if ending not in STILLS:
            raise InputError("this is no still", file=name, remedy="use .png, .jpg or .webp")
        return "still", {"picture": STILLS[ending], "frame": options.still, "file_name": f"still{ending}"}
    if options.sheet is not None:
        return "sheet", sheet_settings(options, name, ending)
    form = FORMATS.get(ending)
    if form is None:
        raise InputError(
            "this file type cannot be written",
            file=name,
            remedy=f"use {', '.join(FORMATS)}, or DIR/ for frames",
        )
    if form != "video":
        return form, {}
    codec = options.codec or CODECS[ending][0]
    if codec not in CODECS[ending]:
        raise InputError(
            f"{ending} does not hold {codec}", file=name, remedy=f"use --codec {' or '.join(CODECS[ending])}"
        )
    return form, {"codec": codec, "file_name": f"loop{ending}"}


def _fits(output: dict[str, Any], settings: dict[str, Any]) -> bool:
    """Whether an output is the very kind asked for: its codec, its kind of picture."""
    return all(output.get(key) == settings[key] for key in ("codec", "picture") if key in settings)


def made_over(output: dict[str, Any], form: str) -> dict[str, Any]:
    """An output as one of another format: what all have stays, and so does a page colour."""
    if output["format"] == form:
        return output
    endings = {"gif": ".gif", "apng": ".png", "webp": ".webp", "avif": ".avif", "video": ".mp4"}
    ending = {"frames": ".zip", "still": ".png", "sheet": ".png"}.get(form) or endings[form]
    common = {key: output[key] for key in ("id", "name", "take", "framing", "size", "target")}
    stem = Path(output["file_name"]).stem
    made = {**common, "format": form, "file_name": f"{stem}{ending}"}
    over = output.get("over")
    if output["format"] == "gif" and output["alpha"]["edges"] in ("matte", "fill"):
        over = output["alpha"]["matte"]
    if form == "gif":
        made |= {"alpha": {"edges": "matte", "matte": over} if over else {}}
        return GifOutput.model_validate(made).model_dump(mode="json")
    full = Recipe.model_validate({"outputs": [{**made, "over": over}]})
    document: dict[str, Any] = full.outputs[0].model_dump(mode="json")
    return document


def _aim(output: dict[str, Any], name: str, *, untimed: bool) -> None:
    """Set what a target fixes, and leave the rest. ``untimed``: nobody said how fast the frames play."""
    target = read_target(read_file(Path(name)), name) if name.endswith(".json") else find(name)
    preset = target.preset
    output["target"] = target.model_dump(mode="json")
    if preset.width is not None or preset.height is not None:
        output["size"] |= {"width": preset.width, "height": preset.height}
    if preset.fit is not None:
        output["size"]["fit"] = preset.fit
    if preset.rate is not None:
        output["take"] |= {
            "rate": preset.rate,
            "keep": "frames" if untimed and output["take"]["length"] is None else "time",
        }
        if output["format"] == "frames":  # which have no time of their own: one that lasts longer comes again
            output["held"] = "repeated"
    if preset.repeat is not None:
        output["take"]["repeat"] = preset.repeat
    longest = target.figures.get("longest_side")
    if output["format"] == "sheet" and longest and longest.stop and longest.stop.most:
        output["widest"] = int(longest.stop.most)
    if preset.over_page and output["format"] == "gif":
        output["alpha"] |= {"edges": "matte"}


_NEEDS = {
    "thinned": ("step",),
    "play_by": ("play_fps", "target"),
    "between_by": ("between",),
    "views_gutter": ("views",),
    "views_order": ("views",),
    "line_up_box": ("line_up",),
    "line_up_by": ("line_up",),
    "line_up_cover": ("line_up",),
    "match_by": ("match_tone",),
    "may": ("max_bytes",),
    "trials": ("max_bytes",),
    "dither_matrix": ("dither",),
}
"""Options that say more about one of others."""
_OF_LAYOUT = {"columns": "even", "rows": "even", "cell": "even", "turn": "packed"}
"""Options that only one layout of a sheet has."""


def without_effect(options: argparse.Namespace, files: Sequence[Path]) -> list[str]:
    """Notes on options that change nothing here: nothing typed is passed over in silence."""
    notes = [
        f"{typed(option)} has no effect without {' or '.join(map(typed, others))}"
        for option, others in _NEEDS.items()
        if is_typed(options, option) and not any(is_typed(options, one) for one in (*others, "recipe"))
    ]
    if is_typed(options, "place") and not _has_canvas(options):
        notes.append("--place has no effect without --canvas, or a --size of both sides")
    if is_typed(options, "clip") and not any(clip.knows(head_of(path), path.name) for path in files):
        notes.append("--clip has no effect: no clip is among the inputs")
    return notes + _of_other_formats(options)


def _has_canvas(options: argparse.Namespace) -> bool:
    """Whether the picture may be smaller than what it lies on."""
    if options.canvas or options.target or options.recipe:
        return True
    return bool(options.size) and None not in sides_of("--size", options.size).values()


def typed(option: str) -> str:
    """An option as it is typed."""
    return f"--{option.replace('_', '-')}"


def is_typed(options: argparse.Namespace, option: str) -> bool:
    return getattr(options, option) not in (None, False)


def beyond(recipe: Recipe, count: int, options: argparse.Namespace) -> list[str]:
    """Notes on what is said of frames that are not there, or of more than a target takes."""
    notes = []
    if options.recipe and not json.loads(read_file(Path(options.recipe))):
        notes.append(
            f"{printable(Path(options.recipe).name)} says nothing: every setting is as it is by default"
        )
    gone = sorted(position for position in recipe.gather.left_out if position > count)
    if gone:
        names = ", ".join(map(str, gone[:5])) + ("…" if len(gone) > 5 else "")
        notes.append(f"the recipe leaves out frame {names}: there are {count}")
    widest = next((one.widest for one in recipe.outputs if isinstance(one, SheetOutput)), None)
    if options.widest is not None and widest is not None and widest < options.widest and not options.all:
        notes.append(f"--widest {options.widest} is more than the target takes: {widest}")
    return notes


def laid_over(output: BaseOutput, frames: Sequence[FileFrame], options: argparse.Namespace) -> list[str]:
    """A note on the colour that clear pixels got where nobody chose it."""
    if options.matte is not None or options.all or not any(frame.transparent for frame in frames):
        return []
    document = output.model_dump(mode="json")
    if output.format == "gif" or not document.get("over") or not _flat(document):
        return []
    return [f"transparent pixels lie over {document['over']}: --matte sets another colour"]


def _of_other_formats(options: argparse.Namespace) -> list[str]:
    if options.all:
        return [
            f"{typed(option)} has no effect with --all: the recipe says it for each output"
            for option in (*_OWN, *_OF_ONE)
            if is_typed(options, option)
        ]
    form, _ = _asked(options)
    notes = [
        f"{typed(option)} has no effect here: it is for {' and '.join(forms)}"
        for option, forms in _OWN.items()
        if is_typed(options, option) and form not in forms
    ]
    if form == "sheet":
        notes += [
            f"{typed(option)} has no effect here: it is for --sheet {layout}"
            for option, layout in _OF_LAYOUT.items()
            if is_typed(options, option) and options.sheet != layout
        ]
    if form in ("video", "frames", "still", "sheet") and is_typed(options, "repeat"):
        also = ": --plays says how often a clip holds the loop" if form == "video" else ""
        notes.append(f"--repeat has no effect here{also}")
    return notes


def _set(*values: tuple[dict[str, Any], str, Any]) -> None:
    for part, key, value in values:
        if value is not None:
            part[key] = value
