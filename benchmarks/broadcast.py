"""Broadcast: cover against decoding by Pillow; the stand-ins' start, memory and pictures; ./start with them.

Both lines of the first table come from the same files in one run: Pillow decodes them in two processes, the
cover check decodes and looks at them as ``jayflick cover`` does. A stand-in has started when it answers.
"""

import signal
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path

import httpx
from PIL import Image
from tests.prepared import copy_demo
from tests.server import Server, until

from jayflick.core.broadcast.cover import Cover, opaque_share
from jayflick.core.broadcast.numbered_set import numbered_set
from jayflick.core.warm import warm
from jayflick.delivery.protocol import Offer
from jayflick.delivery.sender import Gone, Sender, load_of, offered
from jayflick.demo import png
from jayflick.demo.gull import COUNT, draw_gull
from jayflick.standins.clips import keep_clip
from jayflick.standins.desk import Overlay
from jayflick.standins.intake import Work
from jayflick.standins.moments import Change, Laid, Moment
from jayflick.standins.switcher import Switcher

ROUNDS = 5
KINDS = ("switcher", "graphics", "post", "effects")


def decoded(path: str) -> int:
    with Image.open(path) as picture:
        picture.load()
        return picture.width


def timed(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def cover(folder: Path) -> None:
    """60 frames of 1920 × 1080 RGBA."""
    paths = [str(path) for path in sorted(folder.iterdir())]
    ours: list[float] = []
    theirs: list[float] = []
    with ProcessPoolExecutor(2) as pool:
        list(pool.map(decoded, paths[:4]))  # the processes are there, and Pillow is loaded
        for _ in range(ROUNDS):
            theirs.append(timed(lambda: list(pool.map(decoded, paths, chunksize=4))))
            ours.append(timed(lambda: Cover(tuple(numbered_set(str(folder)).each(opaque_share))).cut))
    print("| 60 frames of 1920 × 1080 | median s | of Pillow's |\n| --- | ---: | ---: |")
    print(f"| decoded by Pillow, 2 processes | {statistics.median(theirs):.2f} | 1 |")
    ratio = statistics.median(one / other for one, other in zip(ours, theirs, strict=True))
    print(f"| checked for cover | {statistics.median(ours):.2f} | {ratio:.2f} |\n")


def resident(pid: int) -> float:
    """The most memory that a process has had, in MiB."""
    for line in Path(f"/proc/{pid}/status").read_text().splitlines():
        if line.startswith("VmHWM"):
            return int(line.split()[1]) / 1024
    return 0.0


def answers(sender: Sender) -> bool:
    try:
        sender.status()
    except Gone:
        return False
    return True


def standins(frames: list[bytes]) -> None:
    """Each by itself: how soon it answers, and its memory then and after what it is for."""
    print("| stand-in | answers after s | MiB then | MiB with the gull |\n| --- | ---: | ---: | ---: |")
    for number, kind in enumerate(KINDS):
        seconds = []
        for turn in range(ROUNDS):
            port = 8500 + number * ROUNDS + turn
            with tempfile.TemporaryDirectory() as folder, Sender(f"http://127.0.0.1:{port}") as sender:
                begun = time.perf_counter()
                command = [
                    sys.executable,
                    "-m",
                    "jayflick.standins",
                    kind,
                    "--data",
                    folder,
                    "--port",
                    str(port),
                ]
                process = subprocess.Popen(command)
                try:
                    while not answers(sender):
                        time.sleep(0.01)
                    seconds.append(time.perf_counter() - begun)
                    then = resident(process.pid)
                    if turn == ROUNDS - 1 and kind in ("switcher", "graphics"):
                        if kind == "switcher":
                            httpx.put(f"http://127.0.0.1:{port}/api/desk/show", json={"pace": 0})
                        files = [load_of(f"gull_{n}.png", data) for n, data in enumerate(frames, 1)]
                        place = 3 if kind == "switcher" else None
                        offer = Offer(key="benchmark", files=offered(files), first=files[0].name, place=place)
                        sender.send(offer, files)
                        full = f"{resident(process.pid):.0f}"
                    else:
                        full = ""
                finally:
                    process.send_signal(signal.SIGTERM)
                    process.wait()
        print(f"| {kind} | {statistics.median(seconds):.2f} | {then:.0f} | {full} |")
    print()


def program(frames: list[bytes]) -> None:
    """Pictures of program a second at 960 × 540, a transition and two overlays over moving sources."""
    with tempfile.TemporaryDirectory() as folder:
        desk = Switcher(Path(folder) / "desk")
        print("| program, 960 × 540 | pictures a second |\n| --- | ---: |")
        clip, bug = desk._clip(1), desk._clip(2)
        paths = []
        for number, data in enumerate(frames, 1):
            paths.append(Path(folder) / f"gull_{number}.png")
            paths[-1].write_bytes(data)
        work = Work(lambda: 0.0)
        gull = keep_clip(paths, desk.raster, Path(folder), work, title="gull", rate=60, whole=True)
        layers = Laid(bug, Overlay(), 0), Laid(gull, Overlay(), 0)
        for name, moment in (
            ("a source", Moment()),
            ("a mix", Moment(change=Change(0, COUNT))),
            ("a clip that is drawn", Moment(change=Change(0, COUNT, clip))),
            ("the gull", Moment(change=Change(0, COUNT, gull))),
            ("the gull over two overlays", Moment(change=Change(0, COUNT, gull), overlays=layers)),
        ):
            desk._moments = [moment]

            def all_of_it() -> None:
                for number in range(COUNT):
                    desk.picture(number, 960)

            rate = COUNT / statistics.median(timed(all_of_it) for _ in range(ROUNDS))
            print(f"| {name} | {rate:.0f} |")
    print()


def all_ready(asker: httpx.Client) -> bool:
    return all(one["state"] == "ready" for one in asker.get("/api/standins").json())


def start() -> None:
    """From the command to where it says that it is ready, on a data folder that holds the demo."""
    with tempfile.TemporaryDirectory() as folder:
        data = copy_demo(Path(folder) / "data")
        seconds: dict[bool, list[float]] = {False: [], True: []}
        for _ in range(ROUNDS):
            for standing in (False, True):
                server = Server(data, standins=standing)
                seconds[standing].append(timed(server.start))
                if standing:
                    with server.client() as asker:
                        until(partial(all_ready, asker))
                server.stop()
    print("| ./start, all installed | median s |\n| --- | ---: |")
    for standing, name in ((False, "--no-standins"), (True, "with the stand-ins")):
        print(f"| {name} | {statistics.median(seconds[standing]):.2f} |")
    print()


def main() -> None:
    warm()
    with tempfile.TemporaryDirectory() as folder:
        frames = [png(draw_gull(index)) for index in range(COUNT)]
        for number, data in enumerate(frames, 1):
            (Path(folder) / f"gull_{number:03}.png").write_bytes(data)
        cover(Path(folder))
    standins(frames)
    program(frames)
    start()


if __name__ == "__main__":
    main()
