"""Nodes that only repeat a mesh, read straight into rows: a hundred thousand of them are columns, not
objects.

Anything unusual ends it, and all nodes are read one by one, which says what is wrong and where.
"""

from __future__ import annotations

from dataclasses import replace
from itertools import chain
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.errors import LimitError
from customs.formats.gltf.accessors import Accessors
from customs.formats.gltf.document import Obj
from customs.formats.gltf.vrm import EXTENSIONS
from customs.scene.folding import LEAST, repeated
from customs.scene.hanging import leading
from customs.scene.key import Key
from customs.scene.model import Node, Scene
from customs.scene.placements import NOTHING, Placements, table
from customs.scene.prune import with_nodes
from customs.scene.transforms import compose
from customs.tolerances import ELEMENTS

F64 = npt.NDArray[np.float64]
PARTS = {"translation": (0.0, 0.0, 0.0), "rotation": (0.0, 0.0, 0.0, 1.0), "scale": (1.0, 1.0, 1.0)}
SAYS = {"name", "mesh", "children", *PARTS}
INSTANCING = "EXT_mesh_gpu_instancing"
STAND_IN = Node(Key("", "node", 0), "")
"""Holds the place of the node of a row that leads to no other."""


def read_rows(root: Obj, meshes: int) -> Placements | None:
    """Rows for nodes that say no more than a row can, LEAST or more that show the same with all below them;
    those that hang under no other row have no parent yet.

    None where there are none, where clips or joints might move them, or where something in them is wrong.
    """
    nodes = root.value.get("nodes")
    if not isinstance(nodes, list) or len(nodes) < LEAST or {"animations", "skins"} & root.value.keys():
        return None
    said = root.value.get("extensions")
    if isinstance(said, dict) and said.keys() & EXTENSIONS:
        return None
    above = _above(nodes)
    told = [v["mesh"] for v in nodes if type(v) is dict and "mesh" in v]
    if above is None or not set(map(type, told)) <= {int} or not all(0 <= m < meshes for m in told):
        return None
    shown = [v.get("mesh", -1) if type(v) is dict else -1 for v in nodes]
    plain = np.array(
        [type(v) is dict and v.keys() <= SAYS and ("mesh" in v or bool(v.get("children"))) for v in nodes]
    )
    try:
        chosen = repeated(above, np.array(shown, np.intp)) & ~leading(above, ~plain)
    except ValueError:
        return None
    found = np.flatnonzero(chosen)
    return _rows([nodes[i] for i in found.tolist()], found, above) if len(found) else None


def _above(nodes: list[Any]) -> npt.NDArray[np.intp] | None:
    """(N,) the node each node hangs under, −1 for none; None where something in their lists of children is
    wrong.
    """
    lists = [v.get("children", ()) if type(v) is dict else () for v in nodes]
    if not set(map(type, lists)) <= {list, tuple}:
        return None
    flat = list(chain.from_iterable(lists))
    if (
        not set(map(type, flat)) <= {int}
        or not all(0 <= c < len(nodes) for c in flat)
        or len(set(flat)) < len(flat)
    ):
        return None
    out = np.full(len(nodes), -1)
    out[np.array(flat, np.intp)] = np.repeat(np.arange(len(nodes)), list(map(len, lists)))
    return out


def _rows(
    chosen: list[dict[str, Any]], found: npt.NDArray[np.intp], above: npt.NDArray[np.intp]
) -> Placements | None:
    names = tuple(v.get("name") or f"node {i}" for i, v in zip(found.tolist(), chosen))
    columns = [_column(chosen, name) for name in PARTS]
    if not set(map(type, names)) <= {str} or any(c is None for c in columns):
        return None
    places, turns, scales = columns
    assert places is not None and turns is not None and scales is not None
    length = np.linalg.norm(turns, axis=1)
    if not ((length > 0.5) & (length < 2)).all():
        return None
    number = np.full(len(above) + 1, -1)
    number[found] = np.arange(len(found))
    of = [v.get("mesh", NOTHING) for v in chosen]
    return table(
        of,
        compose(places, turns / length[:, None], scales),
        np.full(len(of), -1),
        found,
        names,
        number[above[found]],
    )


def stand_ins(rows: Placements | None, nodes: list[Obj]) -> dict[int, Node]:
    """What holds the place of the node of each row until all nodes are read, by its number."""
    ordinals = rows.ordinals.tolist() if rows is not None else []
    return {
        i: replace(STAND_IN, children=tuple(c)) if (c := nodes[i].value.get("children")) else STAND_IN
        for i in ordinals
    }


