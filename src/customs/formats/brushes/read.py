"""A brush level as a scene: a node for each entity, the solids of each welded into a mesh with a primitive for each texture."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from customs.formats.brushes.entities import node_of
from customs.formats.brushes.projection import axes_of, texcoords
from customs.formats.brushes.text import BrushText, parse
from customs.formats.brushes.textures import materials_of
from customs.formats.source import Source, decode_text
from customs.geometry.cracks import closed, fans, together, without_repeats
from customs.geometry.solids import DOUBLED, FINE, PROBLEMS, Solids, solids
from customs.scene.arrays import frozen, runs
from customs.scene.convention import Convention
from customs.scene.key import Key
from customs.scene.kinds import kind_notes
from customs.scene.model import Mesh, Node, Primitive, Scene

F64 = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]
INCH = Convention(up="+Z", faces="+X", metres_per_unit=0.0254, stated="assumed")
"""Axes and unit of the form: Z up, an angle of zero along X, about an inch a unit (common practice)."""
NEAR = 0.01
"""Units within which corners are one."""
SHOWN = 20


@dataclass(frozen=True, eq=False)
class _Faces:
    """Corners (N,) in `places` (W, 3) with sizes (F,), the row (F,) of the text each face came from, `own` (N,) corners of the solid's
    own.
    """

    places: F64
    corners: Ints
    sizes: Ints
    face: Ints
    own: npt.NDArray[np.bool_]


def read_brushes(source: Source) -> Scene:
    """The level in the numbers of its text. What cannot be read is told line by line, the rest goes on. Raises ReadError where nothing
    is left.
    """
    text = parse(decode_text(source.data))
    if not text.entities:
        raise source.error("", "no entity", 'a brush level: { "key" "value" … }', "It may be cut off.")
    digest = source.digest
    source.job.progress(0.2, "Solids")
    normals, far, flat = planes_of(text)
    order = np.argsort(text.brush[~flat], kind="stable")
    kept = np.flatnonzero(~flat)[order]
    starts = np.searchsorted(text.brush[kept], np.arange(len(text.entity) + 1))
    planes = np.concatenate([normals[kept], far[kept, None]], axis=1)
    made = solids(planes, starts)
    problems = [*text.problems, *_problems(text, made, flat)]
    source.job.check()
    source.job.progress(0.5, "Textures")
    materials, images, sizes = materials_of(source, text.textures, digest)
    along, offsets = axes_of(normals, text.given, text.axes, text.turn, text.scale)
    meshes: list[Mesh] = []
    nodes: list[Node] = []
    entity_of_face = text.entity[text.brush[kept[made.plane]]]
    begins = np.cumsum(made.sizes) - made.sizes
    filled = set(np.unique(entity_of_face).tolist())
    for number, keys in enumerate(text.entities):
        source.job.check()
        mesh = None
        if number in filled:
            mine = np.flatnonzero(entity_of_face == number)
            faces = _tight(made, mine, begins, kept)
            along_uv = (along[faces.face], offsets[faces.face], sizes[text.texture[faces.face]])
            mesh = len(meshes)
            prims = _primitives(text, faces, normals, along_uv, digest, mesh)
            meshes.append(
                Mesh(Key(digest, "mesh", mesh), keys.get("classname", "") or f"entity_{number}", prims)
            )
        nodes.append(node_of(keys, number, digest, mesh, problems))
    for problem in problems[:SHOWN]:
        source.remark(problem)
    if len(problems) > SHOWN:
        source.remark(f"{len(problems) - SHOWN:,} more that could not be read")
    return Scene(
        source.path.stem, digest, nodes=tuple(nodes), roots=tuple(range(len(nodes))), meshes=tuple(meshes),
        materials=tuple(materials), images=tuple(images), convention=INCH,
        kinds=kind_notes(np.array([k.get("classname", "") for k in text.entities], object)),
    )  # fmt: skip


def planes_of(text: BrushText) -> tuple[F64, F64, npt.NDArray[np.bool_]]:
    """(unit normals outward (F, 3), distances (F,), which faces (F,) have their three points in a line)."""
    a, b, c = (text.points[:, k] for k in range(3))
    with np.errstate(over="ignore", invalid="ignore"):
        n = np.cross(a - b, c - b)
        length = np.linalg.norm(n, axis=1)
        sides = np.linalg.norm(a - b, axis=1) * np.linalg.norm(c - b, axis=1)
        flat = ~(length > 1e-12 * np.maximum(sides, 1e-30)) | ~np.isfinite(length)
        n = np.where(flat[:, None], 0.0, n / np.where(length > 0, length, 1.0)[:, None])
    # The plane through whole numbers is as exact as its point nearest to the origin lets it be.
    far = np.einsum("fj,fj->f", n, b)
    return n, np.where(flat, 0.0, far), flat


def _problems(text: BrushText, made: Solids, flat: npt.NDArray[np.bool_]) -> list[str]:
    out = [
        f"line {text.lines[k]:,}: a plane whose three points lie in a line, left out"
        for k in np.flatnonzero(flat)[:SHOWN].tolist()
    ]
    for b in np.flatnonzero(made.problems != FINE)[: 5 * SHOWN].tolist():
        code = int(made.problems[b])
        rest = "one of each kept" if code == DOUBLED else "the brush is left out"
        out.append(f"line {text.brush_lines[b]:,}: a brush with {PROBLEMS[code]}; {rest}" if code == DOUBLED
                   else f"line {text.brush_lines[b]:,}: a brush that is no solid ({PROBLEMS[code]}); {rest}")  # fmt: skip
    return out


def _tight(made: Solids, mine: Ints, begins: Ints, kept: Ints) -> _Faces:
    """Faces of one entity, corners that lie together made one and put into the edges they lie on."""
    places, at = together(made.points[runs(begins[mine], made.sizes[mine])], NEAR)
    corners, sizes, alive = without_repeats(at, made.sizes[mine])
    corners, sizes, own = closed(places, corners, sizes, NEAR)
    return _Faces(places, corners, sizes, kept[made.plane[mine]][alive], own)


def _primitives(
    text: BrushText, faces: _Faces, normals: F64, projection: tuple[F64, F64, F64], digest: str, mesh: int
) -> tuple[Primitive, ...]:
    """A primitive for each texture; every face has corners of its own, with its normal and its UVs."""
    rows, middles, of, wheels = fans(faces.places, faces.corners, faces.sizes, faces.own)
    polygon = np.repeat(np.arange(len(faces.sizes)), faces.sizes)
    points = np.concatenate([faces.places[faces.corners], middles])
    face = np.concatenate([polygon, wheels])
    uv = texcoords(points, face, *projection)
    uv -= _whole(uv, face, faces)
    texture = text.texture[faces.face]
    out: list[Primitive] = []
    for k in np.unique(texture).tolist():
        tri = rows[texture[of] == k]
        used, indices = np.unique(tri, return_inverse=True)
        out.append(
            Primitive(
                Key(digest, "primitive", mesh * 10_000 + len(out)),
                frozen(points[used], np.float32),
                indices=frozen(indices.reshape(-1), np.uint32),
                normals=frozen(normals[faces.face[face[used]]], np.float32),
                texcoords=(frozen(uv[used], np.float32),),
                material=k,
            )
        )
    return tuple(out)


def _whole(uv: F64, face: Ints, faces: _Faces) -> F64:
    """Whole repeats each face (N, 2) lies away: taken off, so that numbers stay small and exact."""
    low = np.full((len(faces.sizes), 2), np.inf)
    np.minimum.at(low, face, uv)
    return np.asarray(np.floor(low)[face])
