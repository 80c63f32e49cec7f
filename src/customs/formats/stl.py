"""STL, text and binary. Source: the StL format specification (stereolithography interface, 1989)."""

from __future__ import annotations

import itertools
import re

import numpy as np
import numpy.typing as npt

from customs.formats.form import TextOrBinary, as_text
from customs.formats.registry import Format, Parts, WriteOptions, register
from customs.formats.source import Source, decode_text
from customs.formats.text_lines import decimals_for, format_rows, read_numbers
from customs.geometry.triangles import face_vectors, triangles_of
from customs.scene.arrays import frozen
from customs.scene.convention import Convention
from customs.scene.folding import unfolded
from customs.scene.key import Key
from customs.scene.model import Mesh, Node, Primitive, Scene
from customs.scene.transforms import apply_affine, unit_rows
from customs.scene.tree import mesh_nodes, world_matrices

RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
HEADER = 84
NORMAL_DECIMALS = 6
SOLID = re.compile(rb"^[ \t]*solid\b[ \t]*([^\r\n]*)", re.M | re.I)
WORDS = (b"facet", b"normal", b"outer", b"loop", b"vertex", b"endloop", b"endfacet")


def read_stl(source: Source) -> Scene:
    """A node a solid; every triangle with corners of its own, normals left to the route. Raises ReadError."""
    data = source.data
    if _is_binary(data):
        parts = [(source.path.stem, _binary(data, source))]
    else:
        parts = _text(data, source)
    digest = source.digest
    meshes = [
        Mesh(Key(digest, "mesh", i), name, (Primitive(Key(digest, "primitive", i), frozen(points)),))
        for i, (name, points) in enumerate(parts)
        if len(points)
    ]
    if not meshes:
        source.remark("no triangles in this file")
    nodes = tuple(Node(Key(digest, "node", i), m.name, mesh=i) for i, m in enumerate(meshes))
    return Scene(
        source.path.stem,
        digest,
        nodes,
        tuple(range(len(nodes))),
        tuple(meshes),
        convention=Convention(stated="assumed"),
    )


def _is_binary(data: bytes) -> bool:
    """Binary when the stated count fits the length, or when it does not read as text."""
    if len(data) >= HEADER:
        count = int.from_bytes(data[80:84], "little")
        if len(data) == HEADER + count * RECORD.itemsize:
            return True
    return not (data.lstrip()[:5].lower() == b"solid" and b"\0" not in data[:512])


def _binary(data: bytes, source: Source) -> npt.NDArray[np.float32]:
    if len(data) < HEADER:
        raise source.error(
            "header", f"{len(data)} bytes", f"at least {HEADER}", "The file is cut off: fetch it again."
        )
    count = int.from_bytes(data[80:84], "little")
    if HEADER + count * RECORD.itemsize > len(data):
        there = (len(data) - HEADER) // RECORD.itemsize
        raise source.error(
            "byte 80", f"{count:,} triangles", f"at most {there:,}, what the file holds", "It is cut off."
        )
    records = np.frombuffer(data, RECORD, count, HEADER)
    if count and records["attribute"].any():
        source.remark("attribute bytes (colours, at some makers) left out")
    return records["corners"].reshape(-1, 3)


def _text(data: bytes, source: Source) -> list[tuple[str, npt.NDArray[np.float32]]]:
    starts = [(m.start(), m.end(), m[1]) for m in SOLID.finditer(data)]
    out = []
    for i, (_, end, name) in enumerate(starts):
        stop = starts[i + 1][0] if i + 1 < len(starts) else len(data)
        body = re.sub(rb"^[ \t]*endsolid[^\r\n]*", b"", data[end:stop], flags=re.M | re.I).lower()
        for word in WORDS:
            body = body.replace(b"end" + word, b" ").replace(word, b" ")
        values = read_numbers(body)
        if values is None or len(values) % 12:
            found = "numbers that cannot be read" if values is None else f"{len(values)} numbers"
            todo = "The file is cut off or damaged: fetch it again."
            raise source.error(f"solid {i + 1}", found, "twelve numbers a facet", todo)
        out.append(
            (
                decode_text(name).strip() or source.path.stem,
                values.reshape(-1, 4, 3)[:, 1:].reshape(-1, 3).astype(np.float32),
            )
        )
    return out


def write_stl(scene: Scene, options: WriteOptions) -> dict[str, Parts]:
    """`{".stl": …}`: all triangles in one solid, binary or text, world positions."""
    scene = unfolded(scene)
    world, tables = world_matrices(scene), []
    for n in mesh_nodes(scene):
        for p in scene.meshes[scene.nodes[n].mesh or 0].primitives:
            faces = triangles_of(p)
            points = apply_affine(world[n], p.positions)
            records = np.zeros(len(faces), dtype=RECORD)
            records["normal"] = unit_rows(face_vectors(points, faces))
            records["corners"] = points[faces]
            tables.append(records)
    every = np.concatenate(tables) if tables else np.zeros(0, dtype=RECORD)
    if as_text(options.settings):
        return {".stl": [_as_text(every)]}
    head = b"Customs".ljust(80, b" ") + len(every).to_bytes(4, "little")
    return {".stl": [head, every.view(np.uint8).data if len(every) else b""]}


def _as_text(table: npt.NDArray[np.void]) -> bytes:
    """Facets (N,) as lines."""
    turns = format_rows(b"facet normal", table["normal"], NORMAL_DECIMALS).splitlines(keepends=True)
    points = table["corners"].reshape(-1, 3)
    corners = format_rows(b"vertex", points, decimals_for(points)).splitlines(keepends=True)
    count = len(table)
    lines = zip(
        turns,
        [b"outer loop\n"] * count,
        corners[::3],
        corners[1::3],
        corners[2::3],
        [b"endloop\nendfacet\n"] * count,
    )
    return b"".join([b"solid Customs\n", *itertools.chain.from_iterable(lines), b"endsolid Customs\n"])


def _looks_like(head: bytes) -> bool:
    return head.lstrip()[:6].lower() in (b"solid ", b"solid\n", b"solid\r") and b"\0" not in head[:80]


register(
    Format(
        id="stl",
        title="STL",
        endings=(".stl",),
        convention=Convention(stated="assumed"),
        carries=frozenset(),
        looks_like=_looks_like,
        read=read_stl,
        write=write_stl,
        settings=TextOrBinary,
        image_forms=(),
    )
)
