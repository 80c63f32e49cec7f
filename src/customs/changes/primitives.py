"""Shared ways of going through a scene: each returns a new Scene and shares what did not change."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from customs.geometry.triangles import triangles_of
from customs.job import Job
from customs.scene.arrays import frozen
from customs.scene.hanging import leading
from customs.scene.model import Mesh, MorphTarget, Primitive, Scene
from customs.scene.placements import NOTHING, Placements
from customs.scene.settings import Targeted

U32 = npt.NDArray[np.uint32]


def map_primitives(
    scene: Scene, settings: Targeted, job: Job, change: Callable[[Mesh, Primitive], Primitive | None]
) -> Scene:
    """`change` on every primitive of the meshes meant; None drops a primitive, a mesh left empty loses its
    nodes' use.
    """
    meshes = []
    for mesh in scene.meshes:
        job.check()
        if not settings.takes(mesh.key, mesh.name, mesh.made_from):
            meshes.append(mesh)
            continue
        new = tuple(q for q in (change(mesh, p) for p in mesh.primitives) if q is not None)
        same = len(new) == len(mesh.primitives) and all(a is b for a, b in zip(new, mesh.primitives))
        meshes.append(mesh if same else replace(mesh, primitives=new))
    if all(a is b for a, b in zip(meshes, scene.meshes)):
        return scene
    return without_empty_meshes(replace(scene, meshes=tuple(meshes)))


def without_empty_meshes(scene: Scene) -> Scene:
    """Nodes let go of meshes that have no primitive left."""
    empty = {i for i, m in enumerate(scene.meshes) if not m.primitives}
    if not empty:
        return scene
    nodes = tuple(replace(n, mesh=None, skin=None) if n.mesh in empty else n for n in scene.nodes)
    return replace(scene, nodes=nodes, placements=_without_meshes(scene.placements, empty))


def _without_meshes(rows: Placements, empty: set[int]) -> Placements:
    """Rows that show one of those meshes go; where they lead to others they stay, and show nothing."""
    gone = np.isin(rows.of, list(empty))
    if not gone.any():
        return rows
    leads = leading(rows.above, rows.shows & ~gone)
    return rows.showing(lambda shown: np.where(np.isin(shown, list(empty)), NOTHING, shown)).at(~gone | leads)


def as_triangles(prim: Primitive) -> Primitive:
    """The primitive as a triangle list; points and lines come back as they are."""
    if prim.mode == "triangles" and prim.indices is not None:
        return prim
    faces = triangles_of(prim)
    if not len(faces):
        return prim
    flat = frozen(faces.reshape(-1), np.uint32)
    return replace(prim, mode="triangles", indices=flat, sizes=None, triangulation=None)


def with_faces(
    prim: Primitive, faces: U32, kept: npt.NDArray[np.bool_] | npt.NDArray[np.int64] | None = None
) -> Primitive:
    """A triangle list with new `faces` (F, 3); `kept` says which of the old ones these are (a mask, or the number of
    each), for the source arrays.
    """
    source = None if prim.source_face is None or kept is None else frozen(prim.source_face[kept], np.uint32)
    source_prim = None if prim.source_primitive is None or kept is None else prim.source_primitive[kept]
    return replace(
        prim,
        mode="triangles",
        indices=frozen(faces.reshape(-1), np.uint32),
        sizes=None,
        triangulation=None,
        source_face=source,
        source_primitive=None if source_prim is None else frozen(source_prim, np.uint32),
    )


def take_vertices(prim: Primitive, rows: npt.NDArray[np.intp]) -> Primitive:
    """All vertex arrays at `rows` (M,); indices are left to the caller."""

    def pick(values: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
        return frozen(values.take(rows, axis=0), values.dtype)

    def maybe(values: npt.NDArray[np.float32] | None) -> npt.NDArray[np.float32] | None:
        return None if values is None else pick(values)

    return replace(
        prim,
        positions=pick(prim.positions),
        normals=maybe(prim.normals),
        tangents=maybe(prim.tangents),
        texcoords=tuple(pick(t) for t in prim.texcoords),
        colours=tuple(pick(c) for c in prim.colours),
        joints=None if prim.joints is None else frozen(prim.joints.take(rows, axis=0), np.uint16),
        weights=maybe(prim.weights),
        targets=tuple(
            MorphTarget(maybe(t.positions), maybe(t.normals), maybe(t.tangents)) for t in prim.targets
        ),
        custom={k: frozen(v.take(rows, axis=0), v.dtype) for k, v in prim.custom.items()},
    )


def vertex_columns(prim: Primitive, skip: tuple[str, ...] = ()) -> list[npt.NDArray[np.float32]]:
    """Every vertex array of a primitive as (V, D), without those named in `skip`."""
    columns = [("positions", prim.positions), ("normals", prim.normals), ("tangents", prim.tangents)]
    columns += [("texcoords", t) for t in prim.texcoords] + [("colours", c) for c in prim.colours]
    columns += [("joints", prim.joints), ("weights", prim.weights)]  # type: ignore[list-item]
    for t in prim.targets:
        columns += [("targets", t.positions), ("targets", t.normals), ("targets", t.tangents)]
    columns += [("custom", v.reshape(len(v), -1)) for v in prim.custom.values()]
    return [v for name, v in columns if v is not None and name not in skip]


def drop_unused_vertices(prim: Primitive) -> Primitive:
    """Without vertices no index refers to."""
    if prim.indices is None:
        return prim
    used = np.zeros(len(prim.positions), dtype=bool)
    used[prim.indices] = True
    if used.all():
        return prim
    rank = np.cumsum(used, dtype=np.uint32) - np.uint32(1)
    rows = np.flatnonzero(used)
    triangulation = None if prim.triangulation is None else frozen(rank[prim.triangulation], np.uint32)
    return replace(
        take_vertices(prim, rows), indices=frozen(rank[prim.indices], np.uint32), triangulation=triangulation
    )
