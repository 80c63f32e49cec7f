"""Faces that glow, as lights: power from their area and strength, merged by neighbourhood, the strongest kept.

A face of luminance L and area A sends Φ = π·L·A (Lambert's law). As a light in all directions that is I = Φ / 4π = L·A / 4
candela; faces that all look one way are a spot over the half space with I = L·A along their normal.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from customs.geometry.triangles import face_vectors, triangles_of
from customs.grounds.things import things_of
from customs.scene.model import Material, Scene
from customs.surface.means import mean_linear

F64 = npt.NDArray[np.float64]
LUMA = np.array([0.2126, 0.7152, 0.0722])
"""Of linear sRGB (IEC 61966-2-1)."""
ONE_WAY = 0.95
"""Length of the mean normal from which faces look one way."""


@dataclass(frozen=True, eq=False)
class Glows:
    """N lights: `places` (N, 3), `candela` (N,), `colours` (N, 3) linear with a largest of one, `ways` (N, 3) unit vectors, zero for
    all directions. `sources` is how many glowing things they stand for; `left` the share of the light that is not among them.
    """

    places: F64
    candela: F64
    colours: F64
    ways: F64
    sources: int
    left: float = 0.0

    def __len__(self) -> int:
        return len(self.candela)


def glowing(scene: Scene, nits: float, near: float, most: int) -> Glows:
    """Lights of all faces that glow; 1 of emissive is `nits` cd/m², those within cells of `near` metres are one, the strongest `most`
    stay.
    """
    things = things_of(scene)
    found: list[tuple[F64, F64, F64, F64]] = []
    for m in np.unique(things.mesh[things.mesh >= 0]).tolist():
        at = things.matrices[things.mesh == m]
        for prim in scene.meshes[m].primitives:
            colour = (
                shine(scene, scene.materials[prim.material]) if prim.material is not None else np.zeros(3)
            )
            if colour.max(initial=0.0) <= 0:
                continue
            middle, area, way = _faces(prim.positions, triangles_of(prim))
            scale = np.abs(np.linalg.det(at[:, :, :3])) ** (2 / 3)
            ways = at[:, :, :3] @ way
            length = np.linalg.norm(ways, axis=1, keepdims=True)
            flat = np.linalg.norm(way) >= ONE_WAY
            ways = np.where(flat & (length > 0), ways / np.maximum(length, 1e-12), 0.0)
            share = 1.0 if flat else 0.25
            power = nits * float(colour @ LUMA) * area * scale * share
            places = at[:, :, :3] @ middle + at[:, :, 3]
            found.append((places, power, np.tile(colour / colour.max(), (len(at), 1)), ways))
    if not found:
        none = np.zeros((0, 3))
        return Glows(none, np.zeros(0), none, none, 0)
    places, power, colours, ways = (np.concatenate([f[k] for f in found]) for k in range(4))
    return _strongest(_merged(places, power, colours, ways, near), most, len(power))


def shine(scene: Scene, material: Material) -> F64:
    """(3,) linear emissive of a material, its texture's mean taken in."""
    out = np.array(material.emissive, dtype=np.float64) * material.emissive_strength
    use = material.textures.get("emissive")
    if use is not None and out.max() > 0:
        mean = mean_linear(scene.images[use.image])
        out = out if mean is None else out * mean
    return out


def _faces(points: npt.NDArray[np.float32], faces: npt.NDArray[np.uint32]) -> tuple[F64, float, F64]:
    """(middle by area (3,), area, mean normal by area (3,)) of faces."""
    p = points.astype(np.float64)
    normals = face_vectors(p, faces).astype(np.float64) / 2
    areas = np.linalg.norm(normals, axis=1)
    whole = float(areas.sum())
    if whole <= 0:
        return np.zeros(3), 0.0, np.zeros(3)
    middle = (p[faces].mean(axis=1) * areas[:, None]).sum(axis=0) / whole
    return middle, whole, normals.sum(axis=0) / whole


def _merged(places: F64, power: F64, colours: F64, ways: F64, near: float) -> tuple[F64, F64, F64, F64]:
    """Those in one cell as one, in the middle by power, with their power and colour together."""
    cells = np.floor(places / near).astype(np.int64)
    _, which = np.unique(cells, axis=0, return_inverse=True)
    which = which.reshape(-1)
    total: F64 = np.bincount(which, power).astype(np.float64)

    def by_power(values: F64) -> F64:
        return (
            np.stack([np.bincount(which, power * values[:, k]) for k in range(3)], 1)
            / np.maximum(total, 1e-30)[:, None]
        )

    tint = by_power(colours)
    way = by_power(ways)
    length = np.linalg.norm(way, axis=1, keepdims=True)
    way = np.where(length >= ONE_WAY, way / np.maximum(length, 1e-12), 0.0)
    return by_power(places), total, tint / np.maximum(tint.max(axis=1, keepdims=True), 1e-30), way


def _strongest(merged: tuple[F64, F64, F64, F64], most: int, sources: int) -> Glows:
    places, power, colours, ways = merged
    order = np.argsort(-power, kind="stable")[:most]
    left = 1 - float(power[order].sum()) / max(float(power.sum()), 1e-30)
    return Glows(places[order], power[order], colours[order], ways[order], sources, max(left, 0.0))
