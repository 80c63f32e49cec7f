"""Levels, collision shapes and posts as nodes, by their names."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from customs.learning.examples import PURPOSES, Example, levels_in, purposes_in, shapes_in, shared_start
from customs.learning.found import Detector, Found, register


def _find(examples: Sequence[Example]) -> Iterator[Found]:
    yield from _levels(examples)
    yield from _shapes(examples)
    yield from _posts(examples)


def _levels(examples: Sequence[Example]) -> Iterator[Found]:
    mids, having = list[str](), list[str]()
    for e in examples:
        if found := levels_in(e.main):
            having.append(e.name)
            mids += found.values()
    if not having:
        yield Found(
            "levels.form",
            None,
            0,
            len(examples),
            sure="undecided",
            why="no node is called like a level of another",
        )
        return
    yield Found(
        "levels.form",
        "nodes",
        len(having),
        len(examples),
        (),
        "sure" if len(having) > 1 else "likely",
        "nodes beside the finest",
    )
    best = max(dict.fromkeys(mids), key=mids.count)
    yield Found(
        "levels.name",
        f"{{name}}{best}{{level}}",
        mids.count(best),
        len(mids),
        (),
        "sure" if mids.count(best) == len(mids) > 1 else "likely",
        "names of the levels",
    )


def _shapes(examples: Sequence[Example]) -> Iterator[Found]:
    having = [e.name for e in examples if shapes_in(e.main, e.name)]
    if not having:
        yield Found(
            "shapes.form", None, 0, len(examples), sure="undecided", why="no mesh is called by a purpose"
        )
        return
    count = len(having)
    purposes = [p for p in PURPOSES if any(p in purposes_in(e.main, e.name) for e in examples)]
    yield Found("shapes.optional", purposes, count, len(examples), (), "likely", "the purposes there are")
    yield Found("shapes.form", "meshes", count, len(examples), (), "likely", "meshes called by a purpose")
    yield Found(
        "shapes.name", "{asset}_{purpose}{index}", count, len(examples), (), "likely", "names of the shapes"
    )


def _posts(examples: Sequence[Example]) -> Iterator[Found]:
    names, having = list[str](), list[str]()
    for e in examples:
        joints = {j for s in e.main.skins for j in s.joints}
        bare = [
            n.name
            for k, n in enumerate(e.main.nodes)
            if n.mesh is None and not n.children and not n.holds and k not in joints
        ]
        if bare:
            having.append(e.name)
            names += bare
    head = shared_start(names)
    head = head[: head.rfind("_") + 1]
    if len(names) < 2 or not head:
        yield Found(
            "posts.form",
            None,
            0,
            len(examples),
            sure="undecided",
            why="no empty nodes with names that begin alike",
        )
        return
    yield Found(
        "posts.form",
        "nodes",
        len(having),
        len(examples),
        (),
        "likely",
        "empty nodes with names that begin alike",
    )
    yield Found("posts.name", f"{head}{{name}}", len(names), len(names), (), "likely", "what they begin with")


register(
    Detector(
        "fittings",
        (
            "levels.form",
            "levels.name",
            "shapes.form",
            "shapes.name",
            "shapes.optional",
            "posts.form",
            "posts.name",
        ),
        "names of nodes beside others, of meshes called by a purpose, of empty nodes",
        _find,
    )
)
