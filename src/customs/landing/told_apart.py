"""What the nodes of a package's model are by their names: the mesh, its levels, its shapes, its posts."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.geometry.bodies import hull_of
from customs.motion.posing.pose import posed_positions
from customs.scene.arrays import frozen
from customs.scene.key import Key, made_key
from customs.scene.model import CollisionShape, Mesh, Node, Post, Scene
from customs.scene.paths import node_at
from customs.scene.prune import prune
from customs.scene.things import ENDS, End
from customs.scene.tree import mesh_nodes, world_matrices
from customs.sheet.model import Sheet

Json = dict[str, Any]
F64 = npt.NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Landed:
    """A model told apart: the mesh alone, its levels as (node of the finest, level, node) names with meshes, its shapes as
    (node name, purpose, points (V, 3) where they stand).
    """

    core: Scene
    levels: tuple[tuple[str, int, str, Mesh], ...]
    shapes: tuple[tuple[str, str, F64], ...]
    whole: Scene


def rows_of(facts: Mapping[str, Any] | None, key: str) -> list[Json]:
    """The rows of a list in the asset's document; what is no row is none."""
    found = facts.get(key, []) if facts else []
    return [r for r in found if isinstance(r, dict)] if isinstance(found, list) else []


def told_apart(scene: Scene, sheet: Sheet, asset: str) -> Landed:
    """The nodes of a model by what their names say they are."""
    if "none" == sheet.levels.form == sheet.shapes.form == sheet.posts.form:
        return Landed(scene, (), (), scene)
    names = {scene.nodes[n].name for n in mesh_nodes(scene)}
    worlds = world_matrices(scene)
    level, shape = _expression(sheet.levels.name), _expression(sheet.shapes.name)
    gone, levels, shapes = set[int](), [], []
    for n in mesh_nodes(scene):
        node = scene.nodes[n]
        mesh = scene.meshes[node.mesh or 0]
        found = level.fullmatch(node.name) if sheet.levels.form == "nodes" else None
        if found and found["name"] in names and found["level"].isdigit():
            levels.append((found["name"], int(found["level"]), node.name, mesh))
            gone.add(n)
            continue
        found = shape.fullmatch(node.name) if sheet.shapes.form in ("meshes", "both") else None
        if found and found["purpose"] in sheet.shapes.taken and found["asset"] == asset:
            mine = [posed_positions(scene, n, p, worlds) for p in mesh.primitives]
            shapes.append((node.name, found["purpose"], np.concatenate([np.zeros((0, 3)), *mine])))
            gone.add(n)
    if sheet.posts.form == "nodes":
        post = _expression(sheet.posts.name)
        bare = {n for n, x in enumerate(scene.nodes) if x.mesh is None and not x.children and not x.holds}
        joints = {j for s in scene.skins for j in s.joints}
        gone |= {n for n in bare - joints if post.fullmatch(scene.nodes[n].name)}
    if not gone:
        return Landed(scene, (), (), scene)
    nodes = tuple(replace(x, mesh=None, skin=None) if n in gone else x for n, x in enumerate(scene.nodes))
    bare = {n for n in gone if not nodes[n].children}
    nodes = tuple(replace(x, children=tuple(c for c in x.children if c not in bare)) for x in nodes)
    core = replace(scene, nodes=nodes, roots=tuple(r for r in scene.roots if r not in bare))
    return Landed(prune(core), tuple(levels), tuple(shapes), scene)


def refolded(
    scene: Scene, sheet: Sheet, asset: str, facts: Mapping[str, Any] | None, things: Mapping[str, Scene]
) -> Scene:
    """A model as it is shown: levels beside their mesh, with the distances the document says, shapes as outlines, posts with
    what hangs there: `things` by their paths, in the working frame.
    """
    landed = told_apart(scene, sheet, asset)
    core = landed.core
    told = {str(r.get("node")): r.get("until") for r in rows_of(facts, "levels")}
    meshes = list(core.meshes)
    for n in mesh_nodes(core):
        node = core.nodes[n]
        mine = sorted((k, name, m) for base, k, name, m in landed.levels if base == node.name)
        if mine and node.mesh is not None:
            ends = [told.get(name) for name in (node.name, *(name for _, name, _ in mine))]
            reach = tuple(float(e) for e in ends if isinstance(e, int | float))
            mesh = replace(meshes[node.mesh], levels=tuple(m for _, _, m in mine))
            meshes[node.mesh] = replace(mesh, reach=reach if len(reach) == len(ends) else ())
    nodes, roots = list(core.nodes), list(core.roots)
    for name, purpose, points in landed.shapes:
        key = _key(core, name)
        corners, faces = hull_of(points) if len(points) else (np.zeros((0, 3)), np.zeros((0, 3), np.uint32))
        shape = CollisionShape(
            key,
            name,
            purpose,
            "hull",
            points=frozen(corners.astype(np.float32)),
            faces=frozen(faces, np.uint32),
        )
        roots.append(len(nodes))
        nodes.append(Node(key, name, holds=(shape,)))
    if sheet.posts.form != "none":
        for node in _posts(landed, rows_of(facts, "posts"), things):
            roots.append(len(nodes))
            nodes.append(node)
    return replace(core, meshes=tuple(meshes), nodes=tuple(nodes), roots=tuple(roots))


def _key(core: Scene, name: str) -> Key:
    return made_key(core.nodes[0].key if core.nodes else Key(core.digest, "node", 0), "landed", name)


def _posts(landed: Landed, rows: Sequence[Json], things: Mapping[str, Scene]) -> Iterator[Node]:
    """A node for each post the document leads to."""
    worlds = world_matrices(landed.whole)
    for row in rows:
        at, name = node_at(landed.whole, str(row.get("index_path"))), str(row.get("name"))
        if at is None or not np.isfinite(worlds[at]).all():
            continue
        path = attached_of(row)
        key = _key(landed.core, f"post {name}")
        post = Post(key, name, _pointing(worlds[at], row.get("direction")), path, things.get(path))
        yield Node(key, name, matrix=worlds[at].copy(), holds=(post,))


def _pointing(world: F64, direction: Any) -> End:
    """The axis of a node that lies along a direction of the document."""
    try:
        along = world[:3, :3].T @ np.array(direction, np.float64)
    except (TypeError, ValueError):
        return "+Z"
    k = int(np.abs(along).argmax())
    return ENDS[2 * k + int(along[k] < 0)]


def attached_of(row: Json) -> str:
    """The path of what hangs at a post of the document, "" for nothing."""
    thing = row.get("attached")
    path = thing.get("path") if isinstance(thing, Mapping) else None
    return path if isinstance(path, str) else ""


def _expression(pattern: str) -> re.Pattern[str]:
    """A pattern with {tokens} as an expression that finds them."""
    parts = {"name": ".+", "level": "[0-9]+", "asset": ".+", "purpose": "[a-z]+", "index": "(?:_[0-9]+)?"}
    text = re.sub(r"\\\{(\w+)\\\}", lambda m: f"(?P<{m[1]}>{parts[m[1]]})", re.escape(pattern))
    return re.compile(text)
