"""Attributes kept as whole numbers, turned into floating point in one pass."""

from __future__ import annotations

import numpy as np
from numba import njit, types

OUT = types.Array(types.float32, 1, "C")
KINDS = [
    types.void(types.Array(kind, 1, "C", readonly=True), types.float32, OUT)
    for kind in (types.int8, types.uint8, types.int16, types.uint16)
]


@njit(KINDS, cache=True, nogil=True)
def shares(values, top, out):
    """Each of `values` (N,) as a share of `top`, −1 at least, into `out` (N,): glTF 2.0, 3.6.2.2."""
    for i in range(len(values)):
        out[i] = max(np.float32(values[i]) / top, np.float32(-1))
