"""Row filters of PNG taken off. Source: Portable Network Graphics specification, W3C, third edition, 9.2."""

from __future__ import annotations

from numba import njit, types

BYTES = types.Array(types.uint8, 2, "C", readonly=True)
OUT = types.Array(types.uint8, 2, "C")


@njit(types.void(BYTES, types.int64, OUT), cache=True, nogil=True)
def unfilter(rows, step, out):
    """Rows (H, 1 + W·step) with the kind of filter (0..4) first, `step` bytes a pixel, into `out` (H,
    W·step).
    """
    height, width = out.shape
    for y in range(height):
        kind = rows[y, 0]
        for x in range(width):
            left = int(out[y, x - step]) if x >= step else 0
            up = int(out[y - 1, x]) if y > 0 else 0
            guess = 0
            if kind == 1:
                guess = left
            elif kind == 2:
                guess = up
            elif kind == 3:
                guess = (left + up) >> 1
            elif kind == 4:
                corner = int(out[y - 1, x - step]) if y > 0 and x >= step else 0
                a, b, c = abs(up - corner), abs(left - corner), abs(left + up - 2 * corner)
                guess = left if a <= b and a <= c else up if b <= c else corner
            out[y, x] = (int(rows[y, x + 1]) + guess) & 255
