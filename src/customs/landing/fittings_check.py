"""Levels of a package by the sheet: measured anew, and held against the asset's document."""

from __future__ import annotations

import itertools
import json
import math
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.geometry.triangles import triangles_of
from customs.landing.attached_check import check_attached
from customs.landing.docket_check import bytes_of
from customs.landing.log import Log
from customs.landing.posts_check import check_posts
from customs.landing.shapes_check import SLACK, check_shapes
from customs.landing.told_apart import Landed, rows_of
from customs.scene.model import Mesh
from customs.scene.tree import mesh_nodes, world_matrices
from customs.sheet.model import Sheet
from customs.words import many

Json = dict[str, Any]
F64 = npt.NDArray[np.float64]
NEAR = 0.1
"""Of the size, how far the box of a level may lie from that of the finest."""


def check_fittings(
    landed: Landed, sheet: Sheet, files: Mapping[str, Path], folder: Path, asset: str, file: str, log: Log
) -> None:
    """Levels, shapes, posts and the document, all that the sheet asks for."""
    facts = _facts(landed, sheet, files, asset, log)
    if sheet.levels.form != "none":
        _levels(landed, sheet, facts, file, log)
    if sheet.shapes.form != "none":
        check_shapes(landed, sheet, facts, file, log)
    if sheet.posts.form != "none":
        check_posts(landed.whole, sheet, rows_of(facts, "posts"), file, str(facts[""]) if facts else "", log)
        check_attached(sheet, facts, files, folder, log)


def _facts(landed: Landed, sheet: Sheet, files: Mapping[str, Path], asset: str, log: Log) -> Json | None:
    """The asset's document, or None where there is none to be or it cannot be read."""
    if not sheet.layout.facts:
        return None
    name = sheet.layout.facts_place(asset)
    if not sheet.asks_fittings and name not in files:
        if landed.levels:
            log.remark(name, f"{landed.levels[0][2]} is read as a level, and no document says its distance")
        return None
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
        ", ".join(many(len(rows_of(body, f"{k}s")), k) for k in ("level", "shape", "post")),
    )
    return body | {"": name}


def _levels(landed: Landed, sheet: Sheet, facts: Json | None, file: str, log: Log) -> None:
    rules = sheet.levels
    told = {str(r.get("node")): r for r in rows_of(facts, "levels")}
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
