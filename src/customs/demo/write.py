"""Writing the demo goods to a folder."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from customs.demo import bench, cart, floor, gardener, goods, hedgehog, people, stork
from customs.demo.place import VERSION
from customs.formats.registry import WriteOptions, get_format
from customs.scene.model import Scene


@dataclass(frozen=True)
class Good:
    """One of the demo goods: its file inside the folder and the origin it really comes from."""

    id: str
    title: str
    kind: str
    file: str
    origin: str
    make: Callable[[], Scene]
    format: str
    loose: Callable[[], dict[str, bytes]] = dict
    """Files that lie near it, by path from its folder."""


GOODS = (
    Good(
        "watering_stork",
        "Watering stork",
        "rigged",
        "stork/watering_stork.glb",
        "centimetre-zup",
        stork.arriving,
        "glb",
    ),
    Good(
        "bell_lantern",
        "Bell lantern",
        "prop",
        "lantern/bell_lantern.obj",
        "inch-zup",
        goods.lantern,
        "obj",
        goods.lantern_skins,
    ),
    Good("fern_bed", "Fern bed", "foliage", "fern/fern_bed.gltf", "metre-yup", goods.fern_bed, "gltf"),
    Good("pane_wall", "Pane wall", "module", "wall/pane_wall.glb", "metre-zup", goods.pane_wall, "glb"),
    Good("seed_cart", "Seed cart", "prop", "cart/seed_cart.gltf", "metre-yup", cart.scene, "gltf"),
    Good(
        "spring_basin",
        "Spring basin",
        "prop",
        "basin/spring_basin.stl",
        "centimetre-zup",
        goods.spring_basin,
        "stl",
    ),
    Good(
        "mosaic_floor", "Mosaic floor", "module", "floor/mosaic_floor.gltf", "metre-yup", floor.scene, "gltf"
    ),
    Good(
        "potting_bench",
        "Potting bench",
        "prop",
        "bench/potting_bench.obj",
        "metre-yup",
        bench.scene,
        "obj",
        bench.loose,
    ),
    Good("gardener", "Gardener", "humanoid", "gardener/gardener.vrm", "metre-yup", gardener.scene, "glb"),
    Good(
        "hedgehog",
        "Clockwork hedgehog",
        "parts",
        "hedgehog/hedgehog.gltf",
        "metre-yup",
        hedgehog.scene,
        "gltf",
    ),
    Good(
        "lamplighter",
        "Lamplighter",
        "rigged",
        "lamplighter/lamplighter.fbx",
        "centimetre-zup",
        people.lighter_arriving,
        "fbx",
    ),
    Good("moss_keeper", "Moss keeper", "rigged", "moss/moss_keeper.glb", "metre-yup", people.keeper, "glb"),
    Good(
        "house_warden", "House warden", "donor", "warden/house_warden.glb", "metre-yup", people.warden, "glb"
    ),
)


def write_goods(folder: Path) -> dict[str, Path]:
    """All goods in `folder`, path by id. A folder written by this version is left as it is."""
    paths = {g.id: folder / g.file for g in GOODS}
    stamp = folder / ".goods"
    if stamp.is_file() and stamp.read_text() == VERSION and all(p.is_file() for p in paths.values()):
        return paths
    shutil.rmtree(folder, ignore_errors=True)
    for good in GOODS:
        _write(good, paths[good.id])
    stamp.write_text(VERSION)
    return paths


def _write(good: Good, path: Path) -> None:
    scene = good.make()
    path.parent.mkdir(parents=True, exist_ok=True)
    entry = get_format(good.format)
    assert entry.write is not None
    apart = {}
    if not entry.images_inside:
        for i, image in enumerate(scene.images):
            apart[i] = image.uri
            if image.content is not None:
                (path.parent / image.uri).write_bytes(image.content.read())
    for name, data in good.loose().items():
        (path.parent / name).parent.mkdir(parents=True, exist_ok=True)
        (path.parent / name).write_bytes(data)
    files = entry.write(scene, WriteOptions(path.stem, apart))
    for ending, parts in files.items():
        with (path if len(files) == 1 else path.with_suffix(ending)).open("wb") as out:
            out.writelines(parts)
