"""Texel density of materials: pixels of texture a metre of surface."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from customs.geometry.texcoords import face_areas, texel_density
from customs.geometry.triangles import triangles_of
from customs.scene.folding import row_worlds
from customs.scene.model import Primitive, Scene
from customs.scene.tree import mesh_nodes, world_matrices
from customs.surface.pixels import image_info

F64 = npt.NDArray[np.float64]


def shown_texture(scene: Scene, material: int | None) -> tuple[int, int, float] | None:
    """(width, height, times it repeats beside what UV says) of the colour texture of a material, else of its
    first.
    """
    if material is None:
        return None
    textures = scene.materials[material].textures
    use = textures.get("base_colour") or textures.get("diffuse") or next(iter(textures.values()), None)
    info = image_info(scene.images[use.image]) if use is not None and scene.images[use.image].there else None
    if use is None or info is None:
        return None
    return info.width, info.height, float(np.sqrt(abs(use.scale[0] * use.scale[1])))


def face_density(scene: Scene, prim: Primitive, scale: float = 1.0) -> F64 | None:
    """(F,) pixels a metre of each face; None without texture or UVs. `scale` is metres a unit of the mesh."""
    found = shown_texture(scene, prim.material)
    if found is None or not prim.texcoords:
        return None
    return texel_density(prim.positions, prim.texcoords[0], triangles_of(prim), *found) / scale


def _scales(scene: Scene) -> Iterator[tuple[int, float]]:
    """(mesh, metres a unit) of each node that shows one; once, in the middle of their scales, for a mesh that
    rows show.
    """
    world = world_matrices(scene)
    for n in mesh_nodes(scene):
        yield scene.nodes[n].mesh or 0, float(abs(np.linalg.det(world[n][:3, :3])) ** (1 / 3)) or 1.0
    sizes = np.abs(np.linalg.det(row_worlds(scene)[:, :, :3])) ** (1 / 3)
    for m, which in scene.placements.by_mesh():
        yield m, float(np.median(sizes[which])) or 1.0


def density(scene: Scene) -> dict[int, float]:
    """Median density of each textured material in use, weighted by area: pixels a metre by material index."""
    values: dict[int, list[F64]] = {}
    weights: dict[int, list[F64]] = {}
    for m, scale in _scales(scene):
        for p in scene.meshes[m].primitives:
            found = face_density(scene, p, scale)
            if found is not None and p.material is not None:
                values.setdefault(p.material, []).append(found)
                weights.setdefault(p.material, []).append(face_areas(p.positions, triangles_of(p)) * scale**2)
    return {m: _median(np.concatenate(v), np.concatenate(weights[m])) for m, v in values.items()}


def _median(values: F64, weights: F64) -> float:
    good = np.isfinite(values) & (weights > 0)
    if not good.any():
        return 0.0
    order = np.argsort(values[good])
    total = np.cumsum(weights[good][order])
    return float(values[good][order][np.searchsorted(total, total[-1] / 2)])
