"""What a surface is like around each of its places and rows: planes, how values run over them, open edges and seams. Sources:
Garland and Heckbert, "Surface simplification using quadric error metrics" (1997); Hoppe, "New quadric metric for simplifying
meshes with appearance attributes" (1999).

Places are points in space; rows are the vertices at them, one for each side of a seam.
"""

from __future__ import annotations

import numpy as np
from numba import njit, types

POINTS = types.Array(types.float64, 2, "C", readonly=True)
VALUES = types.Array(types.float32, 2, "C", readonly=True)
FACES = types.Array(types.int32, 2, "C")
I32 = types.Array(types.int32, 1, "C")
U8 = types.Array(types.uint8, 1, "C")
Q64 = types.Array(types.float64, 2, "C")
Q32 = types.Array(types.float32, 2, "C")
MOST = 16
"""Rows at one place at most: more stay where they are."""


@njit(types.void(FACES, U8, I32, I32, I32), cache=True, nogil=True)
def around(places, alive, some, starts, lists):
    """The faces around each place: `lists` from `starts` (P + 1,) on; of the faces `some` (N,) those that are `alive` (F,)."""
    starts[:] = 0
    for k in range(len(some)):
        f = some[k]
        if alive[f]:
            for c in range(3):
                starts[places[f, c] + 1] += 1
    for p in range(len(starts) - 1):
        starts[p + 1] += starts[p]
    for k in range(len(some)):
        f = some[k]
        if alive[f]:
            for c in range(3):
                p = places[f, c]
                lists[starts[p]] = f
                starts[p] += 1
    for p in range(len(starts) - 1, 0, -1):
        starts[p] = starts[p - 1]
    starts[0] = 0


@njit(
    types.void(Q64, types.int64, types.float64, types.float64, types.float64, types.float64, types.float64),
    cache=True,
    nogil=True,
)
def _plane(sums, at, nx, ny, nz, d, weight):
    """The squared distance to the plane n · p + d = 0, `weight` times, added to what stands `at`."""
    q = sums[at]
    q[0] += weight * nx * nx
    q[1] += weight * ny * ny
    q[2] += weight * nz * nz
    q[3] += weight * nx * ny
    q[4] += weight * ny * nz
    q[5] += weight * nx * nz
    q[6] += weight * nx * d
    q[7] += weight * ny * d
    q[8] += weight * nz * d
    q[9] += weight * d * d
    q[10] += weight


@njit(
    types.void(POINTS, VALUES, FACES, FACES, U8, types.int64, types.int64, Q64, Q32),
    cache=True,
    nogil=True,
)
def measure(points, values, places, rows, alive, begin, end, planes, fields):
    """What each place knows of the planes around it (`planes` (P, 11)), and each row of how its `values` (R, K) run over
    them (`fields` (R, 11 + 4K)), added for the faces from `begin` to `end`. Faces without area are no longer `alive`.
    """
    width = values.shape[1]
    run, sums = np.empty((4, max(width, 1))), np.empty(10)
    for f in range(begin, end):
        a, b, c = places[f, 0], places[f, 1], places[f, 2]
        if a == b or b == c or c == a:
            alive[f] = 0
            continue
        ux, uy, uz = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
        vx, vy, vz = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
        nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        square = nx * nx + ny * ny + nz * nz
        size = np.sqrt(square)
        if size <= 1e-30:
            continue
        weight = size / 2
        mx, my, mz = nx / size, ny / size, nz / size
        d = -(mx * points[a, 0] + my * points[a, 1] + mz * points[a, 2])
        for k in range(3):
            _plane(planes, places[f, k], mx, my, mz, d, weight)
        if width == 0:
            continue
        # Directions in which one edge grows and the other does not: values run along them.
        px, py, pz = (vy * nz - vz * ny) / square, (vz * nx - vx * nz) / square, (vx * ny - vy * nx) / square
        qx, qy, qz = (ny * uz - nz * uy) / square, (nz * ux - nx * uz) / square, (nx * uy - ny * ux) / square
        sums[:] = 0
        for j in range(width):
            s = values[rows[f, 0], j]
            s1, s2 = values[rows[f, 1], j] - s, values[rows[f, 2], j] - s
            gx, gy, gz = s1 * px + s2 * qx, s1 * py + s2 * qy, s1 * pz + s2 * qz
            e = s - (gx * points[a, 0] + gy * points[a, 1] + gz * points[a, 2])
            run[0, j], run[1, j], run[2, j], run[3, j] = weight * gx, weight * gy, weight * gz, weight * e
            sums[0] += gx * gx
            sums[1] += gy * gy
            sums[2] += gz * gz
            sums[3] += gx * gy
            sums[4] += gy * gz
            sums[5] += gx * gz
            sums[6] += gx * e
            sums[7] += gy * e
            sums[8] += gz * e
            sums[9] += e * e
        for k in range(3):
            q = fields[rows[f, k]]
            for n in range(10):
                q[n] += weight * sums[n]
            q[10] += weight
            for n in range(4):
                at = 11 + n * width
                for j in range(width):
                    q[at + j] += run[n, j]


