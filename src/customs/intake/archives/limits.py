"""What an archive may ask of us, and bytes poured within it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import BinaryIO, Protocol

import numpy as np
import numpy.typing as npt

from customs.errors import LimitError, ReadError
from customs.job import Job

DEPTH = 4
"""Archives inside one another that are opened."""
ENTRIES = 1_000_000
"""Entries of one archive that are listed."""
TOTAL = 1 << 40
"""Bytes one archive may say it unpacks to."""
RATIO, NO_BOMB = 2_000, 1 << 30
"""Times its own size an archive may unpack to, and bytes up to which nobody asks (deflate alone reaches 1,032
times; levels in the trade 230).
"""
CHUNK = 1 << 20


class Readable(Protocol):
    """Whatever is read part by part."""

    def read(self, size: int, /) -> bytes:
        """At most so many bytes, none at the end."""


def check_entries(count: int, shown: str) -> None:
    """Raises LimitError where an archive holds too many entries."""
    if count > ENTRIES:
        raise LimitError(
            f"{count:,} entries", f"at most {ENTRIES:,}", "Unpack it, and choose a folder of it.", shown
        )


def check_total(unpacked: int, packed: int, shown: str) -> None:
    """Raises LimitError where an archive of `packed` bytes says it holds more than any sound one would."""
    if unpacked > TOTAL or (unpacked > NO_BOMB and unpacked > RATIO * max(packed, 1)):
        raise LimitError(
            f"{unpacked:,} bytes out of {packed:,}",
            f"at most {RATIO:,} times its size and {TOTAL:,} bytes",
            "This archive would fill the disk; it is not opened.",
            shown,
        )


def overlapping(begins: npt.NDArray[np.int64], ends: npt.NDArray[np.int64]) -> npt.NDArray[np.bool_]:
    """(N,) True for stretches of a file, from (N,) to (N,), that run into the next one."""
    order = np.argsort(begins, kind="stable")
    out = np.zeros(len(begins), dtype=bool)
    if len(order) > 1:
        furthest = np.maximum.accumulate(ends[order])
        bad = furthest[:-1] > begins[order[1:]]
        out[order[1:][bad]] = True
        out[order[:-1][bad]] = True
    return out


def poured(source: Iterable[bytes], out: BinaryIO, most: int, shown: str, job: Job) -> int:
    """Bytes of `source` written to `out`, at most `most`; how many there were. Raises ReadError, Cancelled."""
    done = 0
    for part in source:
        job.check()
        done += len(part)
        if done > most:
            raise ReadError("more bytes than the archive says", f"{most:,}", "The archive is damaged.", shown)
        out.write(part)
    return done


def chunks(source: Readable) -> Iterable[bytes]:
    """What a file holds from where it stands, part by part."""
    while part := source.read(CHUNK):
        yield part
