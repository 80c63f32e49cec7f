"""What meshes have: normals, tangents, UV sets, colours, morph targets; limits seen."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from customs.geometry.counts import counts
from customs.learning.examples import Example
from customs.learning.found import Detector, Found, loosened, register, rule, seen, yes_or_no
from customs.ledger.facts import facts_of
from customs.scene.model import Primitive


def _find(examples: Sequence[Example]) -> Iterator[Found]:
    names = [e.name for e in examples]
    prims = [
        (e.name, p) for e in examples for m in e.core.meshes for p in m.primitives if p.mode == "triangles"
    ]
    yield _normals(examples, prims)
    yield _tangents(examples)
    for key, part in (("vertex_colours", "colours"), ("morphs", "targets")):
        having = [n for n in names if any(n == m and _has(p, part) for m, p in prims)]
        yield rule(f"mesh.{key}", having, names).never_required()
    sets = [(n, len(p.texcoords)) for n, p in prims]
    yield seen("mesh.max_texcoord_sets", sets, "the most UV sets of a primitive")
    folded = [(n, not facts_of(p).spare_vertices) for n, p in prims if p.indices is not None]
    yield yes_or_no("mesh.welded", folded, 2, "no vertex stands twice with all it has")
    yield from _loose(examples)
    yield seen("mesh.max_vertices", [(e.name, _largest(e)) for e in examples], "the most vertices of a mesh")
    yield seen(
        "mesh.max_triangles",
        [(e.name, counts(e.core)["triangles"]) for e in examples],
        "the most triangles of a model",
    )


def _loose(examples: Sequence[Example]) -> Iterator[Found]:
    """What sheets ask of primitives by themselves, where examples have it otherwise."""
    every = [(e, p) for e in examples for m in e.core.meshes for p in m.primitives]
    loose = [e.name for e, p in every if p.mode in ("points", "lines", "line_loop", "line_strip")]
    other = [e.name for e, p in every if p.mode in ("triangle_strip", "triangle_fan", "polygons")]
    bare = [
        e.name
        for e, p in every
        if p.material is not None and e.core.materials[p.material].textures and not p.texcoords
    ]
    yield loosened("mesh.loose_points_lines", "allowed", loose, len(every), "points or lines")
    yield loosened("mesh.triangle_lists", False, other, len(every), "strips, fans or polygons")
    yield loosened("mesh.texcoords", "allowed", bare, len(every), "textures without coordinates")


def _largest(e: Example) -> int:
    return max((sum(len(p.positions) for p in m.primitives) for m in e.core.meshes), default=0)


def _has(p: Primitive, part: str) -> bool:
    found = getattr(p, part)
    return found is not None and len(found) > 0


def _normals(examples: Sequence[Example], prims: Sequence[tuple[str, Primitive]]) -> Found:
    having = [n for n, p in prims if p.normals is not None]
    if not prims:
        return Found("mesh.normals", None, 0, 0, sure="undecided", why="no faces")
    if len(having) == len(prims):
        return Found("mesh.normals", "required", len(having), len(prims), why="every primitive has them")
    if not having:
        return Found("mesh.normals", "forbidden", len(prims), len(prims), why="no primitive has any")
    return Found(
        "mesh.normals", "allowed", len(having), len(prims), (), "sure", "some have them, some do not"
    )


def _tangents(examples: Sequence[Example]) -> Found:
    """Told by primitives whose material has a normal map."""
    mapped, plain = list[bool](), list[bool]()
    for e in examples:
        for m in e.core.meshes:
            for p in m.primitives:
                material = e.core.materials[p.material] if p.material is not None else None
                (mapped if material is not None and "normal" in material.textures else plain).append(
                    p.tangents is not None
                )
    if not mapped:
        return Found(
            "mesh.tangents", None, 0, len(plain), sure="undecided", why="no material has a normal map"
        )
    if all(mapped) and not any(plain):
        return Found(
            "mesh.tangents",
            "with-normal-map",
            len(mapped),
            len(mapped),
            (),
            "likely",
            "where there is a normal map, and only there",
        )
    if not any(mapped) and not any(plain):
        why = "normal maps, and nowhere tangents: forbidden, or not asked for"
        return Found("mesh.tangents", None, len(mapped), len(mapped), sure="undecided", why=why)
    return Found(
        "mesh.tangents", "allowed", sum(mapped), len(mapped), (), "sure", "some have them, some do not"
    )


register(
    Detector(
        "mesh",
        (
            "mesh.normals",
            "mesh.tangents",
            "mesh.vertex_colours",
            "mesh.morphs",
            "mesh.welded",
            "mesh.loose_points_lines",
            "mesh.triangle_lists",
            "mesh.texcoords",
        ),
        "which primitives have normals, tangents (beside normal maps), colours, morph targets; vertices that stand twice",
        _find,
    )
)
