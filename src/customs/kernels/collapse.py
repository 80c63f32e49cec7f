"""Edges collapsed onto one of their ends, cheapest first. Sources: Garland and Heckbert, "Surface simplification using
quadric error metrics" (1997); Hoppe, "New quadric metric for simplifying meshes with appearance attributes" (1999); the link
condition of Dey, Edelsbrunner, Guha and Nekhayev (1999).

Places are points in space; rows are the vertices at them, one for each side of a seam. A row goes where the seam goes.
"""

from __future__ import annotations

import numpy as np
from numba import njit, types

POINTS = types.Array(types.float64, 2, "C", readonly=True)
VALUES = types.Array(types.float32, 2, "C", readonly=True)
FACES = types.Array(types.int32, 2, "C")
I32 = types.Array(types.int32, 1, "C")
U8 = types.Array(types.uint8, 1, "C")
F64 = types.Array(types.float64, 1, "C")
Q64 = types.Array(types.float64, 2, "C")
Q32 = types.Array(types.float32, 2, "C")
SCRATCH = types.Array(types.int32, 2, "C")
MOST = 16
"""Rows at one place at most: more stay where they are."""
LEAST_TURN = 0.2
"""Cosine of the most a face may turn in one step (common practice)."""


@njit(types.float64(Q64, types.int64, POINTS, types.int64), cache=True, nogil=True)
def _off(planes, at, points, p):
    """The weighted squared distance of point `p` from the planes kept `at`."""
    q = planes[at]
    x, y, z = points[p, 0], points[p, 1], points[p, 2]
    out = x * (q[0] * x + 2 * (q[3] * y + q[5] * z + q[6])) + y * (q[1] * y + 2 * (q[4] * z + q[7]))
    out += z * (q[2] * z + 2 * q[8]) + q[9]
    return max(out, 0.0)


@njit(types.float64(POINTS, types.int64, types.int64), cache=True, nogil=True)
def _apart(points, u, v):
    """The square of how far two points lie apart."""
    x, y, z = points[u, 0] - points[v, 0], points[u, 1] - points[v, 1], points[u, 2] - points[v, 2]
    return x * x + y * y + z * z


@njit(types.float64(Q32, VALUES, types.int64, types.int64, POINTS, types.int64), cache=True, nogil=True)
def _strays(fields, values, r, to, points, p):
    """How far the values of row `to`, at point `p`, stray from what row `r` knows of how they run."""
    q = fields[r]
    x, y, z = points[p, 0], points[p, 1], points[p, 2]
    out = x * (q[0] * x + 2 * (q[3] * y + q[5] * z + q[6])) + y * (q[1] * y + 2 * (q[4] * z + q[7]))
    out += z * (q[2] * z + 2 * q[8]) + q[9]
    width = values.shape[1]
    squares, a, b, c, d = 0.0, 0.0, 0.0, 0.0, 0.0
    for j in range(width):
        s, at = float(values[to, j]), 11 + j
        squares += s * s
        a += s * q[at]
        b += s * q[at + width]
        c += s * q[at + 2 * width]
        d += s * q[at + 3 * width]
    out += squares * q[10] - 2 * (a * x + b * y + c * z + d)
    return max(out, 0.0)


@njit(
    types.int64(FACES, FACES, U8, I32, I32, U8, I32, I32, types.int64, types.int64, types.boolean, SCRATCH),
    cache=True,
    nogil=True,
)
def _goes(places, rows, alive, starts, lists, edge, group, count, u, v, soft, pairs):
    """Where each row at place `u` goes at `v`, into `pairs` (MOST, 2); how many there are, 0 where one of them has nowhere
    to go. Where it is `soft`, a row that differs by its normal alone goes with its group.
    """
    shared, found = 0, 0
    for i in range(starts[u], starts[u + 1]):
        f = lists[i]
        if not alive[f]:
            continue
        k = 0 if places[f, 0] == u else (1 if places[f, 1] == u else 2)
        r, to = rows[f, k], -1
        for c in range(3):
            if places[f, c] == v:
                to = rows[f, c]
        at = -1
        for m in range(found):
            if pairs[m, 0] == r:
                at = m
        if at < 0:
            if found >= MOST:
                return 0
            at = found
            pairs[at, 0], pairs[at, 1] = r, -1
            found += 1
        if to >= 0:
            shared += 1
            if pairs[at, 1] >= 0 and pairs[at, 1] != to and not (soft and group[pairs[at, 1]] == group[to]):
                return 0
            pairs[at, 1] = to
    if shared == 0 or shared > 2 or (edge[u] == 1 and shared != 1) or (edge[u] == 0 and shared != 2):
        return 0
    for m in range(found):
        if pairs[m, 1] < 0:
            if not soft:
                return 0
            for n in range(found):
                if pairs[n, 1] >= 0 and group[pairs[n, 0]] == group[pairs[m, 0]]:
                    pairs[m, 1] = pairs[n, 1]
            if pairs[m, 1] < 0:
                return 0
    return found


