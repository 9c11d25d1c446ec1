"""What can be typed: the options of every command, and no more than it takes to read them."""

import argparse
import os
import re
from pathlib import Path
from typing import Any, NoReturn

from ..core.errors import InputError

PALETTES = ("shared", "frame", "auto")
DITHERS = ("auto", "none", "diffusion", "ordered", "noise")
MATRICES = (2, 4, 8)
MAY = ("colours", "dither", "tolerance", "loss", "palette", "quality", "size", "rate")
PIXELS = ("8888", "4444", "5551", "565", "256", "grey")
STAND_INS = ("switcher", "graphics", "post", "effects")
SHELLS = ("bash", "zsh", "fish")
USES = ("transition", "overlay", "source", "animation", "effect", "post")

_EXAMPLES = """\
examples:
  jayflick make renders/ -o lamp.gif                       a loop of all frames there
  jayflick make 'gull_*.png' -o gull.webp --fps 24         of those that match
  jayflick make renders/ -o lamp.gif --max-bytes 500K      the truest that fits
  jayflick make renders/ -o set/ --frames tga --target switcher-transition
  jayflick make walk/ run/ -o bird.png --sheet packed --describe bird.json
  jayflick make project.zip --all -o site/                 all outputs of a project

Status: 0 done, 1 refused by a target or a budget, or not written, 2 bad input or options.
"""


_WATCHING = """\
examples:
  jayflick watch renders/ -o lamp.gif --fps 24             made again whenever frames there change
  jayflick watch renders/ -o site/ --recipe lamp.json --all

Takes what 'jayflick make' takes, of folders or patterns in quotes. What it wrote itself it replaces, other
files only by --force. A line for each making; what goes wrong is a line on stderr, and it goes on. Ctrl-C ends
it with status 0.
"""


_MANY = """\
examples:
  jayflick batch terns/ -o site/ --recipe terns.json       all outputs of a recipe, of each sequence
  jayflick batch motions/ -o sheets/ --sheet packed --names '{sequence}.png'
  jayflick batch terns/ more.zip -o site/ --recipe terns.json --resume

Takes what 'jayflick make' takes, for each sequence in folders, archives and patterns in quotes; with --sheet
for each folder. A line for each; one that fails is a line on stderr, and the rest is made. With --resume only
what is missing, or was made of other frames or by other options, is made.
Status: 0 done, 1 something failed or is refused by a target, 2 bad options, or no sequence.
"""


class Parser(argparse.ArgumentParser):
    """Options are written out: a script must mean the same when another option is added."""

    def __init__(self, **options: Any) -> None:
        options.setdefault("formatter_class", argparse.RawDescriptionHelpFormatter)
        super().__init__(**options, allow_abbrev=False)
        # A value such as -10,5 is a place, as no option begins with a digit.
        self._negative_number_matcher = re.compile(r"-[\d.][\d.,-]*")

    def error(self, message: str) -> NoReturn:
        raise InputError(message, remedy=f"see '{self.prog} --help'")


def make(command: argparse.ArgumentParser, *, many: bool = False) -> None:
    command.epilog = _EXAMPLES
    command.add_argument(
        "input",
        nargs="+",
        help="frames, a folder, an archive, an animated file or clip, or a pattern in quotes",
    )
    command.add_argument(
        "-o",
        "--output",
        required=True,
        help="OUT.gif, .png (animated), .webp, .avif, .mp4, .webm, .mov, or DIR/",
    )
    _clip(command)
    _rhythm(command.add_argument_group("rhythm"))
    _size(command.add_argument_group("size"))
    _framing(command.add_argument_group("framing"))
    _tone(command.add_argument_group("tone"))
    _edges(command.add_argument_group("soft edges"))
    _tuning(command.add_argument_group("tuning"))
    _budget(command.add_argument_group("budget"))
    _sets(command.add_argument_group("stills and sets"), many=many)
    _sheets(command.add_argument_group("sheets"))
    more = command.add_argument_group("where it goes, and what is told")
    more.add_argument("--target", help="a target's name, or its JSON file: sets what it fixes, then checks")
    more.add_argument("--all", action="store_true", help="make all outputs of a recipe or project into DIR/")
    more.add_argument("--recipe", metavar="FILE.json", help="start from a recipe")
    more.add_argument("--report", metavar="FILE.json", help="write what was done and measured")
    more.add_argument("--force", action="store_true", help="replace files that are there")
    more.add_argument("--json", action="store_true", help="print the report on stdout")


