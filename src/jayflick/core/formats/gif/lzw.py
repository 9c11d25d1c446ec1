"""The variable-length-code LZW of GIF89a, Appendix F."""

import numpy as np
from numpy.typing import NDArray

from ...compiled import compiled, inlined

_TABLE = 1 << 13
_FREE = np.uint32(0xFFFFFFFF)


@inlined
def _slot(table: NDArray[np.uint32], key: np.uint64) -> np.uint64:
    """Where ``key`` (prefix << 8 | symbol) stands in the table, or the free place where it belongs."""
    place = ((key * np.uint64(2654435761)) >> np.uint64(19)) & np.uint64(_TABLE - 1)
    while table[place] != _FREE and np.uint64(table[place] >> np.uint32(12)) != key:
        place = (place + np.uint64(1)) & np.uint64(_TABLE - 1)
    return place


@compiled
def _encode(
    wanted: NDArray[np.uint8], canvas: NDArray[np.uint8], transparent_index: int, free: bool, size: int
) -> NDArray[np.uint8]:
    height, width = wanted.shape
    out = np.empty(height * width * 2 + 64, np.uint8)
    # A table entry is prefix (12 bits), symbol (8) and code (12) in one word: 32 KB, which stays in cache.
    table = np.full(_TABLE, _FREE, np.uint32)
    # chain[n] is the code of n pixels that write nothing, for as many as the dictionary knows: still areas
    # are walked along it without looking anything up.
    chain = np.empty(4097, np.uint32)
    chain[1] = transparent_index
    known = 1
    run = 0  # of such pixels in ``prefix``, 0 when it holds others
    # Unsigned throughout: an index that might be negative is checked on every use.
    transparent, end, eight = np.uint64(transparent_index), np.uint64(width), np.uint64(8)
    clear = np.uint64(1 << size)
    next_code = clear + np.uint64(2)
    code_size = np.uint64(size + 1)
    bit_buffer = clear
    buffered = code_size
    length = np.uint64(0)
    prefix = np.uint64(0)
    started = False
    for y in range(height):
        x = np.uint64(0)
        while x < end:
            if run > 0:
                begun = x
                while x < end and run < known and canvas[y, x] == wanted[y, x]:
                    run += 1
                    x += np.uint64(1)
                if x > begun:
                    prefix = np.uint64(chain[run])
                    if x == end:
                        break
            symbol = np.uint64(wanted[y, x])
            other = symbol
            if free and canvas[y, x] == wanted[y, x]:
                symbol = transparent
            x += np.uint64(1)
            if not started:
                started = True
                prefix = symbol
                run = 1 if free and symbol == transparent else 0
                continue
            place = _slot(table, (prefix << np.uint64(8)) | symbol)
            entry = table[place]
            if entry != _FREE:
                prefix = np.uint64(entry & np.uint32(4095))
                run = run + 1 if run > 0 and symbol == transparent else 0
                continue
            if other != symbol:
                # The canvas already shows this colour: writing it again and writing nothing look the same,
                # so take whichever the dictionary knows.
                entry = table[_slot(table, (prefix << np.uint64(8)) | other)]
                if entry != _FREE:
                    prefix = np.uint64(entry & np.uint32(4095))
                    run = 0
                    continue
            bit_buffer |= prefix << buffered
            buffered += code_size
            # At most three bytes are full; all are written and as many kept, which spares a branch.
            out[length] = np.uint8(bit_buffer & np.uint64(255))
            out[length + np.uint64(1)] = np.uint8((bit_buffer >> eight) & np.uint64(255))
            out[length + np.uint64(2)] = np.uint8((bit_buffer >> np.uint64(16)) & np.uint64(255))
            length += buffered >> np.uint64(3)
            bit_buffer >>= buffered & np.uint64(24)
            buffered &= np.uint64(7)
            if next_code < np.uint64(4096):
                key = (prefix << np.uint64(8)) | symbol
                table[place] = np.uint32((key << np.uint64(12)) | next_code)
                if run > 0 and symbol == transparent:
                    known = run + 1
                    chain[known] = next_code
                if next_code == np.uint64(1) << code_size:
                    code_size += np.uint64(1)
                next_code += np.uint64(1)
            else:
                bit_buffer |= clear << buffered
                buffered += code_size
                table[:] = _FREE
                known = 1
                next_code = clear + np.uint64(2)
                code_size = np.uint64(size + 1)
            prefix = symbol
            run = 1 if free and symbol == transparent else 0
    bit_buffer |= prefix << buffered
    buffered += code_size
    if next_code == np.uint64(1) << code_size and code_size < np.uint64(12):
        code_size += np.uint64(1)
    bit_buffer |= (clear + np.uint64(1)) << buffered
    buffered += code_size
    while True:
        out[length] = np.uint8(bit_buffer & np.uint64(255))
        length += np.uint64(1)
        bit_buffer >>= eight
        if buffered <= eight:
            break
        buffered -= eight
    return out[:length].copy()


