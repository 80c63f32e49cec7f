"""The nearest pixel that counts, for every pixel: columns first, then rows.

Source: C. Maurer, R. Qi, V. Raghavan, "A linear time algorithm for computing exact Euclidean distance
transforms of binary images in arbitrary dimensions" (2003). Of pixels equally near it takes the one scipy.ndimage
takes.
"""

from __future__ import annotations

import numpy as np
from numba import njit, types

U8_IN = types.Array(types.uint8, 2, "C", readonly=True)
I32 = types.Array(types.int32, 2, "C")


@njit(types.void(U8_IN, types.int64, types.int64, I32), cache=True, nogil=True)
def down(away, begin, end, rows):
    """For the columns `begin`..`end`: the row of the nearest pixel of its column that is not `away` (H, W),
    into `rows` (H, W); −1 where a column has none.
    """
    height = away.shape[0]
    for x in range(begin, end):
        last = -1
        for y in range(height):
            if away[y, x] == 0:
                last = y
            rows[y, x] = last
        below = -1
        for y in range(height - 1, -1, -1):
            if away[y, x] == 0:
                below = y
            above = rows[y, x]
            # Of two equally near the one above.
            if above < 0 or (below >= 0 and below - y < y - above):
                rows[y, x] = below


@njit(types.void(I32, I32, types.int64, types.int64), cache=True, nogil=True)
def along(rows, columns, begin, end):
    """For the rows `begin`..`end`: row and column of the nearest pixel, from those `down` left in `rows`."""
    width = rows.shape[1]
    kept, own = np.empty(width, np.int64), np.empty(width, np.int64)
    for y in range(begin, end):
        count = -1
        for x in range(width):
            own[x] = rows[y, x]
            if own[x] < 0:
                continue
            up = float(own[x] - y) ** 2
            while count >= 1:
                first, second = kept[count - 1], kept[count]
                a, b = float(second - first), float(x - second)
                c = a + b
                far, near = float(own[first] - y) ** 2, float(own[second] - y) ** 2
                if c * near - b * far - a * up - a * b * c <= 0.0:
                    break
                count -= 1
            count += 1
            kept[count] = x
        k = 0
        for x in range(width):
            if count < 0:
                columns[y, x] = -1
                continue
            at = kept[k]
            best = float(at - x) ** 2 + float(own[at] - y) ** 2
            while k < count:
                after = kept[k + 1]
                next_ = float(after - x) ** 2 + float(own[after] - y) ** 2
                if best <= next_:
                    break
                best = next_
                k += 1
            rows[y, x] = own[kept[k]]
            columns[y, x] = kept[k]
