"""The model file and the shape of its tree."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from customs.changes.unsettled import unsettled
from customs.learning.detectors.axes import grounded, usual_up
from customs.learning.examples import Example
from customs.learning.found import Detector, Found, register, rule, seen, yes_or_no
from customs.scene.model import Scene
from customs.scene.tree import mesh_nodes, walk

FOOT = 1e-3
"""Of the largest extent: how far from the origin a footing may be and still be meant."""


def _find(examples: Sequence[Example]) -> Iterator[Found]:
    names = [e.name for e in examples]
    forms = [e.main.format for e in examples]
    form = max(dict.fromkeys(forms), key=forms.count)
    others = tuple(n for n, f in zip(names, forms) if f != form)
    yield Found(
        "model.format",
        form,
        forms.count(form),
        len(forms),
        others,
        "likely" if others else "sure",
        "the models themselves",
    )
    yield _textures(examples)
    yield _footing(examples)
    still = [row for e in examples for row in _still(e)]
    yield yes_or_no(
        "model.settled", still, 2, "nothing that stands still is turned, scaled or moved by its node"
    )
    single = [(e.name, len(mesh_nodes(e.core)) == 1) for e in examples]
    yield yes_or_no("model.single_mesh", single, 2, "each has one mesh")
    several = [e for e in examples if len(mesh_nodes(e.core)) > 1]
    under = [(e.name, set(mesh_nodes(e.core)) <= set(e.core.roots)) for e in several]
    yield yes_or_no("model.mesh_under_root", under, 2, "of several meshes each stands at the top")
    depths = [(e.name, max((d for _, _, d in walk(e.core)), default=0)) for e in examples]
    yield seen("model.max_depth", depths, "the deepest node")
    empty = [e.name for e in examples if any(_empty(e.core, n) for n in range(len(e.core.nodes)))]
    yield rule("model.empty_nodes", empty, names).never_required()
    for key, kind in (("model.cameras", "cameras"), ("model.lights", "lights")):
        having = [e.name for e in examples if getattr(e.core, kind)]
        yield rule(key, having, names).never_required()


def _textures(examples: Sequence[Example]) -> Found:
    inside, apart = list[str](), list[str]()
    for e in examples:
        for image, _ in e.textures:
            (apart if _has_file(e, image.uri) else inside).append(f"{e.name}: {image.name}")
    if not inside and not apart:
        return Found("model.textures", None, 0, 0, sure="undecided", why="no texture")
    value = "apart" if len(apart) > len(inside) else "inside"
    good, bad = (apart, inside) if value == "apart" else (inside, apart)
    return Found(
        "model.textures",
        value,
        len(good),
        len(good) + len(bad),
        tuple(bad),
        "likely" if bad else "sure",
        "where the textures lie",
    )


def _has_file(e: Example, uri: str) -> bool:
    last = uri.replace("\\", "/").rpartition("/")[2].casefold()
    return bool(last) and any(f.rpartition("/")[2].casefold() == last for f in e.files)


def _footing(examples: Sequence[Example]) -> Found:
    kinds, up = list[tuple[str, str]](), usual_up(examples)
    for e in examples:
        if e.box is None:
            continue
        low, high = e.box
        reach = max(float((high - low).max()), 1e-12)
        centred = bool((np.abs(low + high) / 2 <= FOOT * reach).all())
        kinds.append(
            (e.name, "base-centre" if up in grounded(e, FOOT) else "box-centre" if centred else "as-received")
        )
    if not kinds:
        return Found("model.footing", None, 0, 0, sure="undecided", why="nothing to see")
    values = [k for _, k in kinds]
    if len(set(values)) == 1 and values[0] != "as-received":
        return Found(
            "model.footing",
            values[0],
            len(kinds),
            len(kinds),
            (),
            "sure" if len(kinds) >= 3 else "likely",
            "where their boxes lie",
        )
    differ = tuple(n for n, k in kinds if k == "as-received")
    return Found(
        "model.footing",
        "as-received",
        len(differ) or len(kinds),
        len(kinds),
        (),
        "sure" if differ else "likely",
        "they stand where they like",
    )


def _still(e: Example) -> list[tuple[str, bool]]:
    """Nodes with meshes, and whether they keep nothing of a transform."""
    left = set(unsettled(e.core))
    return [
        (f"{e.name}: {e.core.nodes[n].name}", n not in left) for n in sorted({*mesh_nodes(e.core), *left})
    ]


def _empty(scene: Scene, n: int) -> bool:
    node = scene.nodes[n]
    joints = {j for s in scene.skins for j in s.joints}
    return node.mesh is None and not node.children and not node.holds and n not in joints


register(
    Detector(
        "model",
        (
            "model.format", "model.textures", "model.footing", "model.settled", "model.single_mesh", "model.mesh_under_root",
            "model.empty_nodes", "model.cameras", "model.lights",
        ),
        "the files; where textures lie; where boxes begin and are centred; transforms, parents and what nodes hold",
        _find,
    )
)  # fmt: skip
