"""Another level put beside this one as a region of it: everything it has, in the same table of Keys, told apart by their numbers."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from customs.changes.naming import free_name
from customs.conventions.turn import under_all
from customs.errors import StepError
from customs.grounds.things import Mask, Things, numbers_of
from customs.scene.folding import fold
from customs.scene.held import map_held
from customs.scene.key import Key
from customs.scene.kinds import KindNotes
from customs.scene.model import Held, Material, Mesh, Node, Primitive, Scene, Skin
from customs.scene.placements import Placements

F64 = npt.NDArray[np.float64]
SPAN = 1 << 26
"""Numbers of elements each region has for itself; those of the level's own file are the first."""
MOST = 60
"""Regions that can join, so that every number fits 32 bits."""


def regions_in(scene: Scene) -> list[int]:
    """Numbers of the regions that have joined."""
    return [k for k in np.unique(_numbers(scene) // SPAN).tolist() if k]


def _numbers(scene: Scene) -> npt.NDArray[np.int64]:
    """(N,) numbers of all nodes of the level's files, then of all rows."""
    own = [n.key.ordinal if n.key.digest == scene.digest else 0 for n in scene.nodes]
    return np.concatenate([np.array(own, np.int64), scene.placements.ordinals.astype(np.int64)])


def region_of(scene: Scene, things: Things) -> npt.NDArray[np.int64]:
    """(T,) the number of the region each thing is of, 0 for the level itself."""
    return numbers_of(scene, things) // SPAN


def with_region(scene: Scene, other: Scene, place: F64, name: str) -> tuple[Scene, int]:
    """(the scene with everything of another, in the working frame, brought to `place` (4, 4), which turns and moves; the number of
    the region that is). What is repeated stays repeated. Raises StepError for one region too many, or one that is too large.
    """
    number = max(regions_in(scene), default=0) + 1
    other = fold(other)
    largest = max([n.key.ordinal for n in other.nodes] + other.placements.ordinals.tolist(), default=0)
    if number > MOST or largest >= SPAN:
        raise StepError(
            f"{name} is too much", f"{MOST} regions of {SPAN:,} things at most", "Join fewer regions."
        )
    return _Merging(scene, under_all(other, place), number * SPAN).scene(), number


class _Merging:
    """Numbers and Keys of one scene's elements as further ones of another's."""

    def __init__(self, scene: Scene, other: Scene, base: int) -> None:
        self.into, self.other, self.base = scene, other, base
        self.first = len(scene.nodes)
        self.mesh, self.material, self.image, self.skin = (
            len(part) for part in (scene.meshes, scene.materials, scene.images, scene.skins)
        )

    def key(self, key: Key) -> Key:
        """The Key of an element here."""
        return Key(self.into.digest, key.kind, self.base + key.ordinal, key.path)

    def scene(self) -> Scene:
        """Both."""
        a, b = self.into, self.other
        names = [{x.name for x in part} for part in (a.meshes, a.materials, a.images)]
        return replace(
            a,
            nodes=(*a.nodes, *map_held(map(self._node, b.nodes), self._held)),
            roots=(*a.roots, *(r + self.first for r in b.roots)),
            meshes=(*a.meshes, *(self._mesh(m, names[0]) for m in b.meshes)),
            materials=(*a.materials, *(self._material(m, names[1]) for m in b.materials)),
            images=(*a.images, *(
                replace(im, key=self.key(im.key), name=free_name(im.name, names[2]), made_from=(im.key, *im.made_from))
                for im in b.images
            )),
            skins=(*a.skins, *map(self._skin, b.skins)),
            placements=a.placements.and_(self._rows(b.placements)),
            kinds=self._kinds(a.kinds, b.kinds),
        )  # fmt: skip

    def _held(self, thing: Held) -> Held:
        return replace(thing, key=self.key(thing.key))

    def _node(self, node: Node) -> Node:
        return replace(
            node,
            key=self.key(node.key),
            children=tuple(c + self.first for c in node.children),
            mesh=None if node.mesh is None else node.mesh + self.mesh,
            skin=None if node.skin is None else node.skin + self.skin,
        )

    def _mesh(self, mesh: Mesh, names: set[str]) -> Mesh:
        return replace(
            mesh,
            key=self.key(mesh.key),
            name=free_name(mesh.name, names),
            primitives=tuple(map(self._primitive, mesh.primitives)),
            made_from=(mesh.key, *mesh.made_from),
        )

    def _primitive(self, prim: Primitive) -> Primitive:
        material = None if prim.material is None else prim.material + self.material
        return replace(
            prim,
            key=self.key(prim.key),
            material=material,
            variants=(),
            made_from=(prim.key, *prim.made_from),
        )

    def _material(self, material: Material, names: set[str]) -> Material:
        return replace(
            material,
            key=self.key(material.key),
            name=free_name(material.name, names),
            textures={r: replace(u, image=u.image + self.image) for r, u in material.textures.items()},
            made_from=(material.key, *material.made_from),
        )

    def _skin(self, skin: Skin) -> Skin:
        return replace(
            skin,
            key=self.key(skin.key),
            joints=tuple(j + self.first for j in skin.joints),
            root=None if skin.root is None else skin.root + self.first,
        )

    def _rows(self, rows: Placements) -> Placements:
        if not len(rows):
            return rows
        rows = rows.showing(lambda m: m + self.mesh)
        rows = rows.under(np.where(rows.parents < 0, -1, rows.parents + self.first))
        return rows.numbered(rows.ordinals.astype(np.int64) + self.base)

    def _kinds(self, mine: KindNotes, theirs: KindNotes) -> KindNotes:
        moved = theirs.ordinals.astype(np.int64) + self.base
        return KindNotes(
            np.concatenate([mine.ordinals, moved.astype(np.uint32)]),
            np.concatenate([mine.codes, theirs.codes + len(mine.words)]).astype(np.uint16),
            (*mine.words, *theirs.words),
            {**theirs.taught, **mine.taught},
        )


def of_region(scene: Scene, things: Things, number: int) -> Mask:
    """(T,) which things are of a region."""
    return np.asarray(region_of(scene, things) == number)


def delivered_apart(scene: Scene, number: int, name: str) -> Scene:
    """The scene with a region in a list of its own, where its destination takes lists."""
    every = _numbers(scene)
    mine = every[every // SPAN == number]
    return replace(scene, parts=scene.parts.saying(mine, np.zeros(len(mine), np.intp), (name,)))