@njit(
    types.void(POINTS, FACES, types.int64, types.int64, types.int64, Q64, types.float64),
    cache=True,
    nogil=True,
)
def _wall(points, places, f, u, v, planes, weight):
    """The plane that stands upright on face `f` along the edge from place `u` to `v`, at `u`."""
    a, b, c = places[f, 0], places[f, 1], places[f, 2]
    ux, uy, uz = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
    vx, vy, vz = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    ex, ey, ez = points[v, 0] - points[u, 0], points[v, 1] - points[u, 1], points[v, 2] - points[u, 2]
    mx, my, mz = ey * nz - ez * ny, ez * nx - ex * nz, ex * ny - ey * nx
    size = np.sqrt(mx * mx + my * my + mz * mz)
    if size <= 1e-30:
        return
    mx, my, mz = mx / size, my / size, mz / size
    d = -(mx * points[u, 0] + my * points[u, 1] + mz * points[u, 2])
    _plane(planes, u, mx, my, mz, d, weight * (ex * ex + ey * ey + ez * ez))


@njit(
    types.void(
        POINTS, FACES, FACES, I32, I32, types.int64, types.int64, U8, I32, Q64, types.float64, types.float64
    ),
    cache=True,
    nogil=True,
)
def borders(points, places, rows, starts, lists, begin, end, edge, count, planes, open_weight, seam_weight):
    """What kind of place each from `begin` to `end` is, into `edge` (P,): 0 inside, 1 on an open edge, 2 fixed (more than two faces at an
    edge, or too many rows); how many rows it has, into `count`. Open edges and seams hold to their line, by their weights.
    """
    mine = np.empty(MOST, np.int32)
    for u in range(begin, end):
        found = 0
        for i in range(starts[u], starts[u + 1]):
            f = lists[i]
            k = 0 if places[f, 0] == u else (1 if places[f, 1] == u else 2)
            r, known = rows[f, k], False
            for m in range(min(found, MOST)):
                known = known or mine[m] == r
            if not known:
                if found < MOST:
                    mine[found] = r
                found += 1
            for side in range(1, 3):
                v, rv = places[f, (k + side) % 3], rows[f, (k + side) % 3]
                shared, parted = 0, False
                for other in range(starts[u], starts[u + 1]):
                    g = lists[other]
                    for c in range(3):
                        if places[g, c] == v:
                            shared += 1
                            mk = 0 if places[g, 0] == u else (1 if places[g, 1] == u else 2)
                            parted = parted or rows[g, c] != rv or rows[g, mk] != r
                if shared == 1 and edge[u] == 0:
                    edge[u] = 1
                elif shared > 2:
                    edge[u] = 2
                if shared == 1 or parted:
                    _wall(points, places, f, u, v, planes, open_weight if shared == 1 else seam_weight)
        count[u] = found
        if found > MOST:
            edge[u] = 2
