"""A delivered level put together by other people's code: json, trimesh and NumPy alone."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import trimesh


def lists_of(folder: Path) -> Iterator[dict]:  # type: ignore[type-arg]
    """The lists of a package, by its docket."""
    docket = json.loads((folder / "docket.json").read_text("utf-8"))
    for file in docket["files"]:
        if file["kind"] == "level list":
            yield json.loads((folder / file["path"]).read_text("utf-8"))


def placed_by_list(folder: Path) -> tuple[np.ndarray, np.ndarray, int, list[np.ndarray]]:
    """(low, high, triangles, matrices by placement) of a package that is a list."""
    low, high, faces, matrices = np.full(3, np.inf), np.full(3, -np.inf), 0, []
    known: dict[str, tuple[np.ndarray, int]] = {}
    for one in lists_of(folder):
        for row in one.get("placements", []):
            if row["name"] not in known:
                parts = trimesh.load(folder / row["name"], process=False, force="scene").to_geometry()
                known[row["name"]] = np.array(parts.vertices), len(parts.faces)
            points, count = known[row["name"]]
            matrix = np.array(row["matrix"], dtype=float).reshape(4, 4).T
            there = points @ matrix[:3, :3].T + matrix[:3, 3]
            low, high = np.minimum(low, there.min(axis=0)), np.maximum(high, there.max(axis=0))
            faces += count
            matrices.append(matrix)
    return low, high, faces, matrices


def placed_in_file(model: Path) -> tuple[np.ndarray, np.ndarray, int]:
    """(low, high, triangles) of a GLB, instances as EXT_mesh_gpu_instancing says them: read with pygltflib and NumPy."""
    from pygltflib import GLTF2

    g = GLTF2().load(str(model))
    blob = g.binary_blob()

    def numbers(index: int) -> np.ndarray:
        a = g.accessors[index]
        view = g.bufferViews[a.bufferView]
        kind = {5126: np.float32, 5125: np.uint32, 5123: np.uint16, 5121: np.uint8}[a.componentType]
        width = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}[a.type]
        start = (view.byteOffset or 0) + (a.byteOffset or 0)
        return np.frombuffer(blob, kind, a.count * width, start).reshape(-1, width)

    from scipy.spatial.transform import Rotation

    def local(node: object) -> np.ndarray:
        out = np.eye(4)
        if node.matrix:  # type: ignore[attr-defined]
            return np.array(node.matrix).reshape(4, 4).T  # type: ignore[attr-defined]
        out[:3, :3] = Rotation.from_quat(node.rotation or [0, 0, 0, 1]).as_matrix() * (
            node.scale or [1, 1, 1]
        )  # type: ignore[attr-defined]
        out[:3, 3] = node.translation or [0, 0, 0]  # type: ignore[attr-defined]
        return out

    low, high, faces = np.full(3, np.inf), np.full(3, -np.inf), 0
    waiting = [(n, np.eye(4)) for n in g.scenes[g.scene or 0].nodes]
    while waiting:
        n, above = waiting.pop()
        node = g.nodes[n]
        here = above @ local(node)
        waiting += [(c, here) for c in node.children or []]
        if node.mesh is None:
            continue
        each = [here]
        said = (node.extensions or {}).get("EXT_mesh_gpu_instancing")
        if said:
            t, r, s = (
                numbers(said["attributes"][k]) if k in said["attributes"] else None
                for k in ("TRANSLATION", "ROTATION", "SCALE")
            )
            count = len(next(x for x in (t, r, s) if x is not None))
            each = []
            for k in range(count):
                m = np.eye(4)
                turn = Rotation.from_quat(r[k] if r is not None else [0, 0, 0, 1]).as_matrix()
                m[:3, :3] = turn * (s[k] if s is not None else 1)
                m[:3, 3] = t[k] if t is not None else 0
                each.append(here @ m)
        for p in g.meshes[node.mesh].primitives:
            points = numbers(p.attributes.POSITION)
            faces += len(each) * (len(numbers(p.indices)) if p.indices is not None else len(points)) // 3
            for m in each:
                there = points @ m[:3, :3].T + m[:3, 3]
                low, high = np.minimum(low, there.min(axis=0)), np.maximum(high, there.max(axis=0))
    return low, high, faces
