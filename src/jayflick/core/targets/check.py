"""Whether a file is taken where it goes: what was measured against what is allowed, and what would help."""

import math
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any, Literal, NamedTuple

from ..broadcast.cover import Cover
from ..framing.size import enlarged_by, place
from ..recipe import (
    BaseOutput,
    Figure,
    FramesOutput,
    GifOutput,
    Kind,
    PictureSize,
    Rule,
    SheetOutput,
    Size,
    Target,
    VideoOutput,
)
from ..timing.conform import GIF_FLOOR
from ..timing.flicks import SECOND, written_rate
from ..timing.held import BROWSER_FLOOR

Verdict = Literal["pass", "warn", "fail"]


@dataclass(frozen=True)
class Facts:
    """What was measured on the files of an output."""

    kind: Kind | None
    """``None``: nothing that is made here."""
    names: tuple[str, ...]
    bytes: int
    width: int
    height: int
    frames: int
    transparent: bool
    duration_ms: float | None = None
    """``None``: the files have no time."""
    shortest_delay_ms: float | None = None
    repeat: int | None = None
    cover: Cover | None = None
    """Of a numbered set: how much of the picture each frame covers."""
    cut: int | None = None
    """Of a numbered set: where the cut was set by hand, from 1."""
    source_size: tuple[int, int] | None = None
    """Width and height of what is shown of the sources, before it is scaled, if that is known."""
    enlarged: float | None = None
    """By how much that was enlarged, where pixels were mixed for it."""
    family: str = ""
    """Of files that are there: what their bytes say they are."""
    also: Kind | None = None
    """A loop of one frame is a still as well."""

    @property
    def called(self) -> str:
        """What kind of file it is, in a word."""
        if self.kind in ("still", "sheet", None) and self.family:
            return f"a sheet, {self.family}" if self.kind == "sheet" else self.family
        return _NAMES[self.kind] if self.kind else "unknown"


@dataclass(frozen=True)
class Setting:
    """A value to be set in the recipe: ``output`` or ``rhythm``, then keys."""

    path: tuple[str, ...]
    value: Any


@dataclass(frozen=True)
class Remedy:
    """A change that would help, made by one edit."""

    text: str
    settings: tuple[Setting, ...]


@dataclass(frozen=True)
class Checked:
    """How one rule stands."""

    rule: str
    measured: str
    allowed: str
    verdict: Verdict
    source: str = ""
    remedy: Remedy | None = None
    help: str = ""
    """What would help, where no single change does."""

    def document(self) -> dict[str, Any]:
        """As the command line prints it."""
        return {
            "rule": self.rule,
            "measured": self.measured,
            "allowed": self.allowed,
            "verdict": self.verdict,
            "remedy": self.remedy.text if self.remedy else self.help,
        }


_WORST = ("pass", "warn", "fail")
_NAMES: dict[Kind, str] = {
    "gif": "GIF",
    "apng": "APNG",
    "webp": "WebP",
    "avif": "AVIF",
    "mp4": "MP4",
    "webm": "WebM",
    "mov": "MOV",
    "png-frames": "PNG frames",
    "tga-frames": "TGA frames",
    "bmp-frames": "BMP frames",
    "jpeg-frames": "JPEG frames",
    "still": "a still",
    "sheet": "a sheet",
}
_TITLES: dict[Figure, str] = {
    "bytes": "Bytes",
    "width": "Width",
    "height": "Height",
    "longest_side": "Longest side",
    "pixels": "Pixels",
    "frames": "Frames",
    "duration_ms": "Duration",
    "fps": "Rate",
    "shortest_delay_ms": "Shortest delay",
    "frame_bytes": "Memory a frame",
}


def facts_of(
    output: BaseOutput, info: Mapping[str, Any], names: Sequence[str], delays_ms: Sequence[float]
) -> Facts:
    """What was measured on an output that was made: ``info`` and the played delays."""
    moving = has_time(output, info)
    delays_ms = file_delays(output, info, delays_ms)
    if info.get("sheets"):  # what is loaded is the sheet, not a frame of it
        sides = [max(sides) for sides in zip(*info["sheets"], strict=True)]
        info = {**info, "width": sides[0], "height": sides[1]}
    return Facts(
        output.kind,
        tuple(names),
        info["bytes"],
        info["width"],
        info["height"],
        info["count"],
        info["transparent"],
        info["duration_ms"] if moving else None,
        min((delay for delay in delays_ms if delay > 0), default=None) if moving else None,
        info["repeat"] if moving else None,
        Cover(tuple(info["opaque"])) if info.get("opaque") else None,
        output.cut if isinstance(output, FramesOutput) else None,
        info.get("source_size"),
        info.get("enlarged"),
    )


