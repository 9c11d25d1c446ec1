"""Every kind of file on its way through the service: what is shown is what an independent encoder was given."""

import tarfile
from collections.abc import Callable
from io import BytesIO
from typing import Any

import av
import httpx
import numpy as np
import pytest
from PIL import Image

from tests.conftest import Pictures, moving_square
from tests.service.conftest import bench, bring, finished, png

FRAMES = moving_square(4, 64, 48)


def still(kind: str, **options: Any) -> Callable[[], list[tuple[str, bytes]]]:
    """One file a frame, written by Pillow."""

    def files() -> list[tuple[str, bytes]]:
        made = []
        for number, frame in enumerate(FRAMES, 1):
            out = BytesIO()
            Image.fromarray(frame[:, :, :3]).save(out, kind, **options)
            made.append((f"wave_{number}.{kind.lower()}", out.getvalue()))
        return made

    return files


def moving(kind: str, **options: Any) -> Callable[[], list[tuple[str, bytes]]]:
    """All frames in one file, written by Pillow."""

    def files() -> list[tuple[str, bytes]]:
        first, *others = [Image.fromarray(frame[:, :, :3]) for frame in FRAMES]
        out = BytesIO()
        first.save(out, kind, save_all=True, append_images=others, duration=40, **options)
        return [(f"wave.{kind.lower()}", out.getvalue())]

    return files


def clip(ending: str, container: str, codec: str, pixels: str) -> Callable[[], list[tuple[str, bytes]]]:
    """A clip of 25 frames a second, written by PyAV."""

    def files() -> list[tuple[str, bytes]]:
        out = BytesIO()
        with av.open(out, "w", format=container) as film:
            stream: Any = film.add_stream(codec, rate=25)
            stream.width, stream.height, stream.pix_fmt = 64, 48, pixels
            for frame in FRAMES:
                picture = av.VideoFrame.from_ndarray(frame, format="rgba").reformat(format=pixels)
                film.mux(stream.encode(picture))
            film.mux(stream.encode(None))
        return [(f"wave.{ending}", out.getvalue())]

    return files


def packed(mode: str) -> Callable[[], list[tuple[str, bytes]]]:
    def files() -> list[tuple[str, bytes]]:
        out = BytesIO()
        with tarfile.open(fileobj=out, mode=mode) as archive:  # type: ignore[call-overload]
            for number, frame in enumerate(FRAMES, 1):
                data = png(frame)
                entry = tarfile.TarInfo(f"walk/wave_{number}.png")
                entry.size = len(data)
                archive.addfile(entry, BytesIO(data))
        return [("wave.tar", out.getvalue())]

    return files


KINDS: dict[str, tuple[Callable[[], list[tuple[str, bytes]]], float]] = {
    # What wrote them, and how far a pixel may be off on the average, in levels.
    "png": (still("PNG"), 0),
    "tga": (still("TGA", compression="tga_rle"), 0),
    "bmp": (still("BMP"), 0),
    "tiff": (still("TIFF", compression="tiff_lzw"), 0),
    "webp": (still("WEBP", lossless=True), 0),
    "jpeg": (still("JPEG", quality=95, subsampling=0), 3),
    "avif": (still("AVIF", quality=95), 3),
    "many-paged tiff": (moving("TIFF"), 0),
    "animated gif": (moving("GIF"), 6),
    "animated png": (moving("PNG"), 0),
    "animated webp": (moving("WEBP", lossless=True), 0),
    "mp4": (clip("mp4", "mp4", "libx264", "yuv444p"), 4),
    "mov": (clip("mov", "mov", "qtrle", "rgb24"), 0),
    "webm": (clip("webm", "webm", "libvpx-vp9", "yuv444p"), 6),
    "mkv": (clip("mkv", "matroska", "ffv1", "bgr0"), 0),
    "avi": (clip("avi", "avi", "ffv1", "bgr0"), 0),
    "mpeg": (clip("mpg", "mpeg", "mpeg2video", "yuv420p"), 12),
    "tar": (packed("w"), 0),
    "tar.gz": (packed("w:gz"), 0),
}


@pytest.mark.parametrize("kind", KINDS)
def test_frames_of_every_kind_are_shown_as_they_were_drawn(client: httpx.Client, kind: str) -> None:
    make, off = KINDS[kind]
    found = bring(client, make())
    assert [file["problem"] for file in found["taken"]] == [None] * len(found["taken"])
    (card,) = found["projects"]
    assert (card["frames"], card["width"], card["height"]) == (4, 64, 48)
    result = finished(client, card["id"])
    assert result["info"]["count"] == 4
    assert len(bench(client, card["id"])["frame_list"]) == 4
    shown: Pictures = []
    for position in range(1, 5):
        source = f"/api/revisions/{result['revision_id']}/outputs/page/source/{position}"
        shown.append(np.array(Image.open(BytesIO(client.get(source).content)).convert("RGBA")))
    for seen, drawn in zip(shown, FRAMES, strict=True):
        assert np.abs(seen[:, :, :3].astype(int) - drawn[:, :, :3]).mean() <= off
