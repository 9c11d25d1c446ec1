"""What the rules check looks at in files that are there, whoever made them and whatever they are called."""

from collections.abc import Sequence

from ..broadcast.cover import Cover, opaque_share
from ..errors import InputError
from ..pictures.kinds import kind_of
from ..pictures.unset import read_set
from ..recipe import Kind
from ..sequence.names import by_number
from ..targets.check import Facts
from .containers import held_by
from .describe import describe_file

_MOVING: dict[str, Kind] = {
    "PNG": "apng",
    "WebP": "webp",
    "AVIF": "avif",
    "MP4": "mp4",
    "MOV": "mov",
    "WebM": "webm",
}
_STILLS = ("PNG", "JPEG", "WebP")
_SETS: dict[str, Kind] = {
    "PNG": "png-frames",
    "TGA": "tga-frames",
    "BMP": "bmp-frames",
    "JPEG": "jpeg-frames",
}


def facts_of_file(data: bytes, name: str, *, sheet: bool = False) -> Facts:
    """Of one file. ``sheet``: a picture is known to be one, which no file tells by itself."""
    also: Kind | None = None
    if data.startswith(b"GIF8"):
        gif = describe_file(data, name)
        size, count, clear, repeat = (
            (gif["width"], gif["height"]),
            gif["count"],
            gif["transparent"],
            gif["repeat"],
        )
        kind: Kind | None = "gif"
        family, duration = "GIF", float(gif["duration_ms"])
        delays = [float(frame["delay_ms"]) for frame in gif["frames"]]
    else:
        held = held_by(data, name)
        size, count, clear, repeat = (held.width, held.height), len(held.frames), held.transparent, held.repeat
        kind = _MOVING.get(held.family)
        if held.form == "still":
            also = kind
            kind = "sheet" if sheet else "still" if held.family in _STILLS else None
        family, duration = held.family, float(held.duration_ms)
        delays = [float(frame["delay_ms"]) for frame in held.frames]
    moving = any(delays)
    return Facts(
        kind,
        (name,),
        len(data),
        *size,
        count,
        clear,
        duration if moving else None,
        min((delay for delay in delays if delay > 0), default=None) if moving else None,
        repeat if moving else None,
        family=family,
        also=also,
    )


def facts_of_set(files: Sequence[tuple[str, bytes]], folder: str) -> Facts:
    """What the rules check looks at in a numbered set; ``InputError`` when its files do not belong together."""
    if not files:
        raise InputError("holds no pictures", file=folder, remedy="check the folder")
    place = {name: at for at, name in enumerate(by_number([name for name, _ in files]))}
    files = sorted(files, key=lambda file: place[file[0]])
    sizes, total = set(), 0
    opaque: list[float] = []
    families: dict[str, None] = {}  # in the order they come
    for (name, data), picture in zip(files, read_set(files), strict=True):
        families[kind_of(data, name).family(data)] = None
        sizes.add((picture.shape[1], picture.shape[0]))
        if len(sizes) > 1:
            raise InputError("is of another size than the first", file=name, remedy="render it again")
        opaque.append(opaque_share(picture))
        total += len(data)
    width, height = sizes.pop()
    names = tuple(name for name, _ in files)
    kind = _SETS.get(next(iter(families))) if len(families) == 1 else None
    family = " and ".join(families) + " frames"
    clear, cover = min(opaque) < 1, Cover(tuple(opaque))
    return Facts(kind, names, total, width, height, len(files), clear, cover=cover, family=family)
