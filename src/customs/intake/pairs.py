"""Pairs: clips that live in files of their own, bound to a model's skeleton by the names of its nodes, and other skins of
one thing.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Literal

import numpy as np

from customs.conventions.convert import change_convention
from customs.errors import CustomsError
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.geometry.triangles import flat_indices
from customs.intake.closure import steps_between
from customs.intake.heap import Entry, Heap
from customs.intake.kinds import group_of
from customs.intake.through import HeapTree
from customs.job import Job
from customs.scene.key import Key
from customs.scene.model import Channel, Clip, Primitive, Remark, Scene
from customs.surface.suffixes import words
from customs.words import many

MOST_READ = 24
"""Files that are read to see whether their clips fit a model."""
LEAST = 0.5
"""Share of the nodes some clips move that a model must have before they are called its own."""
APART = 1_000_000
"""Numbers between what is of one file and of the next."""
FIRST = "plain"
"""The skin a model has as it is."""


@dataclass(frozen=True)
class Pair:
    """A file that goes with a model: of `clips`, or another `skin` of the same thing. How many it has, and how many
    of the nodes they move, or of the parts it shows, the model has too.
    """

    model: str
    place: str
    kind: Literal["clips", "skin"]
    count: int
    fits: int
    of: int

    def words(self) -> str:
        """For a person."""
        if self.kind == "skin":
            return f"another skin, {self.fits} of {many(self.of, 'part')}"
        return f"{many(self.count, 'clip')}, {self.fits} of {many(self.of, 'joint')}"


def moved_names(scene: Scene) -> list[str]:
    """Names of the nodes the clips of a scene move, once each."""
    return list(dict.fromkeys(scene.nodes[c.node].name for clip in scene.clips for c in clip.channels))


def with_pair(scene: Scene, other: Scene, name: str, number: int) -> Scene:
    """`scene` with what the file `name` holds: the look of `other` as a variant, where it is the same thing, else its
    clips.
    """
    shown = any(n.mesh is not None for n in other.nodes)
    return with_skin(scene, other, name, number) if shown else with_clips(scene, other, name, number)


def _parts(scene: Scene) -> list[Primitive]:
    return [p for m in scene.meshes for p in m.primitives]


def same_parts(scene: Scene, other: Scene) -> int:
    """How many primitives of two scenes, in their order, have the same places and faces."""
    return sum(
        np.array_equal(a.positions, b.positions) and np.array_equal(flat_indices(a), flat_indices(b))
        for a, b in zip(_parts(scene), _parts(other))
    )


def with_skin(scene: Scene, other: Scene, name: str, number: int) -> Scene:
    """`scene` with the materials of `other` as one more variant (glTF KHR_materials_variants), on the parts that are
    the same in both; a remark says how many are not.
    """
    title = _skin_name(scene.name, Path(name).stem, scene.variants)
    names = [*(scene.variants or (FIRST,)), title]
    images, materials = len(scene.images), len(scene.materials)

    def key(kind: str, k: int) -> Key:
        return Key(scene.digest, kind, APART * (number + 1) + k)

    added = [
        replace(
            m,
            key=key("material", k),
            name=f"{m.name} {title}",
            textures={role: replace(u, image=u.image + images) for role, u in m.textures.items()},
        )
        for k, m in enumerate(other.materials)
    ]
    its, lost = iter(_parts(other)), 0

    def dressed(prim: Primitive) -> Primitive:
        nonlocal lost
        mine = next(its, None)
        if mine is None or mine.material is None or not _alike(prim, mine):
            lost += 1
            return prim
        before = prim.variants
        if not before and prim.material is not None:
            before = ((prim.material, tuple(range(len(names) - 1))),)
        return replace(prim, variants=(*before, (mine.material + materials, (len(names) - 1,))))

    meshes = tuple(replace(m, primitives=tuple(dressed(p) for p in m.primitives)) for m in scene.meshes)
    said = f"skin {title} of {name}" + (
        f"; {many(lost, 'part')} look the same, as they are others there" if lost else ""
    )
    return replace(
        scene,
        meshes=meshes,
        materials=(*scene.materials, *added),
        images=(*scene.images, *(replace(im, key=key("image", k)) for k, im in enumerate(other.images))),
        variants=tuple(names),
        remarks=(*scene.remarks, Remark(said)),
    )


def _alike(a: Primitive, b: Primitive) -> bool:
    same = np.array_equal(a.positions, b.positions) and np.array_equal(flat_indices(a), flat_indices(b))
    return same and len(a.texcoords) == len(b.texcoords)


def _skin_name(model: str, stem: str, taken: Sequence[str]) -> str:
    """What sets the name of a file apart from the model's."""
    own = set(words(model))
    name = " ".join(w for w in words(stem) if w not in own) or stem
    return name if name not in taken else stem


