"""Twenty faults planted in a brush level and in the modules of a building: each is found and named, among all the others."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from customs.demo.textures import encoded
from customs.grounds.modules import offences, snapped
from tests.brushes.test_text import FAULTS, brush, level, read, told
from tests.grounds.test_modules import walls

MORE = {
    "a texture nobody has": (brush(texture="gone"), "1 texture of unknown size (gone)"),
    "no place": ('{\n"classname" "start"\n"origin" "1 2"\n}\n', "start: '1 2' is no place"),
    "a size of nothing": (brush(texture="zero"), "texture-sizes.csv line 2: no size"),
}
"""Faults of what hangs on a level: the rest of its text, and what is said."""
SIZES = {
    "wall_a": (2.0, 3.0, 0.2),
    "wall_short": (1.996, 3.0, 0.2),
    "wall_long": (4.01, 3.0, 0.2),
    "wall_pivot": (2.0, 3.0, 0.2),
}
PLACES = [
    *(("wall_a", (2.0 * k, 0.0, 0.0), 0.0) for k in range(6)), ("wall_short", (20.0, 0, 0), 0.0), ("wall_long", (30.0, 0, 0), 0.0),
    ("wall_pivot", (40.0, 0, 0), 0.0), ("wall_a", (50.004, 0, 0), 0.0), ("wall_a", (60.0, 0, 7.03), 0.0),
]  # fmt: skip
WRONG = {
    ("wall_short", "size", "x"),
    ("wall_long", "size", "x"),
    ("wall_a", "place", "x"),
    ("wall_a", "place", "z"),
}


def test_faults_of_brushes_are_named_when_all_are_there_at_once(tmp_path: Path) -> None:
    (tmp_path / "textures").mkdir()
    for name in ("wall", "floor"):
        (tmp_path / "textures" / f"{name}.png").write_bytes(encoded(np.zeros((8, 8, 3), np.uint8), "png"))
    (tmp_path / "texture-sizes.csv").write_text("name,width,height\nzero,0,8\n", "utf-8")
    named = 0
    for text, expected in (*FAULTS.values(), *MORE.values()):
        inside = (text,) if "classname" not in text else ()
        scene = read(tmp_path, level(*inside, brush(texture="floor"), more="" if inside else text))
        # Lines are those of the level the fault stands alone in.
        assert expected in told(scene) or expected.split(":", 1)[-1].strip() in told(scene), expected
        named += 1
    assert named == 14


def test_faults_of_modules_are_named_and_snapped(tmp_path: Path) -> None:
    scene = walls(SIZES, PLACES)
    low = scene.meshes[3].primitives[0]
    moved = type(low)(**{**vars(low), "positions": low.positions - np.array([0.02, 0, 0], np.float32)})
    meshes = (*scene.meshes[:3], type(scene.meshes[3])(scene.meshes[3].key, "wall_pivot", (moved,)))
    scene = type(scene)(**{**vars(scene), "meshes": meshes})
    found = {(o.name, o.what, o.axis) for o in offences(scene, 2.0)}
    assert found == WRONG | {("wall_pivot", "pivot", "x")}
    done = snapped(scene, 2.0)
    assert offences(done.scene, 2.0) == () and done.left == ()
    # One that fits nowhere without opening a seam is the twentieth: it is named and left.
    tight = walls(
        {"wall_b": (2.05, 3, 0.2), "wall_e": (0.55, 3, 0.2)},
        [("wall_b", (0, 0, 0), 0.0), ("wall_e", (2.05, 0, 0), 0.0)],
    )
    assert snapped(tight, 2.0).left == ("wall_b",)
