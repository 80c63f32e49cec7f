"""Small helpers over arrays: freezing, bounds that are fast, finiteness."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[Any]


def frozen(values: Any, dtype: npt.DTypeLike = np.float32) -> Array:
    """`values` as a contiguous read-only array of `dtype`, copied only where needed."""
    out = np.ascontiguousarray(values, dtype=dtype)
    if out is values and out.flags.writeable:
        out = out.view()
    out.flags.writeable = False
    return out


def bounds(points: Array) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    """Least and greatest corner (each (D,) float64) of `points` (N, D); NaN wherever a column holds NaN; N >
    0.

    Flat views column by column are 20 to 30 times quicker than a reduction along axis 0 of (N, 3).
    """
    low = np.array([points[:, c].min() for c in range(points.shape[1])], dtype=np.float64)
    high = np.array([points[:, c].max() for c in range(points.shape[1])], dtype=np.float64)
    return low, high


def all_finite(values: Array) -> bool:
    """True when no value is NaN or infinite. One sum settles the usual case without a mask."""
    if values.size == 0 or values.dtype.kind != "f":
        return True
    with np.errstate(over="ignore", invalid="ignore"):
        total = values.sum()
    return bool(np.isfinite(total)) or bool(np.isfinite(values).all())


def finite_rows(values: Array) -> npt.NDArray[np.bool_]:
    """(N,) True where every value of a row of `values` (N, D) is finite."""
    out: npt.NDArray[np.bool_] = np.isfinite(values).all(axis=1)  # type: ignore[assignment]
    return out


def runs(starts: npt.NDArray[Any], sizes: npt.NDArray[Any]) -> npt.NDArray[np.intp]:
    """Numbers `starts[k]`, `starts[k]` + 1, … of `sizes[k]` each (K,), one run after another."""
    ends = np.cumsum(sizes)
    whole = int(ends[-1]) if len(ends) else 0
    return np.arange(whole) + np.repeat(starts - (ends - sizes), sizes)
