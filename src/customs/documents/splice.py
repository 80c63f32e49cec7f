"""Single places of a text exchanged."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass


@dataclass(frozen=True, order=True)
class Splice:
    """The bytes from `start` to `end` become `text`."""

    start: int
    end: int
    text: bytes


def spliced(body: bytes, splices: Iterable[Splice]) -> bytes:
    """`body` with all splices, each at the place it had before any; the same object where nothing changes. Raises ValueError where
    two overlap.
    """
    out, at = list[bytes](), 0
    for s in sorted(splices):
        if s.start < at or s.end < s.start or s.end > len(body):
            raise ValueError(f"a splice from {s.start} to {s.end} behind {at}")
        out += [body[at : s.start], s.text]
        at = s.end
    out.append(body[at:])
    whole = b"".join(out)
    return body if whole == body else whole


def line_indent(body: bytes, at: int) -> bytes:
    """The white space a line begins with, of the line that holds `at`."""
    begin = body.rfind(b"\n", 0, at) + 1
    end = begin
    while end < len(body) and body[end : end + 1] in (b" ", b"\t"):
        end += 1
    return body[begin:end]


def indented(text: bytes, indent: bytes, newline: bytes) -> bytes:
    """Lines of `text` (any line ends) each behind `indent`, the first one not, between `newline`s."""
    lines = text.replace(b"\r\n", b"\n").strip(b"\n").split(b"\n")
    return newline.join([lines[0], *((indent + x if x.strip() else x) for x in lines[1:])])
