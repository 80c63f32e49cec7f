"""Geometry: points once, everything else by the corners of the polygons; morph targets as shapes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.errors import WriteError
from customs.formats.fbx.objects import Objects, number, table
from customs.formats.fbx.record import Record
from customs.geometry.triangles import TRIANGLE_MODES, triangles_of
from customs.geometry.weld import unique_rows
from customs.scene.model import Mesh, Primitive

Array = npt.NDArray[Any]


@dataclass(frozen=True, eq=False)
class Points:
    """The points of one geometry: `joints` and `weights` (P, K) float, or None. Corners refer to them."""

    positions: Array
    joints: Array | None
    weights: Array | None
    targets: tuple[Array, ...]


@dataclass(frozen=True, eq=False)
class Corners:
    """The corners of all polygons: `point` (C,), `size` (F,) and per polygon the primitive `part` (F,), each
    corner's vertex in its primitive by `row` (C,)."""

    point: Array
    size: Array
    part: Array
    rows: tuple[Array, ...]


def add_geometry(mesh: Mesh, objects: Objects, model: int) -> tuple[int, Points, list[int]]:
    """(geometry's number, its points, its morph channels' numbers). Raises WriteError for points and
    lines.
    """
    parts = [p for p in mesh.primitives if p.mode in TRIANGLE_MODES]
    if len(parts) < len(mesh.primitives) or not parts:
        raise WriteError(
            f"mesh {mesh.name} has points or lines", "faces, which is all FBX meshes hold", "Add Drop broken."
        )
    points, corners = _gather(parts)
    id_, record = objects.add("Geometry", mesh.name, "Geometry", "Mesh")
    record.add("Properties70")
    record.add("GeometryVersion", 124)
    record.add("Vertices", points.positions.astype("<f8"))
    ends = np.cumsum(corners.size) - 1
    polygons = corners.point.astype("<i4")
    polygons[ends] = ~polygons[ends]
    record.add("PolygonVertexIndex", polygons)
    layers = _layers(record, parts, corners)
    layer = record.add("Layer", 0)
    layer.add("Version", 100)
    for kind, index in layers:
        element = layer.add("LayerElement")
        element.add("Type", kind)
        element.add("TypedIndex", index)
    objects.link(id_, model)
    return id_, points, _shapes(mesh, points, id_, objects)


def _gather(parts: list[Primitive]) -> tuple[Points, Corners]:
    """Vertices at one place with the same weights and morph offsets become one point."""
    width = max((p.joints.shape[1] for p in parts if p.joints is not None), default=0)
    targets = max(len(p.targets) for p in parts)
    positions = np.concatenate([p.positions for p in parts])
    columns: list[Array] = [positions]
    joints = weights = None
    if width:
        joints = np.concatenate([_padded(p.joints, len(p.positions), width, np.uint16) for p in parts])
        weights = np.concatenate([_padded(p.weights, len(p.positions), width, np.float32) for p in parts])
        columns += [joints, weights]
    moved = [np.concatenate([_offsets(p, k) for p in parts]) for k in range(targets)]
    first, inverse = unique_rows([*columns, *moved])
    starts = np.cumsum([0, *(len(p.positions) for p in parts)])
    flats, sizes, owner = [], [], []
    for k, p in enumerate(parts):
        flat, size = _polygons(p)
        flats.append(flat)
        sizes.append(size)
        owner.append(np.full(len(size), k, dtype=np.int32))
    point = np.concatenate([inverse[starts[k] + f] for k, f in enumerate(flats)])
    points = Points(
        positions[first],
        joints[first] if joints is not None else None,
        weights[first] if weights is not None else None,
        tuple(m[first] for m in moved),
    )
    return points, Corners(point, np.concatenate(sizes), np.concatenate(owner), tuple(flats))


def _polygons(prim: Primitive) -> tuple[Array, Array]:
    if prim.mode == "polygons" and prim.sizes is not None and prim.indices is not None:
        return prim.indices.astype(np.int64), prim.sizes.astype(np.int64)
    faces = triangles_of(prim)
    return faces.reshape(-1).astype(np.int64), np.full(len(faces), 3, dtype=np.int64)


def _padded(values: Array | None, count: int, width: int, dtype: Any) -> Array:
    out = np.zeros((count, width), dtype)
    if values is not None:
        out[:, : values.shape[1]] = values
    return out


def _offsets(prim: Primitive, number_: int) -> Array:
    target = prim.targets[number_] if number_ < len(prim.targets) else None
    if target is None or target.positions is None:
        return np.zeros_like(prim.positions)
    return target.positions


