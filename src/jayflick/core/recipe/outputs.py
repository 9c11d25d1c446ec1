"""Files that leave a project: one class a format, told apart by ``format``."""

from typing import Annotated, Any, ClassVar, Literal, Self

from pydantic import Discriminator, Field, Tag, model_validator

from ..dither.kinds import Choice, Matrix
from ..text import CleanText
from .framing import Alpha
from .output import BaseOutput, Over, Percent
from .part import MAX_PLACES, MAX_SIDE, Colour, Flicks, Part, Place
from .sheet import SheetOutput
from .target import Kind

Palette = Literal["shared", "frame", "auto"]


class Tuning(Part):
    """What is spent on a GIF: colours, dither, how much may stay as it was, and loss."""

    colours: int = Field(256, ge=2, le=256)
    palette: Palette = Field(
        "shared",
        description="One for all frames, one for each, or one for each if that pays: truer, for more bytes",
    )
    dither: Choice = Field("diffusion", description="auto: tried on the pixels that are coded, after scaling")
    amount: int = Field(60, ge=0, le=100, description="How much is dithered, in percent")
    matrix: Matrix = Field(8, description="The side of the square of an ordered dither")
    sparing: bool = Field(False, description="Flat areas and hard edges are not dithered")
    tolerance: int = Field(
        0,
        ge=0,
        le=100,
        description="How far a pixel may stay as it was: 0 exactly, 100 about 50 levels of 255",
    )
    loss: int = Field(
        0,
        ge=0,
        le=100,
        description="How much likeness is given for fewer bytes: 0 none, doubling with every 10",
    )
    locked: tuple[Colour, ...] = Field(
        (), max_length=255, description="Colours that are in the palette exactly"
    )

    @model_validator(mode="after")
    def _locked_fit(self) -> Self:
        twice = next((one for i, one in enumerate(self.locked) if one in self.locked[:i]), None)
        if twice is not None:
            raise ValueError(f"{twice} is locked twice")
        places = min(self.colours, 255)
        if len(self.locked) > places:
            raise ValueError(f"{len(self.locked)} locked colours do not fit a palette of {places}")
        return self


class GifOutput(BaseOutput):
    """A GIF: up to 256 colours, one bit of alpha, hundredths of a second."""

    format: Literal["gif"] = "gif"
    file_name: CleanText = Field("loop.gif", min_length=5, max_length=120, pattern=r"^[^/\\\x00-\x1f\x7f]+$")
    alpha: Alpha = Alpha()
    tuning: Tuning = Tuning()

    @property
    def endings(self) -> tuple[str, ...]:
        return (".gif",)

    @property
    def holds_clear_colours(self) -> bool:
        return False

    @property
    def kind(self) -> Kind:
        return "gif"

    @model_validator(mode="before")
    @classmethod
    def _with_budget(cls, data: Any) -> Any:
        """Recipes used to hold a most of bytes by itself."""
        if not isinstance(data, dict) or "budget" not in data:
            return data
        budget = data["budget"]
        data = {key: value for key, value in data.items() if key != "budget"}
        if budget is not None and data.get("target") is None:
            data["target"] = {"figures": {"bytes": {"stop": {"most": budget}}}}
        return data


class ApngOutput(BaseOutput):
    """An animated PNG: every colour, soft alpha, no loss."""

    format: Literal["apng"] = "apng"
    over: Over = None
    effort: int = Field(6, ge=1, le=9, description="How long is tried for fewer bytes")

    @property
    def endings(self) -> tuple[str, ...]:
        return ".png", ".apng"

    @property
    def kind(self) -> Kind:
        return "apng"


class WebpOutput(BaseOutput):
    """An animated WebP: soft alpha, with loss or without."""

    format: Literal["webp"] = "webp"
    over: Over = None
    lossless: bool = False
    quality: Percent = 80
    alpha_quality: Percent = 100
    effort: int = Field(4, ge=0, le=6, description="How long is tried for fewer bytes")

    @property
    def endings(self) -> tuple[str, ...]:
        return (".webp",)

    @property
    def kind(self) -> Kind:
        return "webp"


class AvifOutput(BaseOutput):
    """An animated AVIF: soft alpha, few bytes, slow to make."""

    format: Literal["avif"] = "avif"
    over: Over = None
    quality: Percent = 70
    speed: int = Field(6, ge=0, le=10, description="10 is fastest, 0 takes the fewest bytes")

    @property
    def endings(self) -> tuple[str, ...]:
        return (".avif",)

    @property
    def kind(self) -> Kind:
        return "avif"


Codec = Literal["h264", "vp9", "prores", "png", "qtrle"]