def has_time(output: BaseOutput, info: Mapping[str, Any]) -> bool:
    """Whether the files of an output say how long they last: a loop of one frame may be written as a still."""
    return output.kind != "still" and not (output.format in ("webp", "avif") and info["count"] == 1)


def file_delays(output: BaseOutput, info: Mapping[str, Any], delays_ms: Sequence[float]) -> Sequence[float]:
    """How long each file of a set, or each picture of a file, is shown, from the played delays.

    A set that writes what lasts longer again and again shows each of its files for as long.
    """
    if isinstance(output, FramesOutput) and output.held == "repeated":
        return [info["duration_ms"] / info["count"]]
    return delays_ms


def verdict_of(checked: Sequence[Checked]) -> Verdict:
    """The worst of all."""
    for verdict in ("fail", "warn"):
        if any(one.verdict == verdict for one in checked):
            return "fail" if verdict == "fail" else "warn"
    return "pass"


def check(facts: Facts, target: Target, output: BaseOutput | None = None) -> list[Checked]:
    """The rules of a target on a file. With the ``output`` it was made by, remedies are changes of it."""
    checked = []
    if target.formats:
        checked.append(_format(facts, target))
    if target.sizes:
        checked.append(_size(facts, target, output))
    for figure, rule in target.figures.items():
        measured = _measured(facts, figure)
        if measured is not None:
            checked.append(_figure(figure, measured, rule, facts, target, output))
    if target.alpha != "any":
        checked.append(_alpha(facts, target, output))
    if target.cover and facts.cover is not None:
        checked.append(_cover(facts.cover, facts.cut, output))
    if target.repeat is not None and facts.repeat is not None and facts.kind in ("gif", "apng", "webp", "avif"):
        checked.append(_repeat(facts.repeat, target.repeat))
    if target.plain_name:
        checked.append(_name(facts, output))
    if facts.enlarged is not None and not target.cover:  # what has to cover is as large as that takes
        checked.append(_enlarged(facts.enlarged, facts, target, output))
    return checked


def _format(facts: Facts, target: Target) -> Checked:
    allowed = ", ".join(_NAMES[kind] for kind in target.formats)
    if facts.kind in target.formats or facts.also in target.formats:
        return Checked("Format", facts.called, allowed, "pass")
    if facts.kind == "still" and "sheet" in target.formats:  # no picture tells by itself that it is one
        text = "keep the sheet's description beside it: NAME.json"
        return Checked("Format", f"{facts.called}, with no description", allowed, "warn", help=text)
    text = f"add an output of another format: {allowed}"
    return Checked("Format", facts.called, allowed, "fail", help=text)


def _measured(facts: Facts, figure: Figure) -> float | None:
    """What a rule looks at; ``None`` where the files do not have it."""
    if figure == "longest_side":
        return max(facts.width, facts.height)
    if figure == "pixels":
        return facts.width * facts.height
    if figure == "frame_bytes":
        return facts.width * facts.height * 4
    if figure == "fps":
        return 1000 / facts.shortest_delay_ms if facts.shortest_delay_ms else None
    value: float | None = getattr(facts, figure)
    return value


def _figure(
    figure: Figure, measured: float, rule: Rule, facts: Facts, target: Target, output: BaseOutput | None
) -> Checked:
    measured = round(measured, 3)
    verdict: Verdict = "pass"
    bounds = rule.stop or rule.warn
    if rule.stop is not None and not rule.stop.hold(measured):
        verdict = "fail"
    elif rule.warn is not None and not rule.warn.hold(measured):
        verdict, bounds = "warn", rule.warn
    least, most = (bounds.least, bounds.most) if bounds else (None, None)
    if least is not None and least == most:
        allowed = _shown(figure, least)
    else:
        ends = (f"at least {_shown(figure, least)}" if least is not None else "",) + (
            (f"at most {_shown(figure, most)}",) if most is not None else ()
        )
        allowed = ", ".join(end for end in ends if end) or "any"
    remedy = None
    if verdict != "pass" and output is not None:
        offers = _offers(figure, measured, least, most, facts, output)
        remedy = _chosen(offers, _TITLES[figure], facts, target, output)
    text = "" if verdict == "pass" or remedy else _help(figure, measured, most)
    title = _TITLES[figure]
    return Checked(title, _shown(figure, measured), allowed, verdict, rule.source, remedy, text)


