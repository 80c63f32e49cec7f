"""What a delivery says besides the mesh: levels and shapes as nodes of their own, and all of it as numbers in the asset's
document.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from customs.changes.posts import posts_of, stands
from customs.changes.shapes import body_of
from customs.geometry.triangles import triangles_of
from customs.picture.bodies import body_triangles
from customs.scene.arrays import frozen
from customs.scene.folding import unfolded
from customs.scene.key import made_key
from customs.scene.levels import level_of
from customs.scene.model import Channel, Clip, CollisionShape, Mesh, Post, Primitive, Scene
from customs.scene.paths import index_path
from customs.scene.tree import mesh_nodes, parents, world_matrices
from customs.sheet.model import Sheet

Json = dict[str, Any]


def with_fittings(scene: Scene, sheet: Sheet) -> Scene:
    """The scene as it is delivered: every level and every shape the sheet takes as meshes on a node of its own, nothing
    of the kind left that it does not take.
    """
    return _with_posts(_with_shapes(_with_levels(scene, sheet), sheet), sheet)


def _with_levels(scene: Scene, sheet: Sheet) -> Scene:
    if not any(m.levels for m in scene.meshes):
        return scene
    taken = sheet.levels.form == "nodes"
    whole = unfolded(scene) if taken and len(scene.placements) else scene
    bare = replace(whole, meshes=tuple(replace(m, levels=()) if m.levels else m for m in whole.meshes))
    if not taken:
        return bare
    nodes, roots, meshes = list(bare.nodes), list(bare.roots), list(bare.meshes)
    above, twins = parents(whole), dict[int, list[int]]()
    made: dict[tuple[int, int], int] = {}
    for n in mesh_nodes(whole):
        node, m = whole.nodes[n], whole.nodes[n].mesh or 0
        for level in range(1, len(whole.meshes[m].levels) + 1):
            at = made.setdefault((m, level), len(meshes))
            if at == len(meshes):
                meshes.append(_level_mesh(whole.meshes[m], level, sheet))
            key = made_key(node.key, "lods", level)
            name = sheet.levels.name.format(name=node.name, level=level)
            twins.setdefault(n, []).append(len(nodes))
            parent = above[n]
            if parent < 0:
                roots.append(len(nodes))
            else:
                nodes[parent] = replace(nodes[parent], children=(*nodes[parent].children, len(nodes)))
            nodes.append(
                replace(
                    node, key=key, name=name, mesh=at, children=(), holds=(), bone="", made_from=(node.key,)
                )
            )
    clips = tuple(_for_twins(c, twins) for c in bare.clips)
    return replace(bare, nodes=tuple(nodes), roots=tuple(roots), meshes=tuple(meshes), clips=clips)


def _level_mesh(mesh: Mesh, level: int, sheet: Sheet) -> Mesh:
    coarse = level_of(mesh, level)
    parts = tuple(
        replace(p, key=made_key(p.key, "lods", level), made_from=(p.key,)) for p in coarse.primitives
    )
    name = sheet.levels.name.format(name=mesh.name, level=level)
    return replace(
        coarse, key=made_key(mesh.key, "lods", level), name=name, primitives=parts, made_from=(mesh.key,)
    )


def _for_twins(clip: Clip, twins: dict[int, list[int]]) -> Clip:
    """What moves a node moves its levels too."""
    more: list[Channel] = [replace(c, node=t) for c in clip.channels for t in twins.get(c.node, ())]
    return replace(clip, channels=(*clip.channels, *more)) if more else clip


def _with_shapes(scene: Scene, sheet: Sheet) -> Scene:
    if not any(isinstance(h, CollisionShape) for n in scene.nodes for h in n.holds):
        return scene
    as_mesh = sheet.shapes.form in ("meshes", "both")
    nodes, meshes, counts = list(scene.nodes), list(scene.meshes), dict[str, int]()
    many = {p for p, n in _numbers(scene).items() if n > 1}
    for n, node in enumerate(scene.nodes):
        mine = [h for h in node.holds if isinstance(h, CollisionShape)]
        if not mine:
            continue
        shape = mine[0]
        rest = tuple(h for h in node.holds if not isinstance(h, CollisionShape))
        if not as_mesh or shape.purpose not in sheet.shapes.taken:
            nodes[n] = replace(node, holds=rest)
            continue
        index = counts[shape.purpose] = counts.get(shape.purpose, -1) + 1
        name = sheet.shapes.name.format(
            asset=scene.name, purpose=shape.purpose, index=f"_{index}" if shape.purpose in many else ""
        )
        nodes[n] = replace(node, name=name, holds=rest, mesh=len(meshes))
        meshes.append(_shape_mesh(shape, name))
    return _without_bare(replace(scene, nodes=tuple(nodes), meshes=tuple(meshes)), scene)


def _with_posts(scene: Scene, sheet: Sheet) -> Scene:
    """Posts as bare nodes under the names the sheet gives them, or none."""
    found = posts_of(scene)
    if not found:
        return scene
    nodes = list(scene.nodes)
    for n, post in found:
        name = sheet.posts.name.format(name=post.name) if sheet.posts.form == "nodes" else nodes[n].name
        nodes[n] = replace(nodes[n], name=name, holds=tuple(h for h in nodes[n].holds if h is not post))
    out = replace(scene, nodes=tuple(nodes))
    return out if sheet.posts.form == "nodes" else _without_bare(out, scene)


def _numbers(scene: Scene) -> dict[str, int]:
    out: dict[str, int] = {}
    for node in scene.nodes:
        for h in node.holds:
            if isinstance(h, CollisionShape):
                out[h.purpose] = out.get(h.purpose, 0) + 1
    return out


def _shape_mesh(shape: CollisionShape, name: str) -> Mesh:
    points, faces = body_triangles(shape)
    prim = Primitive(
        made_key(shape.key, "faces"), frozen(points), indices=frozen(faces.reshape(-1), np.uint32)
    )
    return Mesh(made_key(shape.key, "mesh"), name, (prim,), made_from=(shape.key,))


def _without_bare(scene: Scene, before: Scene) -> Scene:
    """Without the nodes that stood for shapes alone and hold nothing now."""
    gone = {
        n for n, node in enumerate(scene.nodes)
        if before.nodes[n].holds and not node.holds and node.mesh is None and not node.children
        and isinstance(before.nodes[n].holds[0], CollisionShape | Post)
    }  # fmt: skip
    if not gone:
        return scene
    return replace(
        scene,
        nodes=tuple(replace(n, children=tuple(c for c in n.children if c not in gone)) for n in scene.nodes),
        roots=tuple(r for r in scene.roots if r not in gone),
    )


def has_facts(scene: Scene, sheet: Sheet) -> bool:
    """True where the asset's document says something: what the sheet asks for, or what a person made and it takes."""
    if not sheet.layout.facts or sheet.asks_fittings:
        return bool(sheet.layout.facts)
    levels = sheet.levels.form != "none" and any(m.levels or m.reach for m in scene.meshes)
    numbers = sheet.shapes.form in ("numbers", "both")
    return levels or any(
        (isinstance(h, CollisionShape) and numbers and h.purpose in sheet.shapes.taken)
        or (isinstance(h, Post) and sheet.posts.form != "none")
        for n in scene.nodes
        for h in n.holds
    )