class VideoOutput(BaseOutput):
    """A silent clip at a constant rate."""

    ENDINGS: ClassVar[dict[str, str]] = {"h264": ".mp4", "vp9": ".webm"}

    format: Literal["video"] = "video"
    codec: Codec = Field(
        "h264",
        description="h264: MP4 without alpha; vp9: WebM; prores (4444), png, qtrle: MOV for the next program",
    )
    over: Over = None
    quality: Percent = Field(75, description="Of h264 and vp9")
    most_bytes: int | None = Field(
        None,
        ge=1024,
        le=1 << 40,
        description="Of h264 and vp9: the quality that meets this size, at most ``quality``",
    )
    plays: int = Field(1, ge=1, le=1000, description="How often the loop stands in the clip")
    length: Flicks | None = Field(None, description="Played to this length instead")

    @property
    def endings(self) -> tuple[str, ...]:
        return (self.ENDINGS.get(self.codec, ".mov"),)

    @property
    def kind(self) -> Kind:
        kinds: dict[str, Kind] = {".mp4": "mp4", ".webm": "webm", ".mov": "mov"}
        return kinds[self.endings[0]]


class Backing(Part):
    """A colour behind some of the played frames, so that they cover what lies under them."""

    colour: Colour
    first: Place
    last: Place
    fade: int = Field(4, ge=0, le=250, description="Frames over which it comes before them, and goes after")

    @model_validator(mode="after")
    def _runs_forward(self) -> Self:
        if self.first > self.last:
            raise ValueError("the first frame of the backing comes after its last")
        return self


Raster = Annotated[int, Field(ge=-MAX_SIDE, le=MAX_SIDE)]


class FramesOutput(BaseOutput):
    """A numbered set of pictures."""

    ALPHA: ClassVar[frozenset[str]] = frozenset({"rgba", "premultiplied", "palette"})

    format: Literal["frames"] = "frames"
    picture: Literal["png", "tga", "bmp", "jpeg"] = "png"
    pixels: Literal["rgba", "rgb", "premultiplied", "grey", "palette"] = Field(
        "rgba", description="TGA has rgba, rgb and premultiplied; BMP and JPEG have rgb and grey"
    )
    over: Over = None
    rle: bool = Field(False, description="Of TGA: run-length encoded")
    quality: Percent = Field(92, description="Of JPEG")
    names: CleanText = Field(
        "frame_####",
        min_length=1,
        max_length=100,
        pattern=r"^[^/\\\x00-\x1f\x7f#]*#{1,9}[^/\\\x00-\x1f\x7f#]*$",
        description="Of the files, without their ending; # stands for the digits of the number",
    )
    first_number: int = Field(1, ge=0, le=999_999)
    held: Literal["once", "repeated"] = Field(
        "once", description="A frame held longer is written once, or again and again at a constant rate"
    )
    cut: Place | None = Field(
        None, description="Of a transition: the played frame at which the sources are cut; none: as it covers"
    )
    backing: Backing | None = None
    place: tuple[Raster, Raster] | None = Field(
        None, description="Left and top of the pictures on the raster that they are shown on"
    )

    @property
    def endings(self) -> tuple[str, ...]:
        return (".zip",)

    @property
    def folder(self) -> bool:
        return True

    @property
    def kind(self) -> Kind:
        kinds: dict[str, Kind] = {
            "png": "png-frames",
            "tga": "tga-frames",
            "bmp": "bmp-frames",
            "jpeg": "jpeg-frames",
        }
        return kinds[self.picture]

    @model_validator(mode="after")
    def _a_kind_there_is(self) -> Self:
        takes = {"tga": ("rgba", "rgb", "premultiplied"), "bmp": ("rgb", "grey"), "jpeg": ("rgb", "grey")}.get(
            self.picture
        )
        if takes and self.pixels not in takes:
            raise ValueError(
                f"{self.picture.upper()} frames cannot be {self.pixels}; they are {' or '.join(takes)}"
            )
        return self


class StillOutput(BaseOutput):
    """One frame as a picture: a poster or thumbnail."""

    format: Literal["still"] = "still"
    picture: Literal["png", "jpeg", "webp"] = "png"
    over: Over = None
    quality: Percent = Field(88, description="Of JPEG and WebP")
    frame: int = Field(1, ge=1, le=MAX_PLACES, description="Which of the frames it would play, from 1")

    @property
    def endings(self) -> tuple[str, ...]:
        return {"png": (".png",), "jpeg": (".jpg", ".jpeg"), "webp": (".webp",)}[self.picture]

    @property
    def kind(self) -> Kind:
        return "still"

    @property
    def only(self) -> int | None:
        return self.frame


def _format(value: Any) -> Any:
    """The format that a document says, or that of those written when there was only one."""
    return value.get("format", "gif") if isinstance(value, dict) else getattr(value, "format", None)


Output = Annotated[
    Annotated[GifOutput, Tag("gif")]
    | Annotated[ApngOutput, Tag("apng")]
    | Annotated[WebpOutput, Tag("webp")]
    | Annotated[AvifOutput, Tag("avif")]
    | Annotated[VideoOutput, Tag("video")]
    | Annotated[FramesOutput, Tag("frames")]
    | Annotated[StillOutput, Tag("still")]
    | Annotated[SheetOutput, Tag("sheet")],
    Discriminator(_format),
]
