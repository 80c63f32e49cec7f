"""Packages a destination already has, read as they lie: nothing that Customs wrote of them is asked."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path

import numpy as np

from customs.errors import CustomsError, LimitError, ReadError
from customs.formats.registry import endings, read_scene
from customs.formats.source import Source
from customs.geometry.counts import counts
from customs.job import Job
from customs.landing.motion_check import whole_motion
from customs.learning.bundles import is_bundle, unpacked
from customs.motion.posing.bounds import world_bounds
from customs.scene.content import Encoded
from customs.scene.kept import kept
from customs.scene.model import Image, Scene
from customs.scene.prune import prune
from customs.scene.tree import mesh_nodes
from customs.surface.files.base import ImageInfo
from customs.surface.pixels import content_info, image_info

DOCKETS = ("docket.json", "docket.html")
MOST_FILES = 10_000
"""Files of one example that are looked at."""
MOST_MODELS = 64
"""Models of one example that are read."""


@dataclass(frozen=True, eq=False)
class ModelFile:
    """A model: its path in the package, its scene in the file's own numbers."""

    path: str
    scene: Scene


@dataclass(frozen=True, eq=False)
class Example:
    """One package: `files` are the paths in it, `models` those that are models, the one with most vertices first; `problem` says why
    there are none.
    """

    folder: Path
    files: tuple[str, ...]
    models: tuple[ModelFile, ...] = ()
    problem: str = ""

    @cached_property
    def name(self) -> str:
        """What the asset is called: what its models' names begin with, the folder's name where they begin with that."""
        stems = [Path(m.path).stem for m in self.models]
        if not stems or stems[0].startswith(self.folder.name):
            return self.folder.name
        shared = shared_start(stems)
        return shared.rstrip("_-. ") if len(stems) > 1 and len(shared) > 1 else stems[0]

    @property
    def main(self) -> Scene:
        """The scene of its model."""
        return self.models[0].scene

    @cached_property
    def core(self) -> Scene:
        """Its model without the nodes that are levels or shapes by their names."""
        return kept("core", self.main, lambda: _core(self.main, self.name))

    @cached_property
    def whole(self) -> Scene:
        """Its model with the clips of its other files."""
        return whole_motion(self.main, [m.scene for m in self.models[1:]])

    @cached_property
    def box(self) -> tuple[np.ndarray, np.ndarray] | None:
        """Low and high corner in the file's own numbers."""
        return world_bounds(self.core)

    @cached_property
    def textures(self) -> tuple[tuple[Image, ImageInfo], ...]:
        """Textures its models use that can be read, with the facts of their headers."""
        images = {id(i): i for m in self.models for i in m.scene.images}
        found = ((i, image_info(i)) for i in images.values() if i.there)
        return tuple((i, info) for i, info in found if info is not None)

    def picture(self, path: str) -> ImageInfo | None:
        """The facts of an image file of the package, None for one that cannot be read."""

        def find() -> ImageInfo | None:
            try:
                return content_info(Encoded((self.folder / path).read_bytes()))
            except (OSError, CustomsError):
                return None

        return kept(("picture", path), self, find)


LEVEL = re.compile(r"(?P<name>.+?)(?P<mid>[_.\- ]?(?i:lod)[_.\- ]?)(?P<level>\d)")
"""A node called like a level of another (common practice)."""
PURPOSES = ("hits", "picking", "around", "walking")
SHAPE = re.compile(rf"(?P<asset>.+)_(?P<purpose>{'|'.join(PURPOSES)})(?P<index>\d*)")
"""A node called by what a collision shape is for."""


def levels_in(scene: Scene) -> dict[int, str]:
    """Nodes that are levels of another by their names, with what stands between name and number."""
    names = {scene.nodes[n].name for n in mesh_nodes(scene)}
    found = {n: LEVEL.fullmatch(scene.nodes[n].name) for n in mesh_nodes(scene)}
    return {n: m["mid"] for n, m in found.items() if m is not None and m["name"] in names}


def shapes_in(scene: Scene, asset: str) -> list[int]:
    """Nodes that are collision shapes of an asset by their names."""
    found = ((n, SHAPE.fullmatch(scene.nodes[n].name)) for n in mesh_nodes(scene))
    return [n for n, m in found if m is not None and m["asset"] == asset]


