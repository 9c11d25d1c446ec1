"""Framing: scaling against OpenCV, lining up, matching, in-betweens against blends, a crop pulled by hand."""

import statistics
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import cv2
import numpy as np
from numpy.typing import NDArray
from playwright.sync_api import Page
from tests.server import until

from jayflick.core.framing.between import between
from jayflick.core.framing.line_up import Free, line_up
from jayflick.core.framing.mix import mix
from jayflick.core.framing.moves import warp_of
from jayflick.core.framing.resample import Filter, resample
from jayflick.core.framing.tone import Levels, toned
from jayflick.core.recipe import LineUp, Move
from jayflick.core.warm import warm

from .clips import Clip, film, whole_film
from .retune import film_on_bench
from .rhythm import screen_frames

ROUNDS = 5
LARGE = 1920, 1080
SHOT = 960, 540
HELD = 0.1
"""Levels by which two frames differ at most that show the same."""


def fastest(act: Callable[[], object]) -> float:
    """Seconds that it takes at least, of several times."""
    spent = []
    for _ in range(ROUNDS):
        begun = time.perf_counter()
        act()
        spent.append(time.perf_counter() - begun)
    return min(spent)


def scaling() -> None:
    large = [
        np.dstack([cv2.resize(one[:, :, :3], LARGE), np.full(LARGE[::-1], 255, np.uint8)]) for one in film(8)
    ]
    frames = large * 6
    wide, high = 580, 326

    def ours(by: Filter) -> Callable[[], object]:
        def act() -> None:
            with ThreadPoolExecutor(2) as pool:
                list(pool.map(lambda frame: resample(frame, wide, high, by), frames))

        return act

    def theirs() -> None:
        for frame in frames:
            cv2.resize(frame, (wide, high), interpolation=cv2.INTER_AREA)

    cv2.setNumThreads(2)  # as it would run by itself
    reference = fastest(theirs)
    cv2.setNumThreads(1)
    print("| 48 frames 1920 × 1080 to 580 × 326 | s | of OpenCV's |")
    print("| --- | ---: | ---: |")
    print(f"| OpenCV, INTER_AREA, levels | {reference:.2f} | |")
    for by in ("area", "lanczos"):
        spent = fastest(ours(by))
        print(f"| {by}, linear light | {spent:.2f} | {spent / reference:.2f} |")


def shot(scene: NDArray[np.float32], move: Move, random: np.random.Generator, gain: float) -> NDArray[np.uint8]:
    """A frame that must be moved so to lie on the one that is not, with grain and its own exposure."""
    matrix = warp_of(LineUp(anchor=1, moves={1: move}, drawn_on=SHOT), 1, *SHOT).matrix
    matrix[:, 2] += (120, 80)
    frame = cv2.warpAffine(scene, matrix, SHOT, flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP) * gain
    frame += random.normal(0, 2, frame.shape)
    return np.dstack([np.clip(np.rint(frame), 0, 255), np.full(SHOT[::-1], 255)]).astype(np.uint8)


def steadying() -> None:
    scene = cv2.resize(film(1, 1280)[0][:, :, :3], (1200, 700), interpolation=cv2.INTER_CUBIC).astype(
        np.float32
    )
    print("\n| 36 frames 960 × 540 lined up | s | worst error px | angle ° | size % |")
    print("| --- | ---: | ---: | ---: | ---: |")
    kinds: tuple[tuple[str, Free, float, float, float], ...] = (
        ("place", "shift", 0, 0, 0.0),
        ("place, exposure ±20 %", "shift", 0, 0, 0.2),
        ("and angle", "turn", 2, 0, 0.2),
        ("and size", "scale", 2, 0.03, 0.2),
    )
    for name, free, turn, scale, exposure in kinds:
        random = np.random.default_rng(4)
        moves = [
            Move(
                x=random.uniform(-12, 12),
                y=random.uniform(-12, 12),
                turn=random.uniform(-turn, turn),
                scale=1 + random.uniform(-scale, scale),
            )
            for _ in range(36)
        ]
        frames = [shot(scene, move, random, random.uniform(1 - exposure, 1 + exposure / 4)) for move in moves]
        anchor = shot(scene, Move(), random, 1)
        begun = time.perf_counter()
        found = [one.move or Move(x=99) for one in line_up(anchor, frames, free)]
        spent = time.perf_counter() - begun
        pairs = list(zip(found, moves, strict=True))
        apart = max(max(abs(one.x - true.x), abs(one.y - true.y)) for one, true in pairs)
        angle = max(abs(one.turn - true.turn) for one, true in pairs)
        size = 100 * max(abs(one.scale - true.scale) for one, true in pairs)
        print(f"| {name} | {spent:.2f} | {apart:.3f} | {angle:.4f} | {size:.4f} |")


