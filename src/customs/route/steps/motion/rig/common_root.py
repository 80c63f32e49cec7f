"""Common root: one node over the joints of a skin that stand side by side."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar

import numpy as np
from pydantic import Field

from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.key import made_key
from customs.scene.model import Node, Remark, Scene
from customs.scene.old_keys import old_key
from customs.scene.settings import Settings
from customs.scene.transforms import inverse
from customs.scene.tree import parents, world_matrices


class CommonRoot(Settings):
    """What the node is called."""

    stays: ClassVar = ("whole",)
    name: str = Field(
        default="root", min_length=1, max_length=64, description="name of the node put over them"
    )
    whole: bool = Field(
        default=False, description="over all skeletons of the asset, as a joint of each of their skins"
    )


def joint_roots(scene: Scene, skin: int) -> list[int]:
    """The roots of the scene that joints of a skin hang under, in the scene's order."""
    above = parents(scene)

    def top(n: int) -> int:
        while above[n] >= 0:
            n = above[n]
        return n

    found = {top(j) for j in scene.skins[skin].joints}
    return [r for r in scene.roots if r in found]


def _over_all(scene: Scene, name: str) -> Outcome:
    """One joint over all skeletons: the node they hang under already, or a new one at the origin. Nothing
    moves.
    """
    used = sorted({n.skin for n in scene.nodes if n.mesh is not None and n.skin is not None})
    roots = [r for r in scene.roots if any(r in joint_roots(scene, k) for k in used)]
    joints = {j for k in used for j in scene.skins[k].joints}
    if not roots:
        return Outcome(scene)
    if len(roots) == 1 and roots[0] not in joints:
        at, nodes, tops = roots[0], scene.nodes, scene.roots
    else:
        at = len(scene.nodes)
        key = made_key(
            scene.nodes[roots[0]].key,
            "common-root",
            "all",
            old_key(scene.digest, "node", "common-root", len(scene.skins)),
        )
        nodes = (*scene.nodes, Node(key, name, children=tuple(roots)))
        tops = tuple(at if r == roots[0] else r for r in scene.roots if r == roots[0] or r not in roots)
    back = inverse(world_matrices(replace(scene, nodes=nodes, roots=tops))[at])
    skins = tuple(
        replace(
            s,
            joints=(*s.joints, at),
            inverse_bind=frozen(np.concatenate([s.inverse_bind, back[None]]), np.float64),
            root=at,
        )
        if k in used and at not in s.joints
        else s
        for k, s in enumerate(scene.skins)
    )
    remark = Remark(f"{nodes[at].name} is the joint over all skeletons now", nodes[at].key)
    return Outcome(replace(scene, nodes=nodes, roots=tops, skins=skins), (remark,))


def _apply(scene: Scene, settings: CommonRoot, resources: Content, job: Job) -> Outcome:
    if settings.whole:
        return _over_all(scene, settings.name)
    out, remarks = scene, list[Remark]()
    for skin in sorted({n.skin for n in scene.nodes if n.mesh is not None and n.skin is not None}):
        job.check()
        apart = joint_roots(out, skin)
        if len(apart) < 2:
            continue
        names = ", ".join(out.nodes[r].name for r in apart[:6])
        key = made_key(
            out.skins[skin].key, "common-root", old=old_key(out.digest, "node", "common-root", skin)
        )
        node = Node(key, settings.name, children=tuple(apart))
        new = len(out.nodes)
        # The node stands where the first of them stood in the order of the scene, and at the origin: nothing
        # moves.
        roots = tuple(new if r == apart[0] else r for r in out.roots if r == apart[0] or r not in apart)
        skins = tuple(replace(s, root=new) if i == skin else s for i, s in enumerate(out.skins))
        out = replace(out, nodes=(*out.nodes, node), roots=roots, skins=skins)
        remarks.append(Remark(f"{names} stand under {settings.name} now", node.key))
    return Outcome(out, tuple(remarks))


register(
    Step(
        id="common-root",
        name="Common root",
        desk="motion",
        order=28,
        about="Puts one node over the joints of a skin that stand side by side.",
        settings=CommonRoot,
        apply=_apply,
        summary=lambda s: s.name[:18],
    )
)
