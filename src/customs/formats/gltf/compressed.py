"""Compressed geometry: buffer views of meshopt and primitives of Draco, unpacked once for a document.

Sources: EXT_meshopt_compression, KHR_meshopt_compression, KHR_draco_mesh_compression, extensions of glTF 2.0.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
import numpy.typing as npt

from customs.aside.ask import ask_aside, limits_of, shared_file
from customs.aside.pack import Answer
from customs.errors import LimitError, ReadError
from customs.formats.gltf.document import Obj
from customs.formats.source import Source

WORK = "customs.formats.gltf.unpack_work"
MESHOPT = ("KHR_meshopt_compression", "EXT_meshopt_compression")
DRACO = "KHR_draco_mesh_compression"
COMPRESSIONS = frozenset({*MESHOPT, DRACO})
MODES = {"ATTRIBUTES": range(4, 257, 4), "TRIANGLES": (2, 4), "INDICES": (2, 4)}
"""Strides a mode may have (EXT_meshopt_compression, "Fallback and compressed buffer views")."""
FILTERS = {"NONE": range(4, 257, 4), "OCTAHEDRAL": (4, 8), "QUATERNION": (8,), "EXPONENTIAL": range(4, 257, 4), "COLOR": (4, 8)}  # fmt: skip
MOST_TIMES = 4096
"""Bytes one compressed byte may become: a run of equal vertices costs next to nothing."""
MOST = 1 << 31


class Piece(NamedTuple):
    """Compressed bytes, where in the document they are said, and what the library is told of them."""

    where: str
    data: memoryview
    told: tuple[Any, ...] = ()


class Unpacked(NamedTuple):
    """Bytes of compressed buffer views by their numbers, (faces, attributes by their ids) of Draco's by theirs."""

    views: dict[int, memoryview]
    parts: dict[int, tuple[npt.NDArray[np.uint32], dict[str, npt.NDArray[Any]]]]


def unpacked_bytes(found: Unpacked) -> int:
    """Bytes of everything that was compressed."""
    parts = sum(faces.nbytes + sum(a.nbytes for a in more.values()) for faces, more in found.parts.values())
    return sum(len(v) for v in found.views.values()) + parts


NOTHING_UNPACKED = Unpacked({}, {})


def packed_view(view: Obj) -> Obj | None:
    """What a buffer view says of its compression by meshopt, or None."""
    return next((found for name in MESHOPT if (found := view.extension(name)) is not None), None)


def packed_part(primitive: Obj) -> Obj | None:
    """What a primitive says of its compression by Draco, or None."""
    return primitive.extension(DRACO)


def unpacked(root: Obj, buffers: Sequence[memoryview], source: Source) -> Unpacked:
    """Everything compressed in a document. Raises ReadError, LimitError."""
    views, parts = dict[int, Piece](), dict[int, Piece]()
    listed = root.children("bufferViews")
    for number, view in enumerate(listed):
        said = packed_view(view)
        if said is not None:
            views[number] = _view(view, said, buffers)
    for mesh in root.children("meshes"):
        for primitive in mesh.children("primitives"):
            said = packed_part(primitive)
            if said is None:
                continue
            number = said.need_integer("bufferView", below=len(listed))
            parts.setdefault(number, Piece(said.where, _bytes(listed[number], listed[number], buffers)))
    if not views and not parts:
        return NOTHING_UNPACKED
    answer = _asked([*views.values()], [*parts.values()], source)
    return Unpacked(
        {n: answer.array(e).data for n, e in zip(views, answer.header["meshopt"])},
        {n: _part(answer, e) for n, e in zip(parts, answer.header["draco"])},
    )


def _bytes(said: Obj, view: Obj, buffers: Sequence[memoryview]) -> memoryview:
    buffer = buffers[said.need_integer("buffer", below=len(buffers))]
    offset, length = said.integer("byteOffset", 0) or 0, said.need_integer("byteLength", least=1)
    if offset + length > len(buffer):
        raise said.fail("byteLength", f"{offset} + {length}", f"at most the buffer's {len(buffer):,} bytes")
    return buffer[offset : offset + length]


def _view(view: Obj, said: Obj, buffers: Sequence[memoryview]) -> Piece:
    data = _bytes(said, view, buffers)
    count, stride = said.need_integer("count", least=1), said.need_integer("byteStride", least=2)
    mode, filter_ = said.text("mode"), said.text("filter", "NONE")
    if mode not in MODES or stride not in MODES[mode]:
        raise said.fail(
            "mode", f"{mode} of {stride} bytes", "ATTRIBUTES of 4, 8 … 256, TRIANGLES or INDICES of 2 or 4"
        )
    if filter_ not in FILTERS or (
        filter_ != "NONE" and (mode != "ATTRIBUTES" or stride not in FILTERS[filter_])
    ):
        raise said.fail(
            "filter", f"{filter_} of {stride} bytes", "a filter of the extension, of a stride it has"
        )
    if mode == "TRIANGLES" and count % 3:
        raise said.fail("count", count, "a multiple of three")
    if count * stride > min(len(data) * MOST_TIMES + (1 << 16), MOST):
        raise LimitError(
            f"{count * stride:,} bytes out of {len(data):,}", "what so few bytes can hold", "",
            view.source.path, said.where,
        )  # fmt: skip
    length = view.integer("byteLength", count * stride) or 0
    if length > count * stride:
        raise view.fail("byteLength", length, f"at most {count} × {stride}")
    return Piece(said.where, data, (count, stride, mode, filter_))


def _asked(views: list[Piece], parts: list[Piece], source: Source) -> Answer:
    with shared_file() as shared:
        at, places = 0, list[tuple[str, int, int]]()
        for piece in (*views, *parts):
            shared.file.write(piece.data)
            places.append((piece.where, at, len(piece.data)))
            at += len(piece.data)
        shared.file.flush()
        asked = {
            "file": str(shared.place),
            "meshopt": [[*place, *piece.told] for place, piece in zip(places, views)],
            "draco": [list(place) for place in places[len(views) :]],
        }
        try:
            # The file itself may lie in an archive: what counts is what is unpacked of it.
            return ask_aside(WORK, asked, source.path, limits_of(at))
        except ReadError as problem:
            where, _, said = problem.found.partition(": ")
            if not said:
                raise
            raise ReadError(
                f"compressed data that cannot be unpacked ({said})", "sound data", "Export the file again.",
                source.path, where,
            ) from None  # fmt: skip


def _part(answer: Answer, entry: Any) -> tuple[npt.NDArray[np.uint32], dict[str, npt.NDArray[Any]]]:
    return answer.array(entry["faces"]), {id_: answer.array(e) for id_, e in entry["attributes"].items()}


def is_fallback(buffer: Obj) -> bool:
    """True for a buffer that may have no bytes, as all its views are compressed."""
    return any((said := buffer.extension(n)) is not None and said.flag("fallback") for n in MESHOPT)
