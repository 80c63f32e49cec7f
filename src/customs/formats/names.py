"""Names as files give them, without what no name can be."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from customs.scene.held import map_held
from customs.scene.model import Image, Mesh, Remark, Scene
from customs.scene.placements import Placements
from customs.words import plain

NAMED = ("materials", "skins", "clips")


def with_plain_names(scene: Scene) -> Scene:
    """The scene with U+FFFD in its names for control characters and halves of surrogate pairs, which a
    terminal would obey and no page or database could hold."""
    said: dict[str, Any] = {group: tuple(_plain(e) for e in getattr(scene, group)) for group in NAMED}
    return replace(
        scene,
        nodes=map_held((_plain(n) for n in scene.nodes), _plain),
        name=plain(scene.name),
        meshes=tuple(_mesh(m) for m in scene.meshes),
        images=tuple(_image(i) for i in scene.images),
        unknown=tuple(plain(u) for u in scene.unknown),
        variants=tuple(plain(v) for v in scene.variants),
        remarks=tuple(_remark(r) for r in scene.remarks),
        placements=_rows(scene.placements),
        **said,
    )


def _plain(element: Any) -> Any:
    name = plain(element.name)
    return element if name == element.name else replace(element, name=name)


def _rows(rows: Placements) -> Placements:
    names = tuple(map(plain, rows.names))
    return rows if names == rows.names else replace(rows, names=names)


def _mesh(mesh: Mesh) -> Mesh:
    targets = tuple(plain(t) for t in mesh.target_names)
    return _plain(mesh if targets == mesh.target_names else replace(mesh, target_names=targets))


def _image(image: Image) -> Image:
    uri = plain(image.uri)
    return _plain(image if uri == image.uri else replace(image, uri=uri, problem=plain(image.problem)))


def _remark(remark: Remark) -> Remark:
    text = plain(remark.text)
    return remark if text == remark.text else replace(remark, text=text)