def _rhythm(group: Any) -> None:
    time = group.add_mutually_exclusive_group()
    time.add_argument("--fps", help="frames a second: 24, 12.5, 24000/1001")
    time.add_argument("--delay", help="one delay for all frames: 40ms, 4cs, 0.04s, 2f@30")
    group.add_argument("--range", metavar="N-M", help="first and last frame by position: 1-18")
    group.add_argument(
        "--order", help="frames in the order they play: '1-8, 12, 18-9' or '1-18 by 2'; 0: a blank"
    )
    group.add_argument("--step", type=int, metavar="N", help="play every n-th frame, in the same time")
    group.add_argument(
        "--thinned", choices=("same-time", "faster"), help="with --step: what it lasts (default: same-time)"
    )
    way = group.add_mutually_exclusive_group()
    way.add_argument("--reverse", action="store_true", help="last frame first")
    way.add_argument("--there-and-back", action="store_true", help="forward, then back, no end doubled")
    group.add_argument("--repeat", type=int, metavar="N", help="how often it plays; 0: for ever")
    group.add_argument(
        "--gaps", choices=("skip", "hold", "blend", "motion"), help="what becomes of missing numbers"
    )
    group.add_argument(
        "--dissolve", type=int, metavar="N", help="how many frames at the end fade into the beginning"
    )
    pace = group.add_mutually_exclusive_group()
    pace.add_argument("--speed", help="in percent: 200 plays in half the time")
    pace.add_argument("--length", help="what it all lasts: 4s, 2500ms")
    group.add_argument(
        "--play-fps", metavar="FPS", help="play at this rate in the same time, dropping or holding frames"
    )
    group.add_argument(
        "--one-by-one",
        action="store_true",
        help="with --play-fps, or a target that fixes a rate: each frame for one tick, whatever it lasted",
    )
    group.add_argument(
        "--play-by", choices=("hold", "blend", "motion"), help="with --play-fps: what is between frames"
    )
    group.add_argument("--between", type=int, metavar="N", help="pictures made between two, in the same time")
    group.add_argument(
        "--between-by",
        choices=("blend", "motion"),
        help="with --between: both show through each other, or what moves is between the two (default)",
    )


def _size(group: Any) -> None:
    group.add_argument("--size", help="580x, x351, 580x351 or 50%%; with --canvas that of the picture on it")
    group.add_argument(
        "--canvas", metavar="WxH", help="a canvas that the picture lies on, at its own size or that of --size"
    )
    group.add_argument("--place", help="where it lies: centre, top-left, top … bottom-right, or X,Y")
    group.add_argument(
        "--fit",
        choices=("contain", "cover", "stretch", "scale-down", "inside", "place"),
        help="how both sides are met",
    )
    group.add_argument(
        "--resample",
        choices=("auto", "area", "lanczos", "nearest"),
        help="how pixels are made of others (default: auto, by the kind of art)",
    )


def _framing(group: Any) -> None:
    group.add_argument("--crop", metavar="X,Y,W,H", help="in source pixels")
    trims = group.add_mutually_exclusive_group()
    trims.add_argument(
        "--trim", nargs="?", type=int, const=0, metavar="MARGIN", help="crop to what any frame uses, or moves"
    )
    trims.add_argument("--trim-bars", action="store_true", help="crop bars of one colour away")
    group.add_argument("--views", metavar="3x1", help="cut each picture into views across and down: the frames")
    group.add_argument("--views-gutter", type=int, metavar="N", help="with --views: pixels between two")
    group.add_argument(
        "--views-order", choices=("rows", "columns"), help="with --views: which come first (default: rows)"
    )
    group.add_argument("--line-up", type=int, metavar="N", help="move the frames to lie on the N-th of them")
    group.add_argument(
        "--line-up-box", metavar="X,Y,W,H", help="with --line-up: where its subject is, and only that counts"
    )
    group.add_argument(
        "--line-up-by",
        choices=("shift", "turn", "scale"),
        help="with --line-up: what may be changed: the place (default), also the angle, also the size",
    )
    group.add_argument(
        "--line-up-cover",
        choices=("enlarge", "crop", "open"),
        help="with --line-up: how open edges are hidden: all enlarged (default), cropped, or not at all",
    )


def _tone(group: Any) -> None:
    group.add_argument("--match-tone", type=int, metavar="N", help="bring all frames to the tone of the N-th")
    group.add_argument(
        "--match-by",
        choices=("levels", "histogram"),
        help="with --match-tone: mean and contrast (default), or all levels",
    )
    group.add_argument("--exposure", type=decimal, help="in stops: 1 doubles the light")
    group.add_argument("--contrast", type=int, help="-100..100")
    group.add_argument("--saturation", type=int, help="-100..100")
    group.add_argument("--gamma", type=decimal, help="over 1 brightens the middle")


