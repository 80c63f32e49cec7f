"""Faces of things of a level where they stand, a mesh at a time; and things with other faces than their mesh has."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from customs.changes.primitives import without_empty_meshes
from customs.geometry.triangles import triangles_of
from customs.grounds.leaving import left_out
from customs.grounds.things import Ints, Mask, Things, thing_key, things_of
from customs.scene.copies import keys_apart
from customs.scene.folding import as_nodes, shown_times
from customs.scene.key import made_key
from customs.scene.model import Primitive, Scene

F64 = npt.NDArray[np.float64]
AT_ONCE = 2_000_000
"""Vertices that are looked at in one go."""


@dataclass(frozen=True, eq=False)
class Faces:
    """One primitive of a mesh as T things show it: `points` (T, V, 3) metres, `faces` (F, 3)."""

    things: Ints
    number: int
    points: F64
    faces: npt.NDArray[np.uint32]


def faces_standing(scene: Scene, things: Things, which: Mask) -> Iterator[Faces]:
    """Triangles of the things (T,) `which`, no more of one mesh at a time than AT_ONCE vertices."""
    at = np.flatnonzero(which & (things.mesh >= 0))
    order = at[np.argsort(things.mesh[at], kind="stable")]
    meshes, starts = np.unique(things.mesh[order], return_index=True)
    for m, rows in zip(meshes.tolist(), np.split(order, starts[1:])):
        for number, prim in enumerate(scene.meshes[m].primitives):
            faces = triangles_of(prim)
            if not len(faces):
                continue
            points = prim.positions.astype(np.float64)
            for part in np.array_split(rows, max(1, len(rows) * len(points) // AT_ONCE)):
                turn = things.matrices[part]
                with np.errstate(invalid="ignore", over="ignore"):
                    stand = np.einsum("nij,vj->nvi", turn[:, :, :3], points) + turn[:, None, :, 3]
                yield Faces(part, number, stand, faces)


Parts = Mapping[int, Mapping[int, Primitive | None]]
"""By the number of a thing and of a primitive of its mesh: what it is instead, or None where nothing of it is left."""


def with_own_faces(scene: Scene, parts: Parts, gone: Mask, step: str) -> Scene:
    """The scene with other primitives of some things, each on a mesh of its own where others show the same, and without the things (T,) that
    are `gone`.
    """
    things = things_of(scene)
    keys = {t: thing_key(scene, things, t) for t in parts}
    out = left_out(scene, things, gone)
    if not parts:
        return out
    rows = {k.ordinal for t, k in keys.items() if t >= len(things.nodes)}
    out = as_nodes(out, np.isin(out.placements.ordinals, list(rows))) if rows else out
    at = {n.key: i for i, n in enumerate(out.nodes)}
    times, nodes, meshes = shown_times(out), list(out.nodes), list(out.meshes)
    for t, new in parts.items():
        n = at[keys[t]]
        m = nodes[n].mesh
        assert m is not None
        mesh = meshes[m]
        prims = (new.get(k, p) for k, p in enumerate(mesh.primitives))
        changed = replace(mesh, primitives=tuple(p for p in prims if p is not None))
        if times[m] > 1:
            key = made_key(mesh.key, step, nodes[n].key.part)
            changed = replace(
                changed,
                key=key,
                name=f"{mesh.name}_{nodes[n].key.ordinal}",
                made_from=(mesh.key, *mesh.made_from),
            )
            nodes[n] = replace(nodes[n], mesh=len(meshes))
            meshes.append(changed)
        else:
            meshes[m] = changed
    return keys_apart(without_empty_meshes(replace(out, nodes=tuple(nodes), meshes=tuple(meshes))))
