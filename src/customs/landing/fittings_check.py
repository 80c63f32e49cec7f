"""Levels and shapes of a package by the sheet: told apart from the mesh by their names, measured anew, and held against the
asset's document.
"""

from __future__ import annotations

import itertools
import json
import math
import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.geometry.bodies import Body, hull_of
from customs.geometry.triangles import triangles_of
from customs.landing.docket_check import bytes_of
from customs.landing.log import Log
from customs.landing.posts_check import check_posts
from customs.motion.posing.pose import posed_positions, posed_scene_points
from customs.scene.arrays import frozen
from customs.scene.key import Key, made_key
from customs.scene.model import CollisionShape, Mesh, Node, Scene
from customs.scene.prune import prune
from customs.scene.tree import mesh_nodes, world_matrices
from customs.sheet.model import Sheet
from customs.words import many

Json = dict[str, Any]
F64 = npt.NDArray[np.float64]
NEAR = 0.1
"""Of the size, how far the box of a level may lie from that of the finest."""
SLACK = 2e-3
"""Of the size, what numbers with six digits and round shapes with flat sides may be off by."""


@dataclass(frozen=True, eq=False)
class Landed:
    """A model told apart: the mesh alone, its levels as (node of the finest, level, node) names with meshes, its shapes as
    (node name, purpose, points (V, 3) where they stand).
    """

    core: Scene
    levels: tuple[tuple[str, int, str, Mesh], ...]
    shapes: tuple[tuple[str, str, F64], ...]
    whole: Scene


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
        if found and found["purpose"] in sheet.shapes.purposes and found["asset"] == asset:
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


def refolded(scene: Scene, sheet: Sheet, asset: str, facts: Mapping[str, Any] | None) -> Scene:
    """A model as it is shown: levels beside their mesh, with the distances the document says, and shapes as outlines."""
    landed = told_apart(scene, sheet, asset)
    core = landed.core
    told = {str(r.get("node")): r.get("until") for r in _rows(facts, "levels")}
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
        key = made_key(core.nodes[0].key if core.nodes else Key(core.digest, "node", 0), "landed", name)
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
    return replace(core, meshes=tuple(meshes), nodes=tuple(nodes), roots=tuple(roots))


def _expression(pattern: str) -> re.Pattern[str]:
    """A pattern with {tokens} as an expression that finds them."""
    parts = {"name": ".+", "level": "[0-9]+", "asset": ".+", "purpose": "[a-z]+", "index": "(?:_[0-9]+)?"}
    text = re.sub(r"\\\{(\w+)\\\}", lambda m: f"(?P<{m[1]}>{parts[m[1]]})", re.escape(pattern))
    return re.compile(text)


def check_fittings(
    landed: Landed, sheet: Sheet, files: Mapping[str, Path], asset: str, file: str, log: Log
) -> None:
    """Levels, shapes and the document, all that the sheet asks for."""
    facts = _facts(sheet, files, asset, log)
    if sheet.levels.form != "none":
        _levels(landed, sheet, facts, file, log)
    if sheet.shapes.form != "none":
        _shapes(landed, sheet, facts, file, log)
    if sheet.posts.form != "none":
        check_posts(landed.whole, sheet, _rows(facts, "posts"), file, str(facts[""]) if facts else "", log)


def _facts(sheet: Sheet, files: Mapping[str, Path], asset: str, log: Log) -> Json | None:
    """The asset's document, or None where there is none to be or it cannot be read."""
    if not sheet.layout.facts:
        return None
    name = sheet.layout.facts_place(asset)
    try:
        body = json.loads(bytes_of(files, name).decode("utf-8"))
    except FileNotFoundError:
        log.refuse(name, "the asset's document is not there")
        return None
    except (OSError, ValueError, RecursionError) as problem:
        log.refuse(name, f"cannot be read: {problem}")
        return None
    if not isinstance(body, dict):
        log.refuse(name, "is no table of the asset's numbers")
        return None
    log.check(body.get("asset") == asset, name, f"is of {body.get('asset')!r}, the package of {asset!r}")
    log.check(
        body.get("unit") == sheet.axes.unit_name,
        name,
        f"lengths are in {body.get('unit')!r}, {sheet.axes.unit_name} is read",
    )
    log.note(
        "reads",
        name,
        f"{many(len(_rows(body, 'levels')), 'level')}, {many(len(_rows(body, 'shapes')), 'shape')}",
    )
    return body | {"": name}


def _rows(facts: Mapping[str, Any] | None, key: str) -> list[Json]:
    found = facts.get(key, []) if facts else []
    return [r for r in found if isinstance(r, dict)] if isinstance(found, list) else []


