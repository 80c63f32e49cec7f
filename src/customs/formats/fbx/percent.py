"""Morph weights at rest of an FBX: the library that reads the rest says nothing of them.

Binary files are records of (end, count of properties, their length, name, properties, records inside), counts
of 32 bits below version 7500 and of 64 bits from there; text files say the same in braces. Only the few
records that matter are looked into.
"""

from __future__ import annotations

import re
import struct
from collections.abc import Iterator
from dataclasses import dataclass

from customs.formats.fbx.record import MAGIC

WIDE = 7500
"""Files of this version and later count in 64 bits."""
PLAIN = {b"Y": "<h", b"C": "<?", b"I": "<i", b"F": "<f", b"D": "<d", b"L": "<q"}
Value = int | float | bool | bytes | None


@dataclass(frozen=True)
class _Found:
    """Names by number, percents by the number of their channel, and what hangs on what."""

    names: dict[int, str]
    percents: dict[int, float]
    above: dict[int, list[int]]


def rest_percents(data: bytes) -> dict[str, dict[str, float]]:
    """Percent of each morph channel at rest, by model name and channel name; only those that are not 0.

    Empty for a file in which they cannot be found: what is broken is for the reader of the whole to refuse.
    """
    if b"BlendShapeChannel" not in data:
        return {}
    try:
        found = _binary(data) if data.startswith(MAGIC) else _text(data)
    except (struct.error, IndexError, ValueError, OverflowError):
        return {}
    out: dict[str, dict[str, float]] = {}
    for channel, percent in found.percents.items():
        for model in _bearers(channel, found):
            out.setdefault(model, {})[found.names.get(channel, "")] = percent
    return out


def _bearers(channel: int, found: _Found) -> list[str]:
    """Names three links up: channel, blend shape, geometry, model."""
    level = [channel]
    for _ in range(3):
        level = [up for n in level for up in found.above.get(n, [])]
    return [found.names[n] for n in level if n in found.names]


def _binary(data: bytes) -> _Found:
    wide = struct.unpack_from("<I", data, len(MAGIC))[0] >= WIDE
    names, percents, above = dict[int, str](), dict[int, float](), dict[int, list[int]]()
    for name, _props, inside in _records(data, len(MAGIC) + 4, len(data), wide):
        if name == b"Objects":
            for kind, about, parts in _records(data, *inside, wide):
                if kind in (b"Model", b"Deformer") and len(about) > 2 and isinstance(about[0], int):
                    names[about[0]] = _title(about[1])
                    if about[2] == b"BlendShapeChannel":
                        percents[about[0]] = _percent(data, parts, wide)
        elif name == b"Connections":
            for _, ends, _ in _records(data, *inside, wide):
                if len(ends) > 2 and ends[0] == b"OO":
                    above.setdefault(int(ends[1] or 0), []).append(int(ends[2] or 0))
    return _Found(names, {k: v for k, v in percents.items() if v}, above)


def _percent(data: bytes, span: tuple[int, int], wide: bool) -> float:
    """What a channel says: its own record, or the table of properties where that came later."""
    out = 0.0
    for name, values, inside in _records(data, *span, wide):
        if name == b"DeformPercent" and values:
            out = float(values[0] or 0)
        elif name == b"Properties70":
            rows = [
                row
                for _, row, _ in _records(data, *inside, wide)
                if len(row) > 4 and row[0] == b"DeformPercent"
            ]
            out = float(rows[-1][4] or 0) if rows else out
    return out


def _records(
    data: bytes, at: int, end: int, wide: bool
) -> Iterator[tuple[bytes, list[Value], tuple[int, int]]]:
    """(name, properties, where the records inside lie) of records one after another."""
    form = "<QQQB" if wide else "<IIIB"
    size = struct.calcsize(form)
    while at + size <= end:
        stop, count, length, letters = struct.unpack_from(form, data, at)
        if not stop or not at < stop <= end:
            return
        start = at + size + letters
        yield data[at + size : start], _properties(data, start, count, start + length), (start + length, stop)
        at = stop


def _properties(data: bytes, at: int, count: int, end: int) -> list[Value]:
    """The first few properties; arrays are passed over as None."""
    out: list[Value] = []
    for _ in range(min(count, 8)):
        kind, at = data[at : at + 1], at + 1
        if kind in PLAIN:
            out.append(struct.unpack_from(PLAIN[kind], data, at)[0])
            at += struct.calcsize(PLAIN[kind])
        elif kind in (b"S", b"R"):
            length = struct.unpack_from("<I", data, at)[0]
            out.append(bytes(data[at + 4 : at + 4 + length]))
            at += 4 + length
        else:
            out.append(None)
            at += 12 + struct.unpack_from("<I", data, at + 8)[0]
        if at >= end:
            break
    return out


def _title(value: Value) -> str:
    """A name without the kind behind it."""
    return value.partition(b"\0\x01")[0].decode("utf-8", "replace") if isinstance(value, bytes) else ""


# Gaps stay within a line and lines are tried from their start, so that no run of blanks is walked through
# twice.
OBJECT = re.compile(
    r'^[ \t]*(?:Model|Deformer):[ \t]*(\d{1,20}),[ \t]*"(?:[A-Za-z]+::)?([^"\n]*)",[ \t]*"(\w+)"',
    re.MULTILINE,
)
PERCENT = re.compile(
    r'^[ \t]*(?:\w+:[ \t]*"DeformPercent",[^\n]*?,|DeformPercent:)[ \t]*([-\d.eE+]+)[ \t\r]*$', re.MULTILINE
)
LINK = re.compile(r'^[ \t]*C:[ \t]*"OO",[ \t]*(\d{1,20}),[ \t]*(\d{1,20})', re.MULTILINE)


def _text(data: bytes) -> _Found:
    text = data.decode("utf-8", "replace")
    names, percents, above = dict[int, str](), dict[int, float](), dict[int, list[int]]()
    heads = list(OBJECT.finditer(text))
    for head, after in zip(heads, [*(h.start() for h in heads[1:]), len(text)]):
        names[int(head[1])] = head[2]
        said = PERCENT.search(text, head.end(), after) if head[3] == "BlendShapeChannel" else None
        if said is not None and (value := float(said[1])):
            percents[int(head[1])] = value
    for link in LINK.finditer(text):
        above.setdefault(int(link[1]), []).append(int(link[2]))
    return _Found(names, percents, above)
