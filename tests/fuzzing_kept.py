"""What the program itself keeps and gets handed, for mutated files: shipments, recipes, origins, mappings, the rows of a run, dockets, grids of
cells. What is the program's own is read back from folders anybody may have had.
"""

from __future__ import annotations

import contextlib
import json
import shutil
from collections.abc import Callable
from functools import cache
from importlib import resources
from pathlib import Path

from customs.conventions.origin import parse_origin, read_toml
from customs.errors import CustomsError
from customs.landing.land import land
from customs.levels.mapping import read_mapping
from customs.planning.plan import fresh_route
from customs.recipes.recipe import read_recipe
from customs.runs.rows import NAME, Rows
from customs.sheet.model import Sheet
from customs.shipment.copies import pack, unpack
from customs.shipment.file import Shipment
from customs.shipment.state import State
from customs.work.asset import Request, run
from customs.work.goods import take_in
from customs.work.lookup import find_sheet
from tests.assets import cube, saved, scene_of

RECIPE = b"""recipe = 1
name = "Pots"
sheet = "one-mesh-kit"
origin = "inch-zup"
[goods]
names = ["*pot*"]
meshes = [1, 40]
[rights]
use = "deliver"
[[stops]]
step = "resize"
settings.limit = 512
[[differences]]
names = ["big_*"]
without = ["normals"]
[[differences.stops]]
step = "weld"
"""
MAPPING = b"""
unit = 0.01
[fields]
name = "/a"
position = "/b"
rotation = "/c"
order = "XYZ"
"""


@cache
def _sheet() -> Sheet:
    kit = find_sheet("voxel-kit")
    return kit.model_copy(update={"voxels": kit.voxels.model_copy(update={"side": 6, "colours": 4})})


@cache
def _package(folder: Path) -> Path:
    """A small package of cells."""
    path = saved(scene_of(cube()), folder / "kept" / "pot.glb")
    found = run(Request(path, path.parent, _sheet(), out=folder / "kept" / "out"))
    assert found.folder is not None and found.accepted, found.error
    return found.folder


def kept_seeds(folder: Path) -> dict[str, tuple[bytes, ...]]:
    """Sound ones, made by code."""
    model = saved(scene_of(cube()), folder / "goods" / "pot.glb")
    place = folder / "a.customs"
    store = place.with_suffix(".store")
    asset = take_in(model, model.parent, store, "pot", None)
    with contextlib.closing(Shipment.create(place, State(sheet="one-mesh-kit", goods=(asset,)))) as made:
        made.edit("Scale", lambda s: s.with_asset(s.goods[0]))
        pack(made, folder / "a.zip", {"own": "id = 'own'"})
    rows = Rows(folder / "rows")
    rows.put([("/goods/pot.glb", "made"), ("/goods/urn.glb", "made")])
    rows.end("/goods/pot.glb", "done", 1.0, 9, [("/goods/pot.glb", 3, 4)], {"rows": [], "package": None})
    rows._base.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    rows.close()
    package = _package(folder)
    return {
        "recipe": (RECIPE,),
        "mapping": (MAPPING,),
        "origin": tuple(
            p.read_bytes()
            for p in (resources.files("customs.conventions") / "origins").iterdir()
            if p.name.endswith(".toml")
        ),
        "shipment": (place.read_bytes(),),
        "packed": ((folder / "a.zip").read_bytes(),),
        "rows": ((folder / "rows" / NAME).read_bytes(),),
        "docket": ((package / "docket.json").read_bytes(),),
        "cells": (next(package.glob("*.voxels.json")).read_bytes(),),
    }


def _recipe(data: bytes, folder: Path) -> None:
    (folder / "a.toml").write_bytes(data)
    recipe = read_recipe(folder / "a.toml")
    recipe.own("big_pot")
    read_recipe_again = recipe.text()
    assert read_recipe_again


def _origin(data: bytes, folder: Path) -> None:
    (folder / "a.toml").write_bytes(data)
    origin = parse_origin(read_toml(folder / "a.toml"), "a")
    fresh_route(origin)


def _mapping(data: bytes, folder: Path) -> None:
    (folder / "a.toml").write_bytes(data)
    read_mapping(folder / "a.toml")


def _shipment(data: bytes, folder: Path) -> None:
    place = folder / "s" / "a.customs"
    shutil.rmtree(place.parent, ignore_errors=True)
    place.parent.mkdir()
    place.write_bytes(data)
    opened = Shipment(place)
    try:
        _ = [a.route for a in opened.state.goods]
        if opened.can_undo():
            opened.undo()
    finally:
        opened.close()


def _packed(data: bytes, folder: Path) -> None:
    place = folder / "u"
    shutil.rmtree(place, ignore_errors=True)
    place.mkdir()
    (folder / "a.customs.zip").write_bytes(data)
    try:
        unpack(folder / "a.customs.zip", place / "a.customs")
    except CustomsError:
        assert not list(place.iterdir()), "something was left"
        raise


def _rows(data: bytes, folder: Path) -> None:
    place = folder / "r"
    shutil.rmtree(place, ignore_errors=True)
    place.mkdir()
    (place / NAME).write_bytes(data)
    rows = Rows(place)
    try:
        rows.put([("/goods/pot.glb", "made"), ("/goods/jug.glb", "made")])
        rows.claim(("/goods/jug.glb",))
        rows.all()
    finally:
        rows.close()


def _same(data: bytes, before: bytes) -> bool:
    """True where both say the same, be it twice."""
    with contextlib.suppress(ValueError):
        return bool(json.loads(data) == json.loads(before))
    return False


def _landed(name: str) -> Callable[[bytes, Path], None]:
    """A package one of whose files is another; landing never raises."""

    def read(data: bytes, folder: Path) -> None:
        package = folder / "p" / "pot"
        if not package.is_dir():
            shutil.copytree(_package(folder), package)
        place = next(package.glob(name))
        before = place.read_bytes()
        place.write_bytes(data)
        try:
            log = land(package, lambda id_: _sheet())
            assert not log.accepted or _same(data, before), "a changed package was accepted"
        except CustomsError as problem:
            raise AssertionError("landing raised") from problem
        finally:
            place.write_bytes(before)

    return read


KEPT: dict[str, Callable[[bytes, Path], None]] = {
    "recipe": _recipe, "origin": _origin, "mapping": _mapping, "shipment": _shipment, "packed": _packed, "rows": _rows,
    "docket": _landed("docket.json"), "cells": _landed("*.voxels.json"),
}  # fmt: skip