def _levels(landed: Landed, sheet: Sheet, facts: Json | None, file: str, log: Log) -> None:
    rules = sheet.levels
    told = {str(r.get("node")): r for r in _rows(facts, "levels")}
    seen = set[str]()
    worlds = world_matrices(landed.whole)
    places = {landed.whole.nodes[n].name: worlds[n] for n in mesh_nodes(landed.whole)}
    for n in mesh_nodes(landed.core):
        node = landed.core.nodes[n]
        mesh = landed.core.meshes[node.mesh or 0]
        mine = sorted((level, name, m) for base, level, name, m in landed.levels if base == node.name)
        chain = [(node.name, mesh), *((name, m) for _, name, m in mine)]
        numbers = [level for level, _, _ in mine]
        log.check(
            numbers == list(range(1, len(mine) + 1)),
            file,
            f"levels of {node.name} are numbered {numbers}, 1, 2, … is read",
        )
        if len(chain) < rules.least:
            log.remark(
                file,
                f"{node.name} has {many(len(chain), 'level')}, {rules.least} are looked for: it is drawn finer than need be",
            )
        log.check(
            len(chain) <= rules.most,
            file,
            f"{node.name} has {many(len(chain), 'level')}, at most {rules.most} are read",
        )
        for (_, a), (name, b) in itertools.pairwise(chain):
            if _count(b) >= _count(a) > 0:
                log.refuse(
                    file,
                    f"{name} has {_count(b):,} triangles, the level before it {_count(a):,}: levels in the wrong order",
                )
            elif _count(b) > rules.ratio * _count(a) + 1:
                log.remark(
                    file,
                    f"{name} has {_count(b):,} triangles, the level before it {_count(a):,}: at most {rules.ratio:.0%} is looked for",
                )
            _near(mesh, b, name, file, log)
            apart = float(np.abs(places[name] - places[node.name]).max())
            size = max(float(np.abs(places[node.name]).max()), 1e-9)
            log.check(
                node.skin is not None or apart <= SLACK * size,
                file,
                f"{name} stands on a node that is moved or turned against that of {node.name}",
            )
        if facts is not None:
            _distances(chain, told, facts[""], log)
        seen |= {name for name, _ in chain}
    if facts is not None:
        lost = sorted(set(told) - seen)
        log.check(not lost, facts[""], f"names levels that are not in the model: {', '.join(lost[:3])}")
    if landed.levels:
        log.note("shows", file, f"{many(len(landed.levels), 'level')} beside the finest")


def _count(mesh: Mesh) -> int:
    return sum(len(triangles_of(p)) for p in mesh.primitives)


def _near(fine: Mesh, coarse: Mesh, name: str, file: str, log: Log) -> None:
    """A level stands where the finest does."""
    a, b = _box(fine), _box(coarse)
    if a is None or b is None:
        log.check(b is not None or a is None, file, f"{name} is empty")
        return
    size = float(np.linalg.norm(a[1] - a[0]))
    off = float(np.abs(np.stack(a) - np.stack(b)).max())
    log.check(
        off <= NEAR * max(size, 1e-9),
        file,
        f"{name} does not stand where the finest level does: {off:.3g} off",
    )


def _box(mesh: Mesh) -> tuple[F64, F64] | None:
    points = [p.positions for p in mesh.primitives if len(p.positions)]
    if not points:
        return None
    every = np.concatenate(points).astype(np.float64)
    return every.min(axis=0), every.max(axis=0)


def _distances(chain: list[tuple[str, Mesh]], told: Mapping[str, Json], doc: str, log: Log) -> None:
    """Every level has a distance, they grow, and the figures are those of the model."""
    ends = []
    for name, mesh in chain:
        row = told.get(name)
        if row is None:
            log.refuse(doc, f"says nothing of level {name}")
            continue
        until = row.get("until")
        good = isinstance(until, int | float) and not isinstance(until, bool) and 0 < float(until) < math.inf
        log.check(good, doc, f"level {name} has no distance up to which it is shown")
        ends += [float(until)] if good else []  # type: ignore[arg-type]
        log.check(
            row.get("triangles") == _count(mesh),
            doc,
            f"says {row.get('triangles')} triangles of {name}, the model has {_count(mesh):,}",
        )
    log.check(
        all(b > a for a, b in itertools.pairwise(ends)), doc,
        f"distances of {chain[0][0]} do not grow from level to level: {', '.join(f'{e:g}' for e in ends)}",
    )  # fmt: skip


