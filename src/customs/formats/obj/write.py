"""A scene as OBJ and MTL: world positions, a group a node, `usemtl` a primitive."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from pydantic import Field

from customs.formats.obj.mtl import mtl_text
from customs.formats.registry import Parts, WriteOptions
from customs.formats.text_lines import decimals_for, format_integers, format_rows
from customs.geometry.triangles import flat_indices, triangles_of
from customs.geometry.weld import unique_rows
from customs.scene.folding import unfolded
from customs.scene.model import Primitive, Scene
from customs.scene.prune import prune
from customs.scene.settings import Settings
from customs.scene.transforms import apply_affine, inverse, unit_rows
from customs.scene.tree import mesh_nodes, world_matrices
from customs.surface.colour import to_srgb

TEXCOORD_DECIMALS, NORMAL_DECIMALS = 7, 6


@dataclass
class _Text:
    """Lines so far, and how many v, vt and vn stand in them."""

    parts: Parts = field(default_factory=list)
    v: int = 0
    vt: int = 0
    vn: int = 0
    decimals: int | None = None


class ObjForm(Settings):
    """How numbers are written."""

    decimals: int | None = Field(
        default=None, ge=3, le=9, description="decimals of positions; by their size where it is not said"
    )


def files_of(scene: Scene) -> tuple[str, ...]:
    """A library only where there are materials."""
    return (".obj", ".mtl") if scene.materials else (".obj",)


def write_obj(scene: Scene, options: WriteOptions) -> dict[str, Parts]:
    """`{".obj": …, ".mtl": …}` (no library without materials). Numbers are the scene's own, V as the scene
    has it.
    """
    scene = unfolded(prune(scene))
    out = _Text(
        [b"# Customs\n"],
        decimals=options.settings.decimals if isinstance(options.settings, ObjForm) else None,
    )
    if scene.materials:
        out.parts.append(f"mtllib {options.stem}.mtl\n".encode())
    world = world_matrices(scene)
    for n in mesh_nodes(scene):
        node = scene.nodes[n]
        out.parts.append(f"o {node.name}\n".encode())
        for prim in scene.meshes[node.mesh or 0].primitives:
            _primitive(prim, world[n], scene, out)
    files = {".obj": out.parts}
    if scene.materials:
        files[".mtl"] = [mtl_text(scene.materials, options.image_path)]
    return files


def _primitive(prim: Primitive, m: np.ndarray, scene: Scene, out: _Text) -> None:
    points = prim.positions if np.array_equal(m, np.eye(4)) else apply_affine(m, prim.positions)
    first, place = unique_rows([points])
    columns, decimals = [points[first]], decimals_for(points) if out.decimals is None else out.decimals
    if prim.colours:
        columns.append(to_srgb(np.clip(prim.colours[0][first, :3], 0, 1)))
        decimals = max(decimals, 4)
    out.parts.append(format_rows(b"v", np.concatenate(columns, axis=1), decimals))
    if prim.texcoords:
        out.parts.append(format_rows(b"vt", prim.texcoords[0], TEXCOORD_DECIMALS))
    if prim.normals is not None:
        turn = inverse(m[:3, :3]).T
        normals = prim.normals if np.array_equal(turn, np.eye(3)) else unit_rows(prim.normals @ turn.T)
        out.parts.append(format_rows(b"vn", normals, NORMAL_DECIMALS))
    if prim.material is not None:
        out.parts.append(f"usemtl {scene.materials[prim.material].name}\n".encode())
    faces = triangles_of(prim)
    if len(faces):
        out.parts.append(_faces(faces, place, bool(prim.texcoords), prim.normals is not None, out))
    elif prim.mode in ("lines", "points"):
        flat = flat_indices(prim)
        width = 2 if prim.mode == "lines" else 1
        rows = place[flat].reshape(-1, width) + np.uint32(1 + out.v)
        out.parts.append(format_integers(b"l" if width == 2 else b"p", rows, b"/", 1))
    out.v += len(first)
    out.vt += len(prim.positions) if prim.texcoords else 0
    out.vn += len(prim.positions) if prim.normals is not None else 0


def _faces(faces: np.ndarray, place: np.ndarray, uv: bool, normal: bool, out: _Text) -> bytes:
    flat = faces.reshape(-1).astype(np.int64)
    columns = [place[flat].astype(np.int64) + 1 + out.v]
    if uv:
        columns.append(flat + 1 + out.vt)
    if normal:
        columns.append(flat + 1 + out.vn)
    rows = np.stack(columns, axis=1).reshape(len(faces), -1)
    return format_integers(b"f", rows, b"//" if normal and not uv else b"/", len(columns))