def with_clips(scene: Scene, other: Scene, name: str, number: int) -> Scene:
    """`scene` with the clips of `other`, the file `name`, bound by the names of nodes; a remark says what did not
    fit. `number` tells several such files apart.
    """
    if scene.convention != other.convention and "assumed" not in (
        scene.convention.stated,
        other.convention.stated,
    ):
        other = change_convention(other, scene.convention)
    known: dict[str, int] = {}
    for index, node in enumerate(scene.nodes):
        known.setdefault(node.name, index)
    taken = {c.name for c in scene.clips}
    clips, lost = list[Clip](), dict[str, None]()
    for k, clip in enumerate(other.clips):
        channels = []
        for channel in clip.channels:
            bound = _bound(scene, other, channel, known)
            if bound is None:
                lost[other.nodes[channel.node].name] = None
            else:
                channels.append(bound)
        if channels:
            title = clip.name if clip.name not in taken else f"{Path(name).stem} {clip.name}"
            key = Key(scene.digest, "clip", APART * (number + 1) + k)
            clips.append(replace(clip, key=key, name=title, channels=tuple(channels)))
            taken.add(title)
    said = f"{many(len(clips), 'clip')} of {name}"
    if lost:
        few = ", ".join(list(lost)[:6]) + (" …" if len(lost) > 6 else "")
        said += f"; not moved, as they are not here or have other targets: {few}"
    return replace(scene, clips=(*scene.clips, *clips), remarks=(*scene.remarks, Remark(said)))


def _bound(scene: Scene, other: Scene, channel: Channel, known: dict[str, int]) -> Channel | None:
    """A channel on the node of the same name; None where there is none that it could move."""
    node = known.get(other.nodes[channel.node].name)
    if node is None:
        return None
    if channel.path == "weights":
        mesh = scene.nodes[node].mesh
        targets = (
            len(scene.meshes[mesh].primitives[0].targets)
            if mesh is not None and scene.meshes[mesh].primitives
            else 0
        )
        if targets != channel.values.shape[-1]:
            return None
    return replace(channel, node=node)


def pairs(heap: Heap, models: Sequence[Entry], job: Job | None = None) -> list[Pair]:
    """Files of a heap whose clips fit a model, for each of the models. Raises Cancelled."""
    job, out = job or Job(), list[Pair]()
    for number, model in enumerate(models):
        job.check()
        job.progress(number / len(models), model.path.name)
        scene = _read(heap, model)
        if scene is None:
            continue
        for entry in _candidates(heap.entries, model, bool(scene.skins or scene.clips)):
            job.check()
            other = _read(heap, entry)
            found = None if other is None else _pair(scene, other, model, entry)
            if found is not None:
                out.append(found)
    return out


def _pair(scene: Scene, other: Scene, model: Entry, entry: Entry) -> Pair | None:
    if any(n.mesh is not None for n in other.nodes):
        # What has meshes of its own is another model, or this one in another skin.
        fits, count = same_parts(scene, other), len(_parts(scene))
        whole = fits == count == len(_parts(other)) and count > 0 and bool(other.materials)
        return Pair(model.place, entry.place, "skin", 1, fits, count) if whole else None
    moved = moved_names(other)
    fits = sum(n in {node.name for node in scene.nodes} for n in moved)
    if not moved or fits < LEAST * len(moved):
        return None
    return Pair(model.place, entry.place, "clips", len(other.clips), fits, len(moved))


def _candidates(entries: Iterable[Entry], model: Entry, moves: bool) -> list[Entry]:
    """Files that may go with a model: those called as it is but for one word; of one that `moves` those beside it, and
    those that begin as its name does, too. Nearest first.
    """
    mine, folder = words(model.path.stem), os.path.dirname(model.place)
    found = []
    for e in entries:
        if not e.takeable or e.place == model.place:
            continue
        its = words(e.path.stem)
        near = group_of(e.kind) == "clips" or os.path.dirname(e.place) == folder or its[:1] == mine[:1]
        if (moves and near) or _kin(mine, its):
            found.append(e)
    return sorted(found, key=lambda e: (steps_between(e.place, model.place), e.place))[:MOST_READ]


def _kin(a: Sequence[str], b: Sequence[str]) -> bool:
    """True for names that differ in one word, which is no number: numbers tell things apart, not skins."""
    only = [w for w in (*a, *b) if not (w in a and w in b)]
    return (
        bool(set(a) & set(b))
        and 1 <= len(only) <= 2
        and not any(w.isdigit() for w in only)
        and abs(len(a) - len(b)) <= 1
    )


def _read(heap: Heap, entry: Entry) -> Scene | None:
    try:
        return read_scene(Source(entry.path, tree=HeapTree(heap, Path(entry.root))))
    except CustomsError:
        return None
