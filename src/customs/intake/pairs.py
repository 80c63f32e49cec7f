"""Pairs: clips that live in files of their own, bound to a model's skeleton by the names of its nodes."""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from customs.conventions.convert import change_convention
from customs.errors import CustomsError
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.intake.closure import steps_between
from customs.intake.heap import Entry, Heap
from customs.intake.kinds import group_of
from customs.intake.through import HeapTree
from customs.job import Job
from customs.scene.key import Key
from customs.scene.model import Channel, Clip, Remark, Scene
from customs.surface.suffixes import words
from customs.words import many

MOST_READ = 24
"""Files that are read to see whether their clips fit a model."""
LEAST = 0.5
"""Share of the nodes some clips move that a model must have before they are called its own."""
APART = 1_000_000
"""Numbers between the clips of one file and the next."""


@dataclass(frozen=True)
class Pair:
    """A file with clips for a model: how many, and how many of the nodes they move the model has."""

    model: str
    place: str
    clips: int
    fits: int
    moved: int

    def words(self) -> str:
        """For a person."""
        return f"{many(self.clips, 'clip')}, {self.fits} of {many(self.moved, 'joint')}"


def moved_names(scene: Scene) -> list[str]:
    """Names of the nodes the clips of a scene move, once each."""
    return list(dict.fromkeys(scene.nodes[c.node].name for clip in scene.clips for c in clip.channels))


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
        if scene is None or not (scene.skins or scene.clips):
            continue
        names = {n.name for n in scene.nodes}
        for entry in _candidates(heap.entries, model):
            job.check()
            other = _read(heap, entry)
            # What has meshes of its own is another model.
            if other is None or not other.clips or any(n.mesh is not None for n in other.nodes):
                continue
            moved = moved_names(other)
            fits = sum(n in names for n in moved)
            if moved and fits >= LEAST * len(moved):
                out.append(Pair(model.place, entry.place, len(other.clips), fits, len(moved)))
    return out


def _candidates(entries: Iterable[Entry], model: Entry) -> list[Entry]:
    """Files that may hold a model's clips: those beside it, and those that begin as its name does; nearest first."""
    first, folder = words(model.path.stem)[:1], os.path.dirname(model.place)
    found = [
        e
        for e in entries
        if e.takeable
        and e.place != model.place
        and (
            group_of(e.kind) == "clips"
            or os.path.dirname(e.place) == folder
            or words(e.path.stem)[:1] == first
        )
    ]
    return sorted(found, key=lambda e: (steps_between(e.place, model.place), e.place))[:MOST_READ]


def _read(heap: Heap, entry: Entry) -> Scene | None:
    try:
        return read_scene(Source(entry.path, tree=HeapTree(heap, Path(entry.root))))
    except CustomsError:
        return None
