"""Text into arrays, every byte checked: lines of OBJ, and numbers between blanks. Anything unusual ends the
kernel: the numpy way then reads the text, or says what is wrong and where.

Numbers: up to 19 digits in a 64-bit integer, times a power of ten; exact where the digits fit 53 bits and the
power is at most 22 (W. D. Clinger, "How to Read Floating Point Numbers Accurately", 1990, the quick case),
else within a few units in the last place of a double, which is far below a float32.
"""

from __future__ import annotations

import numpy as np
from numba import njit, types

TEXT = types.Array(types.uint8, 1, "C", readonly=True)
POWERS = np.array([10.0**k for k in range(23)])
LARGEST = 1.7976931348623157e308
DONE, UNUSUAL = 0, 1


@njit(types.float64(types.uint64, types.int64), cache=True, nogil=True)
def _scaled(mantissa, power):
    """`mantissa` times ten to `power`; infinite where that is too large."""
    value = np.float64(mantissa)
    if mantissa == 0:
        return value
    if 0 <= power <= 22:
        return value * POWERS[power]
    if -22 <= power < 0:
        return value / POWERS[-power]
    if power > 0:
        return value * 10.0 ** min(power, 400)
    # In two steps, so that numbers near the smallest are not lost on the way.
    low = max(power, -300)
    return value * 10.0**low * 10.0 ** max(power - low, -300)


@njit(types.Tuple((types.float64, types.int64))(TEXT, types.int64, types.int64), cache=True, nogil=True)
def _number(text, at, end):
    """(value, where it ends) of the decimal number at `at`; −1 for its end where there is none, or something
    sticks to it.
    """
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
    value = _scaled(mantissa, power)
    if value > LARGEST:
        # The largest there is may be overshot by a rounding: told apart where there is more time.
        return 0.0, -1
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


F64 = types.Array(types.float64, 1, "C")
F32S = types.Array(types.float32, 2, "C")
I32 = types.Array(types.int32, 1, "C")
I64S = types.Array(types.int64, 2, "C")
I32S = types.Array(types.int32, 2, "C")


@njit(types.UniTuple(types.int64, 2)(TEXT, types.int64, types.int64, F64), cache=True, nogil=True)
def _vector(text, at, end, out):
    """(how many numbers stand on the rest of a line, where it ends), the first six in `out`; −1 where
    something is none.
    """
    count = 0
    while True:
        while at < end and (text[at] == 32 or text[at] == 9):
            at += 1
        if at >= end or text[at] == 10:
            return count, at
        value, at = _number(text, at, end)
        if at < 0:
            return -1, -1
        if count < 6:
            out[count] = value
        count += 1


@njit(types.UniTuple(types.int64, 4)(TEXT, types.int64, types.int64), cache=True, nogil=True)
def _corner(text, at, end):
    """(v, vt, vn, where it ends) of a corner, 0 for what is absent; −1 for its end where it is none."""
    v, at = _whole(text, at, end)
    t, n = 0, 0
    if at >= 0 and at < end and text[at] == 47:
        if at + 1 < end and text[at + 1] == 47:
            n, at = _whole(text, at + 2, end)
        else:
            t, at = _whole(text, at + 1, end)
            if at >= 0 and at < end and text[at] == 47:
                n, at = _whole(text, at + 1, end)
    if at >= 0 and at < end and text[at] != 32 and text[at] != 9 and text[at] != 10:
        return 0, 0, 0, -1
    return v, t, n, at


@njit(
    types.UniTuple(types.int64, 3)(TEXT, types.int64, types.int64, I32, I32, I32, types.int64),
    cache=True,
    nogil=True,
)
def _face(text, at, end, corner_v, corner_t, corner_n, nc):
    """(corners so far, where the line ends, 2 when some number is relative) of the face at `at`; −1 for its
    end where one is none.
    """
    relative = 0
    at += 1
    while at < end and text[at] != 10:
        if text[at] == 32 or text[at] == 9:
            at += 1
            continue
        v, t, n, at = _corner(text, at, end)
        if at < 0:
            return nc, -1, 0
        if v < 0 or t < 0 or n < 0:
            relative = 2
        corner_v[nc], corner_t[nc], corner_n[nc] = v, t, n
        nc += 1
    return nc, at, relative


