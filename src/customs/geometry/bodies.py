"""Simple bodies around points: the least sphere, capsule and box, and hulls, with their volumes and what lies outside."""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

F64 = npt.NDArray[np.float64]
U32 = npt.NDArray[np.uint32]
FLAT = 1e-6
"""Of the size, the thickness a body of flat points is given, so that it is one."""
CHUNK = 1 << 16
"""Points held against all planes of a hull at once: more need memory by the gigabyte."""
DIRECTIONS = 160
"""Faces of a hull a turned box or a capsule is laid along, the largest first: more change the volume by less than is seen."""


@dataclass(frozen=True, eq=False)
class Body:
    """A body: `kind`, its middle (3,), its `axes` (3, 3) as columns, and `radius` and `half` sizes along the axes, or `points`
    (V, 3) and `faces` (F, 3), all float64, in units.
    """

    kind: str
    middle: F64
    axes: F64
    radius: float = 0.0
    half: tuple[float, float, float] = (0.0, 0.0, 0.0)
    points: F64 | None = None
    faces: U32 | None = None

    @property
    def volume(self) -> float:
        """Units³. Sphere 4/3 πr³, capsule πr²(4/3 r + h), box the product of its sides, a hull by Gauss's theorem."""
        r, (x, y, z) = self.radius, self.half
        if self.kind == "sphere":
            return 4 / 3 * np.pi * r**3
        if self.kind == "capsule":
            return float(np.pi * r**2 * (4 / 3 * r + 2 * y))
        if self.kind == "box":
            return 8 * x * y * z
        assert self.points is not None and self.faces is not None
        a, b, c = (self.points[self.faces[:, k]] for k in range(3))
        return float(np.einsum("ij,ij->", a, np.cross(b, c)) / 6)

    def outside(self, points: npt.NDArray[Any]) -> F64:
        """How far each of `points` (N, 3) lies outside (N,), 0 for those inside. For a hull it is the distance from the
        farthest of its planes, which is at most the true one.
        """
        p = (np.asarray(points, np.float64) - self.middle) @ self.axes
        if self.kind == "box":
            return np.linalg.norm(np.maximum(np.abs(p) - np.array(self.half), 0), axis=1)
        if self.kind in ("sphere", "capsule"):
            p[:, 1] -= np.clip(p[:, 1], -self.half[1], self.half[1])
            return np.maximum(np.linalg.norm(p, axis=1) - self.radius, 0)
        assert self.points is not None and self.faces is not None
        normals, heights = planes_of(self.points, self.faces)
        far = [
            (some @ normals.T - heights).max(axis=1, initial=-np.inf)
            for some in np.array_split(p, len(p) // CHUNK + 1)
        ]
        return np.maximum(np.concatenate(far), 0)


def planes_of(points: F64, faces: U32) -> tuple[F64, F64]:
    """Outward normals (F, 3) and heights (F,) of faces that have an area."""
    a, b, c = (points[faces[:, k]] for k in range(3))
    normals = np.cross(b - a, c - a)
    size = np.linalg.norm(normals, axis=1)
    normals = normals[size > 0] / size[size > 0, None]
    return normals, np.einsum("ij,ij->i", normals, a[size > 0])


def hull_of(points: npt.NDArray[Any]) -> tuple[F64, U32]:
    """(V, 3) corners and (F, 3) faces, ccw from outside, of the convex hull of `points` (N, 3), N > 0; one of points that
    lie flat, in a line or in one place is given a little thickness. Source: Qhull (Barber, Dobkin and Huhdanpaa 1996).
    """
    from scipy.spatial import ConvexHull, QhullError

    p = np.asarray(points, np.float64)
    try:
        hull = ConvexHull(p)
    except (QhullError, ValueError):
        p = _thick(p)
        try:
            hull = ConvexHull(p)
        except (QhullError, ValueError):
            return _box_around(p)
    faces = hull.simplices.astype(np.int64)
    a, b, c = (p[faces[:, k]] for k in range(3))
    inside = np.einsum("ij,ij->i", np.cross(b - a, c - a), hull.equations[:, :3]) < 0
    faces[inside] = faces[inside][:, ::-1]
    rank = np.zeros(len(p), np.uint32)
    rank[hull.vertices] = np.arange(len(hull.vertices), dtype=np.uint32)
    return p[hull.vertices], rank[faces]


def _box_around(p: F64) -> tuple[F64, U32]:
    """Corners and faces of the box along the axes, for points even a little thickness makes no hull of: numbers too large or
    too near for the library.
    """
    low, high = p.min(axis=0), p.max(axis=0)
    corners = np.array(list(itertools.product(*zip(low, high))))
    quads = np.array([[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]])
    return corners, np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]]).astype(np.uint32)