def matching() -> None:
    random = np.random.default_rng(6)
    frames: Clip = []
    first = film(1)[0]
    for frame in film(48):
        lit = np.clip(frame[:, :, :3] * random.uniform(0.92, 1.08), 0, 255).round().astype(np.uint8)
        frames.append(np.dstack([lit, frame[:, :, 3]]))
    still = []  # one picture, so that all that flickers is the light
    for _ in range(48):
        lit = np.clip(first[:, :, :3] * random.uniform(0.92, 1.08), 0, 255).round().astype(np.uint8)
        still.append(np.dstack([lit, first[:, :, 3]]))
    print("\n| ±8 % exposure, matched to the first frame | flicker before | after | times |")
    print("| --- | ---: | ---: | ---: |")
    for name, shots in (("one picture", still), ("film, which moves", frames)):
        anchor = Levels.of(shots[0])
        for by in ("levels", "histogram"):
            made = [toned(frame, Levels.of(frame).matched(anchor, by), 0) for frame in shots]
            before, after = flicker(shots), flicker(made)
            print(f"| {name}, by {by} | {before:.3f} | {after:.3f} | {before / after:.0f} |")


def flicker(frames: Clip) -> float:
    return float(np.diff([Levels.of(frame).luma() for frame in frames]).std())


def psnr(made: NDArray[np.uint8], true: NDArray[np.uint8]) -> float:
    error = np.mean((made[:, :, :3].astype(np.float64) - true[:, :, :3]) ** 2)
    return float(10 * np.log10(255**2 / max(float(error), 1e-9)))


def in_betweens() -> None:
    frames = whole_film(640)
    height, width = frames[0].shape[:2]
    nearer: list[float] = []
    torn: list[float] = []
    held: list[bool] = []
    spent = 0.0
    for at in range(1, len(frames) - 1, 2):
        one, true, other = frames[at - 1 : at + 2]
        begun = time.perf_counter()
        made = between(one, other, 0.5)
        spent += time.perf_counter() - begun
        blended = mix([(one, 128), (other, 128)], height, width)
        nearer.append(psnr(made.picture, true) - psnr(blended, true))
        torn.append(float(made.torn.mean()))
        held.append(min(float(np.abs(true.astype(int) - side).mean()) for side in (one, other)) < HELD)
    gains = np.array(nearer)
    moving = gains[~np.array(held)]
    print("\n| every second frame of the film dropped, 640 × 360 | |")
    print("| --- | ---: |")
    print(f"| in-betweens | {len(gains)} |")
    print(f"| nearer to the dropped frame than a blend, mean dB | {gains.mean():.2f} |")
    print(f"| frames of these that only repeat a neighbour | {sum(held)} |")
    print(f"| without them: mean, least dB | {moving.mean():.2f}, {moving.min():.2f} |")
    print(f"| with them: least dB | {gains.min():.2f} |")
    print(f"| torn, mean share | {np.mean(torn):.3f} |")
    print(f"| each takes, s | {spent / len(gains):.2f} |")


def _bytes_shown(page: Page) -> str:
    return page.get_by_role("tab", name="Tuning").inner_text()


def cropping() -> None:
    with film_on_bench() as (page, _, _):
        page.keyboard.press("x")
        page.get_by_role("group", name="Crop box").wait_for()
        pulled, shown = [], []
        for turn in range(12):
            if turn == 6:
                page.keyboard.press("Space")  # the rest with the picture at rest
            corner = page.get_by_role("button", name="Bottom right corner").bounding_box()
            assert corner is not None
            x, y = corner["x"] + 7, corner["y"] + 7
            page.mouse.move(x, y)
            page.mouse.down()
            back = 40 if turn % 2 == 0 else -36

            def pull(x: float = x, y: float = y, back: int = back) -> None:
                page.mouse.move(x - back, y - back, steps=20)

            pulled.append(screen_frames(page, pull)[0])
            before = _bytes_shown(page)
            begun = time.perf_counter()
            page.mouse.up()
            until(lambda before=before: _changed(_bytes_shown(page), before), 30)  # type: ignore[misc]
            shown.append((time.perf_counter() - begun) * 1000)
            page.wait_for_timeout(500)
    print("\n| a crop pulled by its corner, 48 frames 580 × 326 | median ms | slowest ms |")
    print("| --- | ---: | ---: |")
    for name, spent in (
        ("between two pictures of the screen, longest of a pull", pulled),
        ("from letting go to new bytes, while it plays", shown[:6]),
        ("from letting go to new bytes, at rest", shown[6:]),
    ):
        print(f"| {name} | {statistics.median(spent):.0f} | {max(spent):.0f} |")


def _changed(now: str, before: str) -> bool:
    return now != before and "encoding" not in now


def main() -> None:
    warm()
    scaling()
    steadying()
    matching()
    in_betweens()
    cropping()


if __name__ == "__main__":
    main()
