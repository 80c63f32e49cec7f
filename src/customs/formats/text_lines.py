"""Text files of numbers by the million: lines, tokens and numbers without a loop over any of them."""

from __future__ import annotations

import warnings
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.kernels.store import kernel

Bytes = npt.NDArray[np.uint8]
Ints = npt.NDArray[np.int64]


def line_bounds(data: Bytes) -> tuple[Ints, Ints]:
    """(start (L,), end (L,)) of each line of `data` (N,); ends lie on the newline or at N."""
    ends = np.flatnonzero(data == 10)
    if not len(ends) or ends[-1] != len(data) - 1:
        ends = np.append(ends, len(data))
    starts = np.empty_like(ends)
    starts[0], starts[1:] = 0, ends[:-1] + 1
    return starts, ends


def pick_lines(data: Bytes, starts: Ints, ends: Ints, chosen: npt.NDArray[np.bool_]) -> Bytes:
    """The bytes of the `chosen` (L,) lines with their newlines, in order."""
    if chosen.all():
        return data
    lengths = np.diff(np.append(starts, len(data)))
    return data[np.repeat(chosen, lengths)]


def token_starts(data: Bytes) -> Ints:
    """(T,) where each token of `data` (N,) begins; tokens are parted by spaces and control characters."""
    gap = data <= 32
    begins = ~gap
    begins[1:] &= gap[:-1]
    return np.flatnonzero(begins)


def sums_from(flags: npt.NDArray[np.bool_], starts: Ints) -> Ints:
    """(L,) how many of `flags` (N,) are set from each start to the next. A running sum is quicker than
    reduceat here.
    """
    running = np.cumsum(flags, dtype=np.int32)
    ends = np.append(starts[1:], len(flags)) - 1
    before = np.where(starts > 0, running[np.maximum(starts - 1, 0)], 0)
    return (running[ends] - before).astype(np.int64)


COMPILED = 4 * 1024 * 1024
"""Bytes of numbers from which the compiled reader is worth its start."""