def _thick(p: F64) -> F64:
    """Points with a little room on both sides in the directions they have none in."""
    size = max(float(np.ptp(p, axis=0).max()), float(np.abs(p).max()) * 1e-3, 1e-3)
    axes = np.linalg.svd(np.concatenate([p - p.mean(axis=0), np.zeros((3, 3))]), full_matrices=False)[2]
    thin = np.ptp(p @ axes.T, axis=0) < FLAT * size
    room = np.where(thin, FLAT * size, 0)
    return np.concatenate([p + (room * s) @ axes for s in itertools.product((-1, 1), repeat=3)])


def least_sphere(points: npt.NDArray[Any]) -> Body:
    """The sphere of least volume around `points` (N, 3), N > 0. Source: at most four points on it settle it (Welzl 1991);
    the farthest point outside is taken in until none is.
    """
    p = np.asarray(points, np.float64)
    if len(p) > 64:
        p = hull_of(p)[0]
    chosen = [int(np.argmax(np.linalg.norm(p - p.mean(axis=0), axis=1)))]
    middle, radius = p[chosen[0]], 0.0
    for _ in range(200):
        off = np.linalg.norm(p - middle, axis=1)
        far = int(np.argmax(off))
        if off[far] <= radius * (1 + 1e-12) + 1e-300 or far in chosen:
            break
        middle, radius, chosen = _ball_of([*chosen, far], p)
    off = float(np.linalg.norm(p - middle, axis=1).max())
    return Body("sphere", middle, np.eye(3), max(radius, off))


def _ball_of(chosen: list[int], p: F64) -> tuple[F64, float, list[int]]:
    """The least ball around at most five points, and which of them lie on it."""
    best: tuple[F64, float, list[int]] = (p[chosen[-1]], np.inf, chosen)
    last, others = chosen[-1], chosen[:-1]
    for count in range(1, min(len(others), 3) + 1):
        for some in itertools.combinations(others, count):
            ball = _around(p[[*some, last]])
            if ball is None or ball[1] >= best[1]:
                continue
            if (np.linalg.norm(p[chosen] - ball[0], axis=1) <= ball[1] * (1 + 1e-9)).all():
                best = (*ball, [*some, last])
    return best


def _around(q: F64) -> tuple[F64, float] | None:
    """The ball with all of `q` (2 to 4, 3) on it and its middle among them; None for points in a line or a plane."""
    sides = q[1:] - q[0]
    gram = sides @ sides.T
    if np.linalg.matrix_rank(gram) < len(gram):
        return None
    shares = np.linalg.solve(2 * gram, np.diag(gram))
    offset = shares @ sides
    return q[0] + offset, float(np.linalg.norm(offset))


def straight_box(points: npt.NDArray[Any]) -> Body:
    """The box along the axes around `points` (N, 3), N > 0."""
    p = np.asarray(points, np.float64)
    low, high = p.min(axis=0), p.max(axis=0)
    return Body("box", (low + high) / 2, np.eye(3), half=_three((high - low) / 2))


def least_box(points: npt.NDArray[Any]) -> Body:
    """The box of least volume among those with a side along a face of the hull of `points` (N, 3), N > 0, and another along
    an edge of the outline seen from it. Source: rotating calipers (Freeman and Shapira 1975) over the faces of the hull;
    O'Rourke (1985) shows that the very least may lie along two edges alone, a little under this one.
    """
    corners, faces = hull_of(points)
    best = straight_box(corners)
    for normal in _directions(corners, faces):
        axes = _frame(normal)
        turned = corners @ axes
        flat = _rectangle(turned[:, :2])
        axes = axes @ np.array([[flat[0], -flat[1], 0], [flat[1], flat[0], 0], [0, 0, 1.0]])
        turned = corners @ axes
        low, high = turned.min(axis=0), turned.max(axis=0)
        body = Body("box", axes @ ((low + high) / 2), axes, half=_three((high - low) / 2))
        if body.volume < best.volume * (1 - 1e-9):
            best = body
    return best


def _directions(corners: F64, faces: U32) -> F64:
    """(D, 3) normals of the largest faces, those that look alike once, and the main directions of the corners."""
    a, b, c = (corners[faces[:, k]] for k in range(3))
    cross = np.cross(b - a, c - a)
    size = np.linalg.norm(cross, axis=1)
    order = np.argsort(-size)[: 8 * DIRECTIONS]
    normals = cross[order][size[order] > 0] / size[order][size[order] > 0, None]
    alike = np.unique(np.round(np.abs(normals) * 500).astype(np.int64), axis=0, return_index=True)[1]
    main = np.linalg.svd(corners - corners.mean(axis=0), full_matrices=False)[2]
    return np.concatenate([normals[np.sort(alike)][:DIRECTIONS], main])


