"""OBJ into a scene: a node a group, a primitive a material."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from customs.formats.obj.chunk import VN, VT, F, L, P, V
from customs.formats.obj.mtl import Library
from customs.formats.obj.parse import ObjText, parse
from customs.formats.source import Source
from customs.geometry.normals import corner_normals
from customs.geometry.polygons import triangulate
from customs.geometry.weld import distinct_pairs, unique_rows
from customs.scene.arrays import frozen, runs
from customs.scene.convention import Convention
from customs.scene.key import Key
from customs.scene.model import Mesh, Mode, Node, Primitive, Scene
from customs.surface.colour import to_linear

Array = npt.NDArray[Any]
Corners = tuple[Array, Array, Array]


class _Tables:
    """The vertex tables of an OBJ as whole arrays."""

    def __init__(self, text: ObjText) -> None:
        self.positions = text.vectors.get(V, np.zeros((0, 3), np.float32))
        self.texcoords = text.vectors.get(VT, np.zeros((0, 2), np.float32))
        self.normals = text.vectors.get(VN, np.zeros((0, 3), np.float32))
        self.colours = text.colours


def read_obj(source: Source) -> Scene:
    """The scene in an OBJ. Raises ReadError with the line, LimitError."""
    text = parse(source)
    tables = _Tables(text)
    digest = source.digest
    library = Library(source, digest)
    for name in dict.fromkeys(text.libraries):
        library.load(name)
    builder = _Builder(text, tables, library, source, digest)
    meshes = builder.meshes()
    if not meshes and len(tables.positions):
        meshes = [builder.cloud()]
    elif not meshes:
        source.remark("no vertices and no faces in this file")
    for word in sorted(text.ignored):
        source.remark(f"statement {word} is not understood and left out")
    nodes = tuple(Node(Key(digest, "node", i), m.name, mesh=i) for i, m in enumerate(meshes))
    return Scene(
        name=source.path.stem,
        digest=digest,
        nodes=nodes,
        roots=tuple(range(len(nodes))),
        meshes=tuple(meshes),
        materials=tuple(library.materials.values()),
        images=tuple(library.images),
        convention=Convention(v="up", stated="assumed"),
    )


class _Builder:
    """Makes meshes: one a group, its elements split by material, kind and whether UVs and normals are
    there.
    """

    def __init__(self, text: ObjText, tables: _Tables, library: Library, source: Source, digest: str) -> None:
        self.text, self.tables, self.library, self.source, self.digest = text, tables, library, source, digest
        self.ordinal = 0

    def meshes(self) -> list[Mesh]:
        """All meshes, in the order their groups first appear."""
        groups: dict[str, list[Primitive]] = {}
        for kind in (F, L, P):
            for state_group, prim in self._kind(kind):
                groups.setdefault(state_group, []).append(prim)
        stem = self.source.path.stem
        return [
            Mesh(Key(self.digest, "mesh", i), name or stem, tuple(prims))
            for i, (name, prims) in enumerate(groups.items())
        ]

    def cloud(self) -> Mesh:
        """Vertices without any element: a point cloud."""
        t = self.tables
        prim = Primitive(
            Key(self.digest, "primitive", 0),
            frozen(t.positions),
            mode="points",
            colours=self._colour(np.arange(len(t.positions))),
        )
        return Mesh(Key(self.digest, "mesh", 0), self.source.path.stem, (prim,))

    def _kind(self, kind: int) -> list[tuple[str, Primitive]]:
        """(group, primitive) of each group and material elements of this kind are in, in order of
        appearance.
        """
        e = self.text.elements.get(kind)
        if e is None or not len(e.sizes):
            return []
        self._check(e.corners)
        number: dict[tuple[str, str], int] = {}
        which = np.array([number.setdefault((g, m), len(number)) for g, m, _ in self.text.states])[e.state]
        smooth = np.array([s for _, _, s in self.text.states])[e.state]
        names = list(number)
        if (which == which[0]).all():
            group, material = names[which[0]]
            return [(group, self._primitive(kind, e.corners, e.sizes, material, smooth))]
        order = np.argsort(which, kind="stable")
        cuts = np.flatnonzero(np.diff(which[order])) + 1
        starts = np.cumsum(e.sizes) - e.sizes
        groups = sorted(np.split(order, cuts), key=lambda rows: int(rows[0]))
        out = []
        for rows in groups:
            group, material = names[which[rows[0]]]
            at = runs(starts[rows], e.sizes[rows])
            corners = (e.corners[0][at], e.corners[1][at], e.corners[2][at])
            out.append((group, self._primitive(kind, corners, e.sizes[rows], material, smooth[rows])))
        return out

    def _check(self, corners: Corners) -> None:
        t = self.tables
        for column, table, name in zip(corners, (t.positions, t.texcoords, t.normals), ("v", "vt", "vn")):
            top = int(column.max(initial=0))
            if top > len(table):
                found, expected = f"there are only {len(table):,} {name}", f"1..{len(table)}"
                raise self.source.error(f"faces, {name} {top}", found, expected, "Export again.")

    def _primitive(
        self, kind: int, corners: Corners, sizes: Array, material: str, smooth: Array
    ) -> Primitive:
        t = self.tables
        has_uv, has_normal = bool((corners[1] > 0).all()), bool((corners[2] > 0).all())
        keys = [c for c, has in zip(corners[1:], (has_uv, has_normal)) if has]
        first, inverse = distinct_pairs(corners[0], keys, len(t.positions) + 1)
        v = corners[0][first] - 1
        whole: dict[str, Any] = {}
        if kind == F and int(sizes.max()) > 3:
            cut, _ = triangulate(t.positions[v], inverse, sizes.astype(np.uint32))
            whole = {"sizes": frozen(sizes, np.uint32), "triangulation": frozen(cut, np.uint32)}
        mode: Mode = {F: "polygons" if whole else "triangles", L: "lines", P: "points"}[kind]
        flat = _line_pairs(inverse, sizes) if kind == L else inverse
        texcoords = t.texcoords[corners[1][first] - 1] if has_uv else None
        prim = Primitive(
            key=Key(self.digest, "primitive", self.ordinal),
            positions=frozen(t.positions[v]),
            mode=mode,
            indices=frozen(flat, np.uint32),
            normals=frozen(t.normals[corners[2][first] - 1]) if has_normal else None,
            texcoords=(frozen(texcoords),) if texcoords is not None else (),
            colours=self._colour(v),
            material=self.library.named(material) if material or self.library.materials else None,
            **whole,
        )
        self.ordinal += 1
        if kind == F and not has_normal and (smooth >= 0).any():
            return _smoothed(prim, sizes, smooth)
        return prim

    def _colour(self, v: Array) -> tuple[npt.NDArray[np.float32], ...]:
        """Vertex colours (V, 4) linear; the file's are taken as sRGB (common practice), white where it has
        none.
        """
        if self.tables.colours is None:
            return ()
        out = np.ones((len(v), 4), dtype=np.float32)
        raw = self.tables.colours[v]
        has = np.isfinite(raw).all(axis=1)
        out[has, :3] = to_linear(np.clip(raw[has], 0, 1))
        return (frozen(out),)


def _line_pairs(flat: Array, sizes: Array) -> Array:
    """Polylines as pairs of ends."""
    last = np.zeros(len(flat), dtype=bool)
    last[np.cumsum(sizes) - 1] = True
    at = np.flatnonzero(~last)
    return np.stack([flat[at], flat[at + 1]], axis=1).reshape(-1)


def _smoothed(prim: Primitive, sizes: Array, smooth: Array) -> Primitive:
    """Normals from smoothing groups: smooth within one group, flat in group 0 or off."""
    from dataclasses import replace

    from customs.geometry.triangles import triangles_of

    faces = triangles_of(prim)
    per_face = np.repeat(np.maximum(smooth, 0), np.maximum(sizes - 2, 0))
    corners = corner_normals(prim.positions, faces, 180.0, per_face.astype(np.uint32)).reshape(-1, 3)
    flat = faces.reshape(-1)
    first, inverse = unique_rows([flat.reshape(-1, 1), np.round(corners * 1000).astype(np.int32)])
    rows = flat[first].astype(np.intp)
    return replace(
        prim,
        mode="triangles",
        positions=frozen(prim.positions[rows]),
        texcoords=tuple(frozen(t[rows]) for t in prim.texcoords),
        colours=tuple(frozen(c[rows]) for c in prim.colours),
        normals=frozen(corners[first]),
        indices=frozen(inverse, np.uint32),
        sizes=None,
        triangulation=None,
    )
