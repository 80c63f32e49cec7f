"""VRM 0.x and 1.0: the humanoid map, what is allowed, and expressions.

Source: VRM Consortium, "VRMC_vrm 1.0" and "VRM 0.0" schemas (github.com/vrm-c/vrm-specification).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from customs.formats.gltf.document import Obj
from customs.motion.skeleton.humanoid import BONES, OLD_NAMES
from customs.scene.arrays import frozen
from customs.scene.convention import RAW_GLTF, Convention
from customs.scene.model import Mesh, MorphTarget, Node, Primitive, Scene

NEW, OLD = "VRMC_vrm", "VRM"
EXTENSIONS = frozenset({NEW, OLD})
LICENCE_URL = "https://vrm.dev/licenses/1.0/"
"""The licence document VRM 1.0 asks every model to name (schema "VRMC_vrm.meta", licenseUrl)."""
TERMS = ("avatarPermission", "commercialUsage", "allowRedistribution", "modification", "creditNotation",
         "allowExcessivelyViolentUsage", "allowExcessivelySexualUsage", "allowPoliticalOrReligiousUsage",
         "allowAntisocialOrHateUsage")  # fmt: skip
PRESETS = ("happy", "angry", "sad", "relaxed", "surprised", "aa", "ih", "ou", "ee", "oh", "blink", "blinkLeft", "blinkRight",
           "lookUp", "lookDown", "lookLeft", "lookRight", "neutral")  # fmt: skip
"""Expressions every avatar may have (schema "VRMC_vrm.expressions")."""
OLD_TERMS = ("allowedUserName", "commercialUssageName", "violentUssageName", "sexualUssageName")


@dataclass(frozen=True)
class Binding:
    """A morph target's share in an expression."""

    mesh: int
    index: int
    weight: float


@dataclass(frozen=True)
class Avatar:
    """What the extension says: bones (bone → node), rights, expressions by name, and the convention of the
    file.
    """

    bones: Mapping[str, int]
    rights: Mapping[str, str]
    expressions: Mapping[str, tuple[Binding, ...]]
    convention: Convention


def read_avatar(
    root: Obj, nodes: tuple[Node, ...], meshes: tuple[Mesh, ...], unknown: set[str]
) -> Avatar | None:
    """The avatar part of a document, or None where it has none. Raises ReadError."""
    new, old = root.extension(NEW), root.extension(OLD)
    if new is not None:
        return Avatar(_bones(new, nodes), _rights(new), _expressions(new, nodes, meshes), RAW_GLTF)
    if old is not None:
        # VRM 0.x looks along −Z, against what glTF says ("Changes from 0.x").
        return Avatar(
            _old_bones(old, nodes),
            _old_rights(old),
            _old_expressions(old, meshes),
            replace(RAW_GLTF, faces="-Z"),
        )
    return None


def _bones(vrm: Obj, nodes: tuple[Node, ...]) -> dict[str, int]:
    humanoid = vrm.child("humanoid")
    table = humanoid.child("humanBones") if humanoid else None
    out: dict[str, int] = {}
    for bone in table.value if table is not None else ():
        entry = table.child(bone) if table is not None else None
        if bone in BONES and entry is not None:
            out[bone] = entry.need_integer("node", below=len(nodes))
    return out


def _old_bones(vrm: Obj, nodes: tuple[Node, ...]) -> dict[str, int]:
    humanoid = vrm.child("humanoid")
    out: dict[str, int] = {}
    for entry in humanoid.children("humanBones") if humanoid else ():
        bone = OLD_NAMES.get(entry.text("bone"), entry.text("bone"))
        if bone in BONES:
            out[bone] = entry.need_integer("node", below=len(nodes))
    return out


def _rights(vrm: Obj) -> dict[str, str]:
    meta = vrm.child("meta")
    if meta is None:
        return {}
    authors = meta.value.get("authors")
    out = {
        "title": meta.text("name"),
        "author": ", ".join(str(a) for a in authors) if isinstance(authors, list) else "",
        "licence": meta.text("otherLicenseUrl") or meta.text("licenseUrl"),
        "copyright": meta.text("copyrightInformation"),
    }
    out["terms"] = "; ".join(f"{t}: {meta.value[t]}" for t in TERMS if t in meta.value)
    return {k: v for k, v in out.items() if v}


def _old_rights(vrm: Obj) -> dict[str, str]:
    meta = vrm.child("meta")
    if meta is None:
        return {}
    out = {
        "title": meta.text("title"),
        "author": meta.text("author"),
        "licence": meta.text("otherLicenseUrl") or meta.text("licenseName").replace("_", " "),
    }
    out["terms"] = "; ".join(f"{t}: {meta.value[t]}" for t in OLD_TERMS if t in meta.value)
    return {k: v for k, v in out.items() if v}