def _edges(group: Any) -> None:
    group.add_argument("--choke", type=decimal, help="draw soft edges in by so many pixels")
    group.add_argument("--matte", help="page colour under soft edges: '#262a2e'")
    group.add_argument("--cutoff", type=int, help="the least alpha that is kept, 1..255")
    group.add_argument("--edges", choices=("cutoff", "dither", "matte", "fill"), help="how soft edges settle")
    group.add_argument("--keep-alpha", action="store_true", help="refuse a format that would lose it")


def _tuning(group: Any) -> None:
    group.add_argument("--colours", type=int, metavar="N", help="2..256")
    group.add_argument(
        "--palette", choices=PALETTES, help="one for all frames, one per frame, or whichever pays"
    )
    group.add_argument("--dither", choices=DITHERS, help="otherwise what suits the frames")
    group.add_argument("--dither-matrix", type=int, choices=MATRICES, help="the square of an ordered one")
    group.add_argument(
        "--dither-sparing", action="store_true", help="flat areas and hard edges are not dithered"
    )
    group.add_argument("--dither-amount", type=int, metavar="N", help="0..100")
    group.add_argument("--tolerance", type=int, metavar="N", help="how far a pixel may stay as it was, 0..100")
    group.add_argument(
        "--lock",
        metavar="COLOURS|FILE",
        type=colours,
        help="in the palette exactly: '#000,#ffffff', or those of a picture, a clip or a list",
    )
    group.add_argument("--loss", type=int, metavar="N", help="likeness given for fewer bytes, 0..100")
    group.add_argument("--quality", type=int, metavar="N", help="0..100, of formats that lose some")
    group.add_argument("--lossless", action="store_true", help="of WebP")
    group.add_argument("--codec", choices=("h264", "vp9", "prores", "png", "qtrle"), help="of a clip")
    group.add_argument("--plays", type=int, metavar="N", help="how often the loop stands in a clip")


def _budget(group: Any) -> None:
    group.add_argument(
        "--max-bytes",
        metavar="BYTES",
        help="make the truest file in at most so much: 1024K, 5M; status 1 if there is none",
    )
    group.add_argument(
        "--may",
        metavar="WHAT",
        help=f"what that may change: {', '.join(MAY)} (default: all but size, rate and what is typed); none: "
        "it only says when the file is larger",
    )
    group.add_argument("--trials", metavar="FILE.json", help="write what was tried for --max-bytes")


def _sets(group: Any, *, many: bool) -> None:
    group.add_argument("--still", type=int, metavar="N", help="one picture: the N-th that would be played")
    group.add_argument("--frames", choices=("png", "tga", "bmp", "jpg"), help="what DIR/ is filled with")
    if not many:
        group.add_argument("--names", help="names of frames, # for a digit: 'gull_####'")
    group.add_argument("--first-number", type=int, metavar="N", help="number of the first frame")
    group.add_argument("--held", choices=("once", "repeated"), help="how often a frame that is held is written")


def _sheets(group: Any) -> None:
    group.add_argument("--sheet", choices=("even", "packed"), help="all frames on one picture")
    group.add_argument("--cell", choices=("canvas", "used"), help="of even cells: all, or what is used")
    group.add_argument("--columns", metavar="N|square|longest", help="of even cells")
    group.add_argument("--rows", choices=("wrap", "spans"), help="of even cells: a row for each span")
    group.add_argument("--turn", action="store_true", help="of packed ones: turn frames by 90° where it helps")
    group.add_argument("--margin", type=int, help="pixels along the sides")
    group.add_argument("--spacing", type=int, help="pixels between two cells")
    group.add_argument("--extrude", type=int, help="how often edge pixels are repeated outwards")
    group.add_argument("--bleed", action="store_true", help="colours of the art under its clear pixels")
    group.add_argument("--sides", choices=("free", "pot", "square", "four"), help="pot: powers of two")
    group.add_argument("--widest", type=int, help="the longest side: 2048")
    group.add_argument("--more-sheets", action="store_true", help="take as many as are needed")
    group.add_argument("--scale-to-fit", action="store_true", help="scale down until all frames fit")
    group.add_argument("--pixels", choices=PIXELS, help="what they hold")
    group.add_argument("--pixel-dither", choices=("none", "ordered", "diffusion"), help="of fewer levels")
    group.add_argument("--smallest", action="store_true", help="try for long for the fewest bytes")
    group.add_argument("--anchor", metavar="X,Y", help="as shares of the canvas: 0.5,1")
    group.add_argument(
        "--describe", action="append", metavar="FILE", help="FILE.json, .csv, .css; again for more"
    )


def watch(command: argparse.ArgumentParser) -> None:
    make(command)
    command.epilog = _WATCHING
    command.add_argument(
        "--settle",
        type=decimal,
        default=1.0,
        metavar="S",
        help="seconds without a change before it is made (1)",
    )


