"""FBX binary node records, version 7400. There is no open standard: the layout is common practice, known from
public descriptions of the file, and every file written is judged by another program's reading."""

from __future__ import annotations

import struct
import zlib
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import numpy.typing as npt

MAGIC = b"Kaydara FBX Binary  \x00\x1a\x00"
VERSION = 7400
FILE_ID = bytes.fromhex("28b32aebb624ccc2bfc8b02aa92bfcf1")
CREATED = "1970-01-01 10:00:00:000"
FOOTER = bytes.fromhex("fabcab09d0c8d466b176fb831cf7267e")
END = bytes.fromhex("f85a8c6adef5d97eece90ce3758f290b")
"""File id, creation time and footer go together: readers that check them take this set (common practice)."""
HEAD = struct.Struct("<IIIB")
NOTHING = b"\0" * HEAD.size
ARRAY_HEAD = struct.Struct("<cIII")
ARRAY_CODES = {"<f4": b"f", "<f8": b"d", "<i8": b"l", "<i4": b"i"}
PACK_FROM = 128
"""Arrays of this many bytes and more are packed with zlib."""


@dataclass
class Record:
    """A node: its name, its properties in order, the nodes in it.

    Properties: bool, int (32 bits, or 64 when `Long`), float, str, bytes, or an array of f4, f8, i4 or i8.
    """

    name: str
    values: list[Any] = field(default_factory=list)
    inside: list[Record] = field(default_factory=list)

    def add(self, name: str, *values: Any) -> Record:
        """A new node in this one."""
        made = Record(name, list(values))
        self.inside.append(made)
        return made


class Long(int):
    """A whole number written with 64 bits."""


def property_bytes(value: Any) -> bytes:
    """One property with its type letter. Raises TypeError for what has none."""
    if isinstance(value, np.ndarray):
        return _array(value)
    if isinstance(value, bool):
        return b"C" + bytes([value])
    if isinstance(value, Long):
        return b"L" + struct.pack("<q", value)
    if isinstance(value, int):
        return b"I" + struct.pack("<i", value)
    if isinstance(value, float):
        return b"D" + struct.pack("<d", value)
    if isinstance(value, str):
        raw = value.encode("utf-8")
        return b"S" + struct.pack("<I", len(raw)) + raw
    if isinstance(value, bytes):
        return b"R" + struct.pack("<I", len(value)) + value
    raise TypeError(type(value).__name__)


def _array(values: npt.NDArray[Any]) -> bytes:
    flat = np.ascontiguousarray(values).reshape(-1)
    code = ARRAY_CODES[flat.dtype.newbyteorder("<").str]
    raw = flat.tobytes()
    if len(raw) < PACK_FROM:
        return ARRAY_HEAD.pack(code, len(flat), 0, len(raw)) + raw
    packed = zlib.compress(raw, 1)
    return ARRAY_HEAD.pack(code, len(flat), 1, len(packed)) + packed


def _write(record: Record, start: int, out: list[bytes]) -> int:
    """Append a record that begins at offset `start`; the offset behind it comes back."""
    name = record.name.encode("ascii")
    properties = [property_bytes(v) for v in record.values]
    size = sum(map(len, properties))
    at = start + HEAD.size + len(name) + size
    slot = len(out)
    out.append(b"")
    out += [name, *properties]
    for child in record.inside:
        at = _write(child, at, out)
    if record.inside or not record.values:
        out.append(NOTHING)
        at += len(NOTHING)
    out[slot] = HEAD.pack(at, len(properties), size, len(name))
    return at


def document_bytes(records: Sequence[Record]) -> list[bytes]:
    """A whole file as buffers."""
    out = [MAGIC, struct.pack("<I", VERSION)]
    at = len(MAGIC) + 4
    for record in records:
        at = _write(record, at, out)
    out += [NOTHING, FOOTER, b"\0" * 4]
    at += len(NOTHING) + len(FOOTER) + 4
    out.append(b"\0" * (16 - at % 16))
    out += [struct.pack("<I", VERSION), b"\0" * 120, END]
    return out
