"""The model files an asset is delivered as: one, or mesh, skeleton and clips apart."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from customs.motion.skeleton.bones import bones_of
from customs.scene.folding import shown_times
from customs.scene.key import Key
from customs.scene.kinds import NO_KINDS
from customs.scene.model import Clip, Node, Scene
from customs.scene.placements import NO_PLACEMENTS
from customs.scene.prune import prune
from customs.sheet.model import Sheet
from customs.sheet.part import filled

FILES = "files"
"""Name of the table in the extras of a root node by which files that belong together name each other."""


@dataclass(frozen=True, eq=False)
class ModelFile:
    """One model file: its path without ending, what it is, and the scene in it (destination numbers)."""

    path: str
    kind: str
    scene: Scene


def clip_files_of(scene: Scene, sheet: Sheet) -> str:
    """How clips go out: as a stop wants it, else as the sheet takes them first."""
    return scene.wishes.clips or sheet.rig.clip_files[0]


def model_files(scene: Scene, sheet: Sheet) -> tuple[ModelFile, ...]:
    """All model files of an asset, the one with the mesh first; none of what is only studied."""
    if sheet.grounds.form == "study":
        return ()
    if sheet.grounds.form == "list":
        return tuple(_alone(scene, k, sheet) for k in used_meshes(scene))
    path = filled(sheet.layout.model, scene.name, scene.name)
    how = clip_files_of(scene, sheet)
    split = sheet.rig.files == "split" and bool(scene.skins)
    if not split and (how == "together" or not scene.clips):
        return (ModelFile(path, "model", scene),)
    clips = [(filled(sheet.layout.clip, scene.name, c.name), c) for c in scene.clips]
    if how == "each" and not split:
        first = [ModelFile(clips[0][0], "model", replace(scene, clips=(clips[0][1],)))]
        return (*first, *(ModelFile(p, "model part", replace(scene, clips=(c,))) for p, c in clips[1:]))
    inside: tuple[Clip, ...] = ()
    if how == "first-with-mesh" and not split:
        inside, clips = (clips[0][1],), clips[1:]
    out = [ModelFile(path, "model", replace(scene, clips=inside))]
    bones = bones_of(scene)
    if split:
        out.append(ModelFile(filled(sheet.layout.skeleton, scene.name, scene.name), "skeleton", bones))
    # A clip that moves nothing of the skeleton (morph weights alone) has nothing to say in a file of its own.
    out += [
        ModelFile(p, "clip", replace(bones, clips=c)) for p, clip in clips if (c := _onto(scene, bones, clip))
    ]
    return tuple(_naming_each_other(out)) if split else tuple(out)


def used_meshes(scene: Scene) -> list[int]:
    """Meshes that something shows, each once, in order."""
    return np.flatnonzero(np.array(shown_times(scene))).tolist()


def _alone(scene: Scene, mesh: int, sheet: Sheet) -> ModelFile:
    """The file of a mesh that a list places: the mesh alone, where it stands by itself."""
    one = scene.meshes[mesh]
    node = Node(Key(scene.digest, "node", mesh), one.name, mesh=0)
    alone = replace(
        scene, name=one.name, nodes=(node,), roots=(0,), meshes=(one,), placements=NO_PLACEMENTS, skins=(), clips=(),
        kinds=NO_KINDS,
    )  # fmt: skip
    return ModelFile(sheet.grounds.mesh_place(scene.name, one.name), "model", prune(alone))


def _onto(scene: Scene, bones: Scene, clip: Clip) -> tuple[Clip, ...]:
    """`clip` on the nodes of `bones`; morph weights need a mesh and stay behind."""
    numbers = {n.key: i for i, n in enumerate(bones.nodes)}
    channels = tuple(
        replace(c, node=numbers[scene.nodes[c.node].key])
        for c in clip.channels
        if c.path != "weights" and scene.nodes[c.node].key in numbers
    )
    return (replace(clip, channels=channels),) if channels else ()


def _naming_each_other(files: list[ModelFile]) -> list[ModelFile]:
    """Each file's first root says which files hold the skin, the skeleton and the clips, by name without
    ending.
    """
    names = {f.kind: f.path.rsplit("/", 1)[-1] for f in files if f.kind != "clip"}
    table = {
        "skin_file": names["model"],
        "skeleton_file": names["skeleton"],
        "clip_files": ";".join(f.path.rsplit("/", 1)[-1] for f in files if f.kind == "clip"),
    }
    return [replace(f, scene=_with_extras(f.scene, table)) for f in files]


def _with_extras(scene: Scene, table: Mapping[str, Any]) -> Scene:
    if not scene.roots:
        return scene
    root = scene.roots[0]

    def change(i: int, node: Node) -> Node:
        return replace(node, extras={**node.extras, **table}) if i == root else node

    return replace(scene, nodes=tuple(change(i, n) for i, n in enumerate(scene.nodes)))