@njit(types.boolean(FACES, U8, I32, I32, I32, types.int64, types.int64, types.int64), cache=True, nogil=True)
def _links(places, alive, starts, lists, marks, stamp, u, v):
    """The link condition: a place next to both `u` and `v` is a corner opposite to their edge; and no face of `u` would
    lie on one of `v`. `marks` (P,) becomes `stamp` next to `v`, `stamp` + 1 opposite to the edge.
    """
    for j in range(starts[v], starts[v + 1]):
        g = lists[j]
        if not alive[g]:
            continue
        k = 0 if places[g, 0] == v else (1 if places[g, 1] == v else 2)
        a, b = places[g, (k + 1) % 3], places[g, (k + 2) % 3]
        if a == u or b == u:
            marks[b if a == u else a] = stamp + 1
        else:
            marks[a], marks[b] = max(marks[a], stamp), max(marks[b], stamp)
    for i in range(starts[u], starts[u + 1]):
        f = lists[i]
        if not alive[f]:
            continue
        k = 0 if places[f, 0] == u else (1 if places[f, 1] == u else 2)
        a, b = places[f, (k + 1) % 3], places[f, (k + 2) % 3]
        if a == v or b == v:
            continue
        if marks[a] == stamp or marks[b] == stamp:
            return False
        if marks[a] < stamp or marks[b] < stamp:
            continue
        for j in range(starts[v], starts[v + 1]):
            g = lists[j]
            if alive[g] and places[g, 0] != u and places[g, 1] != u and places[g, 2] != u:
                has_a = places[g, 0] == a or places[g, 1] == a or places[g, 2] == a
                has_b = places[g, 0] == b or places[g, 1] == b or places[g, 2] == b
                if has_a and has_b:
                    return False
    return True


@njit(
    types.boolean(POINTS, FACES, U8, I32, I32, I32, types.int64, types.int64, types.int64),
    cache=True,
    nogil=True,
)
def _sound(points, places, alive, starts, lists, marks, stamp, u, v):
    """False where moving place `u` onto `v` would turn a face over, lay one on another, pinch the surface, or leave none."""
    left = 0
    for i in range(starts[v], starts[v + 1]):
        f = lists[i]
        if alive[f] and places[f, 0] != u and places[f, 1] != u and places[f, 2] != u:
            left += 1
    x, y, z = points[v, 0], points[v, 1], points[v, 2]
    for i in range(starts[u], starts[u + 1]):
        f = lists[i]
        if not alive[f]:
            continue
        k = 0 if places[f, 0] == u else (1 if places[f, 1] == u else 2)
        a, b = places[f, (k + 1) % 3], places[f, (k + 2) % 3]
        if a == v or b == v:
            continue
        left += 1
        ex, ey, ez = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
        ax, ay, az = points[u, 0] - points[a, 0], points[u, 1] - points[a, 1], points[u, 2] - points[a, 2]
        bx, by, bz = x - points[a, 0], y - points[a, 1], z - points[a, 2]
        nx, ny, nz = ey * az - ez * ay, ez * ax - ex * az, ex * ay - ey * ax
        mx, my, mz = ey * bz - ez * by, ez * bx - ex * bz, ex * by - ey * bx
        dot, square = nx * mx + ny * my + nz * mz, nx * nx + ny * ny + nz * nz
        # A face without area looks nowhere, and cannot be turned over.
        if square > 0 and dot <= LEAST_TURN * np.sqrt(square * (mx * mx + my * my + mz * mz)):
            return False
    return left > 0 and _links(places, alive, starts, lists, marks, stamp, u, v)


@njit(
    types.void(
        POINTS, VALUES, FACES, FACES, U8, I32, I32, U8, I32, I32, Q64, Q32, U8, types.boolean, I32, types.int64, types.int64, I32, F64,
    ),
    cache=True, nogil=True,
)  # fmt: skip
def rank(
    points, values, places, rows, alive, starts, lists, edge, group, count, planes, fields, failed, soft, some, begin, end, best, cost,
):  # fmt: skip
    """The cheapest way each of the places `some`, from `begin` to `end` of them, can go, into `best` (−1 for none) and `cost`. One that `failed`
    before is asked only for ways that are sound.
    """
    pairs, marks, stamp = np.empty((MOST, 2), np.int32), np.zeros(len(starts), np.int32), 0
    width = values.shape[1]
    for number in range(begin, end):
        u = some[number]
        best[u], cost[u] = -1, np.inf
        if edge[u] == 2 or starts[u] == starts[u + 1]:
            continue
        for i in range(starts[u], starts[u + 1]):
            f = lists[i]
            k = 0 if places[f, 0] == u else (1 if places[f, 1] == u else 2)
            for side in range(1, 3 if edge[u] == 1 else 2):
                v = places[f, (k + side) % 3]
                price = _off(planes, u, points, v) + _off(planes, v, points, v)
                if price >= cost[u]:
                    continue
                found = 1
                if count[u] == 1 and count[v] == 1 and edge[u] == 0:
                    pairs[0, 0], pairs[0, 1] = rows[f, k], rows[f, (k + side) % 3]
                else:
                    found = _goes(places, rows, alive, starts, lists, edge, group, count, u, v, soft, pairs)
                if found == 0:
                    continue
                if width:
                    for m in range(found):
                        price += _strays(fields, values, pairs[m, 0], pairs[m, 1], points, v)
                # Of ways that cost the same the shortest is taken.
                price += 1e-9 * _apart(points, u, v) * planes[u, 10]
                if price >= cost[u]:
                    continue
                if failed[u]:
                    stamp += 2
                    if not _sound(points, places, alive, starts, lists, marks, stamp, u, v):
                        continue
                best[u], cost[u] = v, price