def _frame(normal: F64) -> F64:
    """(3, 3) axes as columns, right-handed, the third of them `normal`."""
    side = np.eye(3)[int(np.argmin(np.abs(normal)))]
    x = np.cross(side, normal)
    x /= np.linalg.norm(x)
    return np.stack([x, np.cross(normal, x), normal], axis=1)


def _rectangle(flat: F64) -> F64:
    """(2,) direction of one side of the least rectangle around points (N, 2)."""
    from scipy.spatial import ConvexHull, QhullError

    try:
        ring = flat[ConvexHull(flat).vertices]
    except (QhullError, ValueError):
        return np.array([1.0, 0.0])
    edges = np.roll(ring, -1, axis=0) - ring
    edges /= np.maximum(np.linalg.norm(edges, axis=1, keepdims=True), 1e-300)
    along, across = ring @ edges.T, ring @ np.stack([-edges[:, 1], edges[:, 0]])
    room = np.ptp(along, axis=0) * np.ptp(across, axis=0)
    return edges[int(np.argmin(room))]


def least_capsule(points: npt.NDArray[Any], along: F64 | None = None) -> Body:
    """The capsule of least volume around `points` (N, 3), N > 0, among those along the sides of the least box, the main
    directions, or `along` (3,) alone; its axis is the second of its own.
    """
    corners, _ = hull_of(points)
    axes = [along] if along is not None else [*least_box(corners).axes.T, *np.eye(3)]
    bodies = [_capsule(corners, np.asarray(a, np.float64)) for a in axes]
    return min(bodies, key=lambda b: b.volume)


def _capsule(p: F64, axis: F64) -> Body:
    """The capsule along `axis` (3,): the least circle seen along it, then ends drawn in until they touch."""
    frame = _frame(axis / np.linalg.norm(axis))
    turned = p @ frame
    flat = least_sphere(np.concatenate([turned[:, :2], np.zeros((len(p), 1))], axis=1))
    radius, middle = flat.radius, flat.middle[:2]
    aside = np.linalg.norm(turned[:, :2] - middle, axis=1)
    room = np.sqrt(np.maximum(radius**2 - aside**2, 0))
    top, bottom = float((turned[:, 2] - room).max()), float((turned[:, 2] + room).min())
    low, high = min(top, bottom), max(top, bottom)
    if top < bottom:
        low = high = (top + bottom) / 2
    centre = frame @ np.array([middle[0], middle[1], (low + high) / 2])
    # The axis is the second of the body's own, as capsules are told in the trade (common practice).
    own = np.stack([frame[:, 1], frame[:, 2], frame[:, 0]], axis=1)
    return Body("capsule", centre, own, radius, (0.0, (high - low) / 2, 0.0))


def hull_within(points: npt.NDArray[Any], most: int, cover: bool = True) -> Body:
    """The hull of `points` (N, 3) with at most `most` corners, `most` ≥ 4. Where there are more, it begins with those farthest
    out along the axes and takes the one that lies farthest outside, again and again; with `cover` it is then grown from its
    middle until nothing is outside.
    """
    corners, faces = hull_of(points)
    if len(corners) > most:
        every = corners
        corners, faces = _fewer(every, most)
        if cover:
            corners = _covering(corners, faces, every)
    middle = (corners.min(axis=0) + corners.max(axis=0)) / 2
    return Body("hull", middle, np.eye(3), points=corners - middle, faces=faces)


def _fewer(every: F64, most: int) -> tuple[F64, U32]:
    """A hull with at most `most` of the corners `every` (V, 3)."""
    some = _four(every)
    corners, faces = hull_of(every[some])
    while len(corners) < most:
        normals, heights = planes_of(corners, faces)
        out = (every @ normals.T - heights).max(axis=1)
        far = int(np.argmax(out))
        if out[far] <= 1e-12 * np.abs(every).max() or far in some:
            break
        some.append(far)
        corners, faces = hull_of(every[some])
    return corners, faces


def _four(p: F64) -> list[int]:
    """Four corners that span room: the ends of the longest way, the farthest from that line, the farthest from that plane."""
    first = int(np.argmax(np.linalg.norm(p - p.mean(axis=0), axis=1)))
    second = int(np.argmax(np.linalg.norm(p - p[first], axis=1)))
    way = p[second] - p[first]
    third = int(np.argmax(np.linalg.norm(np.cross(p - p[first], way), axis=1)))
    upright = np.cross(way, p[third] - p[first])
    return [first, second, third, int(np.argmax(np.abs((p - p[first]) @ upright)))]


def _covering(corners: F64, faces: U32, points: F64) -> F64:
    middle = corners.mean(axis=0)
    normals, heights = planes_of(corners - middle, faces)
    share = ((points - middle) @ normals.T / np.maximum(heights, 1e-300)).max()
    return middle + (corners - middle) * max(float(share), 1.0) * (1 + 1e-12)


def _three(v: F64) -> tuple[float, float, float]:
    return float(v[0]), float(v[1]), float(v[2])