def batch(command: argparse.ArgumentParser) -> None:
    make(command, many=True)
    command.epilog = _MANY
    command.set_defaults(names=None)
    many = command.add_argument_group("many")
    many.add_argument(
        "--names",
        dest="places",
        metavar="PATTERN",
        help="where in DIR/ files go: '{sequence}/{file}' (default: that with a recipe, else '{sequence}.gif')",
    )
    many.add_argument(
        "--jobs", type=int, metavar="N", default=processors(), help="made side by side (%(default)s)"
    )
    many.add_argument(
        "--scheduler",
        metavar="ADDRESS",
        help="made by the workers of a Dask scheduler: tls://HOST:PORT, tcp://…",
    )
    many.add_argument(
        "--share",
        metavar="URL",
        help="where frames and files go between here and its workers: a folder, s3://…",
    )
    many.add_argument("--resume", action="store_true", help="make only what is missing or has changed")


def processors() -> int:
    """The processors that this process may use."""
    return len(os.sched_getaffinity(0))


def info(command: argparse.ArgumentParser) -> None:
    command.add_argument("file")
    command.add_argument("--json", action="store_true")


def compare(command: argparse.ArgumentParser) -> None:
    command.add_argument("first", metavar="FILE|DIR", help="what it ought to look like")
    command.add_argument("second", metavar="FILE|DIR", help="what is held against it")
    command.add_argument("--json", action="store_true")


def gather(command: argparse.ArgumentParser) -> None:
    command.add_argument("input", nargs="+", help="files, a folder, an archive, or a pattern in quotes")
    command.add_argument("--json", action="store_true")
    _clip(command)


def check(command: argparse.ArgumentParser) -> None:
    command.add_argument("file", metavar="FILE|DIR")
    command.add_argument("--target", required=True, help="a target's name, or its JSON file")
    command.add_argument("--json", action="store_true")


def targets(command: argparse.ArgumentParser) -> None:
    command.add_argument("--json", action="store_true")


def cover(command: argparse.ArgumentParser) -> None:
    command.add_argument("folder", metavar="DIR", help="a numbered set")
    command.add_argument("--json", action="store_true")


def memory(command: argparse.ArgumentParser) -> None:
    command.add_argument("folder", metavar="DIR", help="a numbered set")
    command.add_argument("--raster", metavar="WxH", default="1920x1080", help="of the show: 1920x1080")
    command.add_argument("--json", action="store_true")


def send(command: argparse.ArgumentParser) -> None:
    command.add_argument("source", metavar="FILE|DIR", help="a file, a numbered set, or a sheet with its JSON")
    command.add_argument(
        "--to", required=True, metavar="NAME|URL", help=f"{', '.join(STAND_INS)}, or an address"
    )
    command.add_argument(
        "--memory", type=int, metavar="N", help="the numbered place there, if one is asked for"
    )
    command.add_argument("--as", dest="use", choices=USES, help="what it is for there")
    command.add_argument("--fps", type=float, help="frames a second that a set is made for")
    command.add_argument("--cut", type=int, metavar="FRAME", help="of a transition: where the sources are cut")
    command.add_argument("--repeat", type=int, default=0, help="how often it plays; 0: for ever")
    command.add_argument("--at", metavar="X,Y", help="left and top on the raster")
    command.add_argument("--again", action="store_true", help="even if the same files were taken there before")
    command.add_argument("--data", type=Path, default=Path(".data"), help="the data folder of ./start (.data)")
    command.add_argument("--json", action="store_true")


def completion(command: argparse.ArgumentParser) -> None:
    command.epilog = 'for bash, in ~/.bashrc: eval "$(jayflick completion bash)"'
    command.add_argument("shell", choices=SHELLS)


def _clip(command: argparse.ArgumentParser) -> None:
    command.add_argument(
        "--clip", metavar="N-M/K", help="frames taken of a clip, every k-th: 25-72, 25-, 1-300/3"
    )


def decimal(text: str) -> float:
    """A number as an option's value, with a decimal point or comma."""
    from ..core.typed import read_number  # which --help has no use for

    try:
        return float(read_number(text))
    except InputError as error:
        raise argparse.ArgumentTypeError(str(error)) from error


def colours(text: str) -> list[str]:
    """Colours as listed, in the argument or in the file that it names, or those that a picture shows."""
    from ..core.typed import read_colours

    try:
        path = Path(text)
        if not path.suffix or not path.is_file():
            return read_colours(text)
        from ..core.content import read_file
        from ..core.sequence.colours import Brought, colours_brought  # decoders, which most commands do without

        (found,) = colours_brought(read_file(path), path.name)
        if not isinstance(found, Brought):
            raise found.error
        return list(found.colours)
    except InputError as error:
        raise argparse.ArgumentTypeError(str(error)) from error
