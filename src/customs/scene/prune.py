"""Drop what nothing uses and renumber what is left."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Set
from dataclasses import replace
from typing import Any

import numpy as np

from customs.scene.kept import kept
from customs.scene.key import FILE, Key
from customs.scene.model import Clip, Material, Mesh, Node, Primitive, Scene, Skin
from customs.scene.placements import Placements
from customs.scene.tree import walk


def _renumber(used: Iterable[int]) -> dict[int, int]:
    return {old: new for new, old in enumerate(sorted(set(used)))}


def _pick(items: tuple[Any, ...], keep: dict[int, int]) -> tuple[Any, ...]:
    return tuple(items[i] for i in keep)


def prune_nodes(scene: Scene) -> Scene:
    """Nodes outside the tree go, with channels and joints that point at them renumbered. Joints are always
    kept.
    """
    reach = {n for n, _, _ in walk(scene)}
    if len(reach) == len(scene.nodes) and all(c.alive for c in scene.clips):
        return scene
    return with_nodes(scene, _renumber(reach))


def with_nodes(scene: Scene, keep: Mapping[int, int]) -> Scene:
    """Only the nodes `keep`, old number to new, in the order of the new; skins whose joints go, channels and
    rows below go too.
    """
    skins: list[Skin] = []
    skin_keep: dict[int, int] = {}
    for i, skin in enumerate(scene.skins):
        if all(j in keep for j in skin.joints):
            skin_keep[i] = len(skins)
            root = keep.get(skin.root) if skin.root is not None else None
            skins.append(replace(skin, joints=tuple(keep[j] for j in skin.joints), root=root))
    nodes = tuple(_renumbered(scene.nodes[i], keep, skin_keep) for i in keep)
    clips = tuple(
        replace(
            clip,
            channels=tuple(replace(c, node=keep[c.node]) for c in clip.channels if c.node in keep),
        )
        for clip in scene.clips
    )
    return replace(
        scene,
        nodes=nodes,
        roots=tuple(keep[r] for r in scene.roots if r in keep),
        skins=tuple(skins),
        clips=tuple(c for c in clips if c.alive),
        placements=_renumbered_rows(scene, keep),
    )


def _renumbered(node: Node, keep: Mapping[int, int], skins: Mapping[int, int]) -> Node:
    children = tuple(keep[c] for c in node.children if c in keep)
    skin = skins.get(node.skin) if node.skin is not None else None
    return (
        node
        if children == node.children and skin == node.skin
        else replace(node, children=children, skin=skin)
    )


def _renumbered_rows(scene: Scene, keep: Mapping[int, int]) -> Placements:
    rows = scene.placements
    if not len(rows):
        return rows
    table = np.full(len(scene.nodes) + 1, -2)
    table[list(keep)], table[-1] = list(keep.values()), -1
    now = table[rows.parents]
    return rows.under(now).at(now > -2)


def _primitive_materials(prim: Primitive) -> set[int]:
    own = {prim.material} if prim.material is not None else set()
    return own | {m for m, _ in prim.variants}


def prune_content(scene: Scene, near: bool = False) -> Scene:
    """Meshes, skins, materials and images nothing refers to go, the rest is renumbered.

    `near` keeps textures that lie near the asset: a step further on may still take them up.
    """
    shown = {n.mesh for n in scene.nodes if n.mesh is not None}
    meshes = _renumber(shown | set(scene.placements.meshes))
    skins = _renumber(n.skin for n in scene.nodes if n.skin is not None and n.mesh is not None)
    kept_meshes: tuple[Mesh, ...] = _pick(scene.meshes, meshes)
    materials = _renumber(m for mesh in kept_meshes for p in mesh.primitives for m in _primitive_materials(p))
    kept_materials: tuple[Material, ...] = _pick(scene.materials, materials)
    used = {use.image for m in kept_materials for use in m.textures.values()}
    images = _renumber(i for i, im in enumerate(scene.images) if i in used or (near and im.key.kind == FILE))
    if _all_used(scene, meshes, skins, materials, images):
        return scene

    def prim(prim: Primitive) -> Primitive:
        material = materials[prim.material] if prim.material is not None else None
        return replace(prim, material=material, variants=tuple((materials[m], v) for m, v in prim.variants))

    return replace(
        scene,
        nodes=tuple(
            replace(
                n,
                mesh=meshes.get(n.mesh) if n.mesh is not None else None,
                skin=skins.get(n.skin) if n.skin is not None and n.mesh is not None else None,
            )
            for n in scene.nodes
        ),
        meshes=tuple(replace(m, primitives=tuple(prim(p) for p in m.primitives)) for m in kept_meshes),
        placements=_with_meshes(scene.placements, meshes),
        skins=_pick(scene.skins, skins),
        materials=tuple(
            replace(m, textures={r: replace(u, image=images[u.image]) for r, u in m.textures.items()})
            for m in kept_materials
        ),
        images=_pick(scene.images, images),
        clips=_living(scene, {m.key for m in kept_materials}),
    )


def _living(scene: Scene, materials: Set[Key]) -> tuple[Clip, ...]:
    """Clips without the morph weights of what shows no mesh; one that has nothing else goes with the last of the
    things it pointed to.
    """
    there = materials | {thing.key for thing in (*scene.cameras, *scene.lights)}

    def living(clip: Clip) -> Clip:
        channels = tuple(
            c for c in clip.channels if c.path != "weights" or scene.nodes[c.node].mesh is not None
        )
        pointers = clip.pointers if channels else tuple(p for p in clip.pointers if p.subject in there)
        return replace(clip, channels=channels, pointers=pointers)

    return tuple(c for c in map(living, scene.clips) if c.alive)


def _all_used(scene: Scene, *tables: dict[int, int]) -> bool:
    """True when every element of each kind is used, and no clip moves the morph weights of what shows no
    mesh.
    """
    kinds = (scene.meshes, scene.skins, scene.materials, scene.images)
    if any(len(table) != len(kind) for table, kind in zip(tables, kinds)):
        return False
    if any(n.skin is not None and n.mesh is None for n in scene.nodes):
        return False
    return all(
        c.channels and all(ch.path != "weights" or scene.nodes[ch.node].mesh is not None for ch in c.channels)
        for c in scene.clips
    )


def _with_meshes(rows: Placements, meshes: Mapping[int, int]) -> Placements:
    if not len(rows):
        return rows
    table = np.zeros(max(meshes, default=0) + 1, np.uint32)
    table[list(meshes)] = list(meshes.values())
    return rows.showing(lambda shown: table[shown])


def prune(scene: Scene, near: bool = False) -> Scene:
    """`prune_nodes`, then `prune_content`; kept while the scene lives, as many rows ask for it."""
    return kept(("pruned", near), scene, lambda: prune_content(prune_nodes(scene), near))
