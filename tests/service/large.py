"""Files of many megabytes, six of them at once, and what they cost the server."""

import struct
import zipfile
from concurrent.futures import ThreadPoolExecutor
from io import BytesIO
from math import isqrt
from pathlib import Path

import httpx
from PIL import Image

from tests.conftest import moving_square
from tests.server import Server
from tests.service.conftest import numbered, project_of
from tests.service.test_kinds import KINDS


def growth_by_uploads(server: Server, each: int) -> int:
    """By how many bytes the server grows while it takes six files of ``each`` bytes, all at once.

    They are clips with a part that is skipped (ISO/IEC 14496-12, 8.1.2), archives, and plain pictures.
    """
    ((_, movie),) = KINDS["mp4"][0]()
    clip = movie + struct.pack(">I4s", each, b"free") + bytes(each - 8)
    packed, bmp = BytesIO(), BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr("wave_1.png", numbered(moving_square(1))[0][1])
        archive.writestr("notes.bin", bytes(each))
    side = isqrt(min(each // 4, 31_000_000))
    Image.new("RGBA", (side, side), (40, 90, 200, 255)).save(bmp, "BMP")
    files = [("a.mp4", clip), ("a.zip", packed.getvalue()), ("a.bmp", bmp.getvalue())]
    with server.client() as client:
        project_of(client)
        address = f"{server.base}/api/imports/{client.post('/api/imports').json()['id']}/files"
    before = _peak_memory(server.pid, anew=True)

    def send(number: int) -> int:
        name, data = files[number % 3]
        answer = httpx.post(address, files={"files": (f"{number}_{name}", data)}, timeout=300)
        return sum(taken["frames"] for taken in answer.raise_for_status().json())

    with ThreadPoolExecutor(6) as pool:
        taken = list(pool.map(send, range(6)))
    assert taken == [4, 1, 1] * 2, taken
    return _peak_memory(server.pid) - before


def _peak_memory(pid: int, *, anew: bool = False) -> int:
    """The most bytes that a process had at once; ``anew``: from now on (proc(5), clear_refs)."""
    process = Path(f"/proc/{pid}")
    if anew:
        (process / "clear_refs").write_text("5")
    (line,) = (line for line in (process / "status").read_text().splitlines() if line.startswith("VmHWM"))
    return int(line.split()[1]) * 1024