def _shown(figure: Figure, value: float) -> str:
    """A figure with its unit."""
    if figure in ("bytes", "frame_bytes"):
        # Up, as everywhere: what is a byte over a limit must not read as the limit.
        return f"{math.ceil(value / 1024)} KB" if value >= 1024 else f"{value:.0f} bytes"
    if figure in ("duration_ms", "shortest_delay_ms"):
        return f"{value / 1000:g} s" if figure == "duration_ms" else f"{value:g} ms"
    if figure == "fps":
        return f"{round(value, 2):g} fps"
    if figure == "frames":
        return f"{value:.0f}"
    return f"{value:,.0f} px".replace(",", " ")


def _help(figure: Figure, measured: float, most: float | None) -> str:
    over = most is not None and measured > most
    return {
        "bytes": "spend less: more loss, fewer colours, a lower quality or a smaller size",
        "frames": "use fewer frames, or thin them out" if over else "use more frames",
        "duration_ms": "make it shorter" if over else "make it longer",
    }.get(figure, "change it in the output's settings")


class _Offer(NamedTuple):
    """A remedy, and what it makes of the facts as far as arithmetic tells."""

    remedy: Remedy
    after: Facts


def _chosen(
    offers: Iterable[_Offer], rule: str, facts: Facts, target: Target, output: BaseOutput
) -> Remedy | None:
    """The first remedy that makes its rule pass and breaks none that passed."""
    before = {one.rule: one.verdict for one in check(facts, target, None)}
    for remedy, after in offers:
        made = {one.rule: one.verdict for one in check(after, target, None)}
        worse = any(_WORST.index(made[name]) > _WORST.index(before.get(name, "pass")) for name in made)
        if made.get(rule, "pass") == "pass" and not worse:
            return remedy
    return None


def _offers(
    figure: Figure, measured: float, least: float | None, most: float | None, facts: Facts, output: BaseOutput
) -> Iterator[_Offer]:
    """What may help, the plainest first."""
    over = most is not None and measured > most
    if isinstance(output, SheetOutput):
        if figure in ("width", "height", "longest_side") and over and most:
            yield from _laid_out_within(int(most), facts, output)
        return
    if figure in ("width", "height", "longest_side", "pixels", "frame_bytes") and over and most:
        share = most / measured
        yield _scaled(facts, output, math.sqrt(share) if figure in ("pixels", "frame_bytes") else share)
    if figure == "bytes" and over and most:
        yield from _lighter(int(most), facts, output)
    if figure in ("frames", "fps", "duration_ms"):
        yield from _retimed(figure, measured, least, most, facts, output)


