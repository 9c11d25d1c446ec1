"""GIF files that no careful program writes and browsers show all the same."""

import struct

import numpy as np
from numpy.typing import NDArray

WIDTH, HEIGHT = 16, 12
FIRST = np.arange(WIDTH * HEIGHT, dtype=np.uint8).reshape(HEIGHT, WIDTH)
SECOND = np.ascontiguousarray(FIRST[::-1])


def stream(indices: NDArray[np.uint8], size: int = 8) -> bytes:
    """LZW without a dictionary: a clear code before it would grow (GIF89a, Appendix F)."""
    clear, width = 1 << size, size + 1
    codes = []
    for place, index in enumerate(indices.reshape(-1)):
        if place % (clear - 3) == 0:
            codes.append(clear)
        codes.append(int(index))
    bits = sum(code << width * place for place, code in enumerate([*codes, clear + 1]))
    return bits.to_bytes((width * (len(codes) + 1) + 7) // 8, "little")


def image(
    data: bytes,
    *,
    sides: tuple[int, int] = (WIDTH, HEIGHT),
    size: int = 8,
    left: int = 0,
    clear: int | None = None,
) -> bytes:
    """A graphic control of 10 hundredths, an image descriptor and its data in sub-blocks."""
    control = struct.pack("<BBBBHBB", 0x21, 0xF9, 4, 4 | (clear is not None), 10, clear or 0, 0)
    blocks = b"".join(
        bytes([len(data[at : at + 255])]) + data[at : at + 255] for at in range(0, len(data), 255)
    )
    return control + struct.pack("<BHHHHB", 0x2C, left, 0, *sides, 0) + bytes([size]) + blocks + b"\0"


def file(*images: bytes, canvas: tuple[int, int] = (WIDTH, HEIGHT), end: bytes = b";") -> bytes:
    palette = bytes(level for index in range(256) for level in (index, 255 - index, 90))
    return b"GIF89a" + struct.pack("<HHBBB", *canvas, 0xF7, 0, 0) + palette + b"".join(images) + end


ONE, TWO = image(stream(FIRST)), image(stream(SECOND))
LONG = image(stream(np.append(FIRST, FIRST[:3])))
ENDLESS = image(stream(np.append(FIRST, FIRST))[:-2])
WHOLE = file(ONE, TWO)
ODD: dict[str, tuple[bytes, int, str]] = {
    # The file, how many frames come of it, and what is said.
    "whole": (WHOLE, 2, ""),
    "more data than pixels": (
        file(image(stream(np.append(FIRST, FIRST[:3]))), TWO),
        2,
        "longer than its frame",
    ),
    "more data, no end": (file(image(stream(np.append(FIRST, FIRST))[:-2]), TWO), 2, "longer than its frame"),
    "a frame without width": (file(ONE, image(b"", sides=(0, HEIGHT)), TWO), 3, "no area and draws nothing"),
    "a frame without height": (file(ONE, image(b"", sides=(WIDTH, 0), left=40), TWO), 3, "draws nothing"),
    "a first frame without area": (file(image(b"", sides=(0, 0)), TWO), 2, "draws nothing"),
    "a canvas without area": (file(ONE, TWO, canvas=(0, 0)), 2, "given as 0 × 0"),
    "a canvas without width": (file(ONE, TWO, canvas=(0, HEIGHT)), 2, "given as 0 × 12"),
    "no trailer": (file(ONE, TWO, end=b""), 2, "ends early"),
    "more after the trailer": (WHOLE + b"more", 2, ""),
    "no block between": (file(ONE, b"\x99\x98", TWO), 1, "begins no known block"),
    "cut in its second picture": (WHOLE[:-60], 2, "ends early"),
    "cut in a header": (WHOLE[: len(file(ONE)) + 12], 1, "ends early"),
    "too few pixels": (file(image(stream(FIRST[:6])), TWO), 2, "ends after 96 of 192 pixels"),
    "a code that is none": (file(image(stream(FIRST)[:50] + b"\xff" * 4), TWO), 2, "never defined"),
    "a code size of 9, later": (file(ONE, image(stream(SECOND, 9), size=9), TWO), 1, "a code size of 9"),
    "a code size of 0, later": (file(ONE, image(b"\x01", size=0), TWO), 3, "draws nothing"),
}
NONE: dict[str, bytes] = {
    "a code size of 9": file(image(stream(FIRST, 9), size=9), TWO),
    "cut before any picture": WHOLE[: len(file(end=b"")) + 5],
    "nothing": file(),
}
"""What browsers show nothing of."""
