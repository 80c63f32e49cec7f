"""Leftovers: second skeletons, joints that move nothing and outline copies go."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar

import numpy as np
import numpy.typing as npt
from pydantic import Field

from customs.job import Job
from customs.motion.posing.pose import posed_positions
from customs.motion.rig.leftovers import idle_joints, outlines, skeletons
from customs.motion.skeleton.pairing import propose
from customs.motion.skeleton.skeleton import Skeleton, skeleton_of
from customs.motion.weights.heat import bone_segments, to_segments
from customs.motion.weights.joints import merged
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.held import holds_nothing
from customs.scene.model import Mesh, Primitive, Remark, Scene
from customs.scene.prune import prune
from customs.scene.settings import Settings
from customs.scene.transforms import inverse
from customs.scene.tree import mesh_nodes, parents, world_matrices
from customs.words import many


class Leftovers(Settings):
    """What goes."""

    stays: ClassVar = ("skeletons", "joints", "outlines")
    skeletons: bool = Field(
        default=False,
        description="skeletons beside the one that moves most; their meshes are bound to that one",
    )
    joints: bool = Field(default=False, description="joints that move nothing")
    outlines: bool = Field(default=False, description="inside-out or inflated copies of a mesh")


def _apply(scene: Scene, settings: Leftovers, resources: Content, job: Job) -> Outcome:
    out, remarks = scene, list[Remark]()
    if settings.outlines and (found := outlines(out)):
        names = ", ".join(out.nodes[n].name for n in found)
        nodes = tuple(replace(n, mesh=None, skin=None) if i in found else n for i, n in enumerate(out.nodes))
        out = prune(_without_empty(replace(out, nodes=nodes), set(found)), near=True)
        remarks.append(Remark(f"outline copies dropped: {names}"))
    job.check()
    if settings.skeletons:
        out, said = _one_skeleton(out, job)
        remarks += said
    if settings.joints and (idle := idle_joints(out)):
        remarks.append(
            Remark(
                f"{many(len(idle), 'joint')} moving nothing dropped: {', '.join(out.nodes[j].name for j in idle[:6])}"
            )
        )
        out = prune(merged(out, idle), near=True)
    return Outcome(out, tuple(remarks))


def _without_empty(scene: Scene, gone: set[int]) -> Scene:
    leaf = {n for n in gone if not scene.nodes[n].children}
    nodes = tuple(replace(n, children=tuple(c for c in n.children if c not in leaf)) for n in scene.nodes)
    return replace(scene, nodes=nodes, roots=tuple(r for r in scene.roots if r not in leaf))


def _one_skeleton(scene: Scene, job: Job) -> tuple[Scene, list[Remark]]:
    found = skeletons(scene)
    if len(found.tops) < 2:
        return scene, []
    whole = skeleton_of(scene)
    main = _under(whole, found.tops[0])
    rebound, remarks, world = list(scene.nodes), list[Remark](), world_matrices(scene)
    meshes, first = list(scene.meshes), next(k for k, s in enumerate(scene.skins) if set(s.joints) & main)
    for n in mesh_nodes(scene):
        job.check()
        node = scene.nodes[n]
        if node.skin is None or node.mesh is None or set(scene.skins[node.skin].joints) & main:
            continue
        meshes.append(_bound_to(scene, n, world, first))
        rebound[n] = replace(node, mesh=len(meshes) - 1, skin=first)
        remarks.append(
            Remark(
                f"{node.name} was bound to another skeleton; bound to {scene.nodes[found.tops[0][0]].name}'s",
                node.key,
            )
        )
    others = {j for s in scene.skins for j in s.joints} - main
    out = prune(replace(scene, nodes=tuple(rebound), meshes=tuple(meshes)), near=True)
    keys = {scene.nodes[j].key for j in others}
    gone = {i for i, n in enumerate(out.nodes) if n.key in keys}
    remarks.append(
        Remark(f"{many(len(found.tops) - 1, 'further skeleton')} dropped, {many(len(others), 'joint')}")
    )
    return prune(_dropped(out, gone), near=True), remarks


def _under(skeleton: Skeleton, tops: tuple[int, ...]) -> set[int]:
    columns = [skeleton.nodes.index(t) for t in tops]
    return {
        skeleton.nodes[i] for i in range(skeleton.count) if i in columns or skeleton.above[i, columns].any()
    }


def _dropped(scene: Scene, gone: set[int]) -> Scene:
    """Without nodes that went out of use; one with something of its own below it stays."""
    above = parents(scene)
    stay: set[int] = set()
    for i, n in enumerate(scene.nodes):
        if not holds_nothing(n) or i not in gone:
            k = i
            while k >= 0:
                stay.add(k)
                k = above[k]
    nodes = tuple(replace(n, children=tuple(c for c in n.children if c in stay)) for n in scene.nodes)
    return replace(scene, nodes=nodes, roots=tuple(r for r in scene.roots if r in stay))


def _bound_to(scene: Scene, node: int, world: npt.NDArray[np.float64], skin: int) -> Mesh:
    """The mesh as it stands, bound to another skin: joint by joint where names or shape agree, else whole to
    the nearest bone.
    """
    where = scene.nodes[node]
    mesh, old = scene.meshes[where.mesh or 0], where.skin or 0
    theirs, mine = skeleton_of(scene, (skin,)), skeleton_of(scene, (old,))
    pairs = {p.arriving: p.donor for p in propose(mine, theirs) if not p.doubtful}
    target = [theirs.names.index(pairs[n]) if n in pairs else -1 for n in mine.names]
    back = inverse(theirs.rest[0] @ scene.skins[skin].inverse_bind[0])
    starts, ends, owner = bone_segments(theirs)

    def change(prim: Primitive) -> Primitive:
        points = posed_positions(scene, node, prim, world)
        nearest = owner[to_segments(points.mean(axis=0)[None], starts, ends)[0][0].argmin()]
        local = points @ back[:3, :3].T + back[:3, 3]
        if prim.joints is None or prim.weights is None:
            return prim
        table = np.array([t if t >= 0 else nearest for t in target], dtype=np.uint16)
        return replace(prim, positions=frozen(local), joints=frozen(table[prim.joints], np.uint16))

    return replace(
        mesh, primitives=tuple(change(p) for p in mesh.primitives), made_from=(mesh.key, *mesh.made_from)
    )


register(
    Step(
        id="leftovers",
        name="Leftovers",
        desk="motion",
        order=26,
        about="Drops second skeletons, joints that move nothing and outline copies.",
        settings=Leftovers,
        apply=_apply,
        summary=lambda s: (
            ", ".join(
                w
                for w, on in (("skeletons", s.skeletons), ("joints", s.joints), ("outlines", s.outlines))
                if on
            )[:18]
            or "kept"
        ),
    )
)
