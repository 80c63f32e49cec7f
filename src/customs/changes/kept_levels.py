"""Levels of detail that came along as meshes of their own, taken up as levels of the finest."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from customs.changes.came_levels import AFTER, BEFORE, Family, families
from customs.changes.moving import moved_mesh
from customs.motion.posing.bounds import world_bounds
from customs.scene.key import Key
from customs.scene.levels import LAST, switches
from customs.scene.model import Channel, Mesh, Node, Primitive, Remark, Scene
from customs.scene.prune import prune_content, prune_nodes
from customs.scene.transforms import inverse
from customs.scene.tree import joint_nodes, world_matrices
from customs.words import many

F64 = npt.NDArray[np.float64]
Lists = dict[int | None, list[Key]]


class UnlikeError(Exception):
    """A family that cannot be levels of one mesh, and why."""


def levels_kept(
    scene: Scene, chosen: Collection[int], last: float = LAST
) -> tuple[Scene, tuple[Remark, ...]]:
    """The scene with the families whose finest node is one of `chosen` as levels of their finest mesh, each shown as far as
    the share of its triangles says, the last up to `last` metres; what cannot be levels stays as it is, and is said.
    """
    meshes, nodes, said = list(scene.meshes), list(scene.nodes), list[Remark]()
    gone, done = set[int](), dict[int, tuple[int, ...]]()
    box = world_bounds(scene)
    size = float(np.linalg.norm(box[1] - box[0])) if box is not None else 0.0
    for family in families(scene):
        first = family.members[0][1]
        if first not in chosen:
            continue
        try:
            coarse = _coarser(scene, family)
            m = scene.nodes[first].mesh
            assert m is not None
            _shown_alike(scene, family, m, done)
        except UnlikeError as why:
            said.append(
                Remark(f"{family.name}: its levels stay meshes of their own, {why}", nodes[first].key)
            )
            continue
        reach = (*switches(family.triangles, size), last)
        reach = (*reach[:-1], max(last, 2 * reach[-2]))
        meshes[m] = replace(scene.meshes[m], levels=coarse, reach=reach)
        nodes[first] = replace(nodes[first], name=_plain(nodes[first].name, {n.name for n in nodes}))
        gone |= {n for _, n in family.members[1:]}
        counts = " · ".join(f"{t:,}" for t in family.triangles)
        ends = ", ".join(f"{e:,.1f}" for e in reach)
        said.append(
            Remark(
                f"{family.name}: {many(len(family.members), 'level')} kept ({counts} triangles), up to {ends} m",
                nodes[first].key,
                {"levels": len(family.members)},
            )
        )
    if not gone:
        return scene, tuple(said)
    bare = tuple(replace(n, children=tuple(c for c in n.children if c not in gone)) for n in nodes)
    roots = tuple(r for r in scene.roots if r not in gone)
    out = prune_nodes(replace(scene, nodes=bare, roots=roots, meshes=tuple(meshes)))
    return prune_content(out, near=True), tuple(said)


def _plain(name: str, taken: set[str]) -> str:
    """A node's name without what says that it is a level, where nothing has that name."""
    match = BEFORE.fullmatch(name) or AFTER.fullmatch(name)
    plain = match["base"] if match is not None else ""
    return plain if plain and plain not in taken else name


def _coarser(scene: Scene, family: Family) -> tuple[Mesh, ...]:
    """The coarser meshes where the finest stands. Raises UnlikeError."""
    worlds, joints = world_matrices(scene), joint_nodes(scene)
    first = family.members[0][1]
    fine, out = scene.nodes[first], list[Mesh]()
    if fine.mesh is None:
        raise UnlikeError("they are groups of meshes")
    for (_, n), before, now in zip(family.members[1:], family.triangles, family.triangles[1:]):
        node = scene.nodes[n]
        if node.mesh is None or node.children or node.holds or n in joints:
            raise UnlikeError(f"{node.name} holds more than a mesh")
        if now >= before:
            raise UnlikeError(f"{node.name} has no fewer triangles than the one before")
        if not _moves_alike(scene, first, n):
            raise UnlikeError(f"{node.name} moves by itself")
        mesh = _bound_alike(scene, fine, node, scene.meshes[node.mesh])
        if fine.skin is None:
            mesh = moved_mesh(mesh, _between(worlds[first], worlds[n]))
        out.append(_told(scene, scene.meshes[fine.mesh], mesh, node.name))
    return tuple(out)


