"""OBJ text into arrays: chunks of whole lines read on all cores, then put together in order."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from types import ModuleType
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.errors import LimitError, ReadError
from customs.formats.obj.chunk import VN, VT, Chunk, Elements, F, L, P, State, V, line_number, read_chunk
from customs.formats.obj.quick import read_quickly
from customs.formats.source import Source, decode_text
from customs.kernels.cores import cores
from customs.kernels.store import kernel
from customs.tolerances import ELEMENTS

Array = npt.NDArray[Any]
CHUNK = 4 * 1024 * 1024
COMPILED = 12 * 1024 * 1024
"""Bytes from which the compiled reader is worth its start: about 150,000 vertices."""
SLOTS = (V, VT, VN)


@dataclass
class ObjText:
    """All an OBJ says, still in its own index space: corners are absolute, from 1. `states` are (group,
    material, smoothing), smoothing −1 where none was said."""

    vectors: dict[int, Array]
    colours: Array | None
    elements: dict[int, Elements]
    states: list[tuple[str, str, int]]
    libraries: list[str] = field(default_factory=list)
    ignored: set[str] = field(default_factory=set)


def prepared(data: bytes) -> bytes:
    """Bytes in one-byte text with plain line ends and no continued lines."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        data = decode_text(data).encode("utf-8")
    if data[:3] == b"\xef\xbb\xbf":
        data = data[3:]
    if b"\\" in data:
        data = data.replace(b"\\\r\n", b" ").replace(b"\\\n", b" ")
    if b"\r" in data:
        data = data.replace(b"\r\n", b"\n").replace(b"\r", b"\n")
    return data


def parse(source: Source) -> ObjText:
    """The whole text. Raises ReadError with the line, LimitError."""
    data = prepared(source.data)
    try:
        with ThreadPoolExecutor(cores()) as pool:
            pieces = list(_pieces(data))
            fast = kernel("text") if len(data) >= COMPILED else None
            chunks = list(pool.map(lambda piece: _chunk(fast, data, *piece), pieces))
        return _together(chunks, data, source)
    except ReadError as problem:
        raise replace(problem, file=source.path) from None


def _chunk(fast: ModuleType | None, data: bytes, at: int, end: int) -> Chunk:
    """One chunk, by the compiled reader where that can."""
    return (read_quickly(fast, data, at, end) if fast is not None else None) or read_chunk(data, at, end)


def _pieces(data: bytes) -> Iterator[tuple[int, int]]:
    """(start, end) of each chunk of whole lines."""
    at = 0
    while at < len(data):
        end = len(data) if len(data) - at <= CHUNK else data.rfind(b"\n", at, at + CHUNK) + 1
        if end <= at:
            end = data.find(b"\n", at) + 1 or len(data)
        yield at, end
        at = end


def _together(chunks: list[Chunk], data: bytes, source: Source) -> ObjText:
    if sum(c.count(k) for c in chunks for k in SLOTS) > ELEMENTS:
        raise LimitError(f"more than {ELEMENTS:,} vertices", "fewer", "Split the file.", source.path)
    short = sum(c.short for c in chunks)
    if short:
        source.remark(f"{short} elements with too few corners left out")
    vectors = {k: joined([c.vectors[k] for c in chunks if k in c.vectors]) for k in SLOTS}
    out = ObjText({k: v for k, v in vectors.items() if v is not None}, _colours(chunks), {}, [("", "", -1)])
    offsets = {k: np.cumsum([0, *(c.count(k) for c in chunks)]) for k in SLOTS}
    placed: dict[int, list[Elements]] = {F: [], L: [], P: []}
    for i, c in enumerate(chunks):
        start = len(out.states)
        out.states += _states(c.states, out.states[-1])
        out.libraries += c.libraries
        out.ignored |= c.ignored
        for kind, e in c.elements.items():
            base = np.array([offsets[k][i] for k in SLOTS])
            placed[kind].append(replace(_absolute(e, base, data), state=e.state + start))
    for kind, parts in placed.items():
        if parts:
            columns = [joined([p.corners[c] for p in parts]) for c in range(3)]
            sizes, state = joined([p.sizes for p in parts]), joined([p.state for p in parts])
            assert sizes is not None and state is not None
            out.elements[kind] = Elements((columns[0], columns[1], columns[2]), sizes, state)  # type: ignore[arg-type]
    return out


def joined(parts: list[Array]) -> Array | None:
    """Arrays one after another; None for none, and no copy for one."""
    if not parts:
        return None
    return parts[0] if len(parts) == 1 else np.concatenate(parts)


def _colours(chunks: list[Chunk]) -> Array | None:
    """Colours of all vertices, NaN where there are none; None when no vertex has any."""
    if all(c.colours is None for c in chunks):
        return None
    return joined(
        [c.colours if c.colours is not None else np.full((c.count(V), 3), np.nan, np.float32) for c in chunks]
    )


def _states(states: list[State], before: tuple[str, str, int]) -> list[tuple[str, str, int]]:
    """States of a chunk with what an earlier one left in force."""
    return [
        (before[0] if g is None else g, before[1] if m is None else m, before[2] if s is None else s)
        for g, m, s in states
    ]


def _absolute(elements: Elements, base: Array, data: bytes) -> Elements:
    """Relative (negative) numbers counted back from what stood before their line. Raises ReadError past the
    first.
    """
    if elements.before is None:
        return elements
    held = np.repeat(elements.before + base, elements.sizes, axis=0)
    columns = []
    for c, column in enumerate(elements.corners):
        back = column < 0
        if back.any():
            column = np.where(back, column + held[:, c] + 1, column)
            wrong = back & (column < 1)
            if wrong.any() and elements.begins is not None:
                where = f"line {line_number(data, int(np.repeat(elements.begins, elements.sizes)[int(wrong.argmax())]))}"
                raise ReadError(
                    "a relative number before the first",
                    "no more than stand above",
                    "Mend that line.",
                    where=where,
                )
        columns.append(column)
    return replace(elements, corners=(columns[0], columns[1], columns[2]))