@njit(
    types.UniTuple(types.int64, 9)(TEXT, types.int64, types.int64, F32S, F32S, F32S, F32S, I32, I32, I32, I32, I32S, I64S),
    cache=True, nogil=True,
)  # fmt: skip
def read_lines(text, at, end, points, uvs, normals, tints, corner_v, corner_t, corner_n, sizes, held, others):
    """Lines of bytes `at`..`end`: positions (N, 3), UVs, normals, colours (NaN where a vertex has none);
    corners as written, 0 where absent; of each face its size, how many v, vt, vn stood above it and where it
    begins (F, 4); of other statements where they begin, end, and how many faces stood above them (S, 3).
    Returns (DONE or UNUSUAL, vertices, UVs, normals, corners, faces, others, faces too small, flags: 1
    colours, 2 relative numbers). The arrays must hold what that many bytes can say: see `room`."""
    nv, nt, nn, nc, nf, ns, small, flags, start = 0, 0, 0, 0, 0, 0, 0, 0, at
    found, odd = np.zeros(6), (UNUSUAL, 0, 0, 0, 0, 0, 0, 0, 0)
    while at < end:
        first = text[at]
        if first == 32 or first == 9 or first == 10:
            at += 1
            continue
        second = text[at + 1] if at + 1 < end else 10
        third = text[at + 2] if at + 2 < end else 10
        alone = second == 32 or second == 9
        if first == 118 and (alone or ((second == 116 or second == 110) and (third == 32 or third == 9))):
            count, at = _vector(text, at + (1 if alone else 2), end, found)
            if count < (1 if second == 116 else 3):
                return odd
            if alone:
                points[nv, 0], points[nv, 1], points[nv, 2] = found[0], found[1], found[2]
                if count >= 6:
                    if not flags & 1:
                        tints[:nv] = np.nan
                        flags |= 1
                    tints[nv, 0], tints[nv, 1], tints[nv, 2] = found[3], found[4], found[5]
                elif flags & 1:
                    tints[nv] = np.nan
                nv += 1
            elif second == 116:
                uvs[nt, 0], uvs[nt, 1] = found[0], found[1] if count > 1 else 0.0
                nt += 1
            else:
                normals[nn, 0], normals[nn, 1], normals[nn, 2] = found[0], found[1], found[2]
                nn += 1
        elif first == 102 and alone:
            line, began = at, nc
            nc, at, relative = _face(text, at, end, corner_v, corner_t, corner_n, nc)
            if at < 0:
                return odd
            flags |= relative
            if nc - began < 3:
                small, nc = small + 1, began
            else:
                sizes[nf] = nc - began
                held[nf, 0], held[nf, 1], held[nf, 2], held[nf, 3] = nv, nt, nn, line - start
                nf += 1
        elif (first == 108 or first == 112) and alone:
            return odd
        else:
            began = at
            while at < end and text[at] != 10:
                if first != 35 and text[at] < 32 and text[at] != 9:
                    return odd
                at += 1
            if first != 35:
                others[ns, 0], others[ns, 1], others[ns, 2] = began, at, nf
                ns += 1
    return DONE, nv, nt, nn, nc, nf, ns, small, flags


@njit(types.int64(TEXT, types.int64, types.int64, types.Array(types.float64, 1, "C")), cache=True, nogil=True)
def read_numbers(text, at, end, out):
    """The numbers of bytes `at`..`end`, parted by blanks and line ends, into `out`; how many, or −1 where
    something is none, or there are more than `out` holds."""
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