def read_numbers(text: bytes) -> npt.NDArray[np.float64] | None:
    """All numbers of `text`, however long, or None when something in it is none."""
    fast = kernel("text") if len(text) >= COMPILED else None
    if fast is not None:
        out = np.empty(len(text) // 2 + 1)
        count = fast.read_numbers(np.frombuffer(text, np.uint8), 0, len(text), out)
        if count >= 0:
            return out[:count].copy()
    return parse_numbers(text)


def parse_numbers(text: bytes, dtype: Any = np.float64) -> npt.NDArray[Any] | None:
    """All numbers of `text`, or None when something in it is none."""
    text = text.strip()
    if not text:
        return np.zeros(0, dtype=dtype)
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        try:
            return np.fromstring(text, dtype=dtype, sep=" ")
        except (DeprecationWarning, ValueError):
            return None


def rows_of(values: npt.NDArray[Any], counts: Ints, width: int) -> npt.NDArray[Any]:
    """The first `width` of each row's `counts` (R,) numbers, (R, width), zero where a row has fewer."""
    per = int(counts[0]) if len(counts) else width
    if (counts == per).all() and per >= width:
        return values.reshape(-1, per)[:, :width]
    first = np.cumsum(counts) - counts
    out = np.zeros((len(counts), width), dtype=values.dtype)
    for c in range(width):
        has = counts > c
        out[has, c] = values[first[has] + c]
    return out


def parse_floats(text: bytes, count: int) -> npt.NDArray[np.float64] | None:
    """The `count` numbers of `text`, or None when there are more, fewer, or something that is none (1,5 is
    none).
    """
    if count == 0:
        return np.zeros(0) if not text.strip() else None
    values = parse_numbers(text)
    return values if values is not None and len(values) == count else None


def blank(text: bytes, letters: bytes) -> bytes:
    """`text` with each of `letters` replaced by a space."""
    return text.translate(bytes.maketrans(letters, b" " * len(letters)))


def format_rows(head: bytes, values: npt.NDArray[Any], decimals: int) -> bytes:
    """Lines `head x y z` for the rows of `values` (N, D), fixed point with trailing zeros dropped.

    Digits are made for a whole column at a time and the bytes that are kept are compressed out at the end.
    """
    count, width = values.shape
    if not count:
        return b""
    columns = [np.broadcast_to(np.frombuffer(head, np.uint8), (count, len(head)))]
    keeps = [np.ones((count, len(head)), dtype=bool)]
    for c in range(width):
        text, keep = _fixed(values[:, c].astype(np.float64), decimals)
        columns += [np.full((count, 1), 32, np.uint8), text]
        keeps += [np.ones((count, 1), dtype=bool), keep]
    columns.append(np.full((count, 1), 10, np.uint8))
    keeps.append(np.ones((count, 1), dtype=bool))
    return np.concatenate(columns, axis=1)[np.concatenate(keeps, axis=1)].tobytes()


def _fixed(values: npt.NDArray[np.float64], decimals: int) -> tuple[Bytes, npt.NDArray[np.bool_]]:
    """(characters (N, W), kept (N, W)) of numbers in fixed point."""
    scaled = np.round(np.abs(values) * 10.0**decimals).astype(np.uint64)
    most = int(scaled.max(initial=0))
    digits = max(len(str(most)), decimals + 1)
    out = np.empty((len(values), digits + 2), dtype=np.uint8)
    keep = np.ones(out.shape, dtype=bool)
    out[:, 0], keep[:, 0] = 45, (values < 0) & (scaled > 0)
    rest = scaled
    for k in range(digits - 1, -1, -1):
        rest, digit = np.divmod(rest, np.uint64(10))
        at = 1 + k + (k >= digits - decimals)
        out[:, at] = digit.astype(np.uint8) + 48
    whole = digits - decimals
    if decimals:
        out[:, 1 + whole] = 46
    else:
        out, keep = out[:, :-1], keep[:, :-1]
    leading = np.logical_and.accumulate(out[:, 1:whole] == 48, axis=1)
    keep[:, 1:whole] &= ~leading
    if decimals:
        tail = out[:, whole + 2 :][:, ::-1] == 48
        trailing = np.logical_and.accumulate(tail, axis=1)[:, ::-1]
        keep[:, whole + 2 :] &= ~trailing
        keep[:, 1 + whole] = keep[:, whole + 2 :].any(axis=1)
    return out, keep


def format_integers(head: bytes, rows: npt.NDArray[Any], joiner: bytes, per: int) -> bytes:
    """Lines `head a/b/c a/b/c …`: each row of `rows` (N, K·per) in groups of `per` joined by `joiner`."""
    count, width = rows.shape
    if not count:
        return b""
    columns = [np.broadcast_to(np.frombuffer(head, np.uint8), (count, len(head)))]
    keeps = [np.ones((count, len(head)), dtype=bool)]
    for c in range(width):
        text, keep = _fixed(rows[:, c].astype(np.float64), 0)
        gap = b" " if c % per == 0 else joiner
        columns += [np.broadcast_to(np.frombuffer(gap, np.uint8), (count, len(gap))), text]
        keeps += [np.ones((count, len(gap)), dtype=bool), keep]
    columns.append(np.full((count, 1), 10, np.uint8))
    keeps.append(np.ones((count, 1), dtype=bool))
    return np.concatenate(columns, axis=1)[np.concatenate(keeps, axis=1)].tobytes()


def decimals_for(values: npt.NDArray[Any], share: float = 1e-8, most: int = 9) -> int:
    """Decimals that keep `values` to `share` of their largest size."""
    reach = float(np.abs(values).max(initial=0.0)) if len(values) else 0.0
    if reach <= 0 or not np.isfinite(reach):
        return 6
    return int(np.clip(np.ceil(-np.log10(reach * share)), 0, most))