def _expressions(
    vrm: Obj, nodes: tuple[Node, ...], meshes: tuple[Mesh, ...]
) -> dict[str, tuple[Binding, ...]]:
    table = vrm.child("expressions")
    out: dict[str, tuple[Binding, ...]] = {}
    for group in ("preset", "custom"):
        inside = table.child(group) if table is not None else None
        for name in inside.value if inside is not None else ():
            entry = inside.child(name) if inside is not None else None
            binds = []
            for b in entry.children("morphTargetBinds") if entry else ():
                mesh = nodes[b.need_integer("node", below=len(nodes))].mesh
                if mesh is not None and b.need_integer("index") < _targets(meshes[mesh]):
                    binds.append(Binding(mesh, b.need_integer("index"), b.number("weight", 1.0)))
            if binds:
                out[name] = tuple(binds)
    return out


def _old_expressions(vrm: Obj, meshes: tuple[Mesh, ...]) -> dict[str, tuple[Binding, ...]]:
    master = vrm.child("blendShapeMaster")
    out: dict[str, tuple[Binding, ...]] = {}
    for group in master.children("blendShapeGroups") if master else ():
        binds = []
        for b in group.children("binds"):
            mesh = b.need_integer("mesh", below=len(meshes))
            if b.need_integer("index") < _targets(meshes[mesh]):
                binds.append(Binding(mesh, b.need_integer("index"), b.number("weight", 100.0) / 100))
        preset = group.text("presetName")
        name = preset if preset and preset != "unknown" else group.text("name")
        if binds and name:
            out[name] = tuple(binds)
    return out


def _targets(mesh: Mesh) -> int:
    return max((len(p.targets) for p in mesh.primitives), default=0)


def with_avatar(scene: Scene, avatar: Avatar) -> Scene:
    """The scene with bones on its nodes, rights, and a morph target for every expression."""
    by_node = {n: bone for bone, n in avatar.bones.items()}
    nodes = tuple(replace(n, bone=by_node.get(i, "")) for i, n in enumerate(scene.nodes))
    meshes = tuple(_expressing(m, i, avatar.expressions) for i, m in enumerate(scene.meshes))
    said = avatar.rights.get("copyright", "")
    return replace(
        scene,
        nodes=nodes,
        meshes=meshes,
        rights={**scene.rights, **avatar.rights},
        convention=avatar.convention,
        copyright=scene.copyright or said,
    )


def _expressing(mesh: Mesh, number: int, expressions: Mapping[str, tuple[Binding, ...]]) -> Mesh:
    """Targets that are an expression by themselves take its name; others are added, mixed as the expression
    has it.
    """
    count = _targets(mesh)
    names = [mesh.target_names[k] if k < len(mesh.target_names) else f"{mesh.name} {k}" for k in range(count)]
    primitives = list(mesh.primitives)
    for name, binds in expressions.items():
        mine = [b for b in binds if b.mesh == number]
        if not mine:
            continue
        if len(mine) == 1 and mine[0].weight == 1.0:
            names[mine[0].index] = name
            continue
        primitives = [replace(p, targets=(*p.targets, _mixed(p, mine))) for p in primitives]
        names.append(name)
    weights = mesh.weights
    if len(names) > count and weights is not None:
        weights = frozen(np.concatenate([weights, np.zeros(len(names) - count)]))
    return replace(mesh, primitives=tuple(primitives), target_names=tuple(names), weights=weights)


def _mixed(prim: Primitive, binds: list[Binding]) -> MorphTarget:
    def sum_of(part: str) -> Any:
        found = [
            (b.weight, getattr(prim.targets[b.index], part)) for b in binds if b.index < len(prim.targets)
        ]
        kept = [w * v for w, v in found if v is not None]
        return frozen(np.sum(kept, axis=0)) if kept else None

    return MorphTarget(sum_of("positions"), sum_of("normals"), None)


def avatar_json(scene: Scene) -> dict[str, Any] | None:
    """The VRMC_vrm extension of a scene whose nodes carry bones, or None."""
    bones = {n.bone: {"node": i} for i, n in enumerate(scene.nodes) if n.bone}
    if not bones:
        return None
    rights = scene.rights
    meta: dict[str, Any] = {
        "name": rights.get("title") or scene.name,
        "authors": [a.strip() for a in rights.get("author", "").split(",") if a.strip()] or ["unknown"],
        "licenseUrl": LICENCE_URL,
    }
    if rights.get("licence") and rights["licence"] != LICENCE_URL:
        meta["otherLicenseUrl"] = rights["licence"]
    if scene.copyright:
        meta["copyrightInformation"] = scene.copyright
    for term in rights.get("terms", "").split("; "):
        name, _, value = term.partition(": ")
        if name in TERMS:
            meta[name] = {"True": True, "False": False}.get(value, value)
    out: dict[str, Any] = {
        "specVersion": "1.0",
        "meta": meta,
        "humanoid": {"humanBones": dict(sorted(bones.items()))},
    }
    if found := _expressions_json(scene):
        out["expressions"] = {"preset": found}
    return out


def _expressions_json(scene: Scene) -> dict[str, Any]:
    """Morph targets that have the name of a preset expression, as that expression."""
    out: dict[str, Any] = {}
    for i, n in enumerate(scene.nodes):
        names = scene.meshes[n.mesh].target_names if n.mesh is not None else ()
        for k, name in enumerate(names):
            if name in PRESETS:
                out.setdefault(name, {"morphTargetBinds": []})["morphTargetBinds"].append(
                    {"node": i, "index": k, "weight": 1.0}
                )
    return out