def _laid_out_within(side: int, facts: Facts, output: SheetOutput) -> Iterator[_Offer]:
    """A sheet within other sides: on several, or with its cells smaller by as much."""
    within = replace(facts, width=min(facts.width, side), height=min(facts.height, side))
    widest = Setting(("output", "widest"), side)
    if output.split:
        yield _Offer(Remedy(f"lay it out within {side} px", (widest,)), within)
    elif facts.source_size is not None:
        canvas = place(output.size, *facts.source_size).canvas
        longest = max(facts.width, facts.height)
        around = 2 * output.margin + (longest // min(canvas) + 1) * (output.spacing + 2 * output.extrude)
        # Packed art is cut to whole pixels, which may take one more each.
        share = (side - around) / longest * (0.95 if output.layout == "packed" else 1)
        if share > 0:
            smaller = _scaled(replace(facts, width=canvas[0], height=canvas[1]), output, share).remedy
            words = f"{smaller.text}, within {side} px"
            yield _Offer(Remedy(words, (*smaller.settings, widest)), within)


_FRAME_BYTES = 80
"""About what a picture costs in a file however small it is, and what a file does without any."""
_FILE_BYTES = 600
_HALVED = 6
"""Steps of H.264's and VP9's quality that halve the bytes (common practice, no published source)."""


def _lighter(most: int, facts: Facts, output: BaseOutput) -> Iterator[_Offer]:
    """Fewer bytes: of clips by quality, otherwise by a smaller picture, estimated so that it is enough."""
    fixed = _FILE_BYTES + _FRAME_BYTES * facts.frames
    fits = replace(facts, bytes=most)
    room, spent = most - fixed, max(facts.bytes - fixed, 1)
    if room <= 0:
        return
    if isinstance(output, VideoOutput) and output.codec in ("h264", "vp9"):
        steps = output.quality * (0.35 if output.codec == "h264" else 0.5)
        if spent / 2 ** (steps / _HALVED) * 2 < room:
            lower = (Setting(("output", "most_bytes"), most),)
            yield _Offer(Remedy(f"lower the quality to fit {_shown('bytes', most)}", lower), fits)
    # Bytes go with the area at most; of flat art, and with loss, with less of it.
    lossy = not isinstance(output, GifOutput) and output.format != "apng"
    smaller = _scaled(facts, output, (room / spent) ** (1.0 if lossy else 0.75) * 0.95)
    yield _Offer(smaller.remedy, replace(smaller.after, bytes=most))


def _retimed(
    figure: Figure, measured: float, least: float | None, most: float | None, facts: Facts, output: BaseOutput
) -> Iterator[_Offer]:
    """Other rates and lengths of this output alone: kept as long, or frame by frame."""
    wanted = most if most is not None and measured > most else least
    if not wanted or not facts.duration_ms:
        return
    rule = output.target.figures if output.target is not None else {}
    rates = [wanted] if figure == "fps" else []
    bounds = rule["fps"].stop or rule["fps"].warn if "fps" in rule else None
    if figure != "fps" and bounds is not None:
        rates += [rate for rate in (bounds.most, bounds.least) if rate]
    repeats = isinstance(output, FramesOutput)
    for rate in dict.fromkeys(Fraction(one) for one in rates):
        faster = not facts.shortest_delay_ms or 1000 / facts.shortest_delay_ms < rate
        if figure == "fps" and (repeats or not faster):  # others show what is held longer as one picture
            for plain in dict.fromkeys((rate, _held_evenly(rate, output))):
                words = f"{'play at' if faster else 'thin to'} {float(plain):.4g} fps"
                yield _at_rate(words, plain, None, facts, output)
        for count in dict.fromkeys([int(wanted) if figure == "frames" else facts.frames, facts.frames]):
            words = f"play {count} frames at {float(rate):g} fps: {float(count / rate):.2f} s"
            if repeats or count == facts.frames:
                yield _at_rate(words, rate, count / rate, facts, output)
    if figure == "duration_ms":
        length = Fraction(wanted) / 1000
        words = f"play in {_shown(figure, wanted)}"
        if output.take.rate is not None:
            yield _at_rate(words, Fraction(output.take.rate), length, facts, output)
        yield _lasting(words, length, facts)
    if figure == "frames" and measured > wanted:
        rate = _plain_rate(1000 * wanted / facts.duration_ms)
        if rate > 0:
            yield _at_rate(f"thin to {float(rate):g} fps in the same time", rate, None, facts, output)


def _plain_rate(rate: float) -> Fraction:
    """A rate to type, at most this one."""
    return Fraction(math.floor(rate)) if rate >= 2 else Fraction(math.floor(rate * 100), 100)


_UNITS_MS = {"gif": (10, GIF_FLOOR), "webp": (1, BROWSER_FLOOR), "avif": (1, BROWSER_FLOOR)}
"""The unit of a format's delays and the fewest of them, where it has one."""


def _delay_ms(rate: Fraction, output: BaseOutput) -> Fraction:
    """How long the shortest frame of a rate lasts in a format."""
    if output.format not in _UNITS_MS:
        return 1000 / rate
    unit, least = _UNITS_MS[output.format]
    return Fraction(max(math.floor(1000 / rate / unit), least) * unit)


def _held_evenly(rate: Fraction, output: BaseOutput) -> Fraction:
    """The next lower rate at which every frame is a whole number of the format's units."""
    if output.format not in _UNITS_MS:
        return rate
    unit, least = _UNITS_MS[output.format]
    return Fraction(1000, max(math.ceil(1000 / rate / unit), least) * unit)


def _lasting(words: str, length: Fraction, facts: Facts) -> _Offer:
    by = float(length * 1000) / (facts.duration_ms or 1)
    shortest = None if facts.shortest_delay_ms is None else facts.shortest_delay_ms * by
    after = replace(facts, duration_ms=float(length * 1000), shortest_delay_ms=shortest)
    flicks = round(length * SECOND)
    return _Offer(Remedy(words, (Setting(("output", "take", "length"), flicks),)), after)


def _at_rate(words: str, rate: Fraction, length: Fraction | None, facts: Facts, output: BaseOutput) -> _Offer:
    """The output at a rate of its own, in as long or in another time."""
    seconds = Fraction(facts.duration_ms or 0) / 1000 if length is None else length
    count = max(1, round(seconds * rate))
    settings = [Setting(("output", "take", "rate"), written_rate(str(rate)))]
    if output.take.keep != "time":
        settings.append(Setting(("output", "take", "keep"), "time"))
    if length is not None:
        settings.append(Setting(("output", "take", "length"), round(length * SECOND)))
    # A set has no time of its own: what lasts longer than a frame of the rate is written as often.
    if isinstance(output, FramesOutput):
        settings.append(Setting(("output", "held"), "repeated"))
    if not isinstance(output, FramesOutput):
        count = min(count, facts.frames)
    delay = float(_delay_ms(rate, output))
    after = replace(facts, frames=count, duration_ms=float(1000 * seconds), shortest_delay_ms=delay)
    return _Offer(Remedy(words, tuple(settings)), after)


def _scaled(facts: Facts, output: BaseOutput, share: float) -> _Offer:
    """The output smaller, its proportions and its canvas's kept."""
    width, height = facts.width, facts.height
    size = output.size
    to = max(1, int(width * share + 1e-9))
    down = max(1, (2 * height * to + width) // (2 * width))
    settings = [Setting(("output", "size", "width"), to), Setting(("output", "size", "height"), None)]
    if size.width is not None and size.height is not None:  # a canvas of its own shape
        settings[1] = Setting(("output", "size", "height"), down)
        on_it = scaled_on_canvas(size, Fraction(to, width), facts.source_size)
        settings += [Setting(("output", "size", key), value) for key, value in on_it.items()]
    return _Offer(Remedy(f"scale to {to} × {down}", tuple(settings)), replace(facts, width=to, height=down))


def scaled_on_canvas(size: Size, share: Fraction, source: tuple[int, int] | None) -> dict[str, Any]:
    """What else of a size changes when its canvas becomes smaller by ``share``.

    That is where the picture, of ``source`` pixels, lies on it, and how large.
    """
    changed: dict[str, Any] = {}
    if not isinstance(size.at, str):
        changed["at"] = [round(at * share) for at in size.at]
    as_it_is = size.fit == "scale-down" and source is not None and place(size, *source).picture == source
    if as_it_is:
        changed["fit"] = "place"
    if size.fit == "place" or as_it_is:
        own = size.picture or PictureSize(percent=100)
        percent = None if own.percent is None else max(0.1, float(Fraction(own.percent) * share))
        width, height = (
            None if side is None else max(1, round(side * share)) for side in (own.width, own.height)
        )
        changed["picture"] = {"percent": percent, "width": width, "height": height}
    return changed


def _size(facts: Facts, target: Target, output: BaseOutput | None) -> Checked:
    fits = (facts.width, facts.height) in target.sizes
    allowed = " or ".join(f"{width} × {height}" for width, height in target.sizes)
    remedy = None
    if not fits and output is not None and not isinstance(output, SheetOutput):
        offers = []
        area = facts.width * facts.height
        for width, height in sorted(target.sizes, key=lambda size: abs(size[0] * size[1] - area)):
            for fit in dict.fromkeys((target.preset.fit or "scale-down", "scale-down")):
                changed = {"width": width, "height": height, "fit": fit, "at": "centre"}
                settings = tuple(Setting(("output", "size", key), value) for key, value in changed.items())
                made = replace(facts, width=width, height=height, enlarged=None)
                if facts.source_size:
                    size = output.size.model_copy(update=changed)
                    made = replace(made, enlarged=enlarged_by(size, *facts.source_size))
                offers.append(_Offer(Remedy(f"scale to {width} × {height}", settings), made))
        remedy = _chosen(offers, "Size", facts, target, output)
    verdict: Verdict = "pass" if fits else "fail"
    sheet = isinstance(output, SheetOutput)
    text = "" if fits or remedy else f"lay it out as {allowed}" if sheet else f"make it {allowed}"
    return Checked("Size", f"{facts.width} × {facts.height}", allowed, verdict, remedy=remedy, help=text)


def _enlarged(by: float, facts: Facts, target: Target, output: BaseOutput | None) -> Checked:
    """Soft pixels are nothing that a destination refuses, and nothing that anybody asked for."""
    remedy = None
    if output is not None and facts.source_size and not isinstance(output, SheetOutput):
        words = "keep its own size on the canvas"
        settings: tuple[Setting, ...] = (Setting(("output", "size", "fit"), "scale-down"),)
        width, height = facts.width, facts.height
        if output.size.width is None or output.size.height is None:
            words = "keep its own size"
            settings = (Setting(("output", "size", "width"), None), Setting(("output", "size", "height"), None))
            width, height = facts.source_size
        made = replace(facts, width=width, height=height, enlarged=None)
        remedy = _chosen([_Offer(Remedy(words, settings), made)], "Enlarged", facts, target, output)
    text = "" if remedy else "render it larger: what lies between its pixels is made up"
    measured = f"to {100 * by:.0f} %"
    return Checked("Enlarged", measured, "at most 100 %", "warn", remedy=remedy, help=text)


def _alpha(facts: Facts, target: Target, output: BaseOutput | None) -> Checked:
    measured = "transparent" if facts.transparent else "opaque"
    if target.alpha == "wanted":
        verdict: Verdict = "pass" if facts.transparent else "warn"
        text = "" if facts.transparent else "everything behind it is covered: keep the art's alpha"
        return Checked("Alpha", measured, "transparent where there is no art", verdict, help=text)
    remedy = None
    if facts.transparent and output is not None:
        path = ("output", "alpha", "edges") if isinstance(output, GifOutput) else ("output", "over")
        value = "fill" if isinstance(output, GifOutput) else "#ffffff"
        remedy = Remedy("lay over the page colour", (Setting(path, value),))
    return Checked("Alpha", measured, "opaque", "fail" if facts.transparent else "pass", remedy=remedy)


def _cover(cover: Cover, by_hand: int | None, output: BaseOutput | None) -> Checked:
    allowed = "a frame that covers all of the picture"
    source = "common practice, no published source"
    if by_hand is not None and not cover.hidden(by_hand):
        measured = f"the cut at frame {by_hand} would be seen"
        remedy = None
        if output is not None and cover.cut is not None:
            remedy = Remedy(f"cut at frame {cover.cut}", (Setting(("output", "cut"), None),))
        return Checked("Cover", measured, allowed, "fail", source, remedy)
    if cover.cut is not None:
        first, last = next(run for run in cover.covered if run[0] <= cover.cut <= run[1])
        measured = f"frames {first} to {last}, cut at {by_hand or cover.cut}"
        return Checked("Cover", measured, allowed, "pass", source)
    measured = f"frame {cover.fullest} covers {100 * max(cover.opaque):.2f} %"
    text = "the cut would be seen: enlarge the art until it reaches every edge, or fill what it leaves open"
    return Checked("Cover", measured, allowed, "fail", source, help=text)


def _repeat(measured: int, wanted: int) -> Checked:
    def words(times: int) -> str:
        return {0: "for ever", 1: "once"}.get(times, f"{times} times")

    remedy = None
    if measured != wanted:
        remedy = Remedy(f"play {words(wanted)}", (Setting(("output", "take", "repeat"), wanted),))
    return Checked(
        "Repeat", words(measured), words(wanted), "pass" if measured == wanted else "warn", remedy=remedy
    )


def _name(facts: Facts, output: BaseOutput | None) -> Checked:
    bad = next((name for name in facts.names if not _plain(name)), None)
    remedy = None
    if bad is not None and output is not None:
        key = "names" if isinstance(output, FramesOutput) else "file_name"
        now = str(getattr(output, key))
        better = re.sub(r"[^a-z0-9_.#-]+", "-", now.lower()).strip("-") or "frame_####"
        remedy = Remedy(f"rename to {better}", (Setting(("output", key), better),))
    shown = bad or (facts.names[0] if facts.names else "")
    return Checked("Name", shown, "a to z, digits, - and _", "fail" if bad else "pass", remedy=remedy)


def _plain(name: str) -> bool:
    return re.fullmatch(r"[a-z0-9_-]+(\.[a-z0-9]+)?", name) is not None
