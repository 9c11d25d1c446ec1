"""One recipe for many sequences by ``jayflick batch``: side by side, over, and in how much memory."""

import json
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any, NamedTuple

from PIL import Image, ImageDraw

SEQUENCES, FRAMES, SIDE = 200, 24, 128


class _Run(NamedTuple):
    seconds: float
    report: dict[str, Any]

    @property
    def made(self) -> float:
        """Seconds that reading, rendering and coding all sequences took."""
        return float(sum(one["outputs"][0]["seconds"]["total"] for one in self.report["sequences"]))


def draw(folder: Path, number: int) -> None:
    """A lamp that swings over a gradient, at an angle of its own."""
    folder.mkdir(parents=True)
    sky = Image.linear_gradient("L").resize((SIDE, SIDE))
    ground = Image.merge("RGB", [sky, sky.rotate(90), sky.point(lambda level: 255 - level)])
    for at in range(FRAMES):
        frame = ground.copy()
        left = (number * 7 + at * 5) % (SIDE - 30)
        ImageDraw.Draw(frame).ellipse([left, 20 + at, left + 30, 50 + at], fill=(240, 200, number % 256))
        frame.save(folder / f"lamp-{at:03}.png", compress_level=1)


def _batch(folder: Path, inputs: list[str], jobs: int) -> _Run:
    with tempfile.TemporaryDirectory() as out:
        report = Path(out) / "report.json"
        call = [sys.executable, "-m", "jayflick.cli", "batch", *inputs, "-o", f"{out}/made", "--fps", "12"]
        begun = time.perf_counter()
        subprocess.run(
            [*call, "--jobs", str(jobs), "--report", str(report)],
            cwd=folder,
            check=True,
            capture_output=True,
        )
        return _Run(time.perf_counter() - begun, json.loads(report.read_text()))


def main() -> None:
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        for number in range(SEQUENCES):
            draw(folder / f"{number // (SEQUENCES // 4)}" / f"{number:03}", number)
        parts = ["0", "1", "2", "3"]
        one, two = _batch(folder, parts, 1), _batch(folder, parts, 2)
        quarter, begun = _batch(folder, parts[:1], 1), _batch(folder, ["0/000"], 1)
        start, start_of_two = begun.seconds, _batch(folder, ["0/000", "0/001"], 2).seconds
        with ThreadPoolExecutor(2) as both:
            begun_both = time.perf_counter()
            list(both.map(lambda some: _batch(folder, some, 1), (parts[:2], parts[2:])))
            apart = time.perf_counter() - begun_both
    rate = (one.seconds - start) / (two.seconds - start_of_two)
    over = (one.seconds - start) / (one.made - begun.made) - 1
    longer = (one.seconds - start) / (quarter.seconds - start)
    peaks = [one.report["sequences"][at]["outputs"][0]["peak_memory_bytes"] / 2**20 for at in (0, -1)]
    print(f"| {SEQUENCES} sequences of {FRAMES} × {SIDE} × {SIDE}, GIF | measured | wanted |")
    print("| --- | ---: | --- |")
    print(f"| one job, s, {start:.1f} of them until the first is made | {one.seconds:.1f} | |")
    print(f"| two jobs, s | {two.seconds:.1f} | |")
    print(f"| two jobs after their start, times the rate of one | {rate:.2f} | at least 1.8 |")
    print(f"| two runs apart, as far as the machine goes | {(one.seconds - start) / (apart - start):.2f} | |")
    print(f"| time of a sequence beyond making it, % | {over * 100:.1f} | at most 10 |")
    print(f"| four times the sequences, times the time after the start | {longer:.2f} | 3.8 to 4.2 |")
    print(f"| most memory of a process after the first and last, MB | {peaks[0]:.0f}, {peaks[1]:.0f} | flat |")


if __name__ == "__main__":
    main()
