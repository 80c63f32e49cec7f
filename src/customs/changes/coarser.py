"""A mesh with fewer triangles: its vertices, UVs, normals, skins and morph targets are those it had, fewer of them."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.changes.finite import not_finite
from customs.changes.primitives import as_triangles, drop_unused_vertices, vertex_columns, with_faces
from customs.geometry.closest import Surface
from customs.geometry.collapsing import Collapses, Tell, collapses
from customs.geometry.triangles import area, triangles_of
from customs.geometry.weld import unique_rows
from customs.scene.kept import kept, known
from customs.scene.model import Mesh, Primitive

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
U32 = npt.NDArray[np.uint32]
NORMAL, COLOUR, WEIGHT = 0.004, 0.02, 0.1
"""What a difference of one in a normal, a colour and the weights of a joint is as bad as, in lengths of the mesh (common
practice: a turned normal is seen less than a moved silhouette, a joint taken for another tears).
"""
UV = 0.5
"""What sliding a texture by a length is as bad as, against moving the surface by it."""
CODES = 4
"""Numbers that stand for the weights of all joints, and for all morph targets: far apart where those are."""
MOST = 1e6
"""Lengths of the mesh a value weighs at most."""
SAMPLES = 8_000
"""Points by which the distance between two surfaces is measured."""
HALVINGS = 8
"""Measurings by which the coarsest version within an error is found."""


@dataclass(frozen=True, eq=False)
class Coarser:
    """Any coarser version of one mesh. `parts` are its primitives as triangle lists, in order; lines and points among them
    have no faces and stay as they are.
    """

    parts: tuple[Primitive, ...]
    order: Collapses
    firsts: tuple[int, ...]
    """The first row of each part, and the number of all."""
    size: float
    """Length of the diagonal of its box."""

    def faces_after(self, steps: int) -> int:
        """Triangles after so many steps."""
        return int(self.order.left[steps - 1]) if steps else self.order.first

    def vertices_after(self, steps: int) -> int:
        """Vertices that are still used after so many steps, and those of lines and points."""
        used = np.zeros(self.firsts[-1], bool)
        used[self.order.after(steps)[0]] = True
        apart = sum(len(p.positions) for p in self.parts if not len(triangles_of(p)))
        return int(used.sum()) + apart

    def steps_for_vertices(self, most: int) -> int:
        """The fewest steps after which at most `most` vertices are used; all of them where that is not reached."""
        low, high = 0, len(self.order.left)
        while low < high:
            middle = (low + high) // 2
            low, high = (low, middle) if self.vertices_after(middle) <= most else (middle + 1, high)
        return low

    def parts_after(self, steps: int) -> tuple[Primitive, ...]:
        """The primitives after so many steps; one whose faces are all gone goes."""
        faces, which = self.order.after(steps)
        ends = np.cumsum([0, *(len(triangles_of(p)) for p in self.parts)])
        out = []
        for k, part in enumerate(self.parts):
            if not len(triangles_of(part)):
                out.append(part)
                continue
            a, b = np.searchsorted(which, ends[k : k + 2])
            if b > a:
                mine = with_faces(part, faces[a:b] - np.uint32(self.firsts[k]), which[a:b] - ends[k])
                out.append(drop_unused_vertices(mine))
        return tuple(out)


def coarser_of(mesh: Mesh, tell: Tell = lambda share, text: None, least: int = 0) -> Coarser | None:
    """The order in which `mesh` is made coarser, found once while it lives, down to `least` triangles at least; None where it
    has no triangles, or numbers that are not finite. `tell` is told how far it is, and may raise Cancelled.
    """
    if any(not_finite(p) for p in mesh.primitives):
        return None
    if not any(len(triangles_of(p)) for p in mesh.primitives):
        return None
    if least and known("coarser", mesh) is None:
        # The coarsest tenth takes a quarter of the time, and nobody asks for it.
        return kept(("coarser to", least), mesh, lambda: _found(mesh, tell, least))
    return kept("coarser", mesh, lambda: _found(mesh, tell))


def _found(mesh: Mesh, tell: Tell, least: int = 0) -> Coarser:
    parts = tuple(as_triangles(p) for p in mesh.primitives)
    sizes = [len(p.positions) if len(triangles_of(p)) else 0 for p in parts]
    firsts = np.cumsum([0, *sizes])
    solid = [(p, at) for p, at, n in zip(parts, firsts, sizes) if n]
    faces = np.concatenate([triangles_of(p) + np.uint32(at) for p, at in solid])
    points = np.concatenate([p.positions for p, _ in solid])
    group = _groups([p for p, _ in solid])
    order = collapses(points, faces, _values([p for p, _ in solid], points), group, tell, least)
    size = _reach(points)
    return Coarser(parts, order, tuple(firsts.tolist()), size)


def _groups(parts: list[Primitive]) -> U32:
    """(R,) the same number for rows of a part that are equal in all but normals and tangents."""
    out, first = [], 0
    for part in parts:
        inverse = unique_rows(vertex_columns(part, ("normals", "tangents")))[1]
        out.append(inverse + np.uint32(first))
        first += int(inverse.max()) + 1
    return np.concatenate(out)


def _values(parts: list[Primitive], points: F32) -> F32:
    """(R, K) what else the rows have, in units of the distance a difference in it is as bad as."""
    size = _reach(points)
    with np.errstate(
        over="ignore", invalid="ignore"
    ):  # what is no number, or beyond all, weighs as much as a lot
        columns = [_columns(p, size) for p in parts]
    width = {
        name: max(c[name].shape[1] if name in c else 0 for c in columns)
        for name in ("uv", "normal", "colour", "skin", "morph")
    }
    out = []
    for part, mine in zip(parts, columns):
        wide = [np.zeros((len(part.positions), w), np.float32) for w in width.values()]
        for room, name in zip(wide, width):
            if name in mine:
                room[:, : mine[name].shape[1]] = mine[name]
        out.append(np.concatenate(wide, axis=1))
    most = float(np.float32(MOST * max(size, 1e-30)))
    whole = np.concatenate(out)
    if not whole.size or np.abs(whole).max() <= most:
        return whole
    return np.nan_to_num(whole, nan=0.0, posinf=most, neginf=-most).clip(-most, most)


def _columns(prim: Primitive, size: float) -> dict[str, npt.NDArray[Any]]:
    out: dict[str, npt.NDArray[Any]] = {}
    if prim.texcoords:
        uv = prim.texcoords[0]
        room = _flat_area(uv, triangles_of(prim))
        out["uv"] = uv * (
            UV * np.sqrt(area(prim.positions, triangles_of(prim)) / room) if room > 1e-12 else 0.0
        )
    if prim.normals is not None:
        out["normal"] = prim.normals * (NORMAL * size)
    if prim.colours:
        out["colour"] = prim.colours[0] * (COLOUR * size)
    if prim.joints is not None and prim.weights is not None:
        codes = _codes(int(prim.joints.max(initial=0)) + 1)
        out["skin"] = np.einsum("vk,vkc->vc", prim.weights, codes[prim.joints]) * (WEIGHT * size)
    moved = [t.positions for t in prim.targets if t.positions is not None]
    if moved:
        # One target stands for itself.
        codes = _codes(len(moved))[:, :2] if len(moved) > 1 else np.ones((1, 1), np.float32)
        out["morph"] = np.concatenate(
            [sum(c * m for c, m in zip(codes[:, k], moved)) for k in range(codes.shape[1])], axis=1
        )
    return out


def _flat_area(uv: F32, faces: U32) -> float:
    """The area (units²) that faces cover of the plane of their UVs (V, 2), where they overlap as often as they do."""
    u, v = uv.astype(np.float64).T
    a, b, c = faces.T
    ua, va = u.take(a), v.take(a)
    turned = (u.take(b) - ua) * (v.take(c) - va) - (v.take(b) - va) * (u.take(c) - ua)
    return float(np.abs(turned).sum() / 2)


def _reach(points: npt.NDArray[Any]) -> float:
    """Length (units) of the diagonal of the box of points (V, 3)."""
    return float(np.linalg.norm(points.max(axis=0).astype(np.float64) - points.min(axis=0)))


def _codes(count: int) -> F32:
    """(count, CODES) numbers of about length one that lie apart, always the same ones. Source: random projections keep
    distances (Johnson and Lindenstrauss 1984).
    """
    out = np.random.default_rng(7).normal(size=(count, CODES))
    return (out / np.linalg.norm(out, axis=1, keepdims=True)).astype(np.float32)


class Straying:
    """How far other surfaces stray from one; what is known of that one is found once."""

    def __init__(self, fine: tuple[Primitive, ...]) -> None:
        self.points, self.faces = _soup(fine)

    @cached_property
    def surface(self) -> Surface:
        """The surface, made ready for questions."""
        return Surface(self.points, self.faces)

    def of(self, coarse: tuple[Primitive, ...]) -> float:
        """The largest distance (units) between the two, both ways, measured at their vertices and at points spread over their
        faces. 0 where either has no faces.
        """
        other = _soup(coarse)
        if not len(self.faces) or not len(other[1]):
            return 0.0
        there = Surface(*other).closest(_spread(self.points, self.faces)).distance
        back = self.surface.closest(_spread(*other)).distance
        return float(max(there.max(initial=0.0), back.max(initial=0.0)))


def sticks_out(fine: tuple[Primitive, ...], coarse: tuple[Primitive, ...]) -> float:
    """The largest distance (units) between two surfaces, as `Straying` measures it."""
    return Straying(fine).of(coarse)


def _soup(parts: tuple[Primitive, ...]) -> tuple[F64, U32]:
    solid = [p for p in parts if len(triangles_of(p))]
    if not solid:
        return np.zeros((0, 3)), np.zeros((0, 3), np.uint32)
    firsts = np.cumsum([0, *(len(p.positions) for p in solid)])
    points = np.concatenate([p.positions for p in solid]).astype(np.float64)
    return points, np.concatenate([triangles_of(p) + np.uint32(at) for p, at in zip(solid, firsts)])


def _spread(points: F64, faces: U32) -> F64:
    """Up to twice SAMPLES points: vertices that are used, and middles of faces, evenly taken."""
    used = np.unique(faces)
    used = used[:: max(1, len(used) // SAMPLES)]
    some = faces[:: max(1, len(faces) // SAMPLES)]
    return np.concatenate([points[used], points[some].mean(axis=1)])


def coarsened(mesh: Mesh, found: Coarser, steps: int) -> Mesh:
    """`mesh` after so many steps; itself where there are none."""
    return mesh if not steps else replace(mesh, primitives=found.parts_after(steps))


def steps_within(mesh: Mesh, found: Coarser, metres: float) -> int:
    """The most steps after which the surface strays by at most `metres`, as measured."""
    low, high = 0, found.order.steps_within(metres)
    at, straying = high, Straying(mesh.primitives)
    for _ in range(HALVINGS):
        if straying.of(found.parts_after(at)) <= metres:
            low = at
        else:
            high = at
        if low == high:
            break
        at = (low + high) // 2
    return low


def steps_together(
    found: dict[int, Coarser], steps: dict[int, int], times: list[int], total: int
) -> dict[int, int]:
    """Steps after which all together have at most `total` triangles, every mesh straying by about as much."""

    def sum_at(error: float) -> tuple[int, dict[int, int]]:
        at = {k: max(steps[k], c.order.steps_within(error)) for k, c in found.items()}
        return sum(times[k] * c.faces_after(at[k]) for k, c in found.items()), at

    errors = np.unique(np.concatenate([[0.0], *(c.order.errors for c in found.values())]))
    low, high = 0, len(errors) - 1
    begun, so_far = sum_at(0.0)
    if begun <= total:
        return steps
    while low < high:
        middle = (low + high) // 2
        low, high = (low, middle) if sum_at(float(errors[middle]))[0] <= total else (middle + 1, high)
    last = sum_at(float(errors[low]))[1]
    # One error stands for many steps: of those of the last one, only as many as are needed.
    count, at = sum_at(float(errors[low - 1])) if low else (begun, so_far)
    for k in sorted(
        found, key=lambda k: found[k].faces_after(at[k]) - found[k].faces_after(last[k]), reverse=True
    ):
        over = count - total
        if over <= 0:
            break
        wanted = found[k].faces_after(at[k]) - -(-over // times[k])
        now = min(max(found[k].order.steps_for(max(wanted, 0)), at[k]), last[k])
        count -= times[k] * (found[k].faces_after(at[k]) - found[k].faces_after(now))
        at[k] = now
    return at