@njit(
    types.int64(
        FACES, FACES, U8, I32, I32, U8, U8, I32, types.int64, types.int64, SCRATCH, types.int64, types.int64
    ),
    cache=True,
    nogil=True,
)
def _moved(places, rows, alive, starts, lists, failed, stale, died, u, v, pairs, found, step):
    """Faces at place `u` brought to `v`, their rows as `pairs` say; how many are gone. Places around are `stale`."""
    gone = 0
    for i in range(starts[u], starts[u + 1]):
        f = lists[i]
        if not alive[f]:
            continue
        c = 0 if places[f, 0] == u else (1 if places[f, 1] == u else 2)
        if places[f, (c + 1) % 3] == v or places[f, (c + 2) % 3] == v:
            alive[f] = 0
            died[f] = step
            gone += 1
            continue
        for m in range(found):
            if rows[f, c] == pairs[m, 0]:
                rows[f, c] = pairs[m, 1]
                break
        places[f, c] = v
        for side in range(1, 3):
            failed[places[f, (c + side) % 3]] = 0
            stale[places[f, (c + side) % 3]] = 1
    for i in range(starts[v], starts[v + 1]):
        for c in range(3):
            stale[places[lists[i], c]] = 1
    return gone


@njit(
    types.UniTuple(types.int64, 4)(
        POINTS,
        FACES,
        FACES,
        U8,
        I32,
        I32,
        U8,
        I32,
        I32,
        Q64,
        Q32,
        U8,
        types.boolean,
        I32,
        I32,
        U8,
        U8,
        types.int64,
        types.int64,
        types.int64,
        types.int64,
        FACES,
        FACES,
        F64,
        I32,
    ),
    cache=True,
    nogil=True,
)
def collapse(
    points, places, rows, alive, starts, lists, edge, group, count, planes, fields, failed, soft, order, best, touched, stale, left, least, moves, steps, moved, counts, errors, died,
):  # fmt: skip
    """Places in `order` moved onto their `best`, each once at most and none that something moved onto, until `least` faces
    are left. What moved is written from `moves` on into `moved` (rows from, to), each step's end and the faces left after it
    into `counts`, its error (a mean distance) into `errors`, from `steps` on; of a face that is gone, the step, into `died`. Returns (faces left, moves, steps,
    done in this pass).
    """
    pairs, marks = np.empty((MOST, 2), np.int32), np.zeros(len(starts), np.int32)
    touched[:] = 0
    done = 0
    for k in range(len(order)):
        if left <= least:
            break
        u = order[k]
        v = best[u]
        if touched[u] or touched[v]:
            continue
        found = _goes(places, rows, alive, starts, lists, edge, group, count, u, v, soft, pairs)
        if found == 0 or not _sound(points, places, alive, starts, lists, marks, 2 * k + 2, u, v):
            failed[u] = stale[u] = 1
            continue
        failed[u] = 0
        error = _off(planes, u, points, v) / max(planes[u, 10], 1e-300)
        left -= _moved(places, rows, alive, starts, lists, failed, stale, died, u, v, pairs, found, steps)
        for q in range(11):
            planes[v, q] += planes[u, q]
        for m in range(found):
            moved[moves, 0], moved[moves, 1] = pairs[m, 0], pairs[m, 1]
            moves += 1
            onto, mine = fields[pairs[m, 1]], fields[pairs[m, 0]]
            for q in range(len(onto)):
                onto[q] += mine[q]
        counts[steps, 0], counts[steps, 1], errors[steps] = moves, left, np.sqrt(error)
        steps, done = steps + 1, done + 1
        touched[u] = touched[v] = 1
    return left, moves, steps, done


@njit(types.void(I32, I32, types.int64, I32), cache=True, nogil=True)
def resolve(source, target, moves, to):
    """Where each row stands after the first `moves`, into `to` (R,), which holds 0..R − 1."""
    for m in range(moves - 1, -1, -1):
        to[source[m]] = to[target[m]]
