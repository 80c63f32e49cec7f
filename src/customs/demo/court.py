"""The palm court: a level as a list of 1,204 placements in inches, Z up, and the library its names mean. Without a light, its
terrain inside out, a box around the world, six names nobody has and two that may mean two files each.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from customs.demo.court_library import PIECES
from customs.formats.registry import WriteOptions, get_format
from customs.levels.mapping import Mapping

NAME = "palm_court"
INCH = 0.0254
WIDE, DEEP, STOREY = 16, 12, 3.2
PLACED = 1204
MISSING = ("iron_bracket_02", "vent_crank", "glass_shard_c", "old_sundial", "hose_reel", "seed_bin_lid")
MAPPING = """version = 1
title = "lists of the glasshouse, inches, Z up"
entries = "/world/objects/*"
rotation = "euler"
euler = "xyz"
takes = "list"

[fields]
name = "/mesh"
position = "/at"
rotation = "/turn"
scale = "/size"
visible = "/shown"

[frame]
up = "+Z"
faces = "-Y"
metres_per_unit = 0.0254
"""


@dataclass(frozen=True)
class Put:
    """A placement: name, place in metres (Y up), turn about up in degrees, size."""

    name: str
    x: float
    y: float
    z: float
    turn: float = 0.0
    size: float = 1.0

    def entry(self) -> dict[str, object]:
        """As the list has it: inches, Z up, what faced +Z facing −Y."""
        at = [round(v / INCH, 6) for v in (self.x, -self.z, self.y)]
        return {
            "mesh": self.name,
            "at": at,
            "turn": [0, 0, self.turn],
            "size": [self.size] * 3,
            "shown": True,
        }


def _walls(y: float) -> Iterator[Put]:
    for k in range(WIDE // 2):
        for z, turn in ((-DEEP / 2, 0.0), (DEEP / 2, 180.0)):
            yield Put("pane_wall", 2 * k + 1 - WIDE / 2, y, z, turn)
    for k in range(DEEP // 2):
        for x, turn in ((-WIDE / 2, 90.0), (WIDE / 2, -90.0)):
            yield Put("pane_wall", x, y, 2 * k + 1 - DEEP / 2, turn)


def _built() -> Iterator[Put]:
    """412 pieces of the building and its ground."""
    for k in range(WIDE * DEEP):
        yield Put("mosaic_tile", k // DEEP + 0.5 - WIDE / 2, 0, k % DEEP + 0.5 - DEEP / 2)
    yield from _walls(0)
    yield from _walls(STOREY)
    for k in range(48):
        yield Put("roof_pane", 2 * (k % 8) - 7, 2 * STOREY + 0.2, 2 * (k // 8) - 5)
    for k in range(WIDE // 2):
        for z in (-5.2, 5.2):
            yield Put("gallery_slab", 2 * k - 7, STOREY, z)
    for k in range(58):
        side = -1 if k % 2 else 1
        yield Put("iron_rib", (k // 2) * 16 / 28 - 8, 0, side * 6.05)
    yield from (Put("stair", x, 0, -2.6) for x in (-7.2, 7.2))
    yield from (Put("door_leaf", x, 0, 6.02) for x in (-1.0, 0.0, 1.0, -3.0))
    yield from (Put("pane_wall_b", 2 * k - 7, STOREY, 3.4) for k in range(8))


def _more(rng: np.random.Generator) -> Iterator[Put]:
    """Plants, decals, things for tools, what goes wrong in every level."""

    def spot() -> tuple[float, float]:
        return float(rng.uniform(-7.4, 7.4)), float(rng.uniform(-5.4, 5.4))

    for k in range(118):
        x, z = spot()
        yield Put(
            "fern" if k % 6 else "palm", x, 0, z, float(rng.uniform(0, 360)), float(rng.uniform(0.8, 1.1))
        )
    for _ in range(61):
        x, z = spot()
        yield Put("puddle_decal", x, 0, z, float(rng.uniform(0, 360)), 0.5)
    for k in range(74):
        x, z = spot()
        yield Put("trigger_box", x, STOREY * (k % 2), z)
    for _ in range(31):
        x, z = spot()
        yield Put("marker", x, 0, z)
    yield from (Put("terrain_meadow", 0, 0, 0), Put("sky_dome", 0, 0, 0), Put("outer_box", 0, 0, 0))
    yield from (Put("crate", x, 40, 9000) for x in (9000.0, 9400.0))
    yield from (Put("iron_rib", -8, 0, 6.05) for _ in range(5))


def _props(count: int, rng: np.random.Generator) -> Iterator[Put]:
    """What stands about; 38 brackets and five more things whose files nobody has."""
    for k in range(38):
        yield Put(MISSING[0], 0.4 * k - 7.6, 2.4, 5.9)
    yield from (Put(name, k - 3.0, 0, 0) for k, name in enumerate(MISSING[1:]))
    yield from (Put("pane_wall_c", x, 0, 0) for x in (-1.0, 1.0, 2.0, 3.0))
    for k in range(61):
        yield Put("bell_lantern_small", 0.26 * k - 7.8, 2.6 + STOREY * (k % 2), 5.6 * (-1 if k % 3 else 1))
    kinds = ("fern_pot", "fern_pot", "bench", "crate", "fern_pot", "seed_tag")
    for k in range(count - 38 - 5 - 4 - 61):
        y = STOREY if k % 5 == 0 else 0.0
        z = float(rng.uniform(4.6, 5.4)) * (1 if k % 2 else -1) if y else float(rng.uniform(-5.4, 5.4))
        yield Put(kinds[k % 6], float(rng.uniform(-7.4, 7.4)), y, z, float(rng.uniform(0, 360)))


def placed() -> list[Put]:
    """All of it, 1,204 placements."""
    rng = np.random.default_rng(41)
    built, more = list(_built()), list(_more(rng))
    return [*built, *more, *_props(PLACED - len(built) - len(more), rng)]


def write_court(folder: Path) -> tuple[Path, Path, Path]:
    """(the list, the mapping, the library) of the palm court in `folder`; what is there is left as it is."""
    path, mapping, library = folder / f"{NAME}.json", folder / "glasshouse_lists.toml", folder / "library"
    if not path.is_file():
        write = get_format("glb").write
        assert write is not None
        pieces = {**PIECES, "structure/old/pane_wall_c": PIECES["structure/pane_wall"],
                  "structure/new/pane_wall_c": PIECES["structure/pane_wall"]}  # fmt: skip
        for place, make in pieces.items():
            file = library / f"{place}.glb"
            file.parent.mkdir(parents=True, exist_ok=True)
            with file.open("wb") as out:
                out.writelines(write(make(), WriteOptions(file.stem))[".glb"])
        mapping.write_text(MAPPING, "utf-8")
        body = {"world": {"objects": [p.entry() for p in placed()]}}
        path.write_text(json.dumps(body, indent=0), "utf-8")
    return path, mapping, library


def court_mapping() -> Mapping:
    """The mapping of the glasshouse's lists."""
    import tomllib

    return Mapping.model_validate(tomllib.loads(MAPPING))