def _layers(record: Record, parts: list[Primitive], corners: Corners) -> list[tuple[str, int]]:
    out: list[tuple[str, int]] = []
    if all(p.normals is not None for p in parts):
        values = np.concatenate([p.normals[f] for p, f in zip(parts, corners.rows) if p.normals is not None])
        element = _element(record, "LayerElementNormal", 0, 101, "")
        element.add("ReferenceInformationType", "Direct")
        element.add("Normals", values.astype("<f8"))
        out.append(("LayerElementNormal", 0))
    if all(p.tangents is not None for p in parts) and out:
        out += _tangents(record, parts, corners)
    for k in range(max(len(p.texcoords) for p in parts)):
        _uvs(record, parts, corners, k)
        out.append(("LayerElementUV", k))
    for k in range(max(len(p.colours) for p in parts)):
        white = [
            p.colours[k][f] if k < len(p.colours) else np.ones((len(f), 4))
            for p, f in zip(parts, corners.rows)
        ]
        first, inverse = unique_rows([np.concatenate(white).astype(np.float32)])
        element = _element(record, "LayerElementColor", k, 101, f"colour {k}")
        element.add("ReferenceInformationType", "IndexToDirect")
        element.add("Colors", np.concatenate(white)[first].astype("<f8"))
        element.add("ColorIndex", inverse.astype("<i4"))
        out.append(("LayerElementColor", k))
    element = record.add("LayerElementMaterial", 0)
    element.add("Version", 101)
    element.add("Name", "")
    numbers = _slots(parts)
    element.add("MappingInformationType", "AllSame" if len(parts) == 1 else "ByPolygon")
    element.add("ReferenceInformationType", "IndexToDirect")
    element.add("Materials", (numbers[:1] if len(parts) == 1 else numbers[corners.part]).astype("<i4"))
    out.append(("LayerElementMaterial", 0))
    return out


def material_slots(mesh: Mesh) -> list[int | None]:
    """Materials of a mesh in the order its faces count them; None stands for none."""
    return list(dict.fromkeys(p.material for p in mesh.primitives))


def _slots(parts: list[Primitive]) -> Array:
    order = list(dict.fromkeys(p.material for p in parts))
    return np.array([order.index(p.material) for p in parts])


def _element(record: Record, kind: str, index: int, version: int, name: str) -> Record:
    element = record.add(kind, index)
    element.add("Version", version)
    element.add("Name", name)
    element.add("MappingInformationType", "ByPolygonVertex")
    return element


def _tangents(record: Record, parts: list[Primitive], corners: Corners) -> list[tuple[str, int]]:
    tangents = np.concatenate([p.tangents[f] for p, f in zip(parts, corners.rows) if p.tangents is not None])
    normals = np.concatenate([p.normals[f] for p, f in zip(parts, corners.rows) if p.normals is not None])
    sides = np.cross(normals, tangents[:, :3]) * tangents[:, 3:]
    for kind, name, values in (("Tangent", "Tangents", tangents[:, :3]), ("Binormal", "Binormals", sides)):
        element = _element(record, f"LayerElement{kind}", 0, 101, "")
        element.add("ReferenceInformationType", "Direct")
        element.add(name, values.astype("<f8"))
    return [("LayerElementTangent", 0), ("LayerElementBinormal", 0)]


def _uvs(record: Record, parts: list[Primitive], corners: Corners, k: int) -> None:
    each = [
        p.texcoords[k][f] if k < len(p.texcoords) else np.zeros((len(f), 2))
        for p, f in zip(parts, corners.rows)
    ]
    values = np.concatenate(each).astype(np.float32)
    first, inverse = unique_rows([values])
    element = _element(record, "LayerElementUV", k, 101, f"UV {k}")
    element.add("ReferenceInformationType", "IndexToDirect")
    element.add("UV", values[first].astype("<f8"))
    element.add("UVIndex", inverse.astype("<i4"))


def _shapes(mesh: Mesh, points: Points, geometry: int, objects: Objects) -> list[int]:
    """Morph targets: a deformer, a channel each, and a shape of the points that move."""
    if not points.targets:
        return []
    deformer, record = objects.add("Deformer", mesh.name, "Deformer", "BlendShape")
    record.add("Version", 100)
    objects.link(deformer, geometry)
    out = []
    for k, moved in enumerate(points.targets):
        name = mesh.target_names[k] if k < len(mesh.target_names) else f"{mesh.name} {k}"
        start = float(mesh.weights[k]) * 100 if mesh.weights is not None and k < len(mesh.weights) else 0.0
        channel, entry = objects.add("Deformer", name, "SubDeformer", "BlendShapeChannel")
        entry.add("Version", 100)
        table(entry, number("DeformPercent", start, "A"))
        entry.add("DeformPercent", start)
        entry.add("FullWeights", np.array([100.0], "<f8"))
        objects.link(channel, deformer)
        shape, body = objects.add("Geometry", name, "Geometry", "Shape")
        body.add("Version", 100)
        rows = np.flatnonzero(np.abs(moved).max(axis=1) > 0)
        rows = rows if len(rows) else np.zeros(1, dtype=np.int64)
        body.add("Indexes", rows.astype("<i4"))
        body.add("Vertices", moved[rows].astype("<f8"))
        body.add("Normals", np.zeros((len(rows), 3), "<f8"))
        objects.link(shape, channel)
        out.append(channel)
    return out
