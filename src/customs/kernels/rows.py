"""Equal rows, by an open hash table: numbered in the order they first appear, compared word by word."""

from __future__ import annotations

import numpy as np
from numba import njit, types

ROWS = types.Array(types.uint32, 2, "C", readonly=True)
I32 = types.Array(types.int32, 1, "C")
U32 = types.Array(types.uint32, 1, "C")


@njit(types.int64(ROWS, I32, I32, U32), cache=True, nogil=True)
def distinct_rows(rows, table, first, inverse):
    """The first of each distinct row of `rows` (N, W) into `first` and the number of each row's into `inverse`
    (N,).

    `table` holds −1, a power of two of them, more than N; `first` holds N. Returns how many there are. Mixing
    constants from Steele, Lea and Flood, "Fast splittable pseudorandom number generators" (2014).
    """
    mask, width, found = len(table) - 1, rows.shape[1], 0
    for row in range(len(rows)):
        state = np.uint64(0x9E3779B97F4A7C15)
        for k in range(width):
            state ^= np.uint64(rows[row, k])
            state *= np.uint64(0xBF58476D1CE4E5B9)
            state ^= state >> np.uint64(29)
            state *= np.uint64(0x94D049BB133111EB)
            state ^= state >> np.uint64(32)
        at = np.int64(state & np.uint64(mask))
        while True:
            number = table[at]
            if number < 0:
                table[at] = first[found] = inverse[row] = found
                first[found] = row
                found += 1
                break
            lead, same = first[number], True
            for k in range(width):
                if rows[lead, k] != rows[row, k]:
                    same = False
                    break
            if same:
                inverse[row] = number
                break
            at = (at + 1) & mask
    return found
