"""Kinds of materials, and their sides."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from customs.learning.examples import Example
from customs.learning.found import Detector, Found, loosened, register, rule, seen


def _find(examples: Sequence[Example]) -> Iterator[Found]:
    names = [e.name for e in examples]
    models = [(e.name, m.model) for e in examples for m in e.main.materials]
    kinds = sorted({k for _, k in models}, key=lambda k: [m for _, m in models].count(k), reverse=True)
    if kinds:
        yield Found(
            "materials.models",
            kinds,
            len(models),
            len(models),
            (),
            "likely",
            "the kinds their materials are of",
        )
    else:
        yield Found("materials.models", None, 0, 0, sure="undecided", why="no material")
    double = [e.name for e in examples if any(m.double_sided for m in e.main.materials)]
    yield rule("materials.double_sided", double, names).never_required()
    every = [(e.name, p) for e in examples for m in e.core.meshes for p in m.primitives]
    bare = [n for n, p in every if p.material is None]
    yield loosened("materials.every_face", False, bare, len(every), "faces without a material")
    yield seen(
        "materials.max_count",
        [(e.name, len(e.main.materials)) for e in examples],
        "the most materials of a model",
    )


register(
    Detector(
        "materials",
        ("materials.models", "materials.double_sided", "materials.every_face"),
        "the materials of the models",
        _find,
    )
)
