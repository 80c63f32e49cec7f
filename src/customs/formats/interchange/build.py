"""From an import to a scene as received: raw numbers with their convention."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from customs.aside.pack import Answer
from customs.errors import CustomsError, ReadError
from customs.formats.interchange.call import import_through
from customs.formats.interchange.clips import ClipBuilder
from customs.formats.interchange.lamps import lamps
from customs.formats.interchange.materials import MaterialBuilder
from customs.formats.interchange.meshes import MeshBuilder, SkinBuilder
from customs.formats.interchange.nodes import Tree, build_tree
from customs.formats.source import Source
from customs.scene.convention import Convention
from customs.scene.key import Key
from customs.scene.model import Mesh, Node, Scene
from customs.scene.tree import walk

Json = dict[str, Any]
COMMON: Mapping[str, int] = {"IMPORT_NO_SKELETON_MESHES": 1}


def read_through(source: Source, properties: Mapping[str, int], kind: str) -> Answer:
    """The library's reading of a file, which must be of the `kind` it calls so. Raises CustomsError."""
    imported = import_through(source.on_disk(), {**COMMON, **properties})
    found = str(imported.header["metadata"].get("SourceAsset_Format", kind))
    if kind.lower() not in found.lower():
        raise source.error("", f"read as {found}", f"a {kind} file", "Give it the ending of what it is.")
    return imported


def scene_of(imported: Answer, source: Source, convention: Convention) -> Scene:
    """The scene of an import. Raises ReadError for arrays that point outside each other."""
    digest, header = source.digest, imported.header
    tree = build_tree(header, digest)
    surface = MaterialBuilder(imported, source, digest)
    materials = tuple(
        surface.material(table, i)
        for i, table in enumerate(header["materials"])
        if not _stands_in(table, source)
    )
    skins = SkinBuilder(tree, digest)
    try:
        nodes, meshes = _meshes(imported, tree, skins, digest, len(materials))
    except CustomsError as problem:
        raise ReadError(
            problem.found, problem.expected, "Export it again.", source.path, problem.where
        ) from None
    if skins.lost:
        source.remark(
            f"joints that are no nodes: {', '.join(sorted(set(skins.lost))[:5])}; their weights are left out"
        )
    clips = ClipBuilder(imported, tree, digest, source.remark)
    nodes = lamps(header, tree, nodes, digest)
    scene = Scene(
        name=source.path.stem,
        digest=digest,
        nodes=tuple(nodes),
        roots=tree.roots,
        meshes=tuple(meshes),
        materials=materials,
        images=tuple(surface.images),
        skins=skins.skins(),
        clips=tuple(c for i, a in enumerate(header["animations"]) if (c := clips.clip(a, i)).channels),
        convention=convention,
        generator=str(header["metadata"].get("SourceAsset_Generator", "")),
        copyright=str(header["metadata"].get("SourceAsset_Copyright", "")),
    )
    return _rooted(scene)


def _meshes(
    imported: Answer, tree: Tree, skins: SkinBuilder, digest: str, materials: int
) -> tuple[list[Node], list[Mesh]]:
    """Nodes with their meshes and skins; a mesh two nodes show is made once."""
    entries, built = imported.header["meshes"], MeshBuilder(imported, digest, materials)
    shown: dict[int, tuple[int, ...]] = {}
    for number, here in tree.numbers.items():
        listed = tuple(m for m in imported.header["nodes"][number]["meshes"] if m < len(entries))
        if listed:
            shown[here] = listed
    bound = {listed: skins.number([entries[m] for m in listed]) for listed in dict.fromkeys(shown.values())}
    nodes, meshes, known = list(tree.nodes), list[Mesh](), dict[tuple[int, ...], int]()
    for here, listed in sorted(shown.items()):
        skin = bound[listed]
        if listed not in known:
            columns = skins.columns(skin) if skin is not None else {}
            name = entries[listed[0]]["name"] or nodes[here].name
            parts = tuple(
                p for m in listed for p in built.primitives(_known_bones(entries[m], columns), columns)
            )
            names = tuple(_once(str(t["name"])) for t in entries[listed[0]]["targets"])
            # Its FBX reader says 1 for every shape, whatever the file has: what it rests at is read by
            # ourselves.
            plain = "FBX" in str(imported.header["metadata"].get("SourceAsset_Format", ""))
            weights = np.array(
                [0.0 if plain else t["weight"] for t in entries[listed[0]]["targets"]], np.float32
            )
            known[listed] = len(meshes)
            meshes.append(
                Mesh(
                    Key(digest, "mesh", len(meshes)),
                    name,
                    parts,
                    weights if len(weights) else None,
                    target_names=names,
                )
            )
        if meshes[known[listed]].primitives:
            nodes[here] = replace(nodes[here], mesh=known[listed], skin=skin)
    return nodes, meshes


def _once(name: str) -> str:
    """A morph target's name: the library joins those of channel and shape, which mostly are the same."""
    half = len(name) // 2
    return name[:half] if len(name) % 2 and name[half] == "." and name[:half] == name[half + 1 :] else name


STAND_IN = "DefaultMaterial"
"""What the library calls the last material, which it adds for faces without one."""


def _stands_in(table: list[list[Any]], source: Source) -> bool:
    """True for a material that is not in the file."""
    return (
        any(key == "?mat.name" and value == STAND_IN for key, _, _, value in table)
        and STAND_IN.encode() not in source.data
    )


def _known_bones(entry: Json, columns: Mapping[str, int]) -> Json:
    return {**entry, "bones": [b for b in entry["bones"] if b["name"] in columns]}


def _rooted(scene: Scene) -> Scene:
    """With each skin's root: the joint above all its others, where there is one."""
    order = {n: i for i, (n, _, _) in enumerate(walk(scene))}
    above = {c: i for i, n in enumerate(scene.nodes) for c in n.children}
    skins = []
    for skin in scene.skins:
        joints = set(skin.joints)
        tops = [j for j in skin.joints if above.get(j) not in joints]
        skins.append(replace(skin, root=min(tops, key=lambda j: order.get(j, 0)) if len(tops) == 1 else None))
    return replace(scene, skins=tuple(skins))
