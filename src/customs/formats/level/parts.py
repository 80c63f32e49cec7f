"""What a level is made of, gathered file by file."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np
import numpy.typing as npt

from customs.levels.file import ListedLight
from customs.motion.posing.pose import morphed
from customs.scene.arrays import frozen
from customs.scene.convention import WORKING
from customs.scene.folding import as_nodes, row_parts
from customs.scene.key import Key
from customs.scene.kinds import STAND_IN, kind_notes
from customs.scene.model import Image, Light, Material, Mesh, Node, Primitive, Remark, Scene
from customs.scene.placements import NOTHING, table
from customs.scene.transforms import decompose_all
from customs.scene.tree import mesh_nodes, world_matrices
from customs.words import many

F64 = npt.NDArray[np.float64]
Words = npt.NDArray[np.object_]
EDGE = 0.5
"""Metres from the middle of a stand-in's base to its sides; it is twice as high."""
MOST_LIGHTS = 10_000


@dataclass
class Parts:
    """The level so far; rows as one array for each file."""

    digest: str
    images: list[Image] = field(default_factory=list)
    materials: list[Material] = field(default_factory=list)
    meshes: list[Mesh] = field(default_factory=list)
    of: list[npt.NDArray[np.uint32]] = field(default_factory=list)
    above: list[npt.NDArray[np.int32]] = field(default_factory=list)
    matrices: list[F64] = field(default_factory=list)
    names: list[Words] = field(default_factory=list)
    kinds: list[Words] = field(default_factory=list)
    lit: list[tuple[Node, F64]] = field(default_factory=list)
    remarks: list[Remark] = field(default_factory=list)
    known: dict[object, int] = field(default_factory=dict)
    """Places of images by their file, of materials by all they say."""

    def key(self, kind: str, number: int) -> Key:
        """A Key of the level's own."""
        return Key(self.digest, kind, number)

    def place(self, scene: Scene, name: str, where: F64, words: Words) -> None:
        """What a file shows, in the working frame, at each of its places (N, 4, 4), with what the list says of kind and label (N, 2);
        what it had besides is told.
        """
        shown, worlds = mesh_nodes(scene), world_matrices(scene)
        own = np.array([scene.nodes[n].mesh or 0 for n in shown], np.uint32) + len(self.meshes)
        self._meshes(scene)
        names = [scene.nodes[n].name for n in shown]
        if len(shown) == 1:
            self._rows(own[:1], where @ worlds[shown[0]], np.full(len(where), -1), [name], words)
        elif len(shown):
            # A file of several meshes stands as one thing, with a row for each of them below it.
            first = sum(map(len, self.of))
            self._rows(np.array([NOTHING], np.uint32), where, np.full(len(where), -1), [name], words)
            under = np.tile(np.arange(first, first + len(where)), len(shown))
            below = np.repeat(worlds[shown], len(where), axis=0)
            unlabelled = np.stack([words[:, 0], np.full(len(where), "", object)], axis=1)
            self._rows(own, below, under, names, np.tile(unlabelled, (len(shown), 1)))
        elif not scene.lights:
            self._rows(np.array([NOTHING], np.uint32), where, np.full(len(where), -1), [name], words)
        for n, node in enumerate(scene.nodes):
            if lights := tuple(h for h in node.holds if isinstance(h, Light)):
                self.lit.append((replace(node, holds=lights), where[:MOST_LIGHTS] @ worlds[n]))
                if len(where) > MOST_LIGHTS:
                    text = f"{many(len(where) - MOST_LIGHTS, 'light')} of {name} left behind: at most {MOST_LIGHTS:,} of a kind"
                    self.remarks.append(Remark(text))
        lost = ((len(scene.clips), "clip"), (len(scene.skins), "skin"), (len(scene.cameras), "camera"))
        self.remarks += [
            Remark(f"{many(n, what)} of {name} left behind: a level stands still") for n, what in lost if n
        ]

    def own_lights(self, lights: Sequence[ListedLight]) -> None:
        """Lights that a list in our own shape says itself."""
        for k, one in enumerate(lights):
            said = {"name", "kind", "colour", "intensity", "range", "inner", "outer"}
            light = Light(self.key("light", k), **one.model_dump(include=said))
            node = Node(self.key("node", 0), one.name or one.kind, holds=(light,))
            self.lit.append((node, np.array(one.matrix).reshape(1, 4, 4).transpose(0, 2, 1)))

    def stand_in(self, name: str, why: str, where: F64, words: Words) -> None:
        """A box at each place of a name whose file nobody has."""
        at = len(self.meshes)
        if not any(m.name == STAND_IN for m in self.materials):
            self.materials.append(
                Material(self.key("material", len(self.materials)), STAND_IN, base_colour=(0.5, 0.5, 0.5, 1.0),
                         metallic=0.0)
            )  # fmt: skip
        material = next(k for k, m in enumerate(self.materials) if m.name == STAND_IN)
        points, normals, faces = _box()
        prim = Primitive(
            self.key("primitive", at * 1000), points, indices=faces, normals=normals, material=material
        )
        self.meshes.append(Mesh(self.key("mesh", at), name, (prim,), extras={STAND_IN: why}))
        self._rows(np.array([at], np.uint32), where, np.full(len(where), -1), [name], words)

    def _rows(
        self, own: npt.NDArray[np.uint32], matrices: F64, above: npt.NDArray[np.int_], names: list[str], words: Words
    ) -> None:  # fmt: skip
        count = len(matrices) // len(own)
        self.of.append(np.repeat(own, count).astype(np.uint32))
        self.matrices.append(matrices[:, :3])
        self.above.append(above.astype(np.int32))
        called = np.repeat(np.array(names, object), count)
        self.names.append(np.where(words[:, 1] != "", words[:, 1], called))
        self.kinds.append(words[:, 0])

    def level(self, name: str) -> Scene:
        """The level in the working frame. What translation, rotation and scale cannot say is a node with its matrix."""
        of = np.concatenate(self.of) if self.of else np.zeros(0, np.uint32)
        matrices = np.concatenate(self.matrices) if self.matrices else np.zeros((0, 3, 4))
        above = np.concatenate(self.above) if self.above else np.zeros(0, np.int32)
        names = tuple(np.concatenate(self.names).tolist()) if self.names else ()
        rows = table(of, matrices, np.full(len(of), -1), np.arange(len(of)), names, above)
        lights = self._lights(len(of))
        scene = Scene(
            name,
            self.digest,
            nodes=lights,
            roots=tuple(range(len(lights))),
            meshes=tuple(self.meshes),
            materials=tuple(self.materials),
            images=tuple(self.images),
            placements=rows,
            convention=WORKING,
            kinds=kind_notes(np.concatenate(self.kinds) if self.kinds else np.zeros(0, object)),
            remarks=tuple(self.remarks),
        )
        sheared = row_parts(rows)[3]
        return as_nodes(scene, sheared) if sheared.any() else scene

    def _lights(self, first: int) -> tuple[Node, ...]:
        """A node for each light of each placement, with numbers after those of the rows."""
        if not self.lit:
            return ()
        places, turns, _, _ = decompose_all(np.concatenate([m for _, m in self.lit]))
        nodes = [node for node, m in self.lit for _ in range(len(m))]
        return tuple(
            Node(self.key("node", first + k), node.name, translation=p, rotation=q, holds=node.holds)
            for k, (node, p, q) in enumerate(zip(nodes, places, turns))
        )

    def _meshes(self, scene: Scene) -> None:
        """Meshes, materials and images of a file as further ones of the level; nothing moves them any more."""
        images = [self._image(im) for im in scene.images]
        materials = [self._material(m, images) for m in scene.materials]
        for m in scene.meshes:
            at = len(self.meshes)
            prims = tuple(
                self._primitive(_still(p, m), materials, at * 1000 + k) for k, p in enumerate(m.primitives)
            )
            self.meshes.append(
                replace(m, key=self.key("mesh", at), primitives=prims, weights=None, target_names=())
            )

    def _image(self, image: Image) -> int:
        """Its place; files that several pieces lean on are there once."""
        file = image.content.path if image.content is not None else None
        known = self.known.get(file) if file is not None else None
        if known is None:
            known = len(self.images)
            self.images.append(replace(image, key=self.key("image", known)))
            if file is not None:
                self.known[file] = known
        return known

    def _material(self, material: Material, images: Sequence[int]) -> int:
        """Its place; those that are alike in everything are there once."""
        uses = {r: replace(u, image=images[u.image]) for r, u in material.textures.items()}
        said = {k: v for k, v in vars(material).items() if k not in ("key", "made_from", "textures")}
        alike = repr((said, [(r, {**vars(u), "extras": dict(u.extras)}) for r, u in sorted(uses.items())]))
        known = self.known.get(alike)
        if known is None:
            known = self.known[alike] = len(self.materials)
            self.materials.append(replace(material, key=self.key("material", known), textures=uses))
        return known

    def _primitive(self, prim: Primitive, materials: Sequence[int], number: int) -> Primitive:
        return replace(
            prim,
            key=self.key("primitive", number),
            material=None if prim.material is None else materials[prim.material],
            joints=None,
            weights=None,
            targets=(),
            variants=(),
        )


