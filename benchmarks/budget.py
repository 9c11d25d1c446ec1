"""Fitting a budget: how much of it is used, in what time, and whether any file of a grid is truer."""

import itertools
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from PIL import Image

from jayflick.core.recipe import BaseOutput, GifOutput, Recipe, Tuning
from jayflick.core.sequence.files import look_at
from jayflick.core.stages import Stages
from jayflick.core.tuning.budget import search
from jayflick.core.tuning.trial import measure, try_out
from jayflick.core.warm import warm

from .clips import Clip, demo, film
from .smallest import panned

CLIPS: dict[str, Callable[[], Clip]] = {
    "film": lambda: film(24, 300),
    "lamp": lambda: [frame[::2, ::2] for frame in demo("dusk_lamp")][:24],
    "gull": lambda: [frame[::6, ::6] for frame in demo("gull")][:24],
    "coffee": lambda: panned("coffee.png", 16, 240, 180),
}
SHARES = (0.8, 0.55, 0.3)
"""Budgets, as shares of what the file takes undithered in 256 colours."""
GRID = [
    Tuning(colours=colours, loss=loss, dither=dither, tolerance=tolerance)
    for colours, loss, dither, tolerance in itertools.product(
        (16, 32, 64, 128, 256), (0, 10, 20, 35, 50, 65, 80), ("none", "diffusion"), (0, 12, 30)
    )
][:210]


def main() -> None:
    """Print a row a budget."""
    warm()
    print("| clip | budget | used | trials | CPU, in plain encodes | SSIM | best of the grid | better by |")
    print("|---|---|---|---|---|---|---|---|")
    for name, make in CLIPS.items():
        with tempfile.TemporaryDirectory() as folder:
            _fit(name, make(), Path(folder))


def _fit(name: str, frames: Clip, folder: Path) -> None:
    paths = []
    for number, frame in enumerate(frames, 1):
        paths.append(folder / f"frame_{number}.png")
        Image.fromarray(frame).save(paths[-1])
    sources = list(look_at(paths, folder)[1].values())
    output = GifOutput(tuning=Tuning(dither="none"))
    recipe = Recipe(outputs=(output,))

    def tried(one: BaseOutput, stages: Stages) -> tuple[int, float]:
        trial = try_out(recipe, sources, one, stages)
        return trial.size, trial.likeness.ssim or 0.0

    whole, _ = tried(output, Stages(folder / "first"))  # what is framed is framed by now, elsewhere too
    stages = Stages(folder / "grid")
    begun = time.process_time()
    plain_size, _ = tried(output, stages)
    plain = time.process_time() - begun
    grid = [tried(GifOutput(tuning=tuning), stages) for tuning in GRID]
    for share in SHARES:
        most = round(whole * share)
        own = Stages(folder / f"search-{share}")
        begun = time.process_time()
        found = search(recipe, sources, output.id, most, own)
        took = time.process_time() - begun
        nearest = found.nearest
        changed = Recipe.model_validate({"outputs": [nearest.output]})
        likeness = measure(changed, sources, output.id, nearest.rendered.timed, own).whole
        best = max((alike for size, alike in grid if size <= most), default=None)
        ours = likeness.ssim or 0.0
        beside = "none fits | -" if best is None else f"{best:.4f} | {ours - best:+.4f}"
        used = f"{most / 1024:.0f} KB | {nearest.size / most:.1%} | {len(found.trials)} | {took / plain:.1f}"
        print(f"| {name} | {used} | {ours:.4f} | {beside} |", flush=True)
    assert plain_size == whole


if __name__ == "__main__":
    main()
