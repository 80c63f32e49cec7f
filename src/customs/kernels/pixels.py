"""Bytes counted, and compared."""

from __future__ import annotations

from numba import njit, types

U8_IN = types.Array(types.uint8, 1, "C", readonly=True)
I64 = types.Array(types.int64, 1, "C")


@njit(types.void(U8_IN, I64), cache=True, nogil=True)
def counted(values, out):
    """How often each byte stands in `values` (N,), added to `out` (256,)."""
    for value in values:
        out[value] += 1


@njit(types.int64(U8_IN, U8_IN), cache=True, nogil=True)
def squares(a, b):
    """Sum of the squared differences of two (N,), exact."""
    total = 0
    for k in range(len(a)):
        off = types.int64(a[k]) - types.int64(b[k])
        total += off * off
    return total
