"""Keys along a route: what earlier editions called an element is answered, and no two elements a route makes
have one Key.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Any

from customs.scene.kept import kept
from customs.scene.key import KINDS, Key
from customs.scene.model import Scene

OLD = re.compile(r"[0-9a-f]{4,}:(?:[a-z]+:\d{7,}|[\w-]+\.[\w.-]+:\d+)")
"""Keys of what steps of an earlier edition made: a number of seven digits and more, or a kind of several
parts.
"""


def keyed(scene: Scene) -> Iterator[tuple[Key, tuple[Key, ...]]]:
    """(Key, Keys of what it was made from) of everything in a scene that is no row."""
    for kind in KINDS:
        for x in getattr(scene, kind):
            yield x.key, getattr(x, "made_from", ())
    for n in scene.nodes:
        for thing in n.holds:
            yield thing.key, ()
    for m in scene.meshes:
        for p in m.primitives:
            yield p.key, p.made_from


def old_names(scene: Scene) -> Mapping[str, str]:
    """What earlier editions called elements of a scene → what they are called now. Kept while the scene
    lives.
    """
    return kept("old_names", scene, lambda: _old_names(scene))


def _old_names(scene: Scene) -> dict[str, str]:
    out: dict[str, str] = {}
    for key, sources in keyed(scene):
        for k in (key, *sources):
            if k.old:
                out.setdefault(k.old, str(k))
    return out


def speaks_old(value: Any) -> bool:
    """True when a value has a Key of an earlier edition somewhere in it."""
    if isinstance(value, str):
        return OLD.search(value) is not None
    if isinstance(value, Mapping):
        return speaks_old(tuple(value)) or speaks_old(tuple(value.values()))
    return isinstance(value, list | tuple) and any(map(speaks_old, value))


def in_new_names(value: Any, names: Mapping[str, str]) -> Any:
    """A setting, or other plain data, with Keys of an earlier edition replaced by today's; the same object
    where it has none that `names` knows.
    """
    if isinstance(value, str):
        return names.get(value, value)
    if isinstance(value, Mapping):
        own = {k: in_new_names(v, names) for k, v in value.items()}
        return value if all(own[k] is v for k, v in value.items()) else own
    if not isinstance(value, list | tuple):
        return value
    new = tuple(in_new_names(v, names) for v in value)
    return value if all(a is b for a, b in zip(new, value)) else new


def apart(scene: Scene, before: Scene, stop: str) -> Scene:
    """The scene with Keys of what a stop made that something else has already told apart by the stop's id."""
    changed: dict[str, Any] = {}
    for kind in KINDS:
        items = getattr(scene, kind)
        if items is getattr(before, kind):
            continue
        known, seen, out = {id(x) for x in getattr(before, kind)}, set[Key](), list(items)
        taken = {x.key for x in items if x.key.path and id(x) in known}
        for i, x in enumerate(items):
            if x.key.path and (x.key in seen or (x.key in taken and id(x) not in known)):
                out[i] = replace(x, key=_free(x.key, stop, seen | taken))
            seen.add(out[i].key)
        if any(a is not b for a, b in zip(out, items)):
            changed[kind] = tuple(out)
    return replace(scene, **changed) if changed else scene


def _free(key: Key, stop: str, taken: set[Key]) -> Key:
    mores = itertools.chain([""], (f"~{n}" for n in itertools.count(2)))
    return next(new for more in mores if (new := replace(key, path=f"{key.path}.{stop}{more}")) not in taken)
