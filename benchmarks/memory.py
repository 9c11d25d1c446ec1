"""Peak memory of one process that makes each kind of file from 300 frames of 1920 × 1080 RGBA, at full size."""

import json
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
from PIL import Image

FRAMES = 300
KINDS = {
    "GIF, 640 wide": ["out.gif", "--size", "640x"],
    "GIF": ["out.gif"],
    "APNG": ["out.png"],
    "WebP": ["out.webp"],
    "AVIF": ["out.avif"],
    "MP4": ["out.mp4"],
    "WebM": ["out.webm"],
    "MOV, ProRes": ["out.mov"],
    "MOV, PNG": ["lossless.mov", "--codec", "png"],
    "PNG frames": ["png/"],
    "TGA frames": ["tga/", "--frames", "tga"],
}


def draw(folder: Path) -> None:
    """Frames as PNG files: a gradient with a soft disc that wanders over it; around its foot it is clear."""
    y, x = np.mgrid[0:1080, 0:1920].astype(np.float32)
    ground = np.dstack([x / 1920 * 200, y / 1080 * 180, 90 + 60 * np.sin(x / 300), np.full_like(x, 255)])
    ground[:, :, 3] = np.clip((1000 - y) * 4, 0, 255)
    for index in range(FRAMES):
        turn = 2 * np.pi * index / FRAMES
        distance = np.hypot(x - 960 - 600 * np.cos(turn), y - 540 - 300 * np.sin(turn))
        cover = np.clip((240 - distance) / 60, 0, 1)[:, :, None]
        frame = ground * (1 - cover) + np.array([250, 210, 120, 255], np.float32) * cover
        Image.fromarray(frame.astype(np.uint8)).save(folder / f"disc_{index + 1}.png", compress_level=1)


def main() -> None:
    print("| kind | output | KB | seconds | peak MiB |")
    print("| --- | --- | ---: | ---: | ---: |")
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch) / "frames"
        folder.mkdir()
        draw(folder)
        for kind, (name, *options) in KINDS.items():
            command = [sys.executable, "-m", "jayflick.cli", "make", str(folder), "-o", f"{scratch}/{name}"]
            made = subprocess.run(
                [*command, *options, "--json", "--force"], capture_output=True, text=True, check=True
            )
            report = json.loads(made.stdout)
            print(
                f"| {kind} | {report['width']} × {report['height']} | {report['bytes'] / 1024:.0f} "
                f"| {report['seconds']['total']:.1f} | {report['peak_memory_bytes'] / 1048576:.0f} |",
                flush=True,
            )


if __name__ == "__main__":
    main()
