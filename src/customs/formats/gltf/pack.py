"""Buffer views and accessors on the way out: arrays are kept as they are and written one after another."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from customs.errors import WriteError
from customs.formats.gltf.form import GltfForm
from customs.formats.gltf.squeeze import MESHOPT, squeezed
from customs.scene.arrays import bounds

Array = npt.NDArray[Any]
TYPES = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4", 16: "MAT4"}
CODES = {"i1": 5120, "u1": 5121, "i2": 5122, "u2": 5123, "u4": 5125, "f4": 5126}
VERTICES, INDICES = 34962, 34963


class Packer:
    """Collects arrays as accessors; one array object is stored once however often it is used."""

    def __init__(self, form: GltfForm | None = None) -> None:
        self.form = form or GltfForm()
        self.plain = 0
        """Bytes of what is compressed before it was: those of a buffer that is not there."""
        self.parts: list[bytes | memoryview] = []
        self.size = 0
        self.views: list[dict[str, Any]] = []
        self.accessors: list[dict[str, Any]] = []
        self._known: dict[tuple[int, str, bool], tuple[Array, int]] = {}

    def view(self, data: bytes | memoryview, target: int | None = None, stride: int | None = None) -> int:
        """Append `data`, padded to four bytes. Returns the buffer view's index."""
        view: dict[str, Any] = {"buffer": 0, "byteOffset": self.size, "byteLength": len(data)}
        self._append(data)
        return self._listed(view, target, stride)

    def _append(self, data: bytes | memoryview) -> None:
        padding = -len(data) % 4
        self.parts.append(data)
        if padding:
            self.parts.append(b"\0" * padding)
        self.size += len(data) + padding

    def _listed(self, view: dict[str, Any], target: int | None, stride: int | None) -> int:
        if target:
            view["target"] = target
        if stride:
            view["byteStride"] = stride
        self.views.append(view)
        return len(self.views) - 1

    def _array_view(self, stored: Array, target: int | None, stride: int | None) -> int:
        """The buffer view of rows, compressed where the form asks for it and they can be."""
        plain = stored.reshape(-1).view(np.uint8).data
        packed = squeezed(stored, target == INDICES) if self.form.compression == "meshopt" else None
        if packed is None:
            return self.view(plain, target, stride)
        data, mode = packed
        told = {
            "buffer": 0, "byteOffset": self.size, "byteLength": len(data), "byteStride": len(plain) // len(stored),
            "mode": mode, "count": len(stored),
        }  # fmt: skip
        view = {
            "buffer": 1,
            "byteOffset": self.plain,
            "byteLength": len(plain),
            "extensions": {MESHOPT: told},
        }
        self.plain += len(plain) + (-len(plain) % 4)
        self._append(data)
        return self._listed(view, target, stride)

    def accessor(
        self,
        values: Array,
        target: int | None = None,
        limits: bool = False,
        shape: str = "",
        shares: bool = False,
        held: bool = True,
    ) -> int:
        """An accessor over `values` (N, W) or (N,). `limits` writes min and max; `shares` says that whole numbers stand
        for parts of one; what is not `held` lies in a primitive that is compressed. Returns its index.
        """
        key = (id(values), shape, limits)
        known = self._known.get(key) if held else None
        if known is not None:
            return known[1]
        table = values.reshape(len(values), -1)
        stored, stride = _aligned(table)
        entry: dict[str, Any] = {"bufferView": self._array_view(stored, target, stride)} if held else {}
        entry |= {
            "componentType": CODES[values.dtype.str[1:]],
            "count": len(table),
            "type": shape or TYPES[table.shape[1]],
        }
        if shares:
            entry["normalized"] = True
        if limits:
            low, high = bounds(table)
            if not (np.isfinite(low).all() and np.isfinite(high).all()):
                raise WriteError("positions that are not finite", "finite numbers", "Add Drop broken faces.")
            entry["min"], entry["max"] = _plain(low), _plain(high)
        self.accessors.append(entry)
        if held:
            self._known[key] = (values, len(self.accessors) - 1)
        return len(self.accessors) - 1

    def buffers(self, uri: str = "") -> list[dict[str, Any]]:
        """The buffers there are, the one that is not there last."""
        if not self.size:
            return []
        first: dict[str, Any] = {"byteLength": self.size} | ({"uri": uri} if uri else {})
        return [first, *self._absent()]

    def _absent(self) -> list[dict[str, Any]]:
        return [{"byteLength": self.plain, "extensions": {MESHOPT: {"fallback": True}}}] if self.plain else []


def _aligned(table: Array) -> tuple[Array, int | None]:
    """The array with rows padded to four bytes (glTF 2.0, 3.6.2.4), and the stride where padding was
    needed.
    """
    row = table.shape[1] * table.dtype.itemsize
    if row % 4 == 0 or table.shape[1] == 1:
        return np.ascontiguousarray(table), None
    size = -(-row // 4) * 4
    out = np.zeros((len(table), size // table.dtype.itemsize), dtype=table.dtype)
    out[:, : table.shape[1]] = table
    return out, size


def _plain(values: npt.NDArray[np.float64]) -> list[float]:
    return [int(v) if float(v).is_integer() and abs(v) < 2**53 else float(v) for v in values]
