"""Corners of faces, lines and points: `v`, `v/vt`, `v//vn`, `v/vt/vn`.

The usual file writes plain numbers in one form throughout: its digits are read eight at a time out of 64-bit
words. Anything else (relative numbers, forms that change, stray letters) goes the general way.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from customs.formats.text_lines import Bytes, blank, parse_numbers, rows_of, sums_from, token_starts

Array = npt.NDArray[Any]
SLASH, ZERO = 47, 48
BLANKS = b"\t\r\n\v\f"
FORMS = ((3, (1, 1)), (2, (1,)), (2, (2,)), (1, ()))
"""(numbers in a corner, slashes between them) of v/vt/vn, v/vt, v//vn, v."""


def read_corners(part: Bytes, letter: bytes, lines: int) -> tuple[Array, Array] | None:
    """(numbers (C, 3) int64 as written, 0 where absent; where each corner begins (C,)) of `lines` lines; None
    when wrong.
    """
    quick = _uniform(part, lines)
    return quick if quick is not None else _general(part, letter)


def _uniform(part: Bytes, lines: int) -> tuple[Array, Array] | None:
    """All corners of one form and of plain numbers below 10⁸, or None when they are not."""
    digit = (part - np.uint8(ZERO)) <= 9
    slash = part == SLASH
    # Besides digits, slashes and gaps there may be the keyword's letter, once a line.
    if int(np.count_nonzero(digit | slash | (part <= 32))) != len(part) - lines:
        return None
    starts = np.flatnonzero(digit[1:] & ~digit[:-1]) + 1
    ends = np.flatnonzero(digit[:-1] & ~digit[1:]) + 1
    if digit[-1]:
        ends = np.append(ends, len(part))
    if not len(starts) or len(starts) != len(ends):
        return None
    length = ends - starts
    if int(length.max()) > 8:
        return None
    slashes = int(np.count_nonzero(slash))
    for per, between in FORMS:
        if (
            len(starts) % per == 0
            and slashes == sum(between) * (len(starts) // per)
            and _has_form(slash, starts, ends, per, between)
        ):
            return _table(digits(part, ends, length), per, between), starts[::per]
    return None


def _has_form(slash: Array, starts: Array, ends: Array, per: int, between: tuple[int, ...]) -> bool:
    """True when each corner is `per` numbers with as many slashes between as said, and a gap after it."""
    for k, count in enumerate(between):
        left = ends[k::per]
        if not (
            (starts[k + 1 :: per] - left == count).all()
            and slash[left].all()
            and slash[left + count - 1].all()
        ):
            return False
    last = ends[per - 1 :: per]
    inside = last[last < len(slash)]
    return not slash[inside].any()


def _table(values: Array, per: int, between: tuple[int, ...]) -> Array:
    rows = values.reshape(-1, per)
    out = np.zeros((len(rows), 3), dtype=np.int64)
    out[:, 0] = rows[:, 0]
    if per == 3:
        out[:, 1:] = rows[:, 1:]
    elif per == 2:
        out[:, 2 if between[0] == 2 else 1] = rows[:, 1]
    return out


def digits(part: Bytes, ends: Array, length: Array) -> Array:
    """(N,) int64 values of decimal numbers of at most eight digits that end before `ends` (N,) in `part`.

    The eight bytes before each end are one little-endian word; bytes before the number are shifted out, and
    three multiplications add neighbouring digits, pairs and fours. Source: the usual "SIMD within a register"
    parse, D. Lemire, "Quickly parsing eight digits" (2018).
    """
    room = np.concatenate([np.full(8, ZERO, np.uint8), part])
    words = np.lib.stride_tricks.as_strided(room.view(np.uint8), (len(part) + 1, 8), (1, 1))[ends].view(
        "<u8"
    )[:, 0]
    shift = (np.uint64(8) - length.astype(np.uint64)) * np.uint64(8)
    words = (words >> shift) << shift
    words &= np.uint64(0x0F0F0F0F0F0F0F0F)
    words *= np.uint64(2561)
    words >>= np.uint64(8)
    words &= np.uint64(0x00FF00FF00FF00FF)
    words *= np.uint64(6553601)
    words >>= np.uint64(16)
    words &= np.uint64(0x0000FFFF0000FFFF)
    words *= np.uint64(42949672960001)
    words >>= np.uint64(32)
    return words.astype(np.int64)


def _general(part: Bytes, letter: bytes) -> tuple[Array, Array] | None:
    """Corners of any form, relative ones too; None when something in them is no corner."""
    text = blank(part.tobytes(), BLANKS) + b" "
    begins = token_starts(np.frombuffer(text, np.uint8))
    keyword = np.frombuffer(text, np.uint8)[begins] == letter[0]
    begins = begins[~keyword]
    text = blank(text, letter)
    if b"//" in text:
        text = text.replace(b"//", b"/0/")
    if b"/ " in text:
        text = text.replace(b"/ ", b"/0 ")
    slashes = _slashes(np.frombuffer(text, np.uint8), len(begins))
    values = parse_numbers(blank(text, b"/"), np.int64)
    if values is None or slashes is None or len(values) != int(slashes.sum()) + len(slashes):
        return None
    return rows_of(values, slashes + 1, 3), begins


def _slashes(text: Bytes, tokens: int) -> Array | None:
    """(T,) how many slashes each token holds; None when some token has more than two."""
    starts = token_starts(text)
    if len(starts) != tokens:
        return None
    if not tokens:
        return np.zeros(0, dtype=np.int64)
    out = sums_from(text == SLASH, starts)
    return out if int(out.max(initial=0)) <= 2 else None
