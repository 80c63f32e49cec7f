"""From the scene at the end of the route to the files of a package, in the destination's axes and unit."""

from __future__ import annotations

import posixpath
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache

from customs.conventions.convert import change_convention
from customs.dispatch.fittings import with_fittings
from customs.dispatch.variants import ModelFile, model_files
from customs.errors import WriteError
from customs.formats.image_write import PLAIN, deliveries, encode, texture_kinds
from customs.formats.registry import Parts, WriteOptions, get_format
from customs.grounds.leaving import without_flat
from customs.scene.convention import WORKING
from customs.scene.model import Image, Scene
from customs.scene.prune import prune
from customs.scene.settings import Settings
from customs.scene.wishes import Delivery
from customs.sheet.model import Sheet
from customs.sheet.part import filled
from customs.surface.files.base import texture_format
from customs.surface.mipmap import Kind

Tick = Callable[[float], None]
Writer = Callable[[Scene, WriteOptions], dict[str, Parts]]


@dataclass(frozen=True)
class Deliverable:
    """A file to be: its path inside the package, what it is, and how its bytes are made (telling how far it
    is, 0..1).
    """

    path: str
    kind: str
    make: Callable[[Tick], Parts]
    subject: str = ""


def destination_scene(scene: Scene, sheet: Sheet) -> Scene:
    """The scene in the destination's numbers, with levels and shapes as the nodes they are delivered as."""
    whole = with_fittings(scene, sheet)
    # A list has no place for what is squeezed flat, and nothing of it would be seen; a requirement says so.
    return in_numbers(without_flat(whole) if sheet.grounds.form == "list" else whole, sheet)


def in_numbers(scene: Scene, sheet: Sheet) -> Scene:
    """The scene in the destination's numbers as it is."""
    target = sheet.axes.convention(get_format(sheet.model.format).convention.v)
    return change_convention(prune(scene), target, replace(WORKING, green=target.green))


def image_path(image: Image, sheet: Sheet, asset: str, form: str) -> str:
    """Path of a texture inside the package, in the file format `form`."""
    ending = texture_format(form).endings[0]
    return filled(sheet.layout.texture, asset, image.name, ending)


def planned_models(scene: Scene, sheet: Sheet) -> tuple[tuple[str, str], ...]:
    """(path, kind) of every model file and texture a delivery of `scene` would write; nothing is converted or encoded for it."""
    used = prune(scene)
    textures = [path for path, _, _ in _texture_files(used, sheet)] if _apart(sheet) else []
    models = [pair for f in model_files(used, sheet) for pair in _endings(f, sheet)]
    return tuple([*models, *((p, "texture") for p in textures)])


def _apart(sheet: Sheet) -> bool:
    return sheet.model.textures == "apart"


def _there(scene: Scene) -> dict[int, Image]:
    """Images that have bytes or pixels, by index."""
    return {i: im for i, im in enumerate(scene.images) if im.there}


def _texture_files(scene: Scene, sheet: Sheet) -> list[tuple[str, int, Delivery]]:
    """(path, image, how) of each texture file, further copies after the one a model names."""
    how = {i: deliveries(im, scene.wishes) for i, im in _there(scene).items()}
    return [
        (image_path(scene.images[i], sheet, scene.name, d.form), i, d)
        for i, files in how.items()
        for d in files
    ]


def _endings(file: ModelFile, sheet: Sheet) -> list[tuple[str, str]]:
    endings = get_format(sheet.model.format).files(file.scene)
    return [(file.path + e, file.kind if k == 0 else "model part") for k, e in enumerate(endings)]


def deliver(final: Scene, sheet: Sheet, more: Sequence[Deliverable] = ()) -> tuple[Deliverable, ...]:
    """The model files and, where the sheet wants them apart, the textures of a scene in destination numbers, and `more`.

    Raises WriteError when two paths clash.
    """
    entry = get_format(sheet.model.format)
    assert entry.write is not None
    write = entry.write
    textures = _texture_files(final, sheet) if _apart(sheet) else []
    paths: dict[str, str] = {}
    for path, i, _ in textures:
        paths.setdefault(str(final.images[i].key), path)
    form = entry.settings(**sheet.model.form)
    out = [d for f in model_files(final, sheet) for d in _model(f, sheet, write, form, paths)]
    kinds = texture_kinds(final)
    out += [
        Deliverable(
            path, "texture", _encoder(final.images[i], how, kinds.get(i, PLAIN)), final.images[i].name
        )
        for path, i, how in textures
    ]
    out += more
    _no_clash(out)
    return tuple(out)


def _model(
    file: ModelFile, sheet: Sheet, write: Writer, form: Settings, paths: Mapping[str, str]
) -> list[Deliverable]:
    """The deliverables of one model file in the `form` the sheet asks for; `paths` of textures apart by
    Key.
    """
    folder, stem = posixpath.split(file.path)
    relative = {
        i: posixpath.relpath(paths[str(im.key)], folder or ".")
        for i, im in enumerate(file.scene.images)
        if str(im.key) in paths
    }

    @cache
    def files() -> dict[str, Parts]:
        return write(file.scene, WriteOptions(stem, relative, form))

    def part(path: str) -> Callable[[Tick], Parts]:
        return lambda tick: files()[posixpath.splitext(path)[1]]

    return [Deliverable(path, kind, part(path), file.scene.name) for path, kind in _endings(file, sheet)]


def _encoder(image: Image, how: Delivery, kind: Kind) -> Callable[[Tick], Parts]:
    return lambda tick: [encode(image, how, kind, tick)]


def _no_clash(files: list[Deliverable]) -> None:
    taken: dict[str, str] = {"docket.json": "docket", "docket.html": "docket"}
    for f in files:
        low = f.path.lower()
        if low in taken:
            raise WriteError(
                f"two files called {f.path}", "a name of its own for each", "Add Names to the route."
            )
        taken[low] = f.subject
