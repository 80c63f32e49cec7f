"""From the scene at the end of the route to the files of a package, in the destination's axes and unit."""

from __future__ import annotations

import posixpath
from collections.abc import Callable
from dataclasses import dataclass, replace

from customs.conventions.convert import change_convention
from customs.errors import WriteError
from customs.formats.image_write import delivered_form, encode
from customs.formats.registry import Parts, WriteOptions, get_format
from customs.scene.convention import WORKING
from customs.scene.model import Image, Scene
from customs.scene.prune import prune
from customs.sheet.model import Sheet
from customs.surface.pixels import ENDINGS


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
    ending = ENDINGS.get(delivered_form(image), ".png")
    return sheet.layout.texture.format(asset=asset, name=image.name, ending=ending, index="", material="", role="")


def deliver(scene: Scene, sheet: Sheet) -> tuple[Deliverable, ...]:
    """The model files and, where the sheet wants them apart, the textures. Raises WriteError when paths clash."""
    final = destination_scene(scene, sheet)
    entry = get_format(sheet.model.format)
    assert entry.write is not None
    asset = final.name
    apart = sheet.model.textures == "apart"
    there = {i: im for i, im in enumerate(final.images) if im.content is not None or im.pixels is not None}
    paths = {i: image_path(im, sheet, asset) for i, im in there.items()} if apart else {}
    model = sheet.layout.model.format(asset=asset, name=asset, ending="", index="", material="", role="")
    folder, stem = posixpath.split(model)
    relative = {i: posixpath.relpath(p, folder or ".") for i, p in paths.items()}
    made: dict[str, Parts] = {}

    def files() -> dict[str, Parts]:
        if not made:
            assert entry.write is not None
            made.update(entry.write(final, WriteOptions(stem, relative)))
        return made

    endings = {"obj": (".obj", ".mtl") if final.materials else (".obj",), "gltf": (".gltf", ".bin")}
    out = [
        Deliverable(model + e, "model" if k == 0 else "model part", lambda e=e: files()[e], asset)  # type: ignore[misc]
        for k, e in enumerate(endings.get(entry.id, (f".{entry.id}",)))
    ]
    out += [Deliverable(paths[i], "texture", _encoder(im), im.name) for i, im in there.items() if apart]
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
