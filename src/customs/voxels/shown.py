"""Voxels as a mesh of the sides that are seen, coloured by its vertices or by a texture of the palette."""

from __future__ import annotations

import zlib
from dataclasses import replace
from typing import Literal

import numpy as np
import numpy.typing as npt

from customs.geometry.weld import unique_rows
from customs.scene.arrays import frozen
from customs.scene.kept import kept
from customs.scene.key import Key, made_key
from customs.scene.model import Image, Material, Mesh, Node, Primitive, Sampler, Scene, TextureUse
from customs.scene.placements import NO_PLACEMENTS
from customs.scene.tree import world_matrices
from customs.scene.voxels import Voxels
from customs.surface.colour import to_linear
from customs.voxels.faces import mesh_of, rectangles

Ints = npt.NDArray[np.intp]
Colours = Literal["vertices", "texture"]
STEP = "voxels"
NEAREST, CLAMPED = 9728, 33071
"""Sampling of glTF 2.0: texels as they are, none beyond the edge."""


def as_mesh(scene: Scene, voxels: Voxels, colours: Colours = "vertices") -> Scene:
    """The scene as one mesh of the sides of cells that are seen, in the order of their colours; what it is made of stays with it (`voxels_in`)."""
    return _shown(scene, voxels, colours, _sides(voxels))


def _sides(voxels: Voxels) -> tuple[Ints, Ints, Ints, Ints]:
    """`rectangles` in the order of their colours."""
    found = rectangles(voxels.cells)
    order = np.argsort(found[3], kind="stable")
    low, size, way, colour = (x[order] for x in found)
    return low, size, way, colour


def _shown(scene: Scene, voxels: Voxels, colours: Colours, sides: tuple[Ints, Ints, Ints, Ints]) -> Scene:
    low, size, way, colour = sides
    points, normals, faces = mesh_of(low, size, way)
    # Rectangles of one colour side by side share their corners.
    first, back = unique_rows([points, normals, np.repeat(colour, 4)[:, None]])
    base = scene.meshes[0].key if scene.meshes else Key(scene.digest, "mesh", 0)

    def key(kind: str) -> Key:
        return made_key(replace(base, kind=kind), STEP)

    prim = Primitive(
        key("primitive"), frozen(voxels.low + points[first] * voxels.cell), indices=frozen(back[faces].reshape(-1), np.uint32),
        normals=frozen(normals[first]), material=0, made_from=tuple(p.key for m in scene.meshes for p in m.primitives),
    )  # fmt: skip
    material, images, of = (
        Material(key("material"), "voxels", metallic=0.0),
        tuple[Image, ...](),
        np.repeat(colour, 4)[first],
    )
    if colours == "texture":
        pixels, places = _palette_texture(voxels.palette)
        images = (
            Image(key("image"), f"{scene.name}_palette", pixels=frozen(pixels, np.uint8), space="srgb"),
        )
        sampler = Sampler(NEAREST, NEAREST, CLAMPED, CLAMPED)
        material = replace(material, textures={"base_colour": TextureUse(0, sampler=sampler)})
        prim = replace(prim, texcoords=(frozen(places[of]),))
    else:
        linear = to_linear(voxels.palette.astype(np.float32) / 255)[of]
        prim = replace(prim, colours=(frozen(np.c_[linear, np.ones(len(linear), np.float32)]),))
    mesh = Mesh(key("mesh"), scene.name, (prim,), made_from=tuple(m.key for m in scene.meshes))
    return replace(
        scene, nodes=(Node(key("node"), scene.name, mesh=0),), roots=(0,), meshes=(mesh,), materials=(material,), images=images,
        skins=(), clips=(), springs=(), variants=(), person=None, placements=NO_PLACEMENTS, voxels=replace(voxels, mark=_mark(prim)),
    )  # fmt: skip


def _palette_texture(palette: npt.NDArray[np.uint8]) -> tuple[npt.NDArray[np.uint8], npt.NDArray[np.float64]]:
    """(pixels (E, E, 3) of a square whose edge is a power of two, a texel a colour; the middles of those texels (K, 2))."""
    edge = 1 << max(0, int(np.ceil(np.log2(np.sqrt(len(palette))))))
    pixels = np.zeros((edge * edge, 3), np.uint8)
    pixels[: len(palette)] = palette
    at = np.arange(len(palette))
    return pixels.reshape(edge, edge, 3), (np.c_[at % edge, at // edge] + 0.5) / edge


def _mark(prim: Primitive) -> int:
    return kept(
        "mark of cells", prim.positions, lambda: zlib.crc32(np.ascontiguousarray(prim.positions).tobytes())
    )


def voxels_in(scene: Scene) -> Voxels | None:
    """The cells an asset in the working frame is made of; None where it is not, or was changed since."""
    if scene.voxels is None or len(scene.meshes) != 1 or len(scene.placements):
        return None
    prims, nodes = scene.meshes[0].primitives, [i for i, n in enumerate(scene.nodes) if n.mesh is not None]
    if len(prims) != 1 or len(nodes) != 1 or not np.array_equal(world_matrices(scene)[nodes[0]], np.eye(4)):
        return None
    return scene.voxels if _mark(prims[0]) == scene.voxels.mark else None


def layers_of(
    scene: Scene, voxels: Voxels, layers: int, mark_thin: bool
) -> tuple[Scene, tuple[tuple[int, int], ...]]:
    """The lowest `layers` of an asset's cells, seen into; and the ranges (start, stop) of its faces that are sides of thin parts, where they are
    to be marked.
    """
    cells = voxels.cells.copy()
    cells[:, layers:] = 0
    count, palette = len(voxels.palette), voxels.palette
    thin = voxels.thin[voxels.thin[:, 1] < layers] if mark_thin else voxels.thin[:0]
    at = tuple(thin[cells[tuple(thin.T)] > 0].T)
    # Colours of their own tell them apart from what lies beside them.
    cells[at] += count
    part = replace(voxels, cells=cells, palette=np.concatenate([palette, palette]), thin=thin)
    sides = _sides(part)
    first, every = int(np.searchsorted(sides[3], count)), len(sides[3])
    marked = ((2 * first, 2 * every),) if first < every else ()
    return _shown(scene, part, "vertices", sides), marked
