"""Meshes and skins: the library splits a mesh by material and gives every corner a vertex of its own."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.aside.pack import Answer
from customs.errors import ReadError
from customs.formats.interchange.nodes import Tree
from customs.geometry.polygons import triangulate
from customs.geometry.weld import unique_rows
from customs.scene.arrays import frozen
from customs.scene.key import Key
from customs.scene.model import MorphTarget, Primitive, Skin

Json = dict[str, Any]
F32 = npt.NDArray[np.float32]


class MeshBuilder:
    """Primitives of an import. `bones` gives each joint its column by name."""

    def __init__(self, imported: Answer, digest: str, materials: int) -> None:
        self.imported, self.digest, self.materials = imported, digest, materials
        self.made = 0

    def primitives(self, entry: Json, columns: dict[str, int]) -> Iterator[Primitive]:
        """One primitive for the faces of an entry, one more for its lines, one for its points. Raises
        ReadError.
        """
        array = self.imported.array
        sizes, corners = array(entry["sizes"]).astype(np.uint32), array(entry["corners"]).astype(np.uint32)
        positions = array(entry["vertices"])
        if len(corners) and (not len(positions) or corners.max() >= len(positions)):
            raise ReadError(
                f"a corner at vertex {corners.max():,}",
                f"below {len(positions):,}",
                where=entry["name"] or "a mesh",
            )
        kinds = np.minimum(sizes, 3)
        per_corner = np.repeat(kinds, sizes)
        for kind in (3, 2, 1):
            if (kinds == kind).any():
                yield self._primitive(entry, columns, corners[per_corner == kind], sizes[kinds == kind], kind)

    def _primitive(
        self,
        entry: Json,
        columns: dict[str, int],
        corners: npt.NDArray[np.uint32],
        sizes: npt.NDArray[np.uint32],
        kind: int,
    ) -> Primitive:
        table = self._columns(entry, columns)
        first, inverse = unique_rows([v[corners] for v in table.values()])
        rows, flat = corners[first], frozen(inverse, np.uint32)
        mode: Any = {1: "points", 2: "lines"}.get(kind, "triangles")
        more: dict[str, Any] = {"indices": flat, "mode": mode}
        positions = frozen(table["positions"][rows])
        if kind == 3 and (sizes != 3).any():
            cut, _ = triangulate(positions, flat, sizes)
            more |= {
                "mode": "polygons",
                "sizes": frozen(sizes, np.uint32),
                "triangulation": frozen(cut, np.uint32),
            }
        self.made += 1
        pick = {name: values[rows] for name, values in table.items()}
        targets = tuple(
            MorphTarget(frozen(pick[f"target {k} positions"]), _maybe(pick, f"target {k} normals"))
            for k in range(len(entry["targets"]))
        )
        return Primitive(
            key=Key(self.digest, "primitive", self.made - 1),
            positions=positions,
            normals=_maybe(pick, "normals"),
            tangents=_maybe(pick, "tangents"),
            texcoords=tuple(frozen(pick[f"texcoords {k}"]) for k in range(len(entry["texcoords"]))),
            colours=tuple(
                frozen(np.clip(pick[f"colours {k}"], 0, None)) for k in range(len(entry["colours"]))
            ),
            joints=frozen(pick["joints"], np.uint16) if "joints" in pick else None,
            weights=_maybe(pick, "weights"),
            material=entry["material"] if entry["material"] < self.materials else None,
            targets=targets,
            **more,
        )

    def _columns(self, entry: Json, columns: dict[str, int]) -> dict[str, npt.NDArray[Any]]:
        """Every vertex array of an entry, (V, D), by what it is."""
        array = self.imported.array
        out: dict[str, npt.NDArray[Any]] = {"positions": array(entry["vertices"])}
        if entry["normals"] and np.isfinite(array(entry["normals"])).all():
            out["normals"] = array(entry["normals"])
        if "normals" in out and entry["tangents"] and entry["bitangents"]:
            tangents, bitangents = array(entry["tangents"]), array(entry["bitangents"])
            side = np.sign(np.einsum("ij,ij->i", np.cross(out["normals"], tangents), bitangents))
            out["tangents"] = np.column_stack([tangents, np.where(side == 0, 1, side)]).astype(np.float32)
        for k, uv in enumerate(entry["texcoords"]):
            out[f"texcoords {k}"] = np.ascontiguousarray(array(uv)[:, :2])
        for k, colour in enumerate(entry["colours"]):
            out[f"colours {k}"] = array(colour)
        if entry["bones"]:
            out["joints"], out["weights"] = self._influences(entry, columns, len(out["positions"]))
        for k, target in enumerate(entry["targets"]):
            moved = array(target["vertices"])
            out[f"target {k} positions"] = (
                moved - out["positions"] if len(moved) else np.zeros_like(out["positions"])
            )
            if target["normals"] and "normals" in out:
                out[f"target {k} normals"] = array(target["normals"]) - out["normals"]
        return out

    def _influences(
        self, entry: Json, columns: dict[str, int], count: int
    ) -> tuple[npt.NDArray[np.uint16], F32]:
        """(joints, weights) (V, K), K a multiple of four: as many as the vertex with the most has, strongest
        first.
        """
        array = self.imported.array
        vertices = np.concatenate([array(b["vertices"]).reshape(-1) for b in entry["bones"]]).astype(np.int64)
        weights = np.concatenate([array(b["weights"]).reshape(-1) for b in entry["bones"]]).astype(np.float32)
        lengths = [len(array(b["vertices"]).reshape(-1)) for b in entry["bones"]]
        joints = np.repeat([columns[b["name"]] for b in entry["bones"]], lengths)
        good = (vertices < count) & np.isfinite(weights) & (weights != 0)
        vertices, weights, joints = vertices[good], weights[good], joints[good]
        order = np.lexsort((-weights, vertices))
        vertices, weights, joints = vertices[order], weights[order], joints[order]
        starts = np.searchsorted(vertices, vertices, side="left")
        slot = np.arange(len(vertices)) - starts
        width = max(4, -(-int(slot.max(initial=0) + 1) // 4) * 4)
        out_joints, out_weights = np.zeros((count, width), np.uint16), np.zeros((count, width), np.float32)
        out_joints[vertices, slot], out_weights[vertices, slot] = joints, weights
        return out_joints, out_weights


def _maybe(pick: dict[str, npt.NDArray[Any]], name: str) -> F32 | None:
    return frozen(pick[name]) if name in pick else None


class SkinBuilder:
    """Skins: meshes that agree on where their joints were when they were bound share one."""

    def __init__(self, tree: Tree, digest: str) -> None:
        self.tree, self.digest = tree, digest
        self.tables: list[dict[int, npt.NDArray[np.float64]]] = []
        self.lost: list[str] = []

    def number(self, entries: list[Json]) -> int | None:
        """The skin of a mesh made of `entries`, or None when it has no joints. A joint that is no node is
        noted in `lost`.
        """
        wanted: dict[int, npt.NDArray[np.float64]] = {}
        for entry in entries:
            for bone in entry["bones"]:
                node = self.tree.by_name.get(bone["name"])
                if node is None:
                    self.lost.append(bone["name"])
                    continue
                wanted.setdefault(node, np.array(bone["offset"], dtype=np.float64).reshape(4, 4))
        if not wanted:
            return None
        for number, known in enumerate(self.tables):
            if all(k not in known or _same(known[k], m) for k, m in wanted.items()):
                known.update({k: m for k, m in wanted.items() if k not in known})
                return number
        self.tables.append(wanted)
        return len(self.tables) - 1

    def columns(self, number: int) -> dict[str, int]:
        """Position of each joint in a skin by name, once all meshes are known."""
        return {self.tree.nodes[n].name: k for k, n in enumerate(sorted(self.tables[number]))}

    def skins(self) -> tuple[Skin, ...]:
        """The skins, joints in the order of the tree."""
        out = []
        for number, known in enumerate(self.tables):
            joints = tuple(sorted(known))
            inverse = frozen(np.stack([known[j] for j in joints]), np.float64)
            out.append(Skin(Key(self.digest, "skin", number), f"skin {number}", joints, inverse))
        return tuple(out)


def _same(a: npt.NDArray[np.float64], b: npt.NDArray[np.float64]) -> bool:
    return bool(np.abs(a - b).max() <= 1e-5 * max(1.0, float(np.abs(a).max())))