def facts_of_delivery(told: Scene, delivered: Scene, sheet: Sheet, hung: Mapping[str, str]) -> Json:
    """The asset's document: `told` is the scene in destination numbers before levels and shapes become nodes, `delivered` after. Lengths are in
    the destination's unit, distances of levels in metres. `hung` are the paths of what hangs at posts.
    """
    out: Json = {"asset": told.name, "unit": sheet.axes.unit_name}
    if sheet.levels.form != "none":
        out["levels"] = [row for n in mesh_nodes(told) for row in _level_rows(told, n, sheet)]
    if sheet.shapes.form in ("numbers", "both"):
        out["shapes"] = _shape_rows(told, sheet)
    if sheet.posts.form != "none":
        out["posts"] = _post_rows(told, delivered, sheet, hung)
    return out


def _post_rows(told: Scene, delivered: Scene, sheet: Sheet, hung: Mapping[str, str]) -> list[Json]:
    """Each post with its index path in the hierarchy as it is delivered; what is attached is named, and stands as the post
    does.
    """
    worlds, out = world_matrices(told), list[Json]()
    numbers = {n.key: k for k, n in enumerate(delivered.nodes)}
    for n, post in posts_of(told):
        at, way = stands(post, worlds[n])
        row: Json = {
            "name": post.name, "node": sheet.posts.name.format(name=post.name),
            "index_path": index_path(delivered, numbers[told.nodes[n].key]),
            "position": _numbers_of(at), "direction": _numbers_of(way),
        }  # fmt: skip
        if path := hung.get(post.name, post.attached):
            row["attached"] = {
                "path": path,
                "position": [0.0] * 3,
                "rotation": [0.0, 0.0, 0.0, 1.0],
                "scale": [1.0] * 3,
            }
        out.append(row)
    return out


def _level_rows(scene: Scene, n: int, sheet: Sheet) -> list[Json]:
    mesh = scene.meshes[scene.nodes[n].mesh or 0]
    all_ = (mesh, *mesh.levels)
    reach = mesh.reach or (sheet.levels.last,)
    name = scene.nodes[n].name
    return [
        {
            "node": sheet.levels.name.format(name=name, level=k) if k else name,
            "level": k,
            "triangles": sum(len(triangles_of(p)) for p in m.primitives),
            "until": float(reach[k]) if k < len(reach) else sheet.levels.last,
        }
        for k, m in enumerate(all_)
    ]


def _shape_rows(scene: Scene, sheet: Sheet) -> list[Json]:
    worlds, out = world_matrices(scene), list[Json]()
    for n, node in enumerate(scene.nodes):
        for h in node.holds:
            if isinstance(h, CollisionShape) and h.purpose in sheet.shapes.taken:
                out.append(_shape_row(h, worlds[n]))
    return out


def _shape_row(shape: CollisionShape, world: np.ndarray[Any, Any]) -> Json:
    body = body_of(shape, world)
    row: Json = {"purpose": shape.purpose, "kind": body.kind, "middle": _numbers_of(body.middle)}
    if body.kind in ("sphere", "capsule"):
        row["radius"] = round(body.radius, 6)
    if body.kind == "capsule":
        row["ends"] = [_numbers_of(body.middle + body.axes[:, 1] * body.half[1] * s) for s in (-1, 1)]
    if body.kind == "box":
        row["half"] = _numbers_of(np.array(body.half))
        row["axes"] = [_numbers_of(body.axes[:, k]) for k in range(3)]
    if body.points is not None and body.faces is not None:
        row["points"] = (np.round(body.points @ body.axes.T + body.middle, 6) + 0.0).tolist()
        row["faces"] = body.faces.tolist()
    return row


def _numbers_of(values: np.ndarray[Any, Any]) -> list[float]:
    return [round(float(v), 6) + 0.0 for v in values]


def facts_bytes(told: Json) -> bytes:
    """The document as a file."""
    return (json.dumps(told, indent=1, ensure_ascii=False) + "\n").encode()
