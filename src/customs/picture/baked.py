"""Meshes of a level as they are sketched: all in one vertex array, each coarser and coarser, a colour for each material."""

from __future__ import annotations

import time
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from customs.geometry.triangles import face_vectors, triangles_of
from customs.picture.thin import thinned
from customs.scene.model import Material, Mesh, Scene, TextureUse
from customs.surface.means import mean_linear

F32 = npt.NDArray[np.float32]
COARSER = (4_000, 160, 24)
"""Triangles a mesh is sketched with at most: near, further off, far."""
PATIENCE = 0.05
"""Seconds a picture waits for colours of textures."""
PLAIN = (0.60, 0.60, 0.58, 1.0)
MISSING = (0.62, 0.62, 0.62)


@dataclass(frozen=True, eq=False)
class Baked:
    """`vertices` (V, 7) float32: position, normal, material; `indices` (I,) uint32; `ranges` (M, L, 2) start and count of indices of
    each mesh at each level; `radius` (M,) and `middle` (M, 3) of its ball, `shares` its colours: (materials, areas) for each mesh;
    `whole` (M,) triangles of each as it is.
    """

    vertices: F32
    indices: npt.NDArray[np.uint32]
    ranges: npt.NDArray[np.intp]
    radius: npt.NDArray[np.float64]
    middle: npt.NDArray[np.float64]
    shares: list[tuple[npt.NDArray[np.intp], npt.NDArray[np.float64]]]
    whole: npt.NDArray[np.intp]


def baked(scene: Scene) -> Baked:
    """All meshes that rows of a scene show; the others are empty. Number `len(materials)` is no material."""
    vertices, indices, shares = [np.zeros((0, 7), np.float32)], [np.zeros(0, np.uint32)], []
    count = len(scene.meshes)
    ranges = np.zeros((count, len(COARSER), 2), np.intp)
    whole = np.zeros(count, np.intp)
    radius, middle = np.zeros(count), np.zeros((count, 3))
    used, first, start = set(scene.placements.meshes), 0, 0
    for m, mesh in enumerate(scene.meshes):
        if m not in used:
            shares.append((np.zeros(0, np.intp), np.zeros(0)))
            continue
        points, faces, share = _gathered(mesh, len(scene.materials))
        shares.append(share)
        if len(points):
            low, high = points[:, :3].min(axis=0), points[:, :3].max(axis=0)
            middle[m], radius[m] = (low + high) / 2, float(np.linalg.norm(high - low)) / 2
        vertices.append(points)
        now = faces
        for level, most in enumerate(COARSER):
            if len(now) > most:
                now = thinned(points[:, :3], now, most)
            flat = (now.reshape(-1) + first).astype(np.uint32)
            indices.append(flat)
            ranges[m, level] = start, len(flat)
            start += len(flat)
        whole[m] = len(faces)
        first += len(points)
    return Baked(np.concatenate(vertices), np.concatenate(indices), ranges, radius, middle, shares, whole)


def _gathered(
    mesh: Mesh, none: int
) -> tuple[F32, npt.NDArray[np.uint32], tuple[npt.NDArray[np.intp], npt.NDArray[np.float64]]]:
    """(vertices (V, 7), faces (F, 3), (materials, areas)) of all its primitives."""
    points, faces, areas, first = [], [np.zeros((0, 3), np.uint32)], dict[int, float](), 0
    for p in mesh.primitives:
        mine = triangles_of(p)
        if not len(mine):
            continue
        rows = np.zeros((len(p.positions), 7), np.float32)
        rows[:, :3] = np.nan_to_num(p.positions)
        cross = face_vectors(rows[:, :3], mine)
        if p.normals is not None:
            rows[:, 3:6] = np.nan_to_num(p.normals)
        else:
            for k in range(3):
                np.add.at(rows[:, 3:6], mine[:, k], cross)
        material = none if p.material is None else p.material
        rows[:, 6] = material
        areas[material] = areas.get(material, 0.0) + float(np.linalg.norm(cross, axis=1).sum())
        points.append(rows)
        faces.append(mine + np.uint32(first))
        first += len(rows)
    whole = np.concatenate(points) if points else np.zeros((0, 7), np.float32)
    return whole, np.concatenate(faces), (np.array(list(areas), np.intp), np.array(list(areas.values())))


class Palette:
    """A colour (linear, with how much it covers) for each material of a scene, and one for none. Means of textures come bit by bit:
    those that are not known yet are the material's own colour.
    """

    def __init__(self, scene: Scene) -> None:
        self.colours = np.array([*(_own(m) for m in scene.materials), PLAIN], np.float32).reshape(-1, 4)
        self._waiting = [
            (k, scene.images[use.image])
            for k, m in enumerate(scene.materials)
            if (use := _base(m)) is not None
        ]

    def more(self, seconds: float = PATIENCE) -> bool:
        """Look at further textures for a while; True where colours have changed."""
        began, changed = time.monotonic(), False
        while self._waiting and time.monotonic() - began < seconds:
            k, image = self._waiting.pop()
            mean = mean_linear(image)
            self.colours[k, :3] *= MISSING if mean is None else mean
            changed = True
        return changed


def _base(material: Material) -> TextureUse | None:
    return material.textures.get("base_colour") or material.textures.get("diffuse")


def _own(material: Material) -> tuple[float, float, float, float]:
    r, g, b, a = material.diffuse if material.model == "specular_glossiness" else material.base_colour
    glow = [min(e * material.emissive_strength, 1.0) for e in material.emissive]
    return max(r, glow[0]), max(g, glow[1]), max(b, glow[2]), a if material.alpha_mode == "blend" else 1.0
