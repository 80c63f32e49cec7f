"""Text into arrays, every byte checked: lines of OBJ, and numbers between blanks. Anything unusual ends the kernel: the numpy way
then reads the text, or says what is wrong and where.

Numbers: up to 19 digits in a 64-bit integer, times a power of ten; exact where the digits fit 53 bits and the power is at most 22
(W. D. Clinger, "How to Read Floating Point Numbers Accurately", 1990, the quick case), else within a few units in the last place
of a double, which is far below a float32.
"""

from __future__ import annotations

import numpy as np
from numba import njit, types

TEXT = types.Array(types.uint8, 1, "C", readonly=True)
POWERS = np.array([10.0**k for k in range(23)])
DONE, UNUSUAL = 0, 1


@njit(types.Tuple((types.float64, types.int64))(TEXT, types.int64, types.int64), cache=True, nogil=True)
def _number(text, at, end):
    """(value, where it ends) of the decimal number at `at`; −1 for its end where there is none, or something sticks to it."""
    negative = False
    if at < end and (text[at] == 45 or text[at] == 43):
        negative = text[at] == 45
        at += 1
    mantissa, power, seen, kept = np.uint64(0), 0, 0, 0
    while at < end and 48 <= text[at] <= 57:
        if kept < 19:
            mantissa = mantissa * np.uint64(10) + np.uint64(text[at] - 48)
            kept += 1 if mantissa > 0 else 0
        else:
            power += 1
        seen += 1
        at += 1
    if at < end and text[at] == 46:
        at += 1
        while at < end and 48 <= text[at] <= 57:
            if kept < 19:
                mantissa = mantissa * np.uint64(10) + np.uint64(text[at] - 48)
                kept += 1 if mantissa > 0 else 0
                power -= 1
            seen += 1
            at += 1
    if seen == 0:
        return 0.0, -1
    if at < end and (text[at] == 101 or text[at] == 69):
        at += 1
        down = False
        if at < end and (text[at] == 45 or text[at] == 43):
            down = text[at] == 45
            at += 1
        digits, more = 0, 0
        while at < end and 48 <= text[at] <= 57:
            if more < 100000:
                more = more * 10 + (text[at] - 48)
            digits += 1
            at += 1
        if digits == 0:
            return 0.0, -1
        power += -more if down else more
    if at < end and text[at] != 32 and text[at] != 10 and text[at] != 9 and text[at] != 13:
        return 0.0, -1
    value = np.float64(mantissa)
    if mantissa != 0:
        if 0 <= power <= 22:
            value *= POWERS[power]
        elif -22 <= power < 0:
            value /= POWERS[-power]
        elif power < -22:
            # In two steps, so that numbers near the smallest are not lost on the way.
            low = max(power, -300)
            value = value * 10.0**low * 10.0 ** max(power - low, -300)
        else:
            value *= 10.0 ** min(power, 400)
    return (-value if negative else value), at


@njit(types.Tuple((types.int64, types.int64))(TEXT, types.int64, types.int64), cache=True, nogil=True)
def _whole(text, at, end):
    """(whole number other than 0, where it ends); −1 where there is none, or one of more than nine digits."""
    negative = at < end and text[at] == 45
    if negative:
        at += 1
    value, first = 0, at
    while at < end and 48 <= text[at] <= 57:
        if at - first >= 9:
            return 0, -1
        value = value * 10 + (text[at] - 48)
        at += 1
    if at == first or value == 0:
        return 0, -1
    return (-value if negative else value), at


F32S = types.Array(types.float32, 2, "C")
I32 = types.Array(types.int32, 1, "C")
I64S = types.Array(types.int64, 2, "C")
I32S = types.Array(types.int32, 2, "C")