def _still(prim: Primitive, mesh: Mesh) -> Primitive:
    """A primitive as its mesh stands at rest: a level does not move."""
    moved = bool(prim.targets) and mesh.weights is not None and bool(mesh.weights.any())
    return replace(prim, positions=frozen(morphed(prim, mesh.weights))) if moved else prim


def _box() -> tuple[npt.NDArray[np.float32], npt.NDArray[np.float32], npt.NDArray[np.uint32]]:
    """Corners (24, 3), normals (24, 3) and indices (36,) of a box that stands on its base's middle."""
    axes, signs = np.repeat(np.arange(3), 2), np.tile([1.0, -1.0], 3)
    normals = np.zeros((6, 3))
    normals[np.arange(6), axes] = signs
    u, v = np.roll(normals, 1, axis=1), np.roll(normals, 2, axis=1) * signs[:, None]
    corner = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
    points = normals[:, None] + corner[None, :, :1] * u[:, None] + corner[None, :, 1:] * v[:, None]
    points = (points.reshape(-1, 3) + [0, 1, 0]) * EDGE
    quad = np.array([0, 1, 2, 0, 2, 3])
    faces = (np.arange(6)[:, None] * 4 + quad).reshape(-1)
    return (
        frozen(points, np.float32),
        frozen(np.repeat(normals, 4, axis=0), np.float32),
        frozen(faces, np.uint32),
    )
