"""Chosen vertices or faces as bytes under their digest: a stop names the digest, however many are chosen."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

PREFIX = "rows:"
"""Before the digest, so that a setting that names a selection is known by its form."""
I64 = npt.NDArray[np.int64]


def packed_rows(ranges: Sequence[tuple[int, int]]) -> tuple[str, bytes]:
    """(name, bytes) of ranges (start, stop): uint32, little endian, side by side."""
    body = np.asarray(ranges, dtype="<u4").reshape(-1, 2).tobytes()
    return PREFIX + hashlib.sha256(body).hexdigest()[:32], body


def ranges_in(body: bytes) -> I64:
    """(N, 2) ranges. Raises ValueError for bytes that are none."""
    if len(body) % 8:
        raise ValueError(f"{len(body)} bytes are no ranges")
    out = np.frombuffer(body, dtype="<u4").reshape(-1, 2).astype(np.int64)
    if (out[:, 0] > out[:, 1]).any():
        raise ValueError("a range that ends before it begins")
    return out


def rows_in(ranges: I64, count: int) -> npt.NDArray[np.intp]:
    """Numbers below `count` that lie in the ranges (N, 2), ascending, each once."""
    mark = np.zeros(count + 1, dtype=np.int64)
    ends = np.minimum(ranges, count)
    np.add.at(mark, ends[:, 0], 1)
    np.add.at(mark, ends[:, 1], -1)
    return np.flatnonzero(np.cumsum(mark[:-1]) > 0)


def ranges_of_rows(rows: npt.NDArray[np.intp]) -> tuple[tuple[int, int], ...]:
    """(start, stop) of each run of vertex numbers."""
    if not len(rows):
        return ()
    cuts = np.flatnonzero(np.diff(rows) > 1)
    starts, ends = np.append(rows[0], rows[cuts + 1]), np.append(rows[cuts], rows[-1])
    return tuple((int(a), int(b) + 1) for a, b in zip(starts, ends))


def growing(ranges: Sequence[tuple[int, int]]) -> bool:
    """True for ranges from 0 on that end no sooner than they begin."""
    return all(0 <= a <= b for a, b in ranges)


def names_in(value: Any) -> Iterator[str]:
    """Names of selections anywhere in the settings of a stop."""
    if isinstance(value, str):
        if value.startswith(PREFIX):
            yield value
    elif isinstance(value, list | tuple):
        for item in value:
            yield from names_in(item)