@njit(
    types.UniTuple(types.int64, 9)(TEXT, types.int64, types.int64, F32S, F32S, F32S, F32S, I32, I32, I32, I32, I32S, I64S),
    cache=True, nogil=True,
)  # fmt: skip
def read_lines(text, at, end, points, uvs, normals, tints, corner_v, corner_t, corner_n, sizes, held, others):
    """Lines of bytes `at`..`end`: positions (N, 3), UVs, normals, colours of vertices (NaN where a vertex has none); corners
    as written, 0 where absent; of each face its size, how many v, vt, vn stood above it and where it begins (F, 4); of other statements where
    they begin and end, and how many faces stood above them (S, 3).

    Returns (DONE or UNUSUAL, vertices, UVs, normals, corners, faces, others, faces too small, flags: 1 colours, 2 relative
    numbers). The arrays must hold what that many bytes can say: see `room`.
    """
    nv, nt, nn, nc, nf, ns, small, flags, start = 0, 0, 0, 0, 0, 0, 0, 0, at
    while at < end:
        while at < end and (text[at] == 32 or text[at] == 9):
            at += 1
        if at >= end:
            break
        first = text[at]
        if first == 10:
            at += 1
            continue
        if first == 35:
            while at < end and text[at] != 10:
                at += 1
            continue
        second = text[at + 1] if at + 1 < end else 10
        third = text[at + 2] if at + 2 < end else 10
        gap2, gap3 = second == 32 or second == 9, third == 32 or third == 9
        if first == 118 and (gap2 or ((second == 116 or second == 110) and gap3)):
            at += 1 if gap2 else 2
            count, x, y, z, r, g, b = 0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
            while True:
                while at < end and (text[at] == 32 or text[at] == 9):
                    at += 1
                if at >= end or text[at] == 10:
                    break
                value, at = _number(text, at, end)
                if at < 0:
                    return UNUSUAL, 0, 0, 0, 0, 0, 0, 0, 0
                if count == 0:
                    x = value
                elif count == 1:
                    y = value
                elif count == 2:
                    z = value
                elif count == 3:
                    r = value
                elif count == 4:
                    g = value
                elif count == 5:
                    b = value
                count += 1
            if gap2:
                if count < 3:
                    return UNUSUAL, 0, 0, 0, 0, 0, 0, 0, 0
                points[nv, 0], points[nv, 1], points[nv, 2] = x, y, z
                if count >= 6:
                    if not flags & 1:
                        tints[:nv] = np.nan
                        flags |= 1
                    tints[nv, 0], tints[nv, 1], tints[nv, 2] = r, g, b
                elif flags & 1:
                    tints[nv] = np.nan
                nv += 1
            elif second == 116:
                if count < 1:
                    return UNUSUAL, 0, 0, 0, 0, 0, 0, 0, 0
                uvs[nt, 0], uvs[nt, 1] = x, y
                nt += 1
            else:
                if count < 3:
                    return UNUSUAL, 0, 0, 0, 0, 0, 0, 0, 0
                normals[nn, 0], normals[nn, 1], normals[nn, 2] = x, y, z
                nn += 1
        elif first == 102 and gap2:
            line, began = at, nc
            at += 1
            while True:
                while at < end and (text[at] == 32 or text[at] == 9):
                    at += 1
                if at >= end or text[at] == 10:
                    break
                v, at = _whole(text, at, end)
                t, n = 0, 0
                if at >= 0 and at < end and text[at] == 47:
                    if at + 1 < end and text[at + 1] == 47:
                        n, at = _whole(text, at + 2, end)
                    else:
                        t, at = _whole(text, at + 1, end)
                        if at >= 0 and at < end and text[at] == 47:
                            n, at = _whole(text, at + 1, end)
                if at < 0 or (at < end and text[at] != 32 and text[at] != 9 and text[at] != 10):
                    return UNUSUAL, 0, 0, 0, 0, 0, 0, 0, 0
                if v < 0 or t < 0 or n < 0:
                    flags |= 2
                corner_v[nc], corner_t[nc], corner_n[nc] = v, t, n
                nc += 1
            if nc - began < 3:
                small += 1
                nc = began
            else:
                sizes[nf] = nc - began
                held[nf, 0], held[nf, 1], held[nf, 2], held[nf, 3] = nv, nt, nn, line - start
                nf += 1
        elif (first == 108 or first == 112) and gap2:
            return UNUSUAL, 0, 0, 0, 0, 0, 0, 0, 0
        else:
            began = at
            while at < end and text[at] != 10:
                if text[at] < 32 and text[at] != 9:
                    return UNUSUAL, 0, 0, 0, 0, 0, 0, 0, 0
                at += 1
            others[ns, 0], others[ns, 1], others[ns, 2] = began, at, nf
            ns += 1
    return DONE, nv, nt, nn, nc, nf, ns, small, flags


@njit(types.int64(TEXT, types.int64, types.int64, types.Array(types.float64, 1, "C")), cache=True, nogil=True)
def read_numbers(text, at, end, out):
    """The numbers of bytes `at`..`end`, parted by blanks and line ends, into `out`; how many, or −1 where something is none,
    or there are more than `out` holds."""
    count = 0
    while True:
        while at < end and (text[at] == 32 or text[at] == 10 or text[at] == 9 or text[at] == 13):
            at += 1
        if at >= end:
            return count
        if count >= len(out):
            return -1
        out[count], at = _number(text, at, end)
        if at < 0:
            return -1
        count += 1


def room(length: int) -> tuple[int, int, int]:
    """(vectors, corners, other statements) that so many bytes can hold at most, whatever they are.

    The shortest of each: "vt 0\\n", a corner and its gap "1 ", a statement of one letter and its line end.
    """
    return length // 5 + 2, length // 2 + 2, length // 2 + 2
