"""Faces of a level nobody is to see: those with textures for tools, those between solids that touch."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from customs.changes.primitives import drop_unused_vertices, with_faces, without_empty_meshes
from customs.geometry.abutting import covered
from customs.geometry.triangles import triangles_of
from customs.grounds.kinds import words_in
from customs.grounds.rules import TOOLS
from customs.scene.model import Mesh, Scene
from customs.scene.prune import prune_content

TOOL_WORDS = tuple(sorted(TOOLS | {"nodraw", "invisible", "hint", "skip", "origin", "caulk", "null"}))
"""Words in the names of textures that only tools see (common practice)."""


def named(scene: Scene, words: Iterable[str]) -> list[int]:
    """Materials whose name has one of the words."""
    wanted = frozenset(w.lower() for w in words)
    return [k for k, m in enumerate(scene.materials) if words_in(m.name) & wanted]


def tool_faces(scene: Scene, words: Iterable[str]) -> int:
    """How many triangles have materials of tools beside others in their mesh: whole meshes of them are told by their kind."""
    tools = set(named(scene, words))
    return sum(
        len(triangles_of(p))
        for m in scene.meshes
        if _mixed(m, tools)
        for p in m.primitives
        if p.material in tools
    )


def _mixed(mesh: Mesh, tools: set[int]) -> bool:
    marked = [p.material in tools for p in mesh.primitives]
    return any(marked) and not all(marked)


def without_tools(scene: Scene, words: Iterable[str]) -> tuple[Scene, int]:
    """(the scene without faces of tools, how many triangles went). Materials nobody uses any more go too."""
    tools, gone, meshes = set(named(scene, words)), 0, list(scene.meshes)
    for k, mesh in enumerate(meshes):
        out = [p for p in mesh.primitives if p.material in tools]
        if out:
            gone += sum(len(triangles_of(p)) for p in out)
            meshes[k] = replace(mesh, primitives=tuple(p for p in mesh.primitives if p.material not in tools))
    if not gone:
        return scene, 0
    return prune_content(without_empty_meshes(replace(scene, meshes=tuple(meshes))), near=True), gone


def without_covered(mesh: Mesh, near: float) -> tuple[Mesh, int]:
    """(the mesh without triangles that lie against others of it which look the other way, how many went)."""
    parts = [
        k
        for k, p in enumerate(mesh.primitives)
        if p.mode == "triangles" and not p.targets and len(triangles_of(p))
    ]
    if not parts:
        return mesh, 0
    prims = list(mesh.primitives)
    points = [prims[k].positions.astype(np.float64) for k in parts]
    faces = [triangles_of(prims[k]).astype(np.intp) for k in parts]
    begins = np.cumsum([0, *map(len, points)])
    lies = covered(np.concatenate(points), np.concatenate([f + b for f, b in zip(faces, begins)]), near)
    at = 0
    for k, own in zip(parts, faces):
        stays: npt.NDArray[np.bool_] = ~lies[at : at + len(own)]
        at += len(own)
        if not stays.all():
            prims[k] = drop_unused_vertices(with_faces(prims[k], own[stays].astype(np.uint32), stays))
    left = tuple(p for p in prims if p.mode != "triangles" or len(triangles_of(p)))
    return (replace(mesh, primitives=left), int(lies.sum())) if lies.any() else (mesh, 0)
