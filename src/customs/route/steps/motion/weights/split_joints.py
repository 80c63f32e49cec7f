"""Split by joints: meshes cut so that none needs more joints at once than the destination takes."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from customs.changes.clips import shared
from customs.changes.primitives import drop_unused_vertices, with_faces
from customs.errors import StepError
from customs.geometry.triangles import triangles_of
from customs.job import Job
from customs.motion.weights.partition import joints_used, parts_by_joints
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.key import Key, made_key
from customs.scene.model import Node, Primitive, Remark, Scene, Skin
from customs.scene.old_keys import old_key
from customs.scene.settings import Targeted
from customs.scene.tree import mesh_nodes
from customs.words import many


class SplitJoints(Targeted):
    """The limit."""

    limit: int = Field(default=64, ge=4, le=4096, description="joints a mesh may need")


def _pieces(prim: Primitive, limit: int, name: str) -> list[Primitive]:
    if prim.joints is None or len(joints_used(prim)) <= limit:
        return [prim]
    try:
        part = parts_by_joints(prim, limit)
    except ValueError as problem:
        raise StepError(
            f"mesh {name}: {problem}",
            f"at most {limit}",
            "Add Weights with fewer influences first.",
            where="limit",
        ) from None
    faces = triangles_of(prim)
    out = []
    for k in range(int(part.max()) + 1):
        piece = drop_unused_vertices(with_faces(prim, faces[part == k], part == k))
        old = old_key(prim.key.digest, "primitive", "split-joints", prim.key.was.ordinal * 64 + k)
        out.append(
            replace(
                piece, key=made_key(prim.key, "split-joints", k, old), made_from=(prim.key, *prim.made_from)
            )
        )
    return out


def _bins(pieces: list[Primitive], limit: int) -> list[list[Primitive]]:
    """Pieces put together as far as the limit allows."""
    out: list[tuple[set[int], list[Primitive]]] = []
    for p in sorted(pieces, key=lambda p: -len(joints_used(p))):
        mine = set(joints_used(p).tolist())
        for used, group in out:
            if len(used | mine) <= limit:
                used |= mine
                group.append(p)
                break
        else:
            out.append((mine, [p]))
    return [group for _, group in out]


def _with_skin(group: list[Primitive], skin: Skin, key: Key) -> tuple[list[Primitive], Skin]:
    """The pieces and a skin of just the joints they use."""
    used = np.unique(np.concatenate([joints_used(p) for p in group]))
    at = np.zeros(len(skin.joints), np.uint16)
    at[used] = np.arange(len(used))
    moved = [
        replace(p, joints=frozen(np.where(p.weights > 0, at[p.joints], 0), np.uint16))
        for p in group
        if p.joints is not None and p.weights is not None
    ]
    new = replace(
        skin,
        key=key,
        joints=tuple(skin.joints[k] for k in used),
        inverse_bind=frozen(skin.inverse_bind[used], np.float64),
        made_from=(skin.key, *skin.made_from),
    )
    return moved, new


def _apply(scene: Scene, settings: SplitJoints, resources: Content, job: Job) -> Outcome:
    nodes, meshes, skins, roots = list(scene.nodes), list(scene.meshes), list(scene.skins), list(scene.roots)
    remarks = []
    parts = dict[int, list[int]]()
    for n in mesh_nodes(scene):
        job.check()
        node = nodes[n]
        if node.skin is None or node.mesh is None:
            continue
        mesh = scene.meshes[node.mesh]
        needed = np.unique(np.concatenate([np.zeros(0, np.intp), *(joints_used(p) for p in mesh.primitives)]))
        if not settings.takes(mesh.key, mesh.name, mesh.made_from) or len(needed) <= settings.limit:
            continue

        def key(kind: str, source: Key, k: int, n: int = n) -> Key:
            part = str(k) if kind == "node" else f"{scene.nodes[n].key.part}.{k}"
            return made_key(
                source, "split-joints", part, old_key(scene.digest, kind, "split-joints", n * 64 + k)
            )

        groups = _bins(
            [q for p in mesh.primitives for q in _pieces(p, settings.limit, mesh.name)], settings.limit
        )
        for k, group in enumerate(groups):
            pieces, skin = _with_skin(
                group, scene.skins[node.skin], key("skin", scene.skins[node.skin].key, k)
            )
            skins.append(skin)
            title = f"{mesh.name} {k + 1}"
            made_from = (mesh.key, *mesh.made_from)
            meshes.append(
                replace(
                    mesh,
                    key=key("mesh", mesh.key, k),
                    name=title,
                    primitives=tuple(pieces),
                    made_from=made_from,
                )
            )
            nodes[n] = nodes[n] if k else replace(node, mesh=len(meshes) - 1, skin=len(skins) - 1)
            if k:
                made = _other(node, key("node", node.key, k), k, len(meshes) - 1, len(skins) - 1)
                _beside(nodes, roots, n, made)
                parts.setdefault(n, []).append(len(nodes) - 1)
        remarks.append(
            Remark(
                f"{mesh.name}: {many(len(needed), 'joint')} → {many(len(groups), 'mesh')} of at most {settings.limit}",
                mesh.key,
            )
        )
    if not remarks:
        return Outcome(scene)
    out = replace(scene, nodes=tuple(nodes), meshes=tuple(meshes), skins=tuple(skins), roots=tuple(roots))
    return Outcome(replace(out, clips=shared(scene.clips, parts)), tuple(remarks))


def _other(node: Node, key: Key, k: int, mesh: int, skin: int) -> Node:
    """A node for the `k`-th part of what `node` shows."""
    made = Node(key, f"{node.name} {k + 1}", mesh=mesh, skin=skin, made_from=(node.key, *node.made_from))
    return replace(
        made,
        translation=node.translation,
        rotation=node.rotation,
        scale=node.scale,
        matrix=node.matrix,
        weights=node.weights,
    )


def _beside(nodes: list[Node], roots: list[int], n: int, made: Node) -> None:
    nodes.append(made)
    at = len(nodes) - 1
    if n in roots:
        roots.append(at)
        return
    up = next(i for i, node in enumerate(nodes) if n in node.children)
    nodes[up] = replace(nodes[up], children=(*nodes[up].children, at))


register(
    Step(
        id="split-joints",
        name="Split by joints",
        desk="motion",
        order=91,
        phase="form",
        about="Cuts meshes so that none needs more joints than the destination takes at once.",
        settings=SplitJoints,
        targets="meshes",
        apply=_apply,
        summary=lambda s: f"≤ {many(s.limit, 'joint')}",
    )
)
