"""Parts to joints: a hierarchy of rigid parts with pivots becomes a skeleton, each part full of its own joint."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from customs.conventions.convert import reversed_faces
from customs.motion.still import still_normals
from customs.route.clip_edit import following
from customs.route.step import Content, Job, Outcome, Settings, Step, register
from customs.scene.arrays import frozen
from customs.scene.key import Key
from customs.scene.model import Mesh, Node, Primitive, Remark, Scene, Skin
from customs.scene.prune import prune
from customs.scene.transforms import apply_affine
from customs.scene.tree import mesh_nodes, parents, walk, world_matrices
from customs.words import many

MADE = 3_400_000


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
    linear = world[:3, :3]
    turned = np.linalg.det(linear) < 0

    def change(p: Primitive) -> Primitive:
        count = len(p.positions)
        weights = np.zeros((count, 4), np.float32)
        weights[:, 0] = 1
        joints = np.zeros((count, 4), np.uint16)
        joints[:, 0] = joint
        placed = placed_primitive(p, world, turned)
        return replace(placed, joints=frozen(joints, np.uint16), weights=frozen(weights))

    return replace(mesh, key=key, primitives=tuple(change(p) for p in mesh.primitives), made_from=(mesh.key, *mesh.made_from))


def placed_primitive(p: Primitive, world: np.ndarray, turned: bool) -> Primitive:
    """A primitive taken into the world: `turned` also reverses its faces, for a mirrored matrix."""
    blend = np.broadcast_to(world[:3, :3], (len(p.positions), 3, 3))
    normals, tangents = still_normals(p, blend)
    targets = tuple(
        replace(
            t, positions=None if t.positions is None else frozen(t.positions @ world[:3, :3].T), normals=None, tangents=None
        )
        for t in p.targets
    )
    out = replace(p, positions=apply_affine(world, p.positions), normals=normals, tangents=tangents, targets=targets)
    return reversed_faces(out) if turned else out


def _apply(scene: Scene, settings: Rigid, resources: Content, job: Job) -> Outcome:
    parts = [n for n in mesh_nodes(scene) if scene.nodes[n].skin is None]
    if scene.skins:
        return _attached(scene, parts)
    if not parts:
        return Outcome(scene)
    order, world = _joints(scene, parts), world_matrices(scene)
    number = {n: k for k, n in enumerate(order)}
    nodes, meshes, roots = list(scene.nodes), list(scene.meshes), list(scene.roots)
    for n in parts:
        job.check()
        node = nodes[n]
        assert node.mesh is not None
        meshes.append(_part(scene.meshes[node.mesh], world[n], number[n], Key(scene.digest, "mesh", MADE + n)))
        nodes[n] = replace(node, mesh=None, weights=None)
        made = Node(Key(scene.digest, "node", MADE + n), f"{node.name} part", mesh=len(meshes) - 1, skin=0, weights=node.weights,
                    made_from=(node.key, *node.made_from))  # fmt: skip
        nodes.append(made)
        roots.append(len(nodes) - 1)
    inverse = frozen(np.stack([np.linalg.inv(world[n]) for n in order]), np.float64)
    tops = [n for n in order if parents(scene)[n] < 0]
    skin = Skin(Key(scene.digest, "skin", MADE), settings.name, tuple(order), inverse, tops[0] if len(tops) == 1 else None)
    clips = following(scene.clips, {n: len(scene.nodes) + k for k, n in enumerate(parts)})
    out = replace(scene, nodes=tuple(nodes), meshes=tuple(meshes), roots=tuple(roots), skins=(skin,), clips=clips)
    return Outcome(out, (Remark(f"{len(parts)} parts → {many(len(order), 'joint')}"),))


def _attached(scene: Scene, parts: list[int]) -> Outcome:
    """A rigged asset: meshes that hang on a joint join its skin, full of that joint."""
    above, world = parents(scene), world_matrices(scene)
    owner = {j: (s, k) for s, skin in reversed(list(enumerate(scene.skins))) for k, j in enumerate(skin.joints)}
    nodes, meshes, roots, count = list(scene.nodes), list(scene.meshes), list(scene.roots), 0
    went: dict[int, int] = {}
    for n in parts:
        up = n
        while up >= 0 and up not in owner:
            up = above[up]
        if up < 0:
            continue
        skin, k = owner[up]
        node = nodes[n]
        assert node.mesh is not None
        # Into the space the skin was bound in: where the joint takes it from there, it stands as it does now.
        bind = np.linalg.inv(world[up] @ scene.skins[skin].inverse_bind[k]) @ world[n]
        meshes.append(_part(scene.meshes[node.mesh], bind, k, Key(scene.digest, "mesh", MADE + n)))
        nodes[n] = replace(node, mesh=None, weights=None)
        key = Key(scene.digest, "node", MADE + n)
        nodes.append(
            Node(
                key,
                f"{node.name} part",
                mesh=len(meshes) - 1,
                skin=skin,
                weights=node.weights,
                made_from=(node.key, *node.made_from),
            )
        )
        roots.append(len(nodes) - 1)
        went[n] = len(nodes) - 1
        count += 1
    if not count:
        return Outcome(scene)
    clips = following(scene.clips, went)
    out = replace(scene, nodes=tuple(nodes), meshes=tuple(meshes), roots=tuple(roots), clips=clips)
    return Outcome(prune(out, near=True), (Remark(f"{many(count, 'mesh')} that hung on joints joined the skin"),))


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
