"""Copies of meshes that keep apart: every part has a Key of its own, and knows what it was made from."""

from __future__ import annotations

from dataclasses import replace

from customs.scene.key import Key, made_key
from customs.scene.model import Mesh, Primitive, Scene


def keys_apart(scene: Scene) -> Scene:
    """The scene with Keys of primitives that stand for one part each: of several meshes, the first that is
    shown keeps its.
    """
    seen: set[Key] = set()
    meshes, shown = list(scene.meshes), {n.mesh for n in scene.nodes} | set(scene.placements.meshes)
    for k in sorted(range(len(meshes)), key=lambda k: k not in shown):
        mesh = meshes[k]
        again = {id(p) for p in mesh.primitives if p.key in seen}
        meshes[k] = _renamed(mesh, again) if again else mesh
        seen.update(p.key for p in mesh.primitives)
    return (
        scene if all(a is b for a, b in zip(meshes, scene.meshes)) else replace(scene, meshes=tuple(meshes))
    )


def _renamed(mesh: Mesh, which: set[int]) -> Mesh:
    return replace(
        mesh, primitives=tuple(_parted(p, mesh.key) if id(p) in which else p for p in mesh.primitives)
    )


def _parted(prim: Primitive, mesh: Key) -> Primitive:
    was, of = prim.key.was, mesh.was
    old = Key(was.digest, f"{was.kind}.{of.kind}.{of.ordinal}", was.ordinal)
    key = made_key(prim.key, "copy", mesh.part, old)
    return replace(prim, key=key, made_from=(prim.key, *prim.made_from))
