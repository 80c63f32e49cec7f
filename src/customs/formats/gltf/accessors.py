"""Accessors as arrays: views where the file allows it, copies where it does not."""

from __future__ import annotations

from collections.abc import Sequence
from types import ModuleType
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.errors import LimitError
from customs.formats.gltf.compressed import NOTHING_UNPACKED, Unpacked, unpacked_bytes
from customs.formats.gltf.document import Obj
from customs.formats.source import Source
from customs.kernels.store import kernel_for

Array = npt.NDArray[Any]

COMPONENTS: dict[int, np.dtype[Any]] = {
    5120: np.dtype("<i1"),
    5121: np.dtype("<u1"),
    5122: np.dtype("<i2"),
    5123: np.dtype("<u2"),
    5125: np.dtype("<u4"),
    5126: np.dtype("<f4"),
}
"""componentType to dtype: glTF 2.0, 3.6.2.2."""
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
ZERO_LIMIT = 1_000_000
"""Most elements an accessor without a buffer view may ask for: it costs the file nothing to say a large
number.
"""


class Accessors:
    """Decodes the accessors of one document, each once. Work is bounded in proportion to the file."""

    def __init__(
        self, root: Obj, buffers: Sequence[memoryview], source: Source, unpacked: Unpacked = NOTHING_UNPACKED
    ) -> None:
        self.source = source
        self.buffers = buffers
        self.unpacked = unpacked
        self.given: dict[int, Array] = {}
        self.views = root.children("bufferViews")
        self.items = root.children("accessors")
        self.done: dict[int, Array] = {}
        self.budget = 64 * sum(len(b) for b in buffers) + 64_000_000 + 4 * unpacked_bytes(unpacked)

    def __len__(self) -> int:
        return len(self.items)

    def view_bytes(self, index: int) -> tuple[memoryview, int]:
        """(bytes, stride or 0) of a buffer view. Raises ReadError."""
        view = self.views[index]
        if index in self.unpacked.views:
            return self.unpacked.views[index], view.integer("byteStride", 0) or 0
        buffer = self.buffers[view.need_integer("buffer", below=len(self.buffers))]
        offset = view.integer("byteOffset", 0) or 0
        length = view.need_integer("byteLength", least=1)
        stride = view.integer("byteStride", 0) or 0
        if offset + length > len(buffer):
            raise view.fail(
                "byteLength", f"{offset} + {length}", f"at most the buffer's {len(buffer):,} bytes"
            )
        if stride and not 4 <= stride <= 252:
            raise view.fail("byteStride", stride, "a stride of 4..252 bytes")
        return buffer[offset : offset + length], stride

    def raw(self, index: int) -> tuple[Array, bool]:
        """(values (N, W) in the file's own type, normalized?) of an accessor. Raises ReadError,
        LimitError.
        """
        item = self.items[index]
        kind = item.integer("componentType")
        if kind not in COMPONENTS:
            raise item.fail("componentType", kind, "one of " + " ".join(map(str, COMPONENTS)))
        dtype = COMPONENTS[kind]
        shape = item.text("type")
        if shape not in WIDTHS:
            raise item.fail("type", shape, "one of " + " ".join(WIDTHS))
        count = item.need_integer("count", least=1)
        normalized = item.flag("normalized")
        if normalized and dtype.kind == "f":
            normalized = False
        given = self.given.get(index)
        values = (
            self._dense(item, dtype, shape, count) if given is None else _taken(given, item, dtype, shape)
        )
        count = len(values)
        sparse = item.child("sparse")
        if sparse is not None:
            values = self._sparse(values, sparse, dtype, shape, count)
        item.raw("min"), item.raw("max"), item.raw("name")
        self.budget -= values.nbytes
        if self.budget < 0:
            raise LimitError(
                "accessors that unpack to far more than the file holds",
                "a sound file",
                file=self.source.path,
                where=item.where,
            )
        return values, normalized

    def _dense(self, item: Obj, dtype: np.dtype[Any], shape: str, count: int) -> Array:
        width = WIDTHS[shape]
        view = item.integer("bufferView", below=len(self.views))
        if view is None:
            if count > ZERO_LIMIT:
                raise LimitError(
                    f"{count:,} zeros without data",
                    f"at most {ZERO_LIMIT:,}",
                    file=self.source.path,
                    where=item.where,
                )
            return np.zeros((count, width), dtype=dtype)
        data, stride = self.view_bytes(view)
        return self._strided(item, data, stride, dtype, shape, count)

    def _strided(
        self, item: Obj, data: memoryview, stride: int, dtype: np.dtype[Any], shape: str, count: int
    ) -> Array:
        """Elements over `data` with the column padding of glTF 2.0, 3.6.2.4 (matrix columns start on 4
        bytes).
        """
        offset = item.integer("byteOffset", 0) or 0
        width = WIDTHS[shape]
        rows = {"MAT2": 2, "MAT3": 3, "MAT4": 4}.get(shape, width)
        columns = width // rows
        column = rows * dtype.itemsize
        column_step = -(-column // 4) * 4 if columns > 1 else column
        size = column_step * (columns - 1) + column
        step = stride or (column_step * columns)
        if offset % dtype.itemsize:
            raise item.fail("byteOffset", offset, f"a multiple of {dtype.itemsize}")
        needed = offset + step * (count - 1) + size
        if needed > len(data):
            raise item.fail("count", count, f"what fits in {len(data):,} bytes (needs {needed:,})")
        if step < size:
            raise item.fail("byteStride", step, f"at least {size}")
        if columns == 1 and step == size:
            return np.frombuffer(data, dtype, count * width, offset).reshape(count, width)
        bytes_ = np.frombuffer(data, np.uint8)
        view: Array = np.ndarray(
            (count, columns, rows), dtype, bytes_, offset, (step, column_step, dtype.itemsize)
        )
        return view.reshape(count, width)

    def _sparse(self, dense: Array, sparse: Obj, dtype: np.dtype[Any], shape: str, count: int) -> Array:
        changed = sparse.need_integer("count", below=count + 1, least=1)
        where, what = sparse.child("indices"), sparse.child("values")
        if where is None or what is None:
            raise sparse.fail("", sparse.value, "indices and values")
        kind = where.integer("componentType")
        if kind not in (5121, 5123, 5125):
            raise where.fail("componentType", kind, "5121, 5123 or 5125")
        data, _ = self.view_bytes(where.need_integer("bufferView", below=len(self.views)))
        at = self._strided(where, data, 0, COMPONENTS[kind], "SCALAR", changed)[:, 0]
        if int(at.max()) >= count:
            raise where.fail("", int(at.max()), f"indices below {count}")
        data, _ = self.view_bytes(what.need_integer("bufferView", below=len(self.views)))
        out = np.array(dense, copy=True)
        out[at] = self._strided(what, data, 0, dtype, shape, changed)
        return out

    def give(self, index: int, values: Array) -> None:
        """What an accessor holds that names no buffer view: it was unpacked with others."""
        self.given[index] = values

    def floats(self, index: int, widths: tuple[int, ...], where: Obj, name: str) -> npt.NDArray[np.float32]:
        """(N, W) float32, integers normalised where the file says so. W must be one of `widths`."""
        if index in self.done:
            out = self.done[index]
        else:
            values, normalized = self.raw(index)
            out = _as_float(values, normalized)
            out.flags.writeable = False
            self.done[index] = out
        if out.shape[1] not in widths:
            raise where.fail(name, f"accessor {index} of {out.shape[1]} components", f"{widths} components")
        return out

    def whole(self, index: int, width: int, where: Obj, name: str) -> Array:
        """(N, width) in an unsigned integer type of the file's own size. Raises ReadError for anything
        else.
        """
        values, _ = self.raw(index)
        if values.dtype.kind != "u" or values.shape[1] != width:
            raise where.fail(name, f"accessor {index} of {values.dtype}", "unsigned integers")
        return values


def _taken(values: Array, item: Obj, dtype: np.dtype[Any], shape: str) -> Array:
    """Unpacked (N, W) or (N,) in the type the accessor says."""
    table = values.reshape(len(values), -1)
    if table.shape[1] != WIDTHS[shape]:
        raise item.fail("type", shape, f"what was unpacked: {table.shape[1]} components")
    if table.dtype.kind != "f" and dtype.kind != "f" and len(table):
        low, high = int(table.min()), int(table.max())
        if low < np.iinfo(dtype).min or high > np.iinfo(dtype).max:
            raise item.fail("componentType", f"{low} to {high}", f"what {dtype} can say")
    return table.astype(dtype)


def _as_float(values: Array, normalized: bool) -> Array:
    """float32 values; normalised integers by the equations of glTF 2.0, 3.6.2.2."""
    if values.dtype.kind == "f" or not normalized:
        return np.ascontiguousarray(values, dtype=np.float32)
    small = values.dtype.itemsize <= 2
    compiled = kernel_for("quantised", values.size) if small else None
    return shares_compiled(compiled, values) if compiled is not None else shares_by_columns(values)


def shares_compiled(compiled: ModuleType, values: Array) -> Array:
    """`shares_by_columns` of integers of one or two bytes, by a kernel."""
    out = np.empty(values.shape, np.float32)
    compiled.shares(
        np.ascontiguousarray(values).reshape(-1), np.float32(np.iinfo(values.dtype).max), out.reshape(-1)
    )
    return out


def shares_by_columns(values: Array) -> Array:
    """Integers (N, W) as float32 shares of the greatest of their type, −1 at least."""
    out = values.astype(np.float32)
    out /= np.float32(np.iinfo(values.dtype).max)
    if values.dtype.kind == "i":
        np.maximum(out, -1, out=out)
    return out
