"""How often each value stands in a texture, and how far two are apart: whole numbers, exact either way."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from customs.kernels.store import kernel_for

I64 = npt.NDArray[np.int64]
U8 = npt.NDArray[np.uint8]


def byte_counts(values: U8) -> I64:
    """How often each byte stands in `values`, of any shape: (256,)."""
    compiled = kernel_for("pixels", values.size)
    return counts_compiled(compiled, values) if compiled is not None else counts_by_bins(values)


def counts_by_bins(values: U8) -> I64:
    """Through numpy."""
    return np.bincount(values.ravel(), minlength=256).astype(np.int64)


def counts_compiled(compiled: Any, values: U8) -> I64:
    """By the kernel `pixels`."""
    out = np.zeros(256, np.int64)
    compiled.counted(np.ascontiguousarray(values).reshape(-1), out)
    return out


def squares_apart(a: U8, b: U8) -> int:
    """Sum of the squared differences of two arrays of one shape."""
    compiled = kernel_for("pixels", a.size)
    return squares_compiled(compiled, a, b) if compiled is not None else squares_by_columns(a, b)


def squares_by_columns(a: U8, b: U8) -> int:
    """Through numpy."""
    off = a.astype(np.int32) - b
    return int(np.square(off).sum(dtype=np.int64))


def squares_compiled(compiled: Any, a: U8, b: U8) -> int:
    """By the kernel `pixels`."""
    flat = (np.ascontiguousarray(x).reshape(-1) for x in (a, b))
    return int(compiled.squares(*flat))
