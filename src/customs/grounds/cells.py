"""Small things of a level that stand near each other as one mesh."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
import numpy.typing as npt

from customs.changes.primitives import as_triangles
from customs.geometry.triangles import triangles_of
from customs.grounds.kinds import Sorted
from customs.grounds.leaving import left_out
from customs.grounds.rules import PROP
from customs.scene.arrays import frozen
from customs.scene.key import Key, made_key
from customs.scene.model import Mesh, Node, Primitive, Scene

F64 = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]
Form = tuple[int | None, bool, int, int]
"""A material, whether there are tangents, how many UV sets and colours."""


@dataclass
class _Heap:
    """Faces of one material and of one form, of all cells; `cell` (F,) of each. `columns` are positions, normals, tangents, then all
    UV sets and colours, those there are.
    """

    material: int | None
    columns: list[list[npt.NDArray[np.float32]]] = field(default_factory=list)
    faces: list[Ints] = field(default_factory=list)
    cell: list[Ints] = field(default_factory=list)
    count: int = 0


def mergeable(scene: Scene, found: Sorted, most: int) -> npt.NDArray[np.bool_]:
    """(T,) small props of at most `most` triangles whose meshes hold nothing that a joined one could not: triangles alone, no morphs."""
    plain = np.array(
        [
            all(p.mode == "triangles" and not p.targets and p.joints is None for p in m.primitives)
            for m in scene.meshes
        ],
        bool,
    )
    counts = found.things.triangles(found.meshes)
    return found.of(PROP) & np.append(plain, False)[found.things.mesh] & (counts <= most) & (counts > 0)


def merged(scene: Scene, found: Sorted, which: npt.NDArray[np.bool_], edge: float) -> tuple[Scene, int]:
    """(the scene with the things (T,) `which` as one mesh for each cell `edge` metres wide, how many meshes those are). A cell of one
    thing alone stays as it is.
    """
    things = found.things
    at = np.flatnonzero(which)
    _, cell, times = np.unique(
        np.floor(things.middle[at][:, [0, 2]] / edge).astype(np.int64),
        axis=0,
        return_inverse=True,
        return_counts=True,
    )
    cell = cell.reshape(-1)
    several = times[cell] > 1
    at, cell = at[several], cell[several]
    if not len(at):
        return scene, 0
    heaps: dict[Form, _Heap] = {}
    for m in np.unique(things.mesh[at]).tolist():
        mine = things.mesh[at] == m
        for prim in scene.meshes[m].primitives:
            form = prim.material, prim.tangents is not None, len(prim.texcoords), len(prim.colours)
            _add(heaps.setdefault(form, _Heap(prim.material)), prim, things.matrices[at[mine]], cell[mine])
    gone = np.zeros(len(things), bool)
    gone[at] = True
    base = scene.meshes[int(things.mesh[at[0]])].key
    parts: dict[int, list[Primitive]] = {}
    for number, (form, heap) in enumerate(heaps.items()):
        for c, prim in _split(heap, base, number, form):
            parts.setdefault(c, []).append(prim)
    out = left_out(scene, things, gone)
    return _with_cells(out, scene, parts, base), len(parts)


def _add(heap: _Heap, prim: Primitive, matrices: F64, cell: Ints) -> None:
    """A primitive at each of its places, in world numbers."""
    whole = as_triangles(prim)
    faces, count, v = triangles_of(whole), len(matrices), len(whole.positions)
    points = np.einsum("nij,vj->nvi", matrices[:, :, :3], whole.positions) + matrices[:, None, :, 3]
    turned = np.linalg.det(matrices[:, :, :3]) < 0
    normals = whole.normals if whole.normals is not None else np.tile(np.array([0, 1, 0], np.float32), (v, 1))
    with np.errstate(all="ignore"):
        inverse = np.linalg.inv(matrices[:, :, :3])
    columns = [points.reshape(-1, 3), _unit(np.einsum("nji,vj->nvi", inverse, normals)).reshape(-1, 3)]
    if whole.tangents is not None:
        along = _unit(np.einsum("nij,vj->nvi", matrices[:, :, :3], whole.tangents[:, :3]))
        side = np.where(turned, -1.0, 1.0)[:, None, None] * whole.tangents[None, :, 3:]
        columns.append(np.concatenate([along, side], axis=2).reshape(-1, 4))
    columns += [np.tile(values, (count, 1)) for values in (*whole.texcoords, *whole.colours)]
    every = faces[None].astype(np.intp) + (heap.count + np.arange(count) * v)[:, None, None]
    every = np.where(turned[:, None, None], every[:, :, ::-1], every)
    heap.columns.append([c.astype(np.float32) for c in columns])
    heap.faces.append(every.reshape(-1, 3))
    heap.cell.append(np.repeat(cell, len(faces)))
    heap.count += count * v


def _unit(ways: F64) -> F64:
    return ways / np.maximum(np.linalg.norm(ways, axis=2, keepdims=True), 1e-12)


def _split(heap: _Heap, base: Key, number: int, form: Form) -> list[tuple[int, Primitive]]:
    """(cell, its primitive) of one material and form."""
    _, tangents, sets, _ = form
    columns = [np.concatenate(c) for c in zip(*heap.columns)]
    faces, cell = np.concatenate(heap.faces), np.concatenate(heap.cell)
    order = np.argsort(cell, kind="stable")
    cells, starts = np.unique(cell[order], return_index=True)
    out = []
    for c, mine in zip(cells.tolist(), np.split(faces[order], starts[1:])):
        used, flat = np.unique(mine, return_inverse=True)
        points, normals, *rest = (frozen(values[used]) for values in columns)
        first = int(tangents)
        uvs = first + sets
        prim = Primitive(
            made_key(replace(base, kind="primitive"), "merge-cells", f"{c}.{number}"),
            points,
            indices=frozen(flat.reshape(-1), np.uint32),
            normals=normals,
            tangents=rest[0] if tangents else None,
            texcoords=tuple(rest[first:uvs]),
            colours=tuple(rest[uvs:]),
            material=heap.material,
        )
        out.append((c, prim))
    return out


def _with_cells(out: Scene, before: Scene, parts: dict[int, list[Primitive]], base: Key) -> Scene:
    """The scene with a node and a mesh for each cell; materials are found again by their Keys."""
    place = {m.key: k for k, m in enumerate(out.materials)}
    materials, meshes, nodes = list(out.materials), list(out.meshes), list(out.nodes)
    images = list(out.images)
    image_at = {im.key: k for k, im in enumerate(images)}
    for c, prims in sorted(parts.items()):
        mine = []
        for p in prims:
            if p.material is not None:
                material = before.materials[p.material]
                if material.key not in place:
                    for use in material.textures.values():
                        im = before.images[use.image]
                        if im.key not in image_at:
                            image_at[im.key] = len(images)
                            images.append(im)
                    uses = {
                        r: replace(u, image=image_at[before.images[u.image].key])
                        for r, u in material.textures.items()
                    }
                    place[material.key] = len(materials)
                    materials.append(replace(material, textures=uses))
                p = replace(p, material=place[material.key])
            mine.append(p)
        name = f"props_{c + 1}"
        key = made_key(replace(base, kind="mesh"), "merge-cells", c)
        nodes.append(Node(made_key(replace(base, kind="node"), "merge-cells", c), name, mesh=len(meshes)))
        meshes.append(Mesh(key, name, tuple(mine)))
    first = len(out.nodes)
    return replace(
        out,
        nodes=tuple(nodes),
        roots=(*out.roots, *range(first, len(nodes))),
        meshes=tuple(meshes),
        materials=tuple(materials),
        images=tuple(images),
    )
