"""A level from its lists and the files their names mean: every file once, every placement a row."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from customs.conventions.convert import change_convention
from customs.errors import CustomsError
from customs.formats.level.parts import Parts
from customs.formats.source import Source
from customs.levels.file import LevelFile, level_of
from customs.levels.library import Resolved, resolve
from customs.levels.mapping import Mapping
from customs.levels.read import Listed, name_counts, read_list
from customs.scene.convention import WORKING, Convention
from customs.scene.model import Remark, Scene
from customs.scene.prune import prune
from customs.words import many


def read_level(source: Source) -> Scene:
    """The level in the numbers of its lists. Missing, ambiguous and unreadable files are stood in for by boxes. Raises CustomsError
    where a list cannot be read.
    """
    told = level_of(source.data, source.path)
    lists = [_list(source, name, told.mapping) for name in told.lists]
    digest = hashlib.sha256("".join([source.digest, *(d for _, d in lists)]).encode()).hexdigest()[:12]
    read = [x for x, _ in lists]
    names = resolved_in(source, told, read)
    parts = Parts(digest if len(lists) > 1 or told.lists[0] != source.path.name else source.digest)
    for x in read:
        for problem in x.problems:
            source.remark(f"{x.path.name}: {problem}")
    _place_all(parts, source, read, names, told)
    parts.own_lights(told.lights)
    scene = parts.level(source.path.name.partition(".")[0])
    return change_convention(scene, told.mapping.frame.convention(), WORKING)


def _list(source: Source, name: str, mapping: Mapping) -> tuple[Listed, str]:
    """(a list, what it is known by). Raises CustomsError."""
    if name == source.path.name:
        return read_list(source.path, mapping, source.data), ""
    place = source.companion(name, "lists", needed=True)
    if place is None:
        raise source.error("lists", f"{name} is not there", "the list beside the level file", "Put it there.")
    one = source.at(place)
    return read_list(place, mapping, one.data), one.digest


def resolved_in(source: Source, told: LevelFile, lists: Sequence[Listed]) -> list[Resolved]:
    """Every name of the lists once, looked up in the libraries inside the source's tree."""
    folders = [f for name in told.libraries if source.tree.holds(f := _beside(source, name))]
    for name in told.libraries:
        if not source.tree.holds(_beside(source, name)):
            source.remark(f"library {name} leads out of {source.tree.root} and is not looked into")

    return resolve(name_counts(lists), folders, told.mapping.library, source.walk, source.given)


def _beside(source: Source, name: str) -> Path:
    return Path(os.path.normpath(source.path.parent / name))


def _place_all(
    parts: Parts, source: Source, lists: Sequence[Listed], names: Sequence[Resolved], told: LevelFile
) -> None:
    """Everything the lists show; what is hidden is left out and told."""
    every = np.concatenate([x.names for x in lists])
    words = np.concatenate([np.stack([x.kinds, x.labels], axis=1) for x in lists])
    matrices = np.concatenate([x.matrices for x in lists])
    shown = np.concatenate([x.visible for x in lists])
    if hidden := int((~shown).sum()):
        source.remark(f"{many(hidden, 'placement')} that are hidden in the list left out")
    order = np.argsort(every[shown].astype(str), kind="stable")
    rows = np.flatnonzero(shown)[order]
    found, starts = np.unique(every[rows].astype(str), return_index=True)
    groups = dict(zip(found.tolist(), np.split(rows, starts[1:])))
    for k, one in enumerate(names):
        source.job.check()
        source.job.progress(0.1 + 0.8 * k / len(names), one.name)
        mine = groups.get(one.name)
        if mine is None:
            continue
        scene, why = _library_scene(source, one, told)
        if scene is None:
            source.absent.append(one.name)
            parts.stand_in(one.name, why, matrices[mine], words[mine])
        else:
            parts.place(scene, one.name, matrices[mine], words[mine])


def _library_scene(source: Source, one: Resolved, told: LevelFile) -> tuple[Scene | None, str]:
    """(the file of a name in the working frame, or None and why not)."""
    from customs.formats.registry import read_scene

    if one.file is None:
        # The copy in a shipment's store holds none of the files that may be meant.
        count = len(one.files) or told.unclear.get(one.name, 0)
        return None, f"{count} files may be meant" if count else "no file of that name"
    inside = source.tree.holds(one.file)
    sub = source.at(one.file) if inside else Source(one.file, _root_of(one.file))
    try:
        raw = prune(read_scene(sub))
    except CustomsError as problem:
        return None, str(problem)
    source.touched += [one.file, *sub.touched]
    source.absent += sub.absent
    source.remarks += [Remark(f"{one.name}: {r.text}") for r in sub.remarks]
    return change_convention(raw, WORKING, frame_of(raw.convention, told.mapping)), ""


def _root_of(file: Path) -> Path:
    """The folder that what a library file leans on lies in: one above its own (common practice: models beside textures)."""
    return file.parent.parent


def frame_of(own: Convention, mapping: Mapping) -> Convention:
    """The frame of a file's numbers: as the mapping states it where transforms take raw numbers, or where no file and no format says
    one; else its own.
    """
    if mapping.takes != "raw" and own.stated in ("file", "format"):
        return own
    f = mapping.library.frame
    return replace(own, up=f.up, faces=f.faces, hand=f.hand, metres_per_unit=f.metres_per_unit)
