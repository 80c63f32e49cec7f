"""Nodes and placements as glTF JSON: a row is a node that shows a mesh other nodes show too."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from customs.formats.gltf.write_parts import Json, differing, extras_of
from customs.scene.folding import row_parts
from customs.scene.model import Camera, Held, Light, Node, Scene


def node_list(scene: Scene, used: set[str]) -> list[Json]:
    """All nodes, then a node for each row; names of extensions they need are added to `used`."""
    numbers = {id(x): i for kind in (scene.cameras, scene.lights) for i, x in enumerate(kind)}
    out = [node_json(n, numbers, used) for n in scene.nodes] + _row_list(scene)
    for parent, rows in rows_below(scene).items():
        if parent >= 0:
            out[parent]["children"] = [*out[parent].get("children", []), *rows]
    return out


def rows_below(scene: Scene) -> dict[int, list[int]]:
    """Numbers of the rows' nodes by the number of the node or row they hang under, −1 for none."""
    rows = scene.placements
    under = np.where(rows.top, rows.parents, rows.above + len(scene.nodes))
    order = np.argsort(under, kind="stable")
    above, starts = np.unique(under[order], return_index=True)
    groups = np.split(order + len(scene.nodes), starts[1:]) if len(rows) else []
    return {parent: group.tolist() for parent, group in zip(above.tolist(), groups)}


def _row_list(scene: Scene) -> list[Json]:
    rows = scene.placements
    places, turns, scales, sheared = row_parts(rows)
    columns = (rows.names, rows.of.tolist(), places.tolist(), turns.tolist(), scales.tolist())
    out: list[Json] = [
        {"name": name, "mesh": mesh, "translation": t, "rotation": r, "scale": s}
        for name, mesh, t, r, s in zip(*columns)
    ]
    # What is as it would be anyway is not said.
    for name, values, rest in (
        ("translation", places, (0, 0, 0)),
        ("rotation", turns, (0, 0, 0, 1)),
        ("scale", scales, (1, 1, 1)),
    ):
        for k in np.flatnonzero((values == rest).all(axis=1)).tolist():
            del out[k][name]
    for k in np.flatnonzero(sheared).tolist():
        out[k] = {
            "name": rows.names[k],
            "mesh": int(rows.of[k]),
            "matrix": rows.squares[k].T.reshape(-1).tolist(),
        }
    for k in np.flatnonzero(~rows.shows).tolist():
        del out[k]["mesh"]
    return out


def node_json(node: Node, numbers: Mapping[int, int], used: set[str]) -> Json:
    """One node; `numbers` of the things nodes hold by identity."""
    out: Json = {"name": node.name}
    if node.children:
        out["children"] = list(node.children)
    if node.matrix is not None:
        out["matrix"] = [float(x) for x in node.matrix.T.reshape(-1)]
    else:
        for name, value, rest in (
            ("translation", node.translation, np.zeros(3)),
            ("rotation", node.rotation, np.array([0, 0, 0, 1.0])),
            ("scale", node.scale, np.ones(3)),
        ):
            if not np.array_equal(value, rest):
                out[name] = [float(x) for x in value]
    differing(out, mesh=(node.mesh, None), skin=(node.skin, None))
    for thing in node.holds:
        if id(thing) in numbers:
            _held(out, thing, numbers[id(thing)], used)
    if node.weights is not None and node.mesh is not None:
        out["weights"] = [float(w) for w in node.weights]
    return out | extras_of(node.extras)


def _held(out: Json, thing: Held, number: int, used: set[str]) -> None:
    if isinstance(thing, Camera):
        out["camera"] = number
    elif isinstance(thing, Light):
        used.add("KHR_lights_punctual")
        out["extensions"] = {"KHR_lights_punctual": {"light": number}}
