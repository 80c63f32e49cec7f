"""A boxed figure as a scene: a node for each part at its pivot, hung as the parts are, with its boxes as one mesh."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
from pydantic import ValidationError

from customs.formats.figure.boxes import by_face, faces_of, unfolded
from customs.formats.figure.mapping import OWN, FigureFile, FigureMapping, body_of
from customs.formats.source import Source, cleaned
from customs.levels.entries import pointed
from customs.levels.transforms import numbers
from customs.scene.arrays import frozen
from customs.scene.key import Key
from customs.scene.model import Image, Material, Mesh, Node, Primitive, Sampler, Scene, TextureUse
from customs.surface.pixels import content_info, probe
from customs.words import many

F64 = npt.NDArray[np.float64]
DEEPEST, MOST = 200, 20_000
NEAREST = 9728
"""glTF 2.0 (OpenGL): pixels of a texture stay sharp."""
USUAL = 64.0


@dataclass(frozen=True, eq=False)
class _Parts:
    """P parts in the order they are met: `rows` as the file has them, `above` (P,) or −1, `names`."""

    rows: list[Any]
    above: list[int]
    names: list[str]


def read_figure(source: Source) -> Scene:
    """The figure in the numbers of its file; what cannot be used is told, the rest goes on. Raises ReadError."""
    body, mapping, inner = _told(source)
    digest = _digest(source, inner)
    parts = _parts(source, body, mapping)
    if not parts.rows:
        raise source.error(mapping.parts, "no part", "a list of parts there", "Mend the mapping.")
    size, images, problem = _texture(source, inner, body, mapping, digest)
    material = Material(
        Key(digest, "material", 0), "figure", metallic=0.0, alpha_mode="mask",
        textures={"base_colour": TextureUse(0, sampler=Sampler(mag=NEAREST, min=NEAREST))} if images else {},
    )  # fmt: skip
    if problem:
        source.remark(problem)
    pivots = _triples(source, parts, mapping.part.pivot, "pivot")
    turns = _turned(_triples(source, parts, mapping.part.rotation, "rotation"), mapping)
    above = np.array(parts.above)
    # Pivots from the figure's origin, whatever they are measured from.
    whole = pivots if mapping.pivots == "origin" else _added(pivots, above)
    meshes: list[Mesh] = []
    nodes = []
    for k, name in enumerate(parts.names):
        mesh = _mesh(source, parts.rows[k], name, mapping, whole[k], size, len(meshes), digest)
        if mesh is not None:
            meshes.append(mesh)
        own = whole[k] - (whole[above[k]] if above[k] >= 0 else 0.0)
        children = tuple(np.flatnonzero(above == k).tolist())
        nodes.append(
            Node(
                Key(digest, "node", k),
                name,
                children,
                translation=own,
                rotation=turns[k],
                mesh=None if mesh is None else len(meshes) - 1,
            )
        )
    f = mapping.frame
    return Scene(
        source.path.name.partition(".")[0], digest, nodes=tuple(nodes), roots=tuple(np.flatnonzero(above < 0).tolist()),
        meshes=tuple(meshes), materials=(material,), images=tuple(images),
        convention=replace(f.convention(), stated="file" if mapping is not OWN or "unit" in body else "assumed"),
    )  # fmt: skip


def _digest(source: Source, inner: Source) -> str:
    """What Keys are named by: the file, and with one that is read through it that as well."""
    if inner is source:
        return source.digest
    return hashlib.sha256(f"{source.digest}{inner.digest}".encode()).hexdigest()[:12]


def _told(source: Source) -> tuple[Any, FigureMapping, Source]:
    """(the JSON, its mapping, the file that is). Raises ReadError."""
    body = body_of(source.data, source.path)
    if isinstance(body, dict) and "mapping" in body:
        try:
            told = FigureFile.model_validate(body)
        except ValidationError as problem:
            first = problem.errors()[0]
            where = ".".join(str(p) for p in first["loc"])
            raise source.error(
                where, f"{first.get('input')!r:.60}", str(first["msg"]), "Mend the figure file."
            ) from None
        place = source.companion(told.source, "source", needed=True)
        if place is None:
            raise source.error(
                "source", f"{told.source} is not there", "the file beside this one", "Put it there."
            )
        inner = source.at(place)
        return body_of(inner.data, place), told.mapping, inner
    mapping = OWN
    unit = body.get("unit") if isinstance(body, dict) else None
    if isinstance(unit, int | float) and 0 < unit <= 1e6:
        mapping = OWN.model_copy(
            update={"frame": OWN.frame.model_copy(update={"metres_per_unit": float(unit)})}
        )
    return body, mapping, source


def _parts(source: Source, body: Any, mapping: FigureMapping) -> _Parts:
    """Every part once; of those hung by name, what leads nowhere or round in a circle hangs under nothing."""
    f, out = mapping.part, _Parts([], [], [])

    def put(rows: Any, above: int, deep: int) -> None:
        for row in rows if isinstance(rows, list) else rows.values() if isinstance(rows, dict) else ():
            if len(out.rows) >= MOST or deep > DEEPEST:
                raise source.error(
                    mapping.parts, f"more than {MOST:,} parts, or {DEEPEST} deep", "fewer", "Split it."
                )
            if not isinstance(row, dict):
                continue
            out.rows.append(row)
            out.above.append(above)
            name = pointed(row, f.name)
            out.names.append(name if isinstance(name, str) and name.strip() else f"part_{len(out.rows)}")
            if f.children:
                put(pointed(row, f.children), len(out.rows) - 1, deep + 1)

    for found in _at(body, mapping.parts):
        put(found, -1, 0)
    if f.parent:
        _hang(source, out, f.parent)
    return out


def _at(body: Any, place: str) -> Iterator[Any]:
    """What a pointer with stars leads to."""
    found = [body]
    for step in place.split("/")[1:]:
        if step == "*":
            found = [
                v
                for x in found
                for v in (x.values() if isinstance(x, dict) else x if isinstance(x, list) else ())
            ]
        else:
            found = [x for x in (pointed(x, f"/{step}") for x in found) if x is not None]
    # A star at the end means the parts themselves.
    yield from [found] if place.endswith("/*") else found


def _hang(source: Source, parts: _Parts, place: str) -> None:
    number = {name: k for k, name in enumerate(parts.names)}
    lost, round_ = [], []
    for k, row in enumerate(parts.rows):
        said = pointed(row, place)
        if not isinstance(said, str) or not said:
            continue
        at = number.get(said)
        if at is None:
            lost.append(parts.names[k])
            continue
        higher = at
        while higher >= 0 and higher != k:
            higher = parts.above[higher]
        if higher == k:
            round_.append(parts.names[k])
        else:
            parts.above[k] = at
    for names, why in ((lost, "under a part that is not there"), (round_, "under themselves")):
        if names:
            source.remark(f"{many(len(names), 'part')} hung {why}, now by themselves: {', '.join(names[:4])}")


def _triples(source: Source, parts: _Parts, place: str, what: str) -> F64:
    """(P, 3) numbers of each part, zero where none are said; what is said and is none is told."""
    if not place:
        return np.zeros((len(parts.rows), 3))
    said = [pointed(r, place) for r in parts.rows]
    return _three(source, said, parts.names, what)


def _three(source: Source, said: list[Any], names: list[str], what: str) -> F64:
    found = numbers([s if isinstance(s, list) else [] for s in said], 3)
    bad = np.asarray(~np.isfinite(found).all(axis=1))
    wrong = [names[k] for k in np.flatnonzero(bad).tolist() if said[k] is not None]
    if wrong:
        source.remark(
            f"{what} of {', '.join(wrong[:4])}{', …' if len(wrong) > 4 else ''} is no three numbers and taken for zero"
        )
    return np.where(bad[:, None], 0.0, found)


def _turned(angles: F64, mapping: FigureMapping) -> F64:
    """(N, 4) quaternions x y z w."""
    from scipy.spatial.transform import Rotation

    return np.asarray(Rotation.from_euler(mapping.euler, angles, degrees=mapping.degrees).as_quat())


def _added(own: F64, above: npt.NDArray[np.intp]) -> F64:
    """(P, 3) places with those of all parts above added; parts come after what they hang under, or are added again until they do."""
    out = own.copy()
    at = above.copy()
    while (up := np.flatnonzero(at >= 0)).size:
        out[up] += own[at[up]]
        at[up] = above[at[up]]
    return out


def _texture(
    source: Source, inner: Source, body: Any, mapping: FigureMapping, digest: str
) -> tuple[F64, list[Image], str]:
    """(width and height (2,) in the unit of the cells, the image, what is unknown)."""
    said = pointed(body, mapping.texture_size) if mapping.texture_size else None
    name = pointed(body, mapping.texture) if mapping.texture else None
    images: list[Image] = []
    pixels: F64 | None = None
    if isinstance(name, str) and name:
        # A file that was chosen for the name counts; else it lies beside the figure itself.
        chosen = cleaned(name) in source.given
        place = source.companion(name, "texture") if chosen else inner.companion(name, "texture")
        if inner is not source and not chosen:
            source.touched += inner.touched
            source.absent += inner.absent
        image = Image(
            Key(digest, "image", 0), Path(name).stem, inner.encoded(place) if place else None, uri=name,
            problem="" if place else f"{name} is not there",
        )  # fmt: skip
        trouble = probe(image)
        image = replace(image, problem=trouble) if trouble and image.content is not None else image
        if image.content is not None and not image.problem:
            info = content_info(image.content)
            pixels = np.array([info.width, info.height], float)
        images.append(image)
    size = numbers([said if isinstance(said, list) else []], 2)[0]
    if np.isfinite(size).all() and (size > 0).all():
        return size, images, ""
    if pixels is not None:
        return pixels, images, ""
    return (
        np.full(2, USUAL),
        images,
        f"the size of the texture is not said: cells are read as of {USUAL:g} × {USUAL:g}",
    )


def _mesh(
    source: Source,
    row: Any,
    name: str,
    mapping: FigureMapping,
    pivot: F64,
    texture: F64,
    number: int,
    digest: str,
) -> Mesh | None:
    """The boxes of a part about its pivot; None where it has none."""
    boxes = pointed(row, mapping.part.boxes)
    rows = [b for b in boxes if isinstance(b, dict)] if isinstance(boxes, list) else []
    if not rows:
        return None
    f = mapping.box
    labels = [f"box {k + 1} of {name}" for k in range(len(rows))]
    low = _three(source, [pointed(r, f.start) or 0 for r in rows], labels, "corner")
    size = _three(source, [pointed(r, f.size or f.end) or 0 for r in rows], labels, "size") - (
        0 if f.size else low
    )
    # A size below zero reaches the other way.
    low, size = np.minimum(low, low + size), np.abs(size)
    low = low - (pivot if mapping.corners == "origin" else 0.0)
    flat = np.flatnonzero((size < 1e-9).sum(axis=1) > 1)
    if len(flat):
        source.remark(f"{name}: {len(flat):,} of its boxes have no size and are left out")
    cells = (
        numbers([c if isinstance(c := pointed(r, f.cell), list) else [] for r in rows], 2)
        if f.cell
        else np.zeros((len(rows), 2))
    )
    rects = unfolded(np.nan_to_num(cells), size)
    if f.faces:
        rects = by_face([pointed(r, f.faces) for r in rows], rects)
    grow = np.array([_number(pointed(r, f.grow)) for r in rows]) if f.grow else np.zeros(len(rows))
    whole = bool(pointed(row, mapping.part.mirror)) if mapping.part.mirror else False
    mirror = np.array(
        [bool(pointed(r, f.mirror)) if f.mirror and pointed(r, f.mirror) is not None else whole for r in rows]
    )
    corners, normals, uv, shown = faces_of(low, size, grow, mirror, rects, texture)
    corners, normals = _own_turns(source, rows, labels, mapping, pivot, corners, normals)
    shown[flat] = False
    if not shown.any():
        return None
    count = int(shown.sum())
    quads = np.arange(count)[:, None] * 4 + np.array([0, 3, 2, 0, 2, 1])
    prim = Primitive(
        Key(digest, "primitive", number), frozen(corners[shown].reshape(-1, 3), np.float32),
        indices=frozen(quads.reshape(-1), np.uint32),
        normals=frozen(np.repeat(normals[shown], 4, axis=0), np.float32),
        texcoords=(frozen(uv[shown].reshape(-1, 2), np.float32),), material=0,
    )  # fmt: skip
    return Mesh(Key(digest, "mesh", number), name, (prim,))


def _own_turns(
    source: Source,
    rows: list[Any],
    labels: list[str],
    mapping: FigureMapping,
    pivot: F64,
    corners: F64,
    normals: F64,
) -> tuple[F64, F64]:
    """Boxes that are turned by themselves, about a pivot of their own."""
    f = mapping.box
    if not f.rotation:
        return corners, normals
    angles = _three(source, [pointed(r, f.rotation) for r in rows], labels, "rotation")
    if not angles.any():
        return corners, normals
    from scipy.spatial.transform import Rotation

    turn = Rotation.from_euler(mapping.euler, angles, degrees=mapping.degrees).as_matrix()
    about = (
        _three(source, [pointed(r, f.pivot) for r in rows], labels, "pivot")
        if f.pivot
        else np.zeros((len(rows), 3))
    )
    about = about - (pivot if mapping.corners == "origin" else 0.0)
    moved = np.einsum("bij,bfkj->bfki", turn, corners - about[:, None, None]) + about[:, None, None]
    return moved, np.einsum("bij,bfj->bfi", turn, normals)


def _number(value: Any) -> float:
    return (
        float(value)
        if isinstance(value, int | float) and not isinstance(value, bool) and abs(value) < 1e6
        else 0.0
    )
