"""Extensions of a file that nobody here understands: kept where they stood, as long as what they may point to stands
where it stood.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from dataclasses import replace
from typing import Any

from customs.scene.held import map_held
from customs.scene.key import Key
from customs.scene.model import Held, Material, Mesh, Scene
from customs.scene.things import NO_EXTRAS

Extras = Mapping[str, Any]
ANEW = re.compile(r"texture|accessor|bufferview|sampler|^index$", re.IGNORECASE)
"""Names of numbers that point to what is numbered anew at every writing."""


def listed(scene: Scene) -> dict[str, tuple[Any, ...]]:
    """What a file lists and numbers, by the name of the list."""
    return {
        "nodes": scene.nodes, "meshes": scene.meshes, "materials": scene.materials, "images": scene.images,
        "skins": scene.skins, "animations": scene.clips, "cameras": scene.cameras, "lights": scene.lights,
    }  # fmt: skip


def kept_of(extras: Extras) -> Extras:
    """Strange extensions among the extras of one thing."""
    kept = extras.get("kept") if extras else None
    found = kept.get("extensions") if isinstance(kept, Mapping) else None
    return found if isinstance(found, Mapping) else NO_EXTRAS


def extras_without(extras: Extras) -> Extras:
    """Extras without strange extensions."""
    if not kept_of(extras):
        return extras
    kept = {k: v for k, v in extras["kept"].items() if k != "extensions"}
    out = {k: v for k, v in extras.items() if k != "kept"} | ({"kept": kept} if kept else {})
    return out or NO_EXTRAS


def strangers(scene: Scene) -> Counter[str]:
    """Strange extensions by name, with how many things have them."""
    return Counter(name for extras in _all_extras(scene) for name in kept_of(extras))


def going(scene: Scene) -> Counter[str]:
    """Those among them that a glTF of this scene would hold: what points nowhere always, what may point to things
    while each of them has the number it came with, what points to textures or accessors never.
    """
    found = strangers(scene)
    if not found:
        return found
    pointing = Counter[str]()
    for extras in _all_extras(scene):
        for name, value in kept_of(extras).items():
            pointing[name] = max(pointing[name], _pointing(value))
    most = 1 if stands(scene) else 0
    return Counter({name: n for name, n in found.items() if pointing[name] <= most})


def stands(scene: Scene) -> bool:
    """True while everything the file listed is there, each with its number."""
    if len(scene.placements) or not scene.listed:
        return False
    return all(
        len(items) == scene.listed.get(name, 0)
        and all(_same(item.key, scene.digest, i) for i, item in enumerate(items))
        for name, items in listed(scene).items()
    )


def _same(key: Key, digest: str, number: int) -> bool:
    return key.ordinal == number and not key.path and key.digest == digest


def _pointing(value: Any, name: str = "") -> int:
    """0 for what holds no whole number, 1 for what may be the number of a thing, 2 for that of a texture or
    accessor.
    """
    if isinstance(value, Mapping):
        return max((_pointing(v, str(k)) for k, v in value.items()), default=0)
    if isinstance(value, list | tuple):
        return max((_pointing(v, name) for v in value), default=0)
    whole = isinstance(value, int) and not isinstance(value, bool) and value >= 0
    return (2 if ANEW.search(name) else 1) if whole else 0


def _all_extras(scene: Scene) -> Iterator[Extras]:
    yield scene.extras
    for items in listed(scene).values():
        yield from (item.extras for item in items if item.extras)
    for mesh in scene.meshes:
        yield from (p.extras for p in mesh.primitives if p.extras)
    for material in scene.materials:
        yield from (use.extras for use in material.textures.values() if use.extras)


def without_strangers(scene: Scene) -> Scene:
    """The scene without any of them."""

    def bare(item: Any) -> Any:
        extras = extras_without(item.extras)
        return item if extras is item.extras else replace(item, extras=extras)

    def mesh(m: Mesh) -> Mesh:
        return bare(replace(m, primitives=_each(m.primitives, bare)))

    def material(m: Material) -> Material:
        return bare(replace(m, textures={role: bare(use) for role, use in m.textures.items()}))

    def held(thing: Held) -> Held:
        return bare(thing) if hasattr(thing, "extras") else thing

    if not strangers(scene):
        return scene
    return replace(
        scene,
        nodes=map_held(_each(scene.nodes, bare), held),
        meshes=_each(scene.meshes, mesh),
        materials=_each(scene.materials, material),
        images=_each(scene.images, bare),
        skins=_each(scene.skins, bare),
        clips=_each(scene.clips, bare),
        extras=extras_without(scene.extras),
    )


def _each(items: tuple[Any, ...], change: Callable[[Any], Any]) -> tuple[Any, ...]:
    return tuple(change(item) for item in items)
