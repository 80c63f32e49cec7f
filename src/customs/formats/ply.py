"""PLY, text and binary. Source: G. Turk, "The PLY Polygon File Format" (1994)."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.errors import LimitError
from customs.formats.form import TextOrBinary, as_text
from customs.formats.ply_lists import list_offsets
from customs.formats.registry import Format, Parts, WriteOptions, register
from customs.formats.source import Source, decode_text
from customs.formats.text_lines import decimals_for, format_integers, format_rows, read_numbers
from customs.geometry.polygons import triangulate
from customs.geometry.triangles import triangles_of
from customs.scene.arrays import frozen
from customs.scene.convention import Convention
from customs.scene.folding import unfolded
from customs.scene.key import Key
from customs.scene.model import Mesh, Node, Primitive, Scene
from customs.scene.transforms import apply_affine, inverse, unit_rows
from customs.scene.tree import mesh_nodes, world_matrices
from customs.surface.colour import to_linear, to_srgb
from customs.tolerances import ELEMENTS

Array = npt.NDArray[Any]
TYPES = {
    "char": "i1", "int8": "i1", "uchar": "u1", "uint8": "u1", "short": "i2", "int16": "i2", "ushort": "u2",
    "uint16": "u2", "int": "i4", "int32": "i4", "uint": "u4", "uint32": "u4", "float": "f4", "float32": "f4",
    "double": "f8", "float64": "f8",
}  # fmt: skip
END = re.compile(rb"[\r\n]end_header[ \t]*(\r\n|\n|\r|$)")
FORMATS = {"ascii": "", "binary_little_endian": "<", "binary_big_endian": ">"}


@dataclass
class Element:
    """One element of the header: its properties as (name, type, type of a list's count or "")."""

    name: str
    count: int
    properties: list[tuple[str, str, str]] = field(default_factory=list)

    def columns(self) -> list[str]:
        """Names of its properties."""
        return [p[0] for p in self.properties]


def read_header(source: Source) -> tuple[str, list[Element], int]:
    """(byte order or "" for text, elements, where the data begins). Raises ReadError."""
    data = source.data
    found = END.search(data)
    if data[:3] != b"ply" or found is None:
        raise source.error("header", "no end_header", "a PLY header", "The file is cut off: fetch it again.")
    order, elements = None, list[Element]()
    for k, line in enumerate(decode_text(data[: found.start()]).splitlines()):
        words = line.split()
        if not words or words[0] in ("ply", "comment", "obj_info"):
            continue
        try:
            if words[0] == "format":
                order = FORMATS[words[1]]
            elif words[0] == "element":
                if words[1] in {e.name for e in elements}:
                    raise source.error(
                        f"line {k + 1}",
                        f"a second element {words[1]}",
                        "each element once",
                        "Mend the header.",
                    )
                elements.append(Element(words[1], int(words[2])))
            elif words[0] == "property" and words[1] == "list":
                _take(elements[-1], (words[4], TYPES[words[3]], TYPES[words[2]]), k, source)
            elif words[0] == "property":
                _take(elements[-1], (words[2], TYPES[words[1]], ""), k, source)
        except (KeyError, IndexError, ValueError):
            raise source.error(
                f"line {k + 1}", line.strip()[:60], "a PLY header line", "Mend that line."
            ) from None
    if order is None:
        raise source.error("header", "no format line", "ascii, binary_little_endian or binary_big_endian")
    for e in elements:
        if not 0 <= e.count <= ELEMENTS:
            raise LimitError(
                f"{e.count:,} of {e.name}", f"at most {ELEMENTS:,}", file=source.path, where="header"
            )
    return order, elements, found.end()


def _take(element: Element, own: tuple[str, str, str], line: int, source: Source) -> None:
    if own[0] in element.columns():
        raise source.error(
            f"line {line + 1}",
            f"a second property {own[0]} of {element.name}",
            "each property once",
            "Mend the header.",
        )
    if own[2].startswith("f"):
        raise source.error(
            f"line {line + 1}",
            f"a list of {own[0]} counted by fractions",
            "a whole number type",
            "Mend the header.",
        )
    element.properties.append(own)


def _scalars(element: Element, order: str) -> np.dtype[Any]:
    return np.dtype([(name, order + kind) for name, kind, _ in element.properties])


def _binary(source: Source, order: str, elements: list[Element], at: int) -> dict[str, dict[str, Any]]:
    data, out = source.data, {}
    for e in elements:
        if not e.properties:
            continue
        lists = [p for p in e.properties if p[2]]
        if not lists:
            dtype = _scalars(e, order)
            if at + e.count * dtype.itemsize > len(data):
                there = (len(data) - at) // max(dtype.itemsize, 1)
                raise source.error(
                    f"element {e.name}", f"{e.count:,} stated", f"at most {there:,}", "It is cut off."
                )
            table = np.frombuffer(data, dtype, e.count, at)
            out[e.name] = {n: table[n] for n in e.columns()}
            at += e.count * dtype.itemsize
        else:
            found = list_offsets(np.frombuffer(data, np.uint8), at, e.count, e.properties, order)
            if found is None:
                raise source.error(
                    f"element {e.name}", f"{e.count:,} stated", "as many as the file holds", "It is cut off."
                )
            out[e.name], at = found
    return out


def _ascii(source: Source, elements: list[Element], at: int) -> dict[str, dict[str, Any]]:
    values = read_numbers(source.data[at:])
    if values is None:
        raise source.error(
            "data", "something that is no number", "numbers", "Mend the file or fetch it again."
        )
    out: dict[str, dict[str, Any]] = {}
    start = 0
    for e in elements:
        if not e.properties:
            continue
        width = len(e.properties)
        if not any(p[2] for p in e.properties):
            stop = start + e.count * width
            if stop > len(values):
                raise source.error(
                    f"element {e.name}", f"{e.count:,} stated", "as many as the file holds", "It is cut off."
                )
            table = values[start:stop].reshape(e.count, width)
            out[e.name] = {n: table[:, c] for c, n in enumerate(e.columns())}
            start = stop
        else:
            found = list_offsets(values, start, e.count, e.properties, None)
            if found is None:
                raise source.error(
                    f"element {e.name}", f"{e.count:,} stated", "as many as the file holds", "It is cut off."
                )
            out[e.name], start = found
    return out


def read_ply(source: Source) -> Scene:
    """Vertices and faces of a PLY; without faces a point cloud. Raises ReadError, LimitError."""
    order, elements, at = read_header(source)
    tables = _binary(source, order, elements, at) if order else _ascii(source, elements, at)
    vertex = tables.get("vertex", {})
    ragged = sorted(n for n, values in vertex.items() if isinstance(values, tuple))
    for name in ragged:
        source.remark(f"lists of {name}, of different lengths from vertex to vertex, are left out")
        del vertex[name]
    if not {"x", "y", "z"} <= set(vertex):
        raise source.error(
            "header", "no vertex with x, y and z", "element vertex with x, y, z", "Export it again."
        )
    digest = source.digest
    positions = _columns(vertex, ("x", "y", "z"))
    kept = {"x", "y", "z", "nx", "ny", "nz", *COLOURS, "alpha", *(n for pair in UVS for n in pair)}
    strange = sorted(set(vertex) - kept)
    prim = Primitive(
        key=Key(digest, "primitive", 0),
        positions=positions,
        normals=_columns(vertex, ("nx", "ny", "nz")) if {"nx", "ny", "nz"} <= set(vertex) else None,
        texcoords=_uvs(vertex),
        colours=_colours(vertex),
        custom={f"_{n.upper()}": frozen(vertex[n]) for n in strange},
        **_faces(tables.get("face", {}), positions, source),
    )
    mesh = Mesh(Key(digest, "mesh", 0), source.path.stem, (prim,)) if len(positions) else None
    nodes = (Node(Key(digest, "node", 0), source.path.stem, mesh=0),) if mesh else ()
    unknown = tuple(f"element {n}" for n in tables if n not in ("vertex", "face"))
    return Scene(
        name=source.path.stem,
        digest=digest,
        nodes=nodes,
        roots=tuple(range(len(nodes))),
        meshes=(mesh,) if mesh else (),
        convention=Convention(v="up", stated="assumed"),
        unknown=unknown,
    )


COLOURS = ("red", "green", "blue")
UVS = (("u", "v"), ("s", "t"), ("texture_u", "texture_v"))


def _columns(table: dict[str, Any], names: tuple[str, ...]) -> npt.NDArray[np.float32]:
    return frozen(np.stack([np.asarray(table[n]).astype(np.float32) for n in names], axis=1))


def _uvs(table: dict[str, Any]) -> tuple[npt.NDArray[np.float32], ...]:
    pair = next((p for p in UVS if set(p) <= set(table)), None)
    return (_columns(table, pair),) if pair else ()


def _colours(table: dict[str, Any]) -> tuple[npt.NDArray[np.float32], ...]:
    """Colours (V, 4) linear; the file's are taken as sRGB (common practice): whole numbers 0..255, fractions
    0..1.
    """
    if not set(COLOURS) <= set(table):
        return ()
    names = (*COLOURS, "alpha") if "alpha" in table else COLOURS
    raw = _columns(table, names)
    top = 1.0 if np.asarray(table["red"]).dtype.kind == "f" and float(raw.max(initial=0)) <= 1 else 255.0
    out = np.ones((len(raw), 4), dtype=np.float32)
    out[:, : len(names)] = raw / top
    out[:, :3] = to_linear(np.clip(out[:, :3], 0, 1))
    return (frozen(out),)


def _faces(table: dict[str, Any], positions: Array, source: Source) -> dict[str, Any]:
    name = next((n for n in ("vertex_indices", "vertex_index") if n in table), None)
    if name is not None and not isinstance(table[name], tuple):
        raise source.error("header", f"{name} of a face is one number", "a list of them", "Export it again.")
    if name is None or not len(table[name][1]):
        return {"mode": "points", "indices": None}
    flat, sizes = table[name]
    good = sizes >= 3
    if not good.all():
        source.remark(f"{int((~good).sum())} faces with fewer than three corners left out")
        flat, sizes = flat[np.repeat(good, sizes)], sizes[good]
    low, high = int(flat.min(initial=0)), int(flat.max(initial=-1))
    if low < 0 or high >= len(positions):
        raise source.error(
            "faces", f"vertex number {high if low >= 0 else low}", f"0..{len(positions) - 1}", "Export again."
        )
    indices = frozen(flat, np.uint32)
    if int(sizes.max(initial=3)) == 3:
        return {"mode": "triangles", "indices": indices}
    cut, _ = triangulate(positions, indices, sizes.astype(np.uint32))
    return {
        "mode": "polygons",
        "indices": indices,
        "sizes": frozen(sizes, np.uint32),
        "triangulation": frozen(cut, np.uint32),
    }


def write_ply(scene: Scene, options: WriteOptions) -> dict[str, Parts]:
    """`{".ply": …}`: everything as one mesh, binary little-endian or text, world positions."""
    scene = unfolded(scene)
    world, points, normals, colours, uvs, faces, start = world_matrices(scene), [], [], [], [], [], 0
    parts = [(n, p) for n in mesh_nodes(scene) for p in scene.meshes[scene.nodes[n].mesh or 0].primitives]
    has_normals = bool(parts) and all(p.normals is not None for _, p in parts)
    has_colours, has_uvs = any(p.colours for _, p in parts), any(p.texcoords for _, p in parts)
    for n, p in parts:
        points.append(apply_affine(world[n], p.positions))
        if has_normals and p.normals is not None:
            normals.append(unit_rows(p.normals @ inverse(world[n][:3, :3])))
        white = np.ones((len(p.positions), 4), np.float32)
        colours.append(p.colours[0] if p.colours else white)
        uvs.append(p.texcoords[0] if p.texcoords else white[:, :2] * 0)
        faces.append(triangles_of(p) + np.uint32(start))
        start += len(p.positions)
    fields = [
        (n, "<f4")
        for n in (
            "x",
            "y",
            "z",
            *(("nx", "ny", "nz") if has_normals else ()),
            *(("u", "v") if has_uvs else ()),
        )
    ]
    fields += [(n, "u1") for n in (*COLOURS, "alpha")] if has_colours else []
    vertex = np.zeros(start, dtype=fields)
    _fill(vertex, ("x", "y", "z"), points)
    if has_normals:
        _fill(vertex, ("nx", "ny", "nz"), normals)
    if has_uvs:
        _fill(vertex, ("u", "v"), uvs)
    if has_colours:
        tones = np.concatenate(colours)
        tones = np.concatenate([to_srgb(np.clip(tones[:, :3], 0, 1)), tones[:, 3:]], axis=1)
        _fill(vertex, (*COLOURS, "alpha"), [np.round(np.clip(tones, 0, 1) * 255)])
    every = np.concatenate(faces) if faces else np.zeros((0, 3), np.uint32)
    face = np.zeros(len(every), dtype=[("n", "u1"), ("i", "<u4", 3)])
    face["n"], face["i"] = 3, every
    text = as_text(options.settings)
    lines = [
        "ply",
        f"format {'ascii' if text else 'binary_little_endian'} 1.0",
        "comment Customs",
        f"element vertex {start}",
    ]
    lines += [f"property {'uchar' if kind == 'u1' else 'float'} {name}" for name, kind in fields]
    lines += [f"element face {len(every)}", "property list uchar uint vertex_indices", "end_header", ""]
    head = "\n".join(lines).encode()
    return {".ply": [head, *_as_text(vertex, every)] if text else [head, vertex.tobytes(), face.tobytes()]}


def _as_text(vertex: Array, faces: Array) -> tuple[bytes, bytes]:
    """Vertices (N,) with all their fields, and triangles (F, 3), as lines."""
    columns = np.stack([vertex[n].astype(np.float64) for n in vertex.dtype.names or ()], axis=1)
    decimals = decimals_for(columns[:, :3])
    return format_rows(b"", columns, decimals), format_integers(b"3", faces.astype(np.int64), b" ", 1)


def _fill(table: Array, names: tuple[str, ...], parts: list[Array]) -> None:
    if parts:
        values = np.concatenate(parts)
        for c, name in enumerate(names):
            table[name] = values[:, c]


register(
    Format(
        id="ply",
        title="PLY",
        endings=(".ply",),
        convention=Convention(v="up", stated="assumed"),
        carries=frozenset({"colours", "normals", "texcoords", "points"}),
        looks_like=lambda head: head[:4] in (b"ply\n", b"ply\r"),
        read=read_ply,
        write=write_ply,
        settings=TextOrBinary,
        image_forms=(),
    )
)