def _shapes(landed: Landed, sheet: Sheet, facts: Json | None, file: str, log: Log) -> None:
    rules = sheet.shapes
    mesh_points = np.concatenate([np.zeros((0, 3)), *posed_scene_points(landed.core)])
    for purpose in rules.purposes:
        meshes = [(name, points) for name, p, points in landed.shapes if p == purpose]
        rows = [r for r in _rows(facts, "shapes") if r.get("purpose") == purpose]
        if rules.form in ("meshes", "both"):
            log.check(bool(meshes), file, f"there is no shape for {purpose}")
            bodies = [
                b
                for name, points in meshes
                if (b := _hull(points, name, rules.corners, file, log)) is not None
            ]
            _covers(bodies, mesh_points, purpose, sheet, file, log)
        if rules.form in ("numbers", "both") and facts is not None:
            doc = facts[""]
            log.check(bool(rows), doc, f"has no numbers of a shape for {purpose}")
            log.check(len(rows) <= rules.most, doc, f"{len(rows)} shapes for {purpose}, at most {rules.most}")
            kinds = rules.kinds.get(purpose, ())
            read = [b for r in rows if (b := _body(r, purpose, kinds, doc, log)) is not None]
            if len(read) == len(rows):
                _covers(read, mesh_points, purpose, sheet, doc, log)
            if rules.form == "both":
                log.check(
                    len(rows) == len(meshes),
                    doc,
                    f"{len(rows)} shapes for {purpose}, the model has {len(meshes)}",
                )
    log.note(
        "shows", file, f"shapes for {', '.join(rules.purposes)}" if rules.purposes else "no shapes asked"
    )


def _hull(points: F64, name: str, corners: int, file: str, log: Log) -> Body | None:
    if not len(points) or not np.isfinite(points).all():
        log.refuse(file, f"shape {name} is empty, or has numbers that are not finite")
        return None
    p, faces = hull_of(points)
    return Body("hull", np.zeros(3), np.eye(3), points=p, faces=faces)


def _covers(bodies: list[Body], points: F64, purpose: str, sheet: Sheet, file: str, log: Log) -> None:
    """As much of the mesh lies inside as the sheet asks: counted by vertices, which is not how it was counted before."""
    if not bodies or not len(points):
        return
    size = float(np.linalg.norm(np.ptp(points, axis=0)))
    out = np.min([b.outside(points) for b in bodies], axis=0)
    inside = float((out <= SLACK * size).mean())
    least = sheet.shapes.covers.get(purpose, 0.0)
    log.check(
        inside >= least - LENIENT * (least < 1), file,
        f"the shape for {purpose} holds {inside:.1%} of the mesh, {least:.0%} is read; {out.max():.3g} {sheet.axes.unit_name} stick out",
    )  # fmt: skip


LENIENT = 0.05
"""What a share of vertices may differ from a share of the surface."""


def _body(row: Json, purpose: str, kinds: tuple[str, ...], doc: str, log: Log) -> Body | None:
    """A shape as its numbers say, or None after a refusal."""
    kind = row.get("kind")
    log.check(
        not kinds or kind in kinds, doc, f"the shape for {purpose} is a {kind}, {' or '.join(kinds)} is read"
    )
    try:
        middle = _three(row["middle"])
        if kind == "sphere":
            return Body("sphere", middle, np.eye(3), _length(row["radius"]))
        if kind == "capsule":
            a, b = (_three(e) for e in row["ends"])
            along, half = b - a, float(np.linalg.norm(b - a)) / 2
            axis = along / (2 * half) if half > 1e-12 else np.array([0.0, 1.0, 0.0])
            side = np.linalg.svd(axis[None])[2][1:]
            return Body(
                "capsule",
                (a + b) / 2,
                np.stack([side[0], axis, side[1]], axis=1),
                _length(row["radius"]),
                (0.0, half, 0.0),
            )
        if kind == "box":
            half3, axes = _three(row["half"]), np.stack([_three(a) for a in row["axes"]], axis=1)
            if (half3 <= 0).any():
                raise ValueError("sizes over 0")
            return Body("box", middle, axes, half=(float(half3[0]), float(half3[1]), float(half3[2])))
        points = np.array(row["points"], np.float64)
        if points.ndim != 2 or points.shape[1] != 3 or not len(points) or not np.isfinite(points).all():
            raise ValueError("points that are not three finite numbers each")
        p, faces = hull_of(points)
        return Body("hull", np.zeros(3), np.eye(3), points=p, faces=faces)
    except (KeyError, TypeError, ValueError) as problem:
        log.refuse(doc, f"the shape for {purpose} cannot be read from its numbers: {problem}")
        return None


def _three(value: Any) -> F64:
    out = np.array(value, np.float64)
    if out.shape != (3,) or not np.isfinite(out).all():
        raise ValueError(f"{value!r:.40} is not three finite numbers")
    return out


def _length(value: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0 < value < math.inf:
        raise ValueError(f"{value!r:.40} is no length")
    return float(value)
