"""The variable-length-code LZW of GIF89a, Appendix F."""

import numpy as np
from numpy.typing import NDArray

from ...compiled import compiled, inlined

_TABLE = 1 << 13
_FREE = np.uint32(0xFFFFFFFF)
_TURNS = 64
_TRIES = 8
"""Pixels of a run that are taken the other way, to see whether a longer one is known then."""


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
    pixels = np.uint64(wanted.shape[0])
    out = np.empty(wanted.shape[0] * 2 + 64, np.uint8)
    # A table entry is prefix (12 bits), symbol (8) and code (12) in one word: 32 KB, which stays in cache.
    table = np.full(_TABLE, _FREE, np.uint32)
    # chain[n] is the code of n pixels that write nothing, for as many as the dictionary knows: still areas
    # are walked along it without looking anything up.
    chain = np.empty(4097, np.uint32)
    chain[1] = transparent_index
    # Pixels that could be taken the other way, beyond those walked along the chain: where, the code of the run
    # before, and the symbol that was not taken.
    turn_at = np.empty(_TURNS, np.uint64)
    turn_from = np.empty(_TURNS, np.uint64)
    turn_to = np.empty(_TURNS, np.uint64)
    # Unsigned throughout: an index that might be negative is checked on every use.
    transparent, one, eight = np.uint64(transparent_index), np.uint64(1), np.uint64(8)
    none, ring = np.uint64(0), np.uint64(_TURNS - 1)
    clear = one << np.uint64(size)
    known = one
    next_code = clear + np.uint64(2)
    code_size = np.uint64(size + 1)
    bit_buffer = clear
    buffered = code_size
    length = none
    newest = newest_prefix = newest_place = none  # the entry that was made last
    newest_chained = False
    at = none
    while at < pixels:
        start = at
        run = one if free and canvas[at] == wanted[at] else none  # of pixels that write nothing; 0 with others
        prefix = transparent if run > 0 else np.uint64(wanted[at])
        at += one
        chained = run  # of so many pixels the chain has the codes
        turns = kept = none
        turned = best_turned = False  # at the first pixel
        best, best_at, best_run = prefix, none, run
        place = best_place = none
        tries = 0
        while True:
            while at < pixels:
                if run > 0:
                    begun = at
                    while at < pixels and run < known and canvas[at] == wanted[at]:
                        run += one
                        at += one
                    if at > begun:
                        prefix = np.uint64(chain[run])
                        chained = run
                        if at == pixels:
                            break
                symbol = np.uint64(wanted[at])
                shown = free and canvas[at] == wanted[at]
                if shown:
                    symbol = transparent
                place = _slot(table, (prefix << eight) | symbol)
                entry = table[place]
                if shown:
                    # The canvas shows this colour already: writing it again and writing nothing look the same.
                    other = np.uint64(wanted[at])
                    if entry == _FREE:
                        entry = table[_slot(table, (prefix << eight) | other)]
                        symbol, other = other, symbol
                    if entry != _FREE:
                        turn_at[turns & ring], turn_from[turns & ring] = at, prefix
                        turn_to[turns & ring] = other
                        turns += one
                        kept = min(kept + one, np.uint64(_TURNS))
                if entry == _FREE or (turned and np.uint64(entry & np.uint32(4095)) == newest):
                    break
                prefix = np.uint64(entry & np.uint32(4095))
                run = run + one if run > 0 and symbol == transparent else none
                at += one
            if at > best_at:
                best, best_at, best_run, best_turned, best_place = prefix, at, run, turned, place
                tries = 0
            if best_at == pixels:
                break
            # No further: had one of its pixels been taken the other way, a longer run might be known.
            at = none
            while tries < _TRIES and kept + chained > 0:
                tries += 1
                if kept > 0:
                    kept -= one
                    turns -= one
                    at, prefix, symbol = turn_at[turns & ring], turn_from[turns & ring], turn_to[turns & ring]
                else:
                    chained -= one
                    at = start + chained
                    symbol = np.uint64(wanted[at])
                    if chained == 0:
                        prefix, turned = symbol, True
                        at += one
                        break
                    prefix = np.uint64(chain[chained])
                entry = table[_slot(table, (prefix << eight) | symbol)]
                if entry != _FREE and not (turned and np.uint64(entry & np.uint32(4095)) == newest):
                    prefix = np.uint64(entry & np.uint32(4095))
                    at += one
                    break
                at = none
            if at == none:
                break
            run = none
        at = best_at
        bit_buffer |= best << buffered
        buffered += code_size
        # At most three bytes are full; all are written and as many kept, which spares a branch.
        out[length] = np.uint8(bit_buffer & np.uint64(255))
        out[length + one] = np.uint8((bit_buffer >> eight) & np.uint64(255))
        out[length + np.uint64(2)] = np.uint8((bit_buffer >> np.uint64(16)) & np.uint64(255))
        length += buffered >> np.uint64(3)
        bit_buffer >>= buffered & np.uint64(24)
        buffered &= np.uint64(7)
        if at == pixels:
            break
        if best_turned and newest != none:
            # The newest entry ends with what this run begins with, which is not what it was taken for.
            table[newest_place] = _FREE
            known = known - one if newest_chained else known
            key = (newest_prefix << eight) | np.uint64(wanted[start])
            table[_slot(table, key)] = np.uint32((key << np.uint64(12)) | newest)
        if next_code < np.uint64(4096):
            symbol = transparent if free and canvas[at] == wanted[at] else np.uint64(wanted[at])
            key = (best << eight) | symbol
            newest_place = _slot(table, key) if best_turned else best_place
            table[newest_place] = np.uint32((key << np.uint64(12)) | next_code)
            newest, newest_prefix, newest_chained = next_code, best, best_run > 0 and symbol == transparent
            if newest_chained:
                known = best_run + one
                chain[known] = next_code
            if next_code == one << code_size:
                code_size += one
            next_code += one
        else:
            bit_buffer |= clear << buffered
            buffered += code_size
            table[:] = _FREE
            newest = none
            known = one
            next_code = clear + np.uint64(2)
            code_size = np.uint64(size + 1)
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


def encode(
    wanted: NDArray[np.uint8], canvas: NDArray[np.uint8], transparent_index: int, *, size: int, free: bool
) -> NDArray[np.uint8]:
    """Code the palette indices ``wanted``, shape (height, width), as one LZW stream (bytes, not sub-blocks).

    ``size`` is the LZW minimum code size, 2 to 8. With ``free``, a pixel that ``canvas`` (same shape) shows
    already may be coded either as itself or as the transparent index, whichever codes shorter.
    """
    return _encode(wanted.reshape(-1), canvas.reshape(-1), transparent_index, free, size)


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