def _between(fine: F64, coarse: F64) -> F64:
    """(4, 4) from where a level stands to where the finest does; exactly nothing where both stand alike."""
    back = inverse(fine)
    if not np.isfinite(back).all():
        raise UnlikeError("the finest has no size")
    move = np.asarray(back @ coarse, np.float64)
    return np.eye(4) if np.allclose(move, np.eye(4), rtol=0, atol=1e-9) else move


def _told(scene: Scene, fine: Mesh, coarse: Mesh, name: str) -> Mesh:
    """A coarser mesh whose primitives are told by the Keys of those of the finest with the same material."""
    if len({len(p.targets) for p in (*fine.primitives, *coarse.primitives)}) > 1:
        raise UnlikeError(f"{name} has other morph targets")
    keys: Lists = {}
    for p in fine.primitives:
        keys.setdefault(p.material, []).append(p.key)
    parts = list[Primitive]()
    for p in coarse.primitives:
        mine = keys.get(p.material)
        if not mine:
            what = scene.materials[p.material].name if p.material is not None else "no material"
            raise UnlikeError(f"{name} has {what}, the finest has not")
        parts.append(replace(p, key=mine.pop(0)))
    return replace(coarse, key=fine.key, name=fine.name, primitives=tuple(parts), levels=(), reach=())


def _shown_alike(scene: Scene, family: Family, mesh: int, done: dict[int, tuple[int, ...]]) -> None:
    """A mesh that stands in several places has the same levels in each. Raises UnlikeError."""
    coarse = tuple(scene.nodes[n].mesh or 0 for _, n in family.members[1:])
    if done.setdefault(mesh, coarse) != coarse:
        raise UnlikeError("the same mesh has other ones elsewhere")
    own = {f.members[0][1] for f in families(scene)}
    bare = [n for n, x in enumerate(scene.nodes) if x.mesh == mesh and n not in own]
    if bare or mesh in scene.placements.meshes:
        raise UnlikeError("the same mesh stands elsewhere without them")


def _bound_alike(scene: Scene, fine: Node, node: Node, mesh: Mesh) -> Mesh:
    """A mesh bound to the finest one's skin. Raises UnlikeError."""
    if fine.skin == node.skin:
        return mesh
    if fine.skin is None or node.skin is None:
        raise UnlikeError(f"one of it and {node.name} has no skeleton")
    mine, theirs = scene.skins[fine.skin], scene.skins[node.skin]
    at = {joint: k for k, joint in enumerate(mine.joints)}
    if not set(theirs.joints) <= set(at):
        raise UnlikeError(f"{node.name} hangs on other joints")
    rows = np.array([at[j] for j in theirs.joints], np.int64)
    if not np.allclose(mine.inverse_bind[rows], theirs.inverse_bind, rtol=1e-5, atol=1e-6):
        raise UnlikeError(f"{node.name} is bound in another pose")
    parts = tuple(
        p if p.joints is None else replace(p, joints=_frozen(rows[np.minimum(p.joints, len(rows) - 1)], p))
        for p in mesh.primitives
    )
    return replace(mesh, primitives=parts)


def _frozen(joints: npt.NDArray[np.int64], prim: Primitive) -> npt.NDArray[np.uint16]:
    assert prim.joints is not None
    out = joints.astype(prim.joints.dtype)
    out.setflags(write=False)
    return out


def _moves_alike(scene: Scene, a: int, b: int) -> bool:
    """True where clips do the same to two nodes."""
    return all(
        _same([c for c in clip.channels if c.node == a], [c for c in clip.channels if c.node == b])
        for clip in scene.clips
    )


def _same(a: Sequence[Channel], b: Sequence[Channel]) -> bool:
    """True where `b` does nothing but what `a` does."""
    mine = {c.path: c for c in a}
    return all(
        c.path in mine
        and mine[c.path].interpolation == c.interpolation
        and np.array_equal(mine[c.path].times, c.times)
        and np.array_equal(mine[c.path].values, c.values)
        for c in b
    ) and (not a or len(a) == len(b))
