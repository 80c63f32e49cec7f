"""The model file by the sheet: limits, shape of the tree, names."""

from __future__ import annotations

from collections import Counter

import numpy as np

from customs.changes.emptying import count_empty
from customs.formats.registry import get_format
from customs.geometry.triangles import triangles_of
from customs.landing.log import Log
from customs.motion.posing.bounds import world_bounds
from customs.patterns import fits
from customs.scene.folding import row_depths, shown_times
from customs.scene.model import Scene
from customs.scene.tree import local_matrix, mesh_nodes, walk
from customs.sheet.model import Sheet
from customs.words import many


def check_model(scene: Scene, sheet: Sheet, file: str, log: Log) -> None:
    """All rules of the sheet on a model read from its file."""
    _tree(scene, sheet, file, log)
    _meshes(scene, sheet, file, log)
    _size(scene, sheet, file, log)
    _rig(scene, sheet, file, log)
    _names(scene, sheet, file, log)
    limit = sheet.materials.max_count
    log.check(
        limit is None or len(scene.materials) <= limit,
        file,
        f"{many(len(scene.materials), 'material')}, at most {limit}",
    )


def _tree(scene: Scene, sheet: Sheet, file: str, log: Log) -> None:
    nodes, model = mesh_nodes(scene), sheet.model
    depth = {n: d for n, _, d in walk(scene)}
    if model.single_mesh:
        count = len(nodes) + int(scene.placements.shows.sum())
        log.check(count == 1 and len(scene.meshes) == 1, file, f"{many(count, 'mesh')} where one is taken")
    limit = 1 if model.mesh_under_root else model.max_depth
    deep = [scene.nodes[n].name for n in nodes if limit is not None and depth[n] >= limit]
    if limit is not None:
        low = np.flatnonzero((row_depths(scene) >= limit) & scene.placements.shows).tolist()
        deep += [scene.placements.names[k] for k in low]
    log.check(not deep, file, f"mesh {', '.join(deep[:3])} stands below level {limit}")
    if model.settled and not scene.clips and not scene.skins:
        off = [n for n in nodes if np.abs(local_matrix(scene.nodes[n]) - np.eye(4)).max() > 1e-4]
        rows = 0 if "placements" in get_format(scene.format).carries else len(scene.placements)
        log.check(
            not off and not rows, file, f"mesh nodes that keep a transform of their own: {len(off) + rows}"
        )
    bare = count_empty(scene) if model.empty_nodes == "forbidden" else 0
    log.check(not bare, file, f"{many(bare, 'node')} without mesh, light or camera, none taken")
    log.check(
        model.cameras != "forbidden" or not scene.cameras,
        file,
        f"{many(len(scene.cameras), 'camera')}, none taken",
    )
    log.check(
        model.lights != "forbidden" or not scene.lights,
        file,
        f"{many(len(scene.lights), 'light')}, none taken",
    )


def _meshes(scene: Scene, sheet: Sheet, file: str, log: Log) -> None:
    rules = sheet.mesh
    for mesh in (m for n, m in zip(shown_times(scene), scene.meshes) if n):
        count = sum(len(p.positions) for p in mesh.primitives)
        top = rules.max_vertices
        log.check(
            top is None or count <= top,
            file,
            f"mesh {mesh.name} has {count:,} vertices, at most {top or 0:,}",
        )
        for p in mesh.primitives:
            faces = triangles_of(p)
            lists = p.mode == "triangles" or (rules.loose_points_lines != "forbidden" and not len(faces))
            log.check(lists, file, f"mesh {mesh.name} has parts of mode {p.mode}")
            log.check(
                bool(np.isfinite(p.positions).all()),
                file,
                f"mesh {mesh.name} has numbers that are not finite",
            )
            if rules.normals == "required" and len(faces) and "normals" in get_format(scene.format).carries:
                log.check(p.normals is not None, file, f"mesh {mesh.name} has no normals")
            log.check(
                rules.vertex_colours != "forbidden" or not p.colours,
                file,
                f"mesh {mesh.name} has vertex colours",
            )
            log.check(
                rules.morphs != "forbidden" or not p.targets, file, f"mesh {mesh.name} has morph targets"
            )
            sets = rules.max_texcoord_sets
            log.check(
                sets is None or len(p.texcoords) <= sets,
                file,
                f"mesh {mesh.name} has {len(p.texcoords)} UV sets",
            )


