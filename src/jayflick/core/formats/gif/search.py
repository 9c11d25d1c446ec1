"""LZW that may show another colour than asked for where the dictionary then knows a longer run.

At every place the dictionary's tree is searched, the likeliest branch first, for the run that is worth most:
each pixel it covers saves what a pixel costs in bits, at the price of a bit, less the error it adds.
"""

import numpy as np
from numpy.typing import NDArray

from ...compiled import compiled

BRANCHES = 300
"""Nodes looked at beyond the likeliest branch; with 20 files grow by several percent, with 4000 none gains."""
LEFT, OTHER = 4.0, 2.0
"""The most error that a pixel may add by leaving what is on show, and by taking another colour, as a multiple
of what covering it saves."""
LASTING = 20_000
"""Pixels over which the running bits a pixel are averaged."""
_STACK = 1 << 14
_NEAR = 64
"""Other entries that are tried for the first pixel of a run, the nearest."""
_FIRST_BITS = 3.0
"""What a pixel is taken to cost before any was coded."""
_FAR = 20_000


@compiled
def _search(
    target: NDArray[np.uint32],
    fresh: NDArray[np.uint8],
    miss: NDArray[np.int32],
    last: NDArray[np.uint8],
    left: NDArray[np.bool_],
    still: NDArray[np.bool_],
    weight: NDArray[np.float32],
    canvas: NDArray[np.uint32],
    palette: NDArray[np.int32],
    near: NDArray[np.uint8],
    apart: NDArray[np.float32],
    none: int,
    size: int,
    price: float,
    running: NDArray[np.float64],
    written: NDArray[np.uint8],
) -> NDArray[np.uint8]:
    pixels = np.uint64(target.shape[0])
    out = np.empty(target.shape[0] * 2 + 64, np.uint8)
    one, eight = np.uint64(1), np.uint64(8)
    nothing = np.uint64(none)
    clear = one << np.uint64(size)
    # The tree: a node's first child, and its own next sibling (12 bits) with its symbol (8). No node is 0.
    child = np.zeros(4096, np.uint16)
    beside = np.zeros(4096, np.uint32)
    parent = np.zeros(4096, np.uint16)
    for i in range(none + 1):
        beside[i] = i
    open_node = np.empty(_STACK, np.uint16)
    open_at = np.empty(_STACK, np.uint64)
    open_worth = np.empty(_STACK, np.float64)
    next_code = clear + np.uint64(2)
    code_size = np.uint64(size + 1)
    bit_buffer = clear
    buffered = code_size
    length = np.uint64(0)
    pending = np.uint64(0)  # the newest node: its symbol is the first of the run that comes next
    bits = running[0]
    at = np.uint64(0)
    while at < pixels:
        saved = price * bits
        most_left, most_other = LEFT * saved, OTHER * saved
        best = -1e300
        best_node, best_end = nothing, at
        opened = np.uint64(0)
        if still[at] or target[at] >> np.uint32(24) == 0:
            shows = np.uint64(last[at])
            if shows != nothing:
                open_node[0], open_at[0], open_worth[0] = shows, at + one, saved
                opened = one
            if left[at]:
                open_node[opened], open_at[opened], open_worth[opened] = nothing, at + one, saved
                opened += one
        else:
            pixel = target[at]
            r, g, b = np.int32(pixel & 255), np.int32((pixel >> 8) & 255), np.int32((pixel >> 16) & 255)
            error, share = miss[at], weight[at]
            within = np.float32(error) + np.float32(most_other) / share
            # Entries by their distance from the fresh one: none farther than this can be within.
            reach = np.sqrt(np.float32(error)) + np.sqrt(within)
            f = np.uint64(fresh[at])
            for k in range(near.shape[1]):
                if apart[f, k] > reach:
                    break
                p = np.uint64(near[f, k])
                dr, dg, db = r - palette[p, 0], g - palette[p, 1], b - palette[p, 2]
                square = dr * dr + dg * dg + db * db
                if square <= within:
                    open_node[opened], open_at[opened] = p, at + one
                    open_worth[opened] = saved - share * (square - error)
                    opened += one
            open_node[opened], open_at[opened], open_worth[opened] = f, at + one, saved
            opened += one
            over = canvas[at]
            if over != 0:
                dr, dg = r - np.int32(over & 255), g - np.int32((over >> 8) & 255)
                db = b - np.int32((over >> 16) & 255)
                square = dr * dr + dg * dg + db * db
                if square <= np.float32(error) + np.float32(most_left) / share:
                    open_node[opened], open_at[opened] = nothing, at + one
                    open_worth[opened] = saved - share * (square - error)
                    opened += one
        looked = 0
        while opened > 0 and looked <= BRANCHES:
            opened -= one
            node, end, worth = np.uint64(open_node[opened]), open_at[opened], open_worth[opened]
            while True:
                if worth > best:
                    best, best_node, best_end = worth, node, end
                branch = np.uint64(child[node])
                if branch == 0 or end == pixels:
                    break
                likely = np.uint64(0)
                more = -1e300
                pixel = target[end]
                if still[end] or pixel >> np.uint32(24) == 0:
                    shows = np.uint64(last[end])
                    leaves = left[end]
                    while branch != 0:
                        link = np.uint64(beside[branch])
                        symbol = link & np.uint64(255)
                        if (symbol == nothing and leaves) or (symbol == shows and shows != nothing):
                            more = worth + saved
                            if likely == 0:
                                likely = branch
                            elif opened < _STACK:
                                # Of two that look the same, what writes nothing is likelier to go on.
                                rarer = likely if symbol == nothing else branch
                                likely = branch if symbol == nothing else likely
                                open_node[opened], open_at[opened], open_worth[opened] = rarer, end + one, more
                                opened += one
                        branch = link >> eight
                else:
                    r, g = np.int32(pixel & 255), np.int32((pixel >> 8) & 255)
                    b = np.int32((pixel >> 16) & 255)
                    error, share = miss[end], weight[end]
                    within = np.float32(error) + np.float32(most_other) / share
                    over = canvas[end]
                    while branch != 0:
                        link = np.uint64(beside[branch])
                        p = link & np.uint64(255)
                        bound = within
                        if p == nothing:
                            if over == 0:
                                branch = link >> eight
                                continue
                            bound = np.float32(error) + np.float32(most_left) / share
                            dr, dg = r - np.int32(over & 255), g - np.int32((over >> 8) & 255)
                            db = b - np.int32((over >> 16) & 255)
                        else:
                            dr, dg, db = r - palette[p, 0], g - palette[p, 1], b - palette[p, 2]
                        square = dr * dr + dg * dg + db * db
                        if square <= bound:
                            value = worth + saved - share * (square - error)
                            if value > more:
                                if likely != 0 and opened < _STACK:
                                    open_node[opened], open_at[opened] = likely, end + one
                                    open_worth[opened] = more
                                    opened += one
                                likely, more = branch, value
                            elif opened < _STACK:
                                open_node[opened], open_at[opened] = branch, end + one
                                open_worth[opened] = value
                                opened += one
                        branch = link >> eight
                if likely == 0:
                    break
                node, worth = likely, more
                end += one
                looked += 1
        # What the run shows, from its end to its begin.
        node, place = best_node, best_end
        while True:
            place -= one
            symbol = np.uint64(beside[node]) & np.uint64(255)
            written[place] = symbol
            if place == at:
                break
            node = np.uint64(parent[node])
        if pending != 0:
            beside[pending] = (beside[pending] & np.uint32(0xFFF00)) | np.uint32(symbol)
        bit_buffer |= best_node << buffered
        buffered += code_size
        spent = np.float64(code_size)
        if next_code < np.uint64(4096):
            # A symbol longer than this run, and not known yet: its first, if the next run begins with this one.
            pending = next_code
            parent[pending] = best_node
            beside[pending] = (np.uint32(child[best_node]) << np.uint32(8)) | np.uint32(symbol)
            child[pending] = 0
            child[best_node] = pending
            if next_code == one << code_size:
                code_size += one
            next_code += one
        else:
            bit_buffer |= clear << buffered
            buffered += code_size
            child[:] = 0
            pending = np.uint64(0)
            next_code = clear + np.uint64(2)
            code_size = np.uint64(size + 1)
        while buffered >= eight:
            out[length] = np.uint8(bit_buffer & np.uint64(255))
            length += one
            bit_buffer >>= eight
            buffered -= eight
        covered = np.float64(best_end - at)
        part = min(1.0, covered / LASTING)
        bits += (spent / covered - bits) * part
        at = best_end
    running[0] = bits
    if next_code == one << code_size and code_size < np.uint64(12):
        code_size += one
    bit_buffer |= (clear + one) << buffered
    buffered += code_size
    while True:
        out[length] = np.uint8(bit_buffer & np.uint64(255))
        length += one
        bit_buffer >>= eight
        if buffered <= eight:
            break
        buffered -= eight
    return out[:length].copy()