def encode(
    wanted: NDArray[np.uint8], canvas: NDArray[np.uint8], transparent_index: int, *, size: int, free: bool
) -> NDArray[np.uint8]:
    """Code the palette indices ``wanted``, shape (height, width), as one LZW stream (bytes, not sub-blocks).

    ``size`` is the LZW minimum code size, 2 to 8. With ``free``, a pixel that ``canvas`` (same shape) shows
    already may be coded either as itself or as the transparent index, whichever codes shorter.
    """
    return _encode(wanted, canvas, transparent_index, free, size)


_UNDEFINED, _TOO_LONG = 1, 2
_WHY = (
    "",
    "its picture data has a code that was never defined",
    "its picture data is longer than its frame",
)


@compiled
def _decode(data: NDArray[np.uint8], size: int, out: NDArray[np.uint8]) -> tuple[int, int]:
    """Decode as far as it goes: how many indices there are, and 0, or why it ends early."""
    prefix = np.zeros(4096, np.int32)
    suffix = np.zeros(4096, np.uint8)
    run = np.ones(4096, np.int32)
    clear = 1 << size
    for i in range(clear):
        suffix[i] = i
    next_code = clear + 2
    code_size = size + 1
    bit_buffer = np.int64(0)
    buffered = 0
    last = -1
    first = np.uint8(0)
    place = 0
    at = 0
    total = out.shape[0]
    while True:
        while buffered < code_size:
            if at == data.shape[0]:
                return place, 0
            bit_buffer |= np.int64(data[at]) << buffered
            at += 1
            buffered += 8
        code = bit_buffer & ((1 << code_size) - 1)
        bit_buffer >>= code_size
        buffered -= code_size
        if code == clear:
            next_code = clear + 2
            code_size = size + 1
            last = -1
            continue
        if code == clear + 1:
            return place, 0
        if last < 0:
            if code > clear:
                return place, _UNDEFINED
            length = 1
        elif code < next_code:
            length = run[code]
        elif code == next_code and next_code < 4096:
            length = run[last] + 1
        else:
            return place, _UNDEFINED
        if place == total:
            return place, _TOO_LONG
        # A code is a run written backwards: its own symbol, then its prefix's, down to a single symbol.
        walk = code
        end = place + length - 1
        if code == next_code and last >= 0:
            if end < total:
                out[end] = first
            end -= 1
            walk = last
        while end >= place:
            if end < total:
                out[end] = suffix[walk]
            walk = prefix[walk]
            end -= 1
        if place + length > total:
            return total, _TOO_LONG
        first = out[place]
        if last >= 0 and next_code < 4096:
            prefix[next_code] = last
            suffix[next_code] = first
            run[next_code] = run[last] + 1
            next_code += 1
            if next_code == (1 << code_size) and code_size < 12:
                code_size += 1
        last = code
        place += length


def decode(data: NDArray[np.uint8], size: int, pixels: int) -> NDArray[np.uint8]:
    """The inverse: exactly ``pixels`` indices from an LZW stream; ``ValueError`` says how it is broken."""
    out, count, why = decode_as_far(data, size, pixels)
    if why:
        raise ValueError(why)
    if count < pixels:
        raise ValueError(f"its picture data ends after {count} of {pixels} pixels")
    return out


def decode_as_far(data: NDArray[np.uint8], size: int, pixels: int) -> tuple[NDArray[np.uint8], int, str]:
    """``pixels`` indices as far as a stream goes, how many of them there are, and what is wrong with it.

    What comes after the last pixel is passed over, but for its being there.
    """
    out = np.zeros(pixels, np.uint8)
    count, why = _decode(data, size, out)
    return out, count, _WHY[why]
