"""The whole surface of an asset as it stands at rest, with the colour of every place on it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from customs.geometry.triangles import triangles_of
from customs.geometry.weld import groups_of_rows
from customs.later import later
from customs.motion.posing.pose import posed_scene_points
from customs.scene.folding import unfolded
from customs.scene.model import Material, Primitive, Scene
from customs.scene.tree import mesh_nodes
from customs.surface.colour import to_srgb
from customs.surface.lay import lay_of, sampled
from customs.surface.pixels import pixels_or_none

F64 = npt.NDArray[np.float64]
F32 = npt.NDArray[np.float32]
Ints = npt.NDArray[np.int64]
sparse = later("scipy.sparse")
CLOSED, OPEN, SHEET = 0, 1, 2
BULGES = 0.5
"""Share of the least (rim)² of a flat piece of its area below which a piece is taken to bulge (ours)."""
HALF = 0.5
SLOTS = {"pbr": "base_colour", "unlit": "base_colour", "specular_glossiness": "diffuse"}


@dataclass(frozen=True, eq=False)
class Skin:
    """All triangles of an asset: `points` (V, 3) metres, `faces` (F, 3); `firsts` (P + 1,) says where those of each of P primitives begin,
    `starts` where its vertices do; `kind` (F,) is CLOSED, OPEN or SHEET by the piece a face hangs together with.
    """

    scene: Scene
    points: F64
    faces: Ints
    prims: tuple[Primitive, ...]
    firsts: Ints
    starts: Ints
    kind: npt.NDArray[np.int8]


def skin_of(scene: Scene) -> Skin:
    """Of everything an asset shows, what repeats in every place."""
    whole = unfolded(scene)
    prims = [p for n in mesh_nodes(whole) for p in whole.meshes[whole.nodes[n].mesh or 0].primitives]
    stand = posed_scene_points(whole)
    kept = [(p, x, triangles_of(p)) for p, x in zip(prims, stand) if len(triangles_of(p))]
    starts = np.cumsum([0, *(len(x) for _, x, _ in kept)])
    firsts = np.cumsum([0, *(len(f) for _, _, f in kept)])
    points = np.concatenate([np.zeros((0, 3)), *(x for _, x, _ in kept)])
    faces = np.concatenate(
        [np.zeros((0, 3), np.int64), *(f.astype(np.int64) + s for (_, _, f), s in zip(kept, starts))]
    )
    return Skin(
        whole, points, faces, tuple(p for p, _, _ in kept), firsts, starts, kinds_of_pieces(points, faces)
    )


def kinds_of_pieces(points: F64, faces: Ints) -> npt.NDArray[np.int8]:
    """(F,) of each face whether what hangs together with it is closed, open and yet holds something (a vessel without a bottom), or a sheet.

    A flat piece of area A has a rim of at least √(4πA), as a disc has (the isoperimetric inequality): what has a much shorter one bulges.
    """
    if not len(faces):
        return np.zeros(0, np.int8)
    place = groups_of_rows(points.astype(np.float32)).astype(np.int64)[faces]
    a, b = place.reshape(-1), np.roll(place, -1, axis=1).reshape(-1)
    count = int(place.max()) + 1
    graph = sparse.coo_matrix((np.ones(len(a), np.int8), (a, b)), shape=(count, count))
    piece = sparse.csgraph.connected_components(graph, directed=False)[1][place[:, 0]]
    _, back, times = np.unique(
        np.minimum(a, b) * count + np.maximum(a, b), return_inverse=True, return_counts=True
    )
    alone = (times[back.reshape(-1)] == 1) & (a != b)
    corners = points[faces]
    length = np.linalg.norm(corners - np.roll(corners, -1, axis=1), axis=2).reshape(-1)
    rim = np.bincount(np.repeat(piece, 3), np.where(alone, length, 0.0))
    area = np.bincount(
        piece,
        np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2,
    )
    kind = np.where(rim <= 0, CLOSED, np.where(rim * rim < BULGES * 4 * np.pi * area, OPEN, SHEET))
    return kind[piece].astype(np.int8)


def colours_at(
    skin: Skin, face: npt.NDArray[np.integer], shares: F64
) -> tuple[npt.NDArray[np.uint8], npt.NDArray[np.bool_]]:
    """(sRGB colours (N, 3), which are there (N,)) of places on faces (N,) by shares (N, 3) of their corners: base colour, its texture, vertex
    colours; what a material cuts out, or lets more than half of the light through, is not there.
    """
    out, there = np.ones((len(face), 3), np.float32), np.ones(len(face), bool)
    which = np.searchsorted(skin.firsts, face, side="right") - 1
    for k in np.unique(which).tolist():
        rows = np.flatnonzero(which == k)
        prim = skin.prims[k]
        corners = skin.faces[face[rows]] - skin.starts[k]
        material = skin.scene.materials[prim.material] if prim.material is not None else None
        found = _of_prim(skin.scene, prim, material, corners, shares[rows].astype(np.float32))
        out[rows] = found[:, :3]
        if material is not None and material.alpha_mode != "opaque":
            least = material.alpha_cutoff if material.alpha_mode == "mask" else HALF
            there[rows] = found[:, 3] >= least
    return np.round(np.clip(to_srgb(out), 0, 1) * 255).astype(np.uint8), there


def _of_prim(scene: Scene, prim: Primitive, material: Material | None, corners: Ints, shares: F32) -> F32:
    """(N, 4) linear colours and alpha."""
    out = np.ones((len(corners), 4), np.float32)
    if material is not None:
        slot = SLOTS[material.model]
        factor = material.base_colour if slot == "base_colour" else material.diffuse
        out *= np.array(factor, np.float32)
        use = material.textures.get(slot)
        pixels = pixels_or_none(scene.images[use.image]) if use is not None else None
        if use is not None and pixels is not None and use.texcoord < len(prim.texcoords):
            uv = np.einsum("nk,nkd->nd", shares, prim.texcoords[use.texcoord][corners]).astype(np.float64)
            m = np.array(lay_of(use).matrix).reshape(2, 3)
            tone = sampled(pixels, uv @ m[:, :2].T + m[:, 2], use.sampler, "colour")
            out[:, :3] *= tone[:, :3] if tone.shape[1] >= 3 else tone[:, :1]
            out[:, 3] *= tone[:, -1] if tone.shape[1] in (2, 4) else 1.0
    if prim.colours:
        out *= np.einsum("nk,nkd->nd", shares, prim.colours[0][corners]).astype(np.float32)
    return out
