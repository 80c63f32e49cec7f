"""Faces that glow, as lights: power from their area and strength, merged by neighbourhood, the strongest kept.

A face of luminance L and area A sends Φ = π·L·A (Lambert's law). As a light in all directions that is I = Φ / 4π = L·A / 4
candela; faces that all look one way are a spot over the half space with I = L·A along their normal.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from customs.geometry.shells import shells
from customs.geometry.triangles import face_vectors, triangles_of
from customs.geometry.weld import groups_of_rows
from customs.grounds.faces import named
from customs.grounds.things import things_of
from customs.scene.model import Material, Primitive, Scene
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


def glowing(scene: Scene, nits: float, near: float, most: int, known: Iterable[str] = ()) -> Glows:
    """Lights of all faces that glow; 1 of emissive is `nits` cd/m², those within cells of `near` metres are one, the strongest `most`
    stay. Materials with one of the words `known` in their name glow in their own colour, whatever they say.
    """
    lit = set(named(scene, known))
    things = things_of(scene)
    found: list[tuple[F64, F64, F64, F64]] = []
    for m in np.unique(things.mesh[things.mesh >= 0]).tolist():
        at = things.matrices[things.mesh == m]
        for prim in scene.meshes[m].primitives:
            colour = (
                shine(scene, scene.materials[prim.material], prim.material in lit)
                if prim.material is not None
                else np.zeros(3)
            )
            if colour.max(initial=0.0) <= 0:
                continue
            scale = np.abs(np.linalg.det(at[:, :, :3])) ** (2 / 3)
            for middle, area, way in _parts(prim, near):
                ways = at[:, :, :3] @ way
                length = np.linalg.norm(ways, axis=1, keepdims=True)
                flat = np.linalg.norm(way) >= ONE_WAY
                ways = np.where(flat & (length > 0), ways / np.maximum(length, 1e-12), 0.0)
                power = nits * float(colour @ LUMA) * area * scale * (1.0 if flat else 0.25)
                places = at[:, :, :3] @ middle + at[:, :, 3]
                found.append((places, power, np.tile(colour / colour.max(), (len(at), 1)), ways))
    if not found:
        none = np.zeros((0, 3))
        return Glows(none, np.zeros(0), none, none, 0)
    places, power, colours, ways = (np.concatenate([f[k] for f in found]) for k in range(4))
    return _strongest(_merged(places, power, colours, ways, near), most, len(power))


def shine(scene: Scene, material: Material, known: bool = False) -> F64:
    """(3,) linear emissive of a material, its texture's mean taken in; of one `known` to glow that says nothing, its colour."""
    if known and max(material.emissive) <= 0:
        own = np.array(material.base_colour[:3], dtype=np.float64)
        use = material.textures.get("base_colour")
        mean = mean_linear(scene.images[use.image]) if use is not None else None
        return own if mean is None else own * mean
    out = np.array(material.emissive, dtype=np.float64) * material.emissive_strength
    use = material.textures.get("emissive")
    if use is not None and out.max() > 0:
        mean = mean_linear(scene.images[use.image])
        out = out if mean is None else out * mean
    return out


def _parts(prim: Primitive, near: float) -> list[tuple[F64, float, F64]]:
    """(middle by area (3,), area, mean normal by area (3,)) of a primitive's faces; of one wider than `near`, of each cell of it."""
    faces, p = triangles_of(prim), prim.positions.astype(np.float64)
    normals = face_vectors(p, faces).astype(np.float64) / 2
    areas = np.linalg.norm(normals, axis=1)
    shown = np.flatnonzero(areas > 0)
    if not len(shown):
        return []
    middles = p[faces[shown]].mean(axis=1)
    cells = np.zeros((len(shown), 4), np.int64)
    if _wide(middles, near):
        # What hangs together is one light as long as it is no wider than that; a band of lamps is one in each cell.
        place = groups_of_rows(prim.positions)[faces[shown]].astype(np.uint32)
        part = shells(place).part
        low, high = np.full((part.max() + 1, 3), np.inf), np.full((part.max() + 1, 3), -np.inf)
        np.minimum.at(low, part, middles)
        np.maximum.at(high, part, middles)
        cells[:, 0] = part
        cells[:, 1:] = np.where((high - low).max(axis=1)[part, None] > near, np.floor(middles / near), 0)
    _, which, count = np.unique(cells, axis=0, return_inverse=True, return_counts=True)
    which = which.reshape(-1)
    whole = np.bincount(which, areas[shown])

    def means(values: F64) -> F64:
        return np.stack([np.bincount(which, values[:, k]) for k in range(3)], 1) / whole[:, None]

    places, ways = means(middles * areas[shown, None]), means(normals[shown])
    return [(places[k], float(whole[k]), ways[k]) for k in range(len(count))]


def _wide(points: F64, near: float) -> bool:
    return float((points.max(axis=0) - points.min(axis=0)).max()) > near


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
