"""Names: what they hold, and what stands in front of them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from customs.job import Job
from customs.learning.detectors.textures import role_ends
from customs.learning.examples import Example, shared_start
from customs.learning.found import Detector, Found, register, seen, yes_or_no
from customs.patterns import fits
from customs.route.step import NOTHING, get_step, make_settings

CLASSES = (
    r"[a-z][a-z0-9_]*", r"[A-Za-z][A-Za-z0-9_]*", r"[A-Za-z0-9][A-Za-z0-9_]*", r"[A-Za-z][A-Za-z0-9_ ]*", r"[A-Za-z][A-Za-z0-9_. ]*",
    r"[A-Za-z0-9][A-Za-z0-9_. -]*", r"[ -~]+",
)  # fmt: skip
"""What names may hold, the narrowest first."""
KINDS = {"node": "nodes", "mesh": "meshes", "material": "materials", "image": "images", "clip": "clips"}
ROLES = ("{asset}{later}_{role}", "{asset}_{order}_{role}", "{material}_{role}", "{asset}_{material}_{role}")
"""Patterns of textures that are called by their role."""
LONGEST = 6
"""Characters of a prefix that all names of a kind share."""


def _find(examples: Sequence[Example]) -> Iterator[Found]:
    every = [(e.name, x.name) for e in examples for k in KINDS.values() for x in getattr(e.main, k)]
    every += [(e.name, e.name) for e in examples]
    texts = [n for _, n in every]
    narrow = next((c for c in CLASSES if all(fits(c, t) for t in texts)), None)
    if narrow is None:
        yield Found(
            "names.allowed", None, 0, len(texts), sure="undecided", why="names hold all sorts of characters"
        )
    else:
        yield Found(
            "names.allowed", narrow, len(texts), len(texts), (), "likely", "the narrowest that all names fit"
        )
    yield yes_or_no(
        "names.lower", [(f"{e}: {t}", t == t.lower()) for e, t in every], 8, "no name has a capital"
    )
    for e in examples:
        twice = [
            k
            for k, a in KINDS.items()
            if len({x.name.lower() for x in getattr(e.main, a)}) < len(getattr(e.main, a))
        ]
        if twice:
            yield Found(
                "names.unique",
                False,
                1,
                len(examples),
                (),
                "sure",
                f"{e.name} has two of kind {twice[0]} by one name",
            )
            break
    else:
        several = sum(len(e.main.nodes) > 1 for e in examples)
        if several > 1:
            yield Found(
                "names.unique", True, several, len(examples), (), "likely", "no name twice within a kind"
            )
    yield seen("names.max_length", [(e, len(t)) for e, t in every], "the longest name")
    for kind, attribute in KINDS.items():
        by_role = _of_roles(examples) if kind == "image" else None
        plain = [(e.name, [x.name for x in getattr(e.main, attribute)]) for e in examples]
        yield by_role or _pattern(kind, plain)


def _of_roles(examples: Sequence[Example]) -> Found | None:
    """Textures called by their role: the pattern that gives every one the name it has."""
    suffixes = role_ends(examples)
    total = sum(len(e.main.images) for e in examples)
    if len(suffixes) < 2 or total < 3:
        return None
    step = get_step("rename")
    for pattern in ROLES:
        settings = make_settings(step, {"image": pattern, "suffixes": suffixes})
        scenes = [(replace(e.main, name=e.name), e) for e in examples]
        if all(
            [i.name for i in step.apply(s, settings, NOTHING, Job()).scene.images]
            == [i.name for i in s.images]
            for s, _ in scenes
        ):
            return Found(
                "names.image", pattern, total, total, (), "likely", "every texture is called so, by its role"
            )
    return None


def _pattern(kind: str, rows: Sequence[tuple[str, list[str]]]) -> Found:
    """What stands in front of all names of a kind: the asset's name, or the same letters everywhere."""
    key, rows = f"names.{kind}", [(e, names) for e, names in rows if names]
    total = sum(len(names) for _, names in rows)
    if len(rows) < 2 or total < 3:
        return Found(key, None, 0, total, sure="undecided", why="too few of them")
    if all(
        n.lower().startswith(f"{e.lower()}_") or n.lower() == e.lower() for e, names in rows for n in names
    ):
        longer = sum(n.lower() != e.lower() for e, names in rows for n in names)
        if longer >= 2:
            return Found(
                key, "{asset}_{name}", total, total, (), "likely", "every name begins with the asset's"
            )
    shared = shared_start([n for _, names in rows for n in names])
    head = shared[: shared.find("_") + 1]
    if head and len(head) <= LONGEST:
        return Found(key, f"{head}{{name}}", total, total, (), "likely", f"every name begins with {head}")
    return Found(key, None, 0, total, sure="undecided", why="names begin with nothing of their own")


register(
    Detector(
        "names",
        (
            "names.allowed",
            "names.lower",
            "names.unique",
            "names.node",
            "names.mesh",
            "names.material",
            "names.image",
            "names.clip",
        ),
        "all names in the models: their characters, and what they begin with",
        _find,
    )
)
