"""What part of a picture changes."""

import numpy as np
from numpy.typing import NDArray

from ...compiled import compiled


@compiled
def changed(canvas: NDArray[np.uint8], wanted: NDArray[np.uint8]) -> tuple[int, int, int, int]:
    """The edges (left, top, right, bottom) of where two pictures differ; right is 0 when nowhere."""
    height, width = canvas.shape
    left, right, top, bottom = width, -1, height, -1
    for y in range(height):
        moved = np.uint8(0)
        for x in range(width):  # without an early end, so that it runs in vector lanes
            moved = np.uint8(moved | np.uint8(canvas[y, x] ^ wanted[y, x]))
        if moved == 0:
            continue
        x = 0
        while canvas[y, x] == wanted[y, x]:
            x += 1
        left, top, bottom = min(left, x), min(top, y), y
        x = width - 1
        while x > right and canvas[y, x] == wanted[y, x]:  # only what would widen it is of interest
            x -= 1
        right = max(right, x)
    return left, top, right + 1, bottom + 1


@compiled
def vanished(canvas: NDArray[np.uint8], wanted: NDArray[np.uint8], none: int) -> tuple[int, int, int, int]:
    """The edges of where ``canvas`` shows something and ``wanted`` nothing."""
    nothing = np.uint8(none)
    height, width = canvas.shape
    left, right, top, bottom = width, -1, height, -1
    for y in range(height):
        gone = np.uint8(0)
        for x in range(width):
            gone = np.uint8(gone | ((wanted[y, x] == nothing) & (canvas[y, x] != nothing)))
        if gone == 0:
            continue
        x = 0
        while wanted[y, x] != none or canvas[y, x] == none:
            x += 1
        left, top, bottom = min(left, x), min(top, y), y
        x = width - 1
        while x > right and (wanted[y, x] != none or canvas[y, x] == none):
            x -= 1
        right = max(right, x)
    return left, top, right + 1, bottom + 1


Edges = tuple[int, int, int, int]  # left, top, right, bottom; empty when right <= left


def union(a: Edges, b: Edges) -> Edges:
    return min(a[0], b[0]), min(a[1], b[1]), max(a[2], b[2]), max(a[3], b[3])


def with_area(edges: Edges, gone: Edges) -> Edges:
    """The box of a frame: it has to have an area, and to hold what is cleared after it (``gone``)."""
    if edges[2] <= edges[0]:
        edges = (0, 0, 1, 1)
    return union(edges, gone) if gone[2] > gone[0] else edges
