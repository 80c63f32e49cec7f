"""Posts of a package: the nodes their index paths lead to, where those stand, and what hangs there."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from customs.landing.log import Log
from customs.motion.posing.bounds import world_bounds
from customs.scene.model import Scene
from customs.scene.paths import node_at
from customs.scene.tree import world_matrices
from customs.sheet.model import Sheet
from customs.words import many

Json = Mapping[str, Any]
NEAR = 1e-4
"""Of the size, how far a post may stand from where the document says: six digits of it."""
AT_REST = {"position": [0.0] * 3, "rotation": [0.0, 0.0, 0.0, 1.0], "scale": [1.0] * 3}


def check_posts(scene: Scene, sheet: Sheet, rows: Sequence[Json], file: str, doc: str, log: Log) -> None:
    """Every post of the document is a node of the model, where it says; every post that has to be there is."""
    told = {str(r.get("name")) for r in rows}
    for name in sheet.posts.required:
        log.check(name in told, doc or file, f"there is no post {name}")
    if not doc:
        names = {n.name for n in scene.nodes}
        for name in sheet.posts.required:
            log.check(sheet.posts.name.format(name=name) in names, file, f"there is no node for post {name}")
        return
    worlds, box = world_matrices(scene), world_bounds(scene)
    size = float(np.linalg.norm(box[1] - box[0])) if box is not None else 1.0
    for row in rows:
        _post(scene, sheet, row, worlds, size, doc, log)
    log.check(len(told) == len(rows), doc, "names a post twice")
    if rows:
        log.note("shows", file, f"{many(len(rows), 'post')}: {', '.join(sorted(told))[:60]}")


def _post(scene: Scene, sheet: Sheet, row: Json, worlds: Any, size: float, doc: str, log: Log) -> None:
    name, path = row.get("name"), str(row.get("index_path"))
    at = node_at(scene, path)
    if at is None:
        log.refuse(doc, f"the index path {path} of post {name} leads nowhere")
        return
    node = scene.nodes[at]
    wanted = sheet.posts.name.format(name=name)
    log.check(
        node.name == wanted and row.get("node") == wanted,
        doc,
        f"the index path {path} of post {name} leads to {node.name}, {wanted} is read",
    )
    log.check(node.mesh is None, doc, f"the index path {path} of post {name} leads to a mesh")
    place, way = _three(row.get("position")), _three(row.get("direction"))
    if place is None or way is None:
        log.refuse(doc, f"post {name} has no position or direction that can be read")
        return
    off = float(np.linalg.norm(worlds[at][:3, 3] - place))
    log.check(
        off <= NEAR * max(size, 1e-9),
        doc,
        f"post {name} stands {off:.3g} {sheet.axes.unit_name} from where the document says",
    )
    axes = worlds[at][:3, :3] / np.maximum(np.linalg.norm(worlds[at][:3, :3], axis=0), 1e-30)
    turned = float(np.abs(axes.T @ way).max())
    log.check(abs(turned - 1) < 1e-3, doc, f"post {name} does not point along an axis of its node")
    _attached(row, name, doc, log)


def _attached(row: Json, name: object, doc: str, log: Log) -> None:
    """What hangs there is named by a path inside the kit, and stands as the post does."""
    thing = row.get("attached")
    if thing is None:
        return
    path = thing.get("path") if isinstance(thing, Mapping) else None
    good = (
        isinstance(path, str)
        and bool(path)
        and not path.startswith("/")
        and ".." not in path.split("/")
        and "\\" not in path
    )
    log.check(good, doc, f"what hangs at post {name} has no path inside the kit: {path!r}")
    if isinstance(thing, Mapping):
        moved = [k for k, v in AT_REST.items() if thing.get(k) != v]
        log.check(
            not moved, doc, f"what hangs at post {name} has a {', '.join(moved)} of its own, none is read"
        )


def _three(value: Any) -> Any:
    try:
        out = np.array(value, np.float64)
    except (TypeError, ValueError):
        return None
    return out if out.shape == (3,) and np.isfinite(out).all() else None
