"""What a child hands over: one JSON header and arrays, written one after another to a file.

File: 8 bytes length of the header, the header, then each array at a multiple of 16 bytes counted from the end
of the header's padding. In the header an array is `{"at": offset, "shape": […], "type": numpy name}`.
"""

from __future__ import annotations

import json
import mmap
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

Json = dict[str, Any]
Array = npt.NDArray[Any]
ALIGN = 16


class Packer:
    """Collects arrays; each is written as it stands in memory."""

    def __init__(self) -> None:
        self.arrays: list[Array] = []
        self.size = 0

    def add(self, values: Array) -> Json:
        """The header entry of an array."""
        values = np.ascontiguousarray(values)
        entry = {"at": self.size, "shape": list(values.shape), "type": values.dtype.str}
        self.arrays.append(values)
        self.size += values.nbytes + (-values.nbytes) % ALIGN
        return entry

    def write(self, path: Path, header: Json) -> None:
        """The whole file. Raises OSError."""
        text = json.dumps(header).encode()
        text += b" " * ((-len(text) - 8) % ALIGN)
        with path.open("wb") as out:
            out.write(len(text).to_bytes(8, "little"))
            out.write(text)
            for a in self.arrays:
                out.write(a.reshape(-1).view(np.uint8).data if a.size else b"")
                out.write(b"\0" * (-a.nbytes % ALIGN))


@dataclass(frozen=True, eq=False)
class Answer:
    """What came back: the header, and arrays by their header entries."""

    header: Json
    data: memoryview

    def array(self, entry: Json | None) -> Array:
        """The array of a header entry, read-only; empty for None."""
        if entry is None:
            return np.zeros(0, np.float32)
        count = int(np.prod(entry["shape"]))
        dtype = np.dtype(entry["type"])
        flat = np.frombuffer(self.data, dtype, count, entry["at"]) if count else np.zeros(0, dtype)
        return flat.reshape(entry["shape"])


def opened(path: Path) -> Answer | None:
    """The answer in a file, which may be unlinked after that; None for one that is cut off. Raises OSError."""
    with path.open("rb") as f:
        data = memoryview(mmap.mmap(f.fileno(), 0, access=mmap.ACCESS_READ))
    length = int.from_bytes(data[:8], "little")
    return (
        None
        if length + 8 > len(data)
        else Answer(json.loads(bytes(data[8 : 8 + length])), data[8 + length :])
    )