def running_bits() -> NDArray[np.float64]:
    """The bits that a pixel costs, shape (1,), before any was coded; each search keeps them up."""
    return np.array([_FIRST_BITS])


class Search:
    """Codes the frames of one loop, each with a dictionary of its own."""

    def __init__(
        self, colours: NDArray[np.uint8], size: int, price: float, running: NDArray[np.float64] | None = None
    ) -> None:
        """``colours``: the palette, shape (n, 3); ``size``: the LZW minimum code size; ``price``: the squared
        error that a bit may cost; ``running``: what :func:`running_bits` gave, where several share it."""
        self._none = len(colours)
        self._size = size
        self.price = price
        self._running = running_bits() if running is None else running
        self.palette = np.full((256, 3), _FAR, np.int32)
        """Shape (256, 3): what no entry stands for is far from every colour."""
        self.palette[: self._none] = colours
        squares = ((self.palette[: self._none, None] - self.palette[None, : self._none]) ** 2).sum(axis=2)
        near = np.argsort(squares, axis=1, kind="stable")[:, 1 : _NEAR + 1]
        self._near = near.astype(np.uint8)
        self._apart = np.sqrt(np.take_along_axis(squares, near, axis=1)).astype(np.float32)

    @property
    def saved(self) -> float:
        """What covering a pixel saves, as it is at the moment: its bits at their price."""
        return float(self.price * self._running[0])

    def encode(
        self,
        target: NDArray[np.uint32],
        fresh: NDArray[np.uint8],
        miss: NDArray[np.int32],
        last: NDArray[np.uint8],
        left: NDArray[np.bool_],
        still: NDArray[np.bool_],
        weight: NDArray[np.float32],
        canvas: NDArray[np.uint32],
    ) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
        """Code a window as one LZW stream (bytes, not sub-blocks), and the entries it writes.

        All of shape (height, width). ``target``: the colours that pixels are held to, red lowest, alpha
        highest; one of alpha 0 stays clear. ``fresh``: the entries chosen for them, of squared error ``miss``.
        ``still``: what shows ``last`` and nothing else, or, if it is ``left``, is not written. ``weight``: what
        a squared error counts. ``canvas``: the colours on show before, 0 for none; nothing needs be written
        where they serve. What is not written has the entry ``none``.
        """
        shape = canvas.shape
        written = np.empty(canvas.size, np.uint8)
        data = _search(
            target.reshape(-1),
            fresh.reshape(-1),
            miss.reshape(-1),
            last.reshape(-1),
            left.reshape(-1),
            still.reshape(-1),
            weight.reshape(-1),
            canvas.reshape(-1),
            self.palette,
            self._near,
            self._apart,
            self._none,
            self._size,
            self.price,
            self._running,
            written,
        )
        return data, written.reshape(shape)
