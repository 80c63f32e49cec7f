"""Textures: formats, edges, bits, blocks, mips, suffixes."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import replace

from customs.formats.image_write import texture_kinds
from customs.learning.examples import Example
from customs.learning.found import Detector, Found, register, seen, yes_or_no
from customs.surface.pixels import image_info

ENOUGH = 4
"""Textures that must agree before a rule is read off them."""
BLOCKED = ("dds", "ktx2")
FULL = 8
"""Textures of one longest edge, none longer, from which that edge is taken for the limit."""


def _find(examples: Sequence[Example]) -> Iterator[Found]:
    named = [(f"{e.name}: {i.name}", info) for e in examples for i, info in e.textures]
    infos = [info for _, info in named]
    if not infos:
        yield Found("textures.formats", None, 0, 0, sure="undecided", why="no texture")
        return
    forms = Counter(i.form for i in infos)
    yield Found(
        "textures.formats",
        [f for f, _ in forms.most_common()],
        len(infos),
        len(infos),
        (),
        "likely",
        "what their textures are",
    )
    yield yes_or_no(
        "textures.power_of_two",
        [(n, _power(i.width) and _power(i.height)) for n, i in named],
        ENOUGH,
        "every edge is a power of two",
    )
    square = yes_or_no(
        "textures.square", [(n, i.width == i.height) for n, i in named], ENOUGH, "every one is square"
    )
    # Most textures are: what is not told is whether they have to be.
    yield square if square.value is False else replace(square, sure="undecided")
    bits = sorted({i.bits for i in infos})
    yield Found("textures.bits", bits, len(infos), len(infos), (), "likely", "bits a channel")
    yield _edge(named)
    if all(i.form in BLOCKED for i in infos):
        yield yes_or_no(
            "textures.mips",
            [(n, i.levels > 1 or max(i.width, i.height) == 1) for n, i in named],
            2,
            "every one has its mip levels",
        )
        yield from _blocks(examples)
    yield _suffixes(examples)


def _power(edge: int) -> bool:
    return edge > 0 and edge & (edge - 1) == 0


def _edge(named: Sequence[tuple[str, object]]) -> Found:
    edges = [(n, max(i.width, i.height)) for n, i in named]  # type: ignore[attr-defined]
    most = max(v for _, v in edges)
    count = sum(v == most for _, v in edges)
    if count >= FULL and _power(most):
        return Found(
            "textures.max_edge", most, count, len(edges), (), "likely", "many end there, none is longer"
        )
    return seen("textures.max_edge", edges, "the longest edge")


def _blocks(examples: Sequence[Example]) -> Iterator[Found]:
    """The block compression of each kind of texture that there is."""
    kinds: dict[str, list[tuple[str, str]]] = {}
    for e in examples:
        told = texture_kinds(e.main)
        for k, kind in told.items():
            image = e.main.images[k]
            info = image_info(image)
            if info is None:
                continue
            what = (
                "normal"
                if kind.normal
                else "alpha"
                if kind.colour and info.has_alpha and info.block != "bc1"
                else "colour"
                if kind.colour
                else "grey"
                if info.channels == 1 or info.block == "bc4"
                else "packed"
            )
            kinds.setdefault(what, []).append((f"{e.name}: {image.name}", info.block))
    for what, rows in kinds.items():
        most = Counter(b for _, b in rows).most_common(1)[0][0]
        bad = tuple(n for n, b in rows if b != most)
        yield Found(
            f"textures.blocks.{what}", most, len(rows) - len(bad), len(rows), bad, "likely", "their files"
        )


def role_ends(examples: Sequence[Example]) -> dict[str, str]:
    """What all textures of a role end in behind the last _, where those of no other role do."""
    ends: dict[str, Counter[str]] = {}
    for e in examples:
        for m in e.main.materials:
            for role, use in m.textures.items():
                stem, _, end = e.main.images[use.image].name.rpartition("_")
                ends.setdefault(role, Counter())[end if stem else ""] += 1
    out = dict[str, str]()
    for role, found in ends.items():
        end, count = found.most_common(1)[0]
        shared = any(r != role and end in f for r, f in ends.items())
        if end and count == sum(found.values()) and not shared:
            out[role] = end
    return out


def _suffixes(examples: Sequence[Example]) -> Found:
    told = role_ends(examples)
    count = sum(r in told for e in examples for m in e.main.materials for r in m.textures)
    total = sum(len(m.textures) for e in examples for m in e.main.materials)
    if len(told) < 2 or count < total:
        return Found(
            "textures.suffixes", None, count, total, sure="undecided", why="names do not end by role"
        )
    return Found("textures.suffixes", told, count, total, (), "likely", "what names of each role end in")


register(
    Detector(
        "textures",
        (
            "textures.formats",
            "textures.power_of_two",
            "textures.square",
            "textures.bits",
            "textures.mips",
            "textures.suffixes",
        ),
        "headers of the texture files, and what their names end in by role",
        _find,
    )
)
