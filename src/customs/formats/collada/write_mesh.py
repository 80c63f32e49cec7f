"""Geometry and skins of COLLADA."""

from __future__ import annotations

from typing import Any
from xml.etree.ElementTree import Element, SubElement

import numpy as np
import numpy.typing as npt

from customs.errors import WriteError
from customs.formats.text_lines import format_integers, format_rows
from customs.geometry.triangles import TRIANGLE_MODES, triangles_of
from customs.scene.model import Mesh, Primitive, Scene

Array = npt.NDArray[Any]


def floats(values: Array) -> str:
    """Rows (N, D) as text, nine significant digits or so."""
    flat = np.asarray(values, dtype=np.float64)
    size = float(np.abs(flat).max(initial=0.0))
    decimals = int(np.clip(8 - np.floor(np.log10(max(size, 1e-9))), 0, 12))
    return format_rows(b"", flat, decimals).decode("ascii").strip()


def integers(values: Array) -> str:
    """Whole numbers (N, D) as text."""
    return format_integers(b"", np.asarray(values, dtype=np.int64), b" ", 1).decode("ascii").strip()


def _source(mesh: Element, id_: str, values: Array, params: str) -> None:
    source = SubElement(mesh, "source", id=id_)
    SubElement(source, "float_array", id=f"{id_}-array", count=str(values.size)).text = floats(values)
    reader = SubElement(
        SubElement(source, "technique_common"),
        "accessor",
        source=f"#{id_}-array",
        count=str(len(values)),
        stride=str(values.shape[1]),
    )
    for name in params:
        SubElement(reader, "param", name=name, type="float")


def _columns(parts: list[Primitive]) -> dict[str, Array]:
    """Vertex arrays of all parts one after another, those that every part has."""
    out: dict[str, Array] = {"position": np.concatenate([p.positions for p in parts])}
    if all(p.normals is not None for p in parts):
        out["normal"] = np.concatenate([p.normals for p in parts if p.normals is not None])
    for k in range(min(len(p.texcoords) for p in parts)):
        out[f"uv{k}"] = np.concatenate([p.texcoords[k] for p in parts])
    if all(p.colours for p in parts):
        out["colour"] = np.concatenate([p.colours[0] for p in parts])
    return out


def add_geometry(library: Element, scene: Scene, number: int, mesh: Mesh) -> None:
    """One mesh: shared vertices, a group of triangles for each part. Raises WriteError for points and
    lines.
    """
    parts = [p for p in mesh.primitives if p.mode in TRIANGLE_MODES]
    if len(parts) < len(mesh.primitives) or not parts:
        raise WriteError(f"mesh {mesh.name} has points or lines", "faces", "Add Drop broken.")
    e = SubElement(SubElement(library, "geometry", id=f"mesh-{number}", name=mesh.name), "mesh")
    table = _columns(parts)
    for name, values in table.items():
        letters = {"uv0": "ST", "uv1": "ST", "colour": "RGBA"}.get(
            name, "ST" if name.startswith("uv") else "XYZ"
        )
        _source(e, f"mesh-{number}-{name}", values, letters)
    vertices = SubElement(e, "vertices", id=f"mesh-{number}-vertices")
    SubElement(vertices, "input", semantic="POSITION", source=f"#mesh-{number}-position")
    start = 0
    for p in parts:
        faces = triangles_of(p).astype(np.int64) + start
        start += len(p.positions)
        group = SubElement(e, "triangles", count=str(len(faces)))
        if p.material is not None:
            group.set("material", f"material-{p.material}")
        SubElement(group, "input", semantic="VERTEX", source=f"#mesh-{number}-vertices", offset="0")
        for name in table:
            semantic = {"normal": "NORMAL", "colour": "COLOR"}.get(
                name, "TEXCOORD" if name.startswith("uv") else ""
            )
            if semantic:
                given = SubElement(
                    group, "input", semantic=semantic, source=f"#mesh-{number}-{name}", offset="0"
                )
                if semantic == "TEXCOORD":
                    given.set("set", name[2:])
        SubElement(group, "p").text = integers(faces)


def add_skin(library: Element, scene: Scene, node: int) -> None:
    """The controller of a skinned node: joints by their sid, inverse bind matrices, weights of every
    vertex.
    """
    where = scene.nodes[node]
    assert where.skin is not None and where.mesh is not None
    skin, mesh, id_ = scene.skins[where.skin], scene.meshes[where.mesh], f"skin-{node}"
    e = SubElement(
        SubElement(library, "controller", id=id_, name=skin.name), "skin", source=f"#mesh-{where.mesh}"
    )
    SubElement(e, "bind_shape_matrix").text = floats(np.eye(4).reshape(1, 16))
    names = SubElement(e, "source", id=f"{id_}-joints")
    SubElement(names, "Name_array", id=f"{id_}-names", count=str(len(skin.joints))).text = " ".join(
        f"joint-{j}" for j in skin.joints
    )
    reader = SubElement(
        SubElement(names, "technique_common"),
        "accessor",
        source=f"#{id_}-names",
        count=str(len(skin.joints)),
        stride="1",
    )
    SubElement(reader, "param", name="JOINT", type="name")
    binds = SubElement(e, "source", id=f"{id_}-binds")
    flat = skin.inverse_bind.reshape(len(skin.joints), 16)
    SubElement(binds, "float_array", id=f"{id_}-binds-array", count=str(flat.size)).text = floats(flat)
    reader = SubElement(
        SubElement(binds, "technique_common"),
        "accessor",
        source=f"#{id_}-binds-array",
        count=str(len(flat)),
        stride="16",
    )
    SubElement(reader, "param", name="TRANSFORM", type="float4x4")
    counts, pairs, values = _influences(mesh)
    _source(e, f"{id_}-weights", values[:, None], "W")
    joints = SubElement(e, "joints")
    SubElement(joints, "input", semantic="JOINT", source=f"#{id_}-joints")
    SubElement(joints, "input", semantic="INV_BIND_MATRIX", source=f"#{id_}-binds")
    weights = SubElement(e, "vertex_weights", count=str(len(counts)))
    SubElement(weights, "input", semantic="JOINT", source=f"#{id_}-joints", offset="0")
    SubElement(weights, "input", semantic="WEIGHT", source=f"#{id_}-weights", offset="1")
    SubElement(weights, "vcount").text = integers(counts[:, None])
    SubElement(weights, "v").text = integers(pairs)


def _influences(mesh: Mesh) -> tuple[Array, Array, Array]:
    """(influences of each vertex (V,), (joint, number of its weight) (M, 2), weights (M,))."""
    counts, joints, values = [], [], []
    for p in mesh.primitives:
        if p.joints is None or p.weights is None:
            counts.append(np.zeros(len(p.positions), np.int64))
            continue
        rows, slots = np.nonzero(p.weights > 0)
        counts.append(np.bincount(rows, minlength=len(p.positions)))
        joints.append(p.joints[rows, slots].astype(np.int64))
        values.append(p.weights[rows, slots])
    flat = np.concatenate(joints) if joints else np.zeros(0, np.int64)
    weights = np.concatenate(values) if values else np.zeros(0)
    return np.concatenate(counts), np.column_stack([flat, np.arange(len(flat))]), weights