def purposes_in(scene: Scene, asset: str) -> set[str]:
    """What the collision shapes of an asset are for, by their names."""
    found = (SHAPE.fullmatch(scene.nodes[n].name) for n in shapes_in(scene, asset))
    return {m["purpose"] for m in found if m is not None}


def _core(scene: Scene, asset: str) -> Scene:
    gone = {*levels_in(scene), *shapes_in(scene, asset)}
    if not gone:
        return scene
    nodes = [replace(n, mesh=None, skin=None) if k in gone else n for k, n in enumerate(scene.nodes)]
    bare = {k for k in gone if not nodes[k].children}
    kept_nodes = tuple(replace(n, children=tuple(c for c in n.children if c not in bare)) for n in nodes)
    return prune(replace(scene, nodes=kept_nodes, roots=tuple(r for r in scene.roots if r not in bare)))


def find_packages(paths: Sequence[Path], job: Job | None = None) -> list[Path]:
    """Packages named, folders or archives, or those directly in a named folder that has no model of its own; archives are unpacked.
    Raises CustomsError where there are none, and Cancelled.
    """
    out = list[Path]()
    for path in paths:
        if is_bundle(path):
            out.append(unpacked(path, job))
            continue
        if not path.is_dir():
            raise ReadError("there is no such folder", "a package, or a folder of packages", "Name it.", path)
        if _models(sorted(p for p in path.iterdir() if p.is_file())):
            out.append(path)
            continue
        inside = sorted(p for p in path.iterdir() if p.is_dir() and not p.name.startswith("."))
        with_models = [p for p in inside if _models(_files(p))]
        with_models += _in_bundles(path, job)
        many = len(with_models) > 1 or not inside
        out += with_models if many or not _models(_files(path)) else [path]
    if not out:
        raise ReadError(
            "no package in it",
            "folders or archives that hold a model each",
            "Name packages the destination has.",
            paths[0],
        )
    return list(dict.fromkeys(out))


def _in_bundles(folder: Path, job: Job | None) -> list[Path]:
    """Archives right in a folder that hold a model; what cannot be unpacked is no package."""
    out = list[Path]()
    for path in sorted(p for p in folder.iterdir() if is_bundle(p)):
        try:
            place = unpacked(path, job)
        except CustomsError:
            continue
        if _models(_files(place)):
            out.append(place)
    return out


def _files(folder: Path) -> list[Path]:
    out = list[Path]()
    for path in folder.rglob("*"):
        if path.is_file() and not path.is_symlink() and path.name not in DOCKETS:
            out.append(path)
            if len(out) > MOST_FILES:
                break
    return sorted(out)


def _models(files: Sequence[Path]) -> list[Path]:
    known = tuple(endings())
    return [p for p in files if p.suffix.lower() in known]


def read_example(folder: Path, job: Job | None = None) -> Example:
    """A package read; whatever is wrong with it is its `problem`. Raises Cancelled."""
    job, files = job or Job(), _files(folder)
    names = tuple(p.relative_to(folder).as_posix() for p in files)
    if len(files) > MOST_FILES:
        return Example(folder, names, problem=f"more than {MOST_FILES:,} files: name the packages one by one")
    models, problem = list[ModelFile](), ""
    for path in _models(files)[:MOST_MODELS]:
        job.check()
        try:
            scene = prune(read_scene(Source(path, folder)))
            models.append(ModelFile(path.relative_to(folder).as_posix(), scene))
        except (CustomsError, LimitError) as found:
            problem = problem or str(found)
    models.sort(key=lambda m: (-counts(m.scene)["vertices"], m.path))
    if not models:
        return Example(folder, names, problem=problem or "no model in it")
    return Example(folder, names, tuple(models), problem)


def shared_start(names: Sequence[str]) -> str:
    """What all names begin with."""
    if not names:
        return ""
    first, last = min(names), max(names)
    same = next((k for k, (a, b) in enumerate(zip(first, last)) if a != b), min(len(first), len(last)))
    return first[:same]
