"""Textures each mesh has for itself, where the destination picks them by the number of the mesh."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from customs.scene.key import made_key
from customs.scene.model import Image, Material, Mesh, Primitive, Scene


def shared_textures(scene: Scene, shown: Sequence[int]) -> list[tuple[int, int, int]]:
    """(image, node that shows it first, node that shows it too) of textures two of the nodes `shown` use, in their order."""
    first, out = dict[int, int](), list[tuple[int, int, int]]()
    for n in shown:
        for image in _images_of(scene, scene.meshes[scene.nodes[n].mesh or 0]):
            if first.setdefault(image, n) != n:
                out.append((image, first[image], n))
    return out


def _images_of(scene: Scene, mesh: Mesh) -> list[int]:
    materials = dict.fromkeys(p.material for p in mesh.primitives if p.material is not None)
    return list(dict.fromkeys(u.image for m in materials for u in scene.materials[m].textures.values()))


def with_own_textures(scene: Scene, shown: Sequence[int]) -> tuple[Scene, int]:
    """(the scene in which no two of the nodes `shown` use one texture, how many textures were copied): the first that uses one
    keeps it, later ones get copies with materials, and a mesh, of their own.
    """
    making = _Making(scene)
    for n in shown:
        making.visit(n)
    return making.done()


class _Making:
    def __init__(self, scene: Scene) -> None:
        self.scene = scene
        self.nodes, self.meshes = list(scene.nodes), list(scene.meshes)
        self.materials, self.images = list(scene.materials), list(scene.images)
        self.owner: dict[int, int] = {}

    def visit(self, n: int) -> None:
        """Give a node's mesh textures of its own, where an earlier one uses them."""
        mesh = self.scene.nodes[n].mesh or 0
        own = _images_of(self.scene, self.scene.meshes[mesh])
        foreign = {i for i in own if self.owner.setdefault(i, n) != n}
        if not foreign:
            return
        images = {i: self._image(i, n) for i in own if i in foreign}
        used = dict.fromkeys(p.material for p in self.scene.meshes[mesh].primitives if p.material is not None)
        materials = {m: self._material(m, images, n) for m in used}
        made = self._mesh(mesh, materials, n)
        self.nodes[n] = replace(self.nodes[n], mesh=made)

    def _image(self, i: int, n: int) -> int:
        old: Image = self.images[i]
        self.images.append(
            replace(old, key=made_key(old.key, "numbers", n), made_from=(*old.made_from, old.key))
        )
        return len(self.images) - 1

    def _material(self, m: int, images: dict[int, int], n: int) -> int:
        old: Material = self.materials[m]
        textures = {r: replace(u, image=images.get(u.image, u.image)) for r, u in old.textures.items()}
        if all(u.image not in images for u in old.textures.values()):
            return m
        key = made_key(old.key, "numbers", n)
        self.materials.append(replace(old, key=key, textures=textures, made_from=(*old.made_from, old.key)))
        return len(self.materials) - 1

    def _mesh(self, mesh: int, materials: dict[int, int], n: int) -> int:
        old: Mesh = self.meshes[mesh]

        def own(p: Primitive) -> Primitive:
            key = made_key(p.key, "numbers", n)
            return replace(p, key=key, material=None if p.material is None else materials[p.material])

        self.meshes.append(
            replace(
                old, key=made_key(old.key, "numbers", n), primitives=tuple(own(p) for p in old.primitives)
            )
        )
        return len(self.meshes) - 1

    def done(self) -> tuple[Scene, int]:
        """What came of it."""
        copies = len(self.images) - len(self.scene.images)
        if not copies:
            return self.scene, 0
        out = replace(
            self.scene,
            nodes=tuple(self.nodes),
            meshes=tuple(self.meshes),
            materials=tuple(self.materials),
            images=tuple(self.images),
        )
        return out, copies
