"""Parts to joints: a hierarchy of rigid parts with pivots becomes a skeleton, each part full of its own
joint.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from customs.changes.clips import following
from customs.changes.emptying import rigged_nodes
from customs.changes.moving import moved_primitive
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.copies import keys_apart
from customs.scene.key import Key, made_key
from customs.scene.model import Mesh, Node, Primitive, Remark, Scene, Skin
from customs.scene.old_keys import old_key
from customs.scene.prune import prune
from customs.scene.settings import Settings
from customs.scene.transforms import inverse
from customs.scene.tree import mesh_nodes, parents, walk, world_matrices
from customs.words import many


class Rigid(Settings):
    """What the skeleton is called."""

    name: str = Field(default="parts", min_length=1, max_length=64, description="name of the skin made")


def _joints(scene: Scene, parts: list[int]) -> list[int]:
    """Parts and the nodes between them, parents first."""
    above, kept = parents(scene), set[int]()
    for n in parts:
        while n >= 0 and n not in kept:
            kept.add(n)
            n = above[n]
    return [n for n, _, _ in walk(scene) if n in kept]


def _part(mesh: Mesh, world: np.ndarray, joint: int, key: Key) -> Mesh:
    def change(prim: Primitive) -> Primitive:
        count = len(prim.positions)
        weights = np.zeros((count, 4), np.float32)
        weights[:, 0] = 1
        joints = np.zeros((count, 4), np.uint16)
        joints[:, 0] = joint
        placed = moved_primitive(prim, world)
        return replace(placed, joints=frozen(joints, np.uint16), weights=frozen(weights))

    return replace(
        mesh,
        key=key,
        primitives=tuple(change(p) for p in mesh.primitives),
        made_from=(mesh.key, *mesh.made_from),
    )


def _apply(scene: Scene, settings: Rigid, resources: Content, job: Job) -> Outcome:
    parts = [n for n in mesh_nodes(scene) if scene.nodes[n].skin is None]
    hung = _hung(scene, parts)
    moving = rigged_nodes(scene)
    # Beside a skeleton, only what a clip moves becomes one too: what stands still stays a mesh of its own.
    free = [n for n in parts if n not in hung and (n in moving or not scene.skins)]
    if not hung and not free:
        return Outcome(scene)
    joints, skin = _skin_of(scene, settings.name, free) if free else ({}, None)
    number = len(scene.skins)
    world = world_matrices(scene)
    work = _Work(scene)
    for n in (*hung, *free):
        job.check()
        at, joint, bind = hung[n] if n in hung else (number, joints[n], world[n])
        work.take(n, at, joint, bind)
    remarks = []
    if hung:
        remarks.append(Remark(f"{many(len(hung), 'mesh')} that hung on joints joined the skin"))
    if free:
        remarks.append(Remark(f"{many(len(free), 'part')} → {many(len(joints), 'joint')}"))
    out = work.done((*scene.skins, skin) if skin is not None else scene.skins)
    return Outcome(keys_apart(prune(out, near=True) if scene.skins else out), tuple(remarks))


def _skin_of(scene: Scene, name: str, parts: list[int]) -> tuple[dict[int, int], Skin]:
    """(joint number by node, the skin) for parts that become joints, with the nodes between them."""
    order, world, above = _joints(scene, parts), world_matrices(scene), parents(scene)
    binds = frozen(np.stack([inverse(world[n]) for n in order]), np.float64)
    tops = [n for n in order if above[n] < 0]
    key = made_key(
        scene.nodes[order[0]].key, "rigid", "skin", old_key(scene.digest, "skin", "rigid", len(scene.skins))
    )
    skin = Skin(key, name, tuple(order), binds, tops[0] if len(tops) == 1 else None)
    return {n: k for k, n in enumerate(order)}, skin


def _hung(scene: Scene, parts: list[int]) -> dict[int, tuple[int, int, np.ndarray]]:
    """Parts of a rigged asset that hang on a joint: its skin, its number there, and the way into the space of
    that skin.
    """
    above, world = parents(scene), world_matrices(scene)
    owner = {
        j: (s, k) for s, skin in reversed(list(enumerate(scene.skins))) for k, j in enumerate(skin.joints)
    }
    out: dict[int, tuple[int, int, np.ndarray]] = {}
    for n in parts:
        up = n
        while up >= 0 and up not in owner:
            up = above[up]
        if up >= 0:
            skin, k = owner[up]
            # Into the space the skin was bound in: where the joint takes it from there, it stands as it does
            # now.
            out[n] = (skin, k, inverse(world[up] @ scene.skins[skin].inverse_bind[k]) @ world[n])
    return out


class _Work:
    """A scene whose parts leave their nodes, one after another, for nodes with a skin."""

    def __init__(self, scene: Scene) -> None:
        self.scene = scene
        self.nodes, self.meshes, self.roots = list(scene.nodes), list(scene.meshes), list(scene.roots)
        self.went: dict[int, int] = {}

    def take(self, n: int, skin: int, joint: int, bind: np.ndarray) -> None:
        """The mesh of node `n` goes through `bind` (4, 4) and is full of joint number `joint` of `skin`."""
        node, digest = self.nodes[n], self.scene.digest
        assert node.mesh is not None
        mesh = self.scene.meshes[node.mesh]
        key = made_key(mesh.key, "rigid", node.key.part, old_key(digest, "mesh", "rigid", n))
        self.meshes.append(_part(mesh, bind, joint, key))
        self.nodes[n] = replace(node, mesh=None, weights=None)
        self.went[n] = len(self.nodes)
        self.roots.append(self.went[n])
        self.nodes.append(
            Node(
                made_key(node.key, "rigid", old=old_key(digest, "node", "rigid", n)),
                f"{node.name} part",
                mesh=len(self.meshes) - 1,
                skin=skin,
                weights=node.weights,
                made_from=(node.key, *node.made_from),
            )
        )

    def done(self, skins: tuple[Skin, ...]) -> Scene:
        """The scene with its parts on skins; clips of morph weights follow them."""
        clips = following(self.scene.clips, self.went)
        return replace(
            self.scene,
            nodes=tuple(self.nodes),
            meshes=tuple(self.meshes),
            roots=tuple(self.roots),
            skins=skins,
            clips=clips,
        )


register(
    Step(
        id="rigid",
        name="Parts to joints",
        desk="motion",
        order=25,
        about="Makes a skeleton of a hierarchy of rigid parts with pivots.",
        settings=Rigid,
        apply=_apply,
        summary=lambda s: "a joint a part",
    )
)