def _column(nodes: list[dict[str, Any]], name: str) -> F64 | None:
    """(N, W) float64 of one property of all nodes, as it is where it is not said; None where something in it
    is wrong.
    """
    rest = PARTS[name]
    said = [v.get(name, rest) for v in nodes]
    if not set(map(type, said)) <= {list, tuple} or {len(v) for v in said} - {len(rest)}:
        return None
    if not set(map(type, chain.from_iterable(said))) <= {int, float}:
        return None
    try:
        out = np.array(said, np.float64)
    except OverflowError:
        return None
    return out if np.isfinite(out).all() else None


def taken_out(scene: Scene, rows: Placements) -> Scene:
    """The scene without the nodes that stand in for `rows`, and with the topmost of those rows under their
    parents.

    Rows outside the tree go, as nothing shows them.
    """
    above = np.full(len(scene.nodes), -2)
    above[list(scene.roots)] = -1
    stack = list(scene.roots)
    while stack:
        children = scene.nodes[n := stack.pop()].children
        above[list(children)] = n
        stack.extend(c for c in children if scene.nodes[c].children)
    rows = rows.under(above[rows.ordinals])
    rows = rows.at(rows.parents > -2)
    left = np.ones(len(scene.nodes), dtype=bool)
    left[rows.ordinals] = False
    keep = {old: new for new, old in enumerate(np.flatnonzero(left).tolist())}
    return with_nodes(replace(scene, placements=rows.and_(scene.placements)), keep)


def read_instances(nodes: list[Obj], scene: Scene, accessors: Accessors) -> Scene:
    """What nodes say they repeat on the graphics card, as rows below them. Source: EXT_mesh_gpu_instancing,
    vendor extension of glTF 2.0. Raises ReadError, LimitError."""
    out, changed, first = scene.placements, list(scene.nodes), len(scene.nodes)
    morphing = {c.node for clip in scene.clips for c in clip.channels if c.path == "weights"}
    for i, obj in enumerate(nodes):
        said = obj.extension(INSTANCING)
        node, mesh = scene.nodes[i], scene.nodes[i].mesh
        if said is None or mesh is None:
            continue
        matrices = _instances(said, accessors)
        if node.skin is not None or node.weights is not None or i in morphing:
            obj.source.remark(
                f"{node.name} bends and is said to stand {len(matrices):,} times over: it stands once"
            )
            continue
        count = len(matrices)
        if len(out) + count > ELEMENTS:
            raise LimitError(
                f"more than {ELEMENTS:,} instances", "fewer", "Split the file.", obj.source.path, said.where
            )
        names = tuple(f"{node.name} {k}" for k in range(count))
        out = out.and_(
            table(np.full(count, mesh), matrices, np.full(count, i), first + np.arange(count), names)
        )
        first += count
        changed[i] = replace(node, mesh=None)
    return scene if out is scene.placements else replace(scene, nodes=tuple(changed), placements=out)


def _instances(said: Obj, accessors: Accessors) -> F64:
    """(N, 4, 4) of the attributes TRANSLATION, ROTATION and SCALE of an extension object; others are left
    alone.
    """
    columns = said.child("attributes")
    strange = sorted(columns.value.keys() - {name.upper() for name in PARTS}) if columns is not None else []
    if strange:
        said.source.remark(
            f"what instances say beside where they stand is left out: {', '.join(strange)[:60]}"
        )
    parts: dict[str, F64] = {}
    for name, rest in PARTS.items():
        index = columns.integer(name.upper(), None, below=len(accessors)) if columns is not None else None
        if columns is not None and index is not None:
            parts[name] = accessors.floats(index, (len(rest),), columns, name.upper()).astype(np.float64)
    counts = {len(v) for v in parts.values()}
    if len(counts) != 1:
        raise said.fail(
            "attributes", f"{sorted(counts)} instances", "as many of TRANSLATION, ROTATION and SCALE each"
        )
    (count,) = counts
    whole = [parts.get(name, np.tile(np.array(rest), (count, 1))) for name, rest in PARTS.items()]
    length = np.linalg.norm(whole[1], axis=1, keepdims=True)
    if not all(np.isfinite(v).all() for v in whole) or not ((length > 0.5) & (length < 2)).all():
        raise said.fail(
            "attributes",
            "numbers that are not finite, or no unit quaternions",
            "finite numbers, unit quaternions",
        )
    return compose(whole[0], whole[1] / length, whole[2])