def _size(scene: Scene, sheet: Sheet, file: str, log: Log) -> None:
    box = world_bounds(scene)
    if box is None:
        log.refuse(file, "there is nothing in it")
        return
    unit, low, high = sheet.axes.metres_per_unit, sheet.model.min_size, sheet.model.max_size
    size = (box[1] - box[0]) * unit
    # Bounds are given as X, Y, Z of the working frame; only the sorted sides are compared where axes differ.
    same = sheet.axes.up == "+Y" and sheet.axes.faces == "+Z"
    mine = size if same else np.sort(size)
    if high is not None:
        most = np.array(high) if same else np.sort(high)
        log.check(
            bool((mine <= most * 1.001).all()),
            file,
            f"{_metres(size)} is larger than {_metres(np.array(high))}",
        )
    if low is not None:
        least = np.array(low) if same else np.sort(low)
        log.check(
            bool((mine >= least * 0.999).any()),
            file,
            f"{_metres(size)} is smaller than {_metres(np.array(low))}",
        )
    log.note("measures", file, f"{_metres(size)}, {sheet.axes.unit_name} inside")
    if sheet.model.footing == "base-centre":
        axis = "XYZ".index(sheet.axes.up[1])
        base = box[0][axis] if sheet.axes.up[0] == "+" else -box[1][axis]
        reach = float(np.linalg.norm(box[1] - box[0]))
        log.check(abs(base) <= 2e-3 * reach, file, f"its base lies {base * unit:.3g} m from zero")


def _metres(size: np.ndarray) -> str:
    return " × ".join(f"{v:.2f}" for v in size) + " m"


def _rig(scene: Scene, sheet: Sheet, file: str, log: Log) -> None:
    rig = sheet.rig
    log.check(
        rig.skins != "forbidden" or not scene.skins, file, f"{many(len(scene.skins), 'skin')}, none taken"
    )
    log.check(
        rig.clips != "forbidden" or not scene.clips, file, f"{many(len(scene.clips), 'clip')}, none taken"
    )
    for s in scene.skins:
        log.check(
            rig.max_joints is None or len(s.joints) <= rig.max_joints,
            file,
            f"{many(len(s.joints), 'joint')} in {s.name}",
        )
    for m in scene.meshes:
        for p in m.primitives:
            if p.weights is not None:
                most = int(np.count_nonzero(p.weights, axis=1).max())
                log.check(
                    most <= rig.influences,
                    file,
                    f"{most} influences on a vertex of {m.name}, at most {rig.influences}",
                )
                off = float(np.abs(p.weights.sum(axis=1) - 1).max())
                log.check(off < 1e-4, file, f"weights of {m.name} do not sum to one")


def _names(scene: Scene, sheet: Sheet, file: str, log: Log) -> None:
    rules = sheet.names
    for kind in ("nodes", "meshes", "materials", "images", "clips"):
        names = [item.name for item in getattr(scene, kind)]
        placed = scene.placements.names if kind == "nodes" else ()
        for name in dict.fromkeys((*names, *placed)):
            legal = fits(rules.allowed, name) and len(name) <= rules.max_length
            log.check(bool(legal), file, f"{kind}: name {name!r} is not legal there")
        if rules.unique:
            names += placed if rules.placements_unique else ()
            twice = sorted(n for n, times in Counter(names).items() if times > 1)
            log.check(not twice, file, f"{kind}: name {', '.join(twice[:3])} is used twice")
