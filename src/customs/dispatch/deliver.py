"""From the scene at the end of the route to the files of a package, in the destination's axes and unit."""

from __future__ import annotations

import posixpath
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cache

from customs.conventions.convert import change_convention
from customs.errors import WriteError
from customs.formats.image_write import delivered_form, encode
from customs.formats.registry import Parts, WriteOptions, get_format
from customs.scene.convention import WORKING
from customs.scene.model import Image, Scene
from customs.scene.prune import prune
from customs.sheet.model import Sheet
from customs.surface.files.base import texture_format


@dataclass(frozen=True)
class Deliverable:
    """A file to be: its path inside the package, what it is, and how its bytes are made."""

    path: str
    kind: str
    make: Callable[[], Parts]
    subject: str = ""


def destination_scene(scene: Scene, sheet: Sheet) -> Scene:
    """The scene in the destination's numbers."""
    entry = get_format(sheet.model.format)
    target = sheet.axes.convention(entry.convention.v)
    return change_convention(prune(scene), target, replace(WORKING, green=target.green))


def image_path(image: Image, sheet: Sheet, asset: str) -> str:
    """Path of a texture inside the package."""
    ending = texture_format(delivered_form(image)).endings[0]
    return sheet.layout.texture.format(asset=asset, name=image.name, ending=ending, index="", material="", role="")


PARTS = {"obj": (".obj", ".mtl"), "gltf": (".gltf", ".bin")}
"""Endings of formats that write more than one file, the model first."""


def planned_files(scene: Scene, sheet: Sheet) -> tuple[tuple[str, str], ...]:
    """(path, kind) of every file a delivery of `scene` would write; nothing is converted or encoded for it."""
    used = prune(scene)
    textures = [image_path(im, sheet, used.name) for im in _there(used).values()] if _apart(sheet) else []
    return tuple([*_model_files(used, sheet), *((p, "texture") for p in textures)])


def _apart(sheet: Sheet) -> bool:
    return sheet.model.textures == "apart"


def _there(scene: Scene) -> dict[int, Image]:
    """Images that have bytes or pixels, by index."""
    return {i: im for i, im in enumerate(scene.images) if im.there}


def _model_path(scene: Scene, sheet: Sheet) -> str:
    return sheet.layout.model.format(asset=scene.name, name=scene.name, ending="", index="", material="", role="")


def _model_files(scene: Scene, sheet: Sheet) -> list[tuple[str, str]]:
    endings = PARTS.get(sheet.model.format, (f".{sheet.model.format}",))
    if sheet.model.format == "obj" and not scene.materials:
        endings = endings[:1]
    path = _model_path(scene, sheet)
    return [(path + e, "model" if k == 0 else "model part") for k, e in enumerate(endings)]


def deliver(final: Scene, sheet: Sheet) -> tuple[Deliverable, ...]:
    """The model files and, where the sheet wants them apart, the textures of a scene in destination numbers.

    Raises WriteError when two paths clash.
    """
    entry = get_format(sheet.model.format)
    assert entry.write is not None
    write = entry.write
    there = _there(final)
    paths = {i: image_path(im, sheet, final.name) for i, im in there.items()} if _apart(sheet) else {}
    folder, stem = posixpath.split(_model_path(final, sheet))
    relative = {i: posixpath.relpath(p, folder or ".") for i, p in paths.items()}

    @cache
    def files() -> dict[str, Parts]:
        return write(final, WriteOptions(stem, relative))

    def part(path: str) -> Callable[[], Parts]:
        return lambda: files()[posixpath.splitext(path)[1]]

    out = [Deliverable(path, kind, part(path), final.name) for path, kind in _model_files(final, sheet)]
    out += [Deliverable(path, "texture", _encoder(there[i]), there[i].name) for i, path in paths.items()]
    _no_clash(out)
    return tuple(out)


def _encoder(image: Image) -> Callable[[], Parts]:
    return lambda: [encode(image)]


def _no_clash(files: list[Deliverable]) -> None:
    taken: dict[str, str] = {"docket.json": "docket", "docket.html": "docket"}
    for f in files:
        low = f.path.lower()
        if low in taken:
            raise WriteError(f"two files called {f.path}", "a name of its own for each", "Add Names to the route.")
        taken[low] = f.subject
