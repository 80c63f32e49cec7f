"""Modules against a grid: what is off is told to the millimetre, brought onto the grid where no seam opens, and left where one would."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from customs.grounds.kinds import kinds_of
from customs.grounds.modules import Offence, offences, snapped
from customs.grounds.rules import GEOMETRY
from customs.scene.arrays import frozen
from customs.scene.model import Mesh, Scene
from customs.scene.placements import table
from tests.assets import key, scene_of
from tests.brushes.test_court import applied
from tests.floorplan.test_plans import TWO

BOX = TWO.meshes[0].primitives[0]


def walls(
    sizes: dict[str, tuple[float, float, float]], places: list[tuple[str, tuple[float, float, float], float]]
) -> Scene:
    """Boxes of some sizes with their pivot in a corner, at places, turned by degrees about up."""
    names = list(sizes)
    prims = [
        replace(
            BOX, key=key("primitive", k), positions=frozen((BOX.positions + 0.5) * np.array(s), np.float32)
        )
        for k, s in enumerate(sizes.values())
    ]
    base = scene_of(*prims, materials=TWO.materials)
    meshes = tuple(Mesh(key("mesh", k), n, (p,)) for k, (n, p) in enumerate(zip(names, prims)))
    rows = np.zeros((len(places), 3, 4))
    for k, (_, at, turn) in enumerate(places):
        a = np.radians(turn)
        rows[k, :, :3] = [[np.cos(a), 0, np.sin(a)], [0, 1, 0], [-np.sin(a), 0, np.cos(a)]]
        rows[k, :, 3] = at
    of = [names.index(n) for n, _, _ in places]
    placed = table(of, rows, np.full(len(of), -1), np.arange(len(of)), tuple(n for n, _, _ in places))
    return replace(base, meshes=meshes, nodes=(), roots=(), placements=placed)


def told(scene: Scene, step: float = 2.0) -> dict[tuple[str, str, str], tuple[float, int]]:
    return {(o.name, o.what, o.axis): (round(o.off, 5), o.count) for o in offences(scene, step)}


def box(scene: Scene) -> np.ndarray:
    things = kinds_of(scene).things
    return np.stack([things.low, things.high])


def test_sizes_pivots_and_places_that_are_a_little_off() -> None:
    good, short = (2.0, 3.0, 0.2), (1.996, 3.0, 0.2)
    row = [("wall_a", (2.0 * k, 0, 0), 0.0) for k in range(5)]
    scene = walls(
        {"wall_a": good, "wall_b": short},
        [*row, ("wall_b", (10, 0, 0), 0), ("wall_b", (0.03, 0, 6), 90), ("wall_a", (4, 0, 6.004), 0)],
    )
    assert kinds_of(scene).of(GEOMETRY).all()
    assert told(scene) == {
        ("wall_b", "size", "x"): (-0.004, 2),
        ("wall_b", "place", "x"): (0.03, 1),
        ("wall_a", "place", "z"): (0.004, 1),
    }
    assert Offence("wall_b", "size", "x", -0.004, 2).text() == "wall_b: size -4.0 mm along x in 2 places"
    # A thing that is off by more than a tenth of a step is no module, nor one that stands askew; what is exact is none either.
    assert told(walls({"wall_c": (1.5, 3, 0.2)}, [("wall_c", (0, 0, 0), 0)])) == {}
    assert told(walls({"wall_a": good}, [*row, ("wall_a", (7.03, 0, 3), 30)])) == {}
    done = snapped(scene, 2.0)
    assert told(done.scene) == {} and (done.fitted, done.moved, done.left) == (1, 2, ())
    assert box(done.scene)[1, 5, 0] == pytest.approx(12.0, abs=1e-5) and box(done.scene)[
        0, 5, 0
    ] == pytest.approx(10.0)


def test_one_by_name_and_what_is_seen_stays_whole() -> None:
    scene = walls(
        {"wall_b": (1.99, 3, 0.2), "wall_d": (4.02, 3, 0.2)},
        [("wall_b", (0, 0, 0), 0), ("wall_d", (4, 0, 0), 0)],
    )
    done = snapped(scene, 2.0, {"wall_d"})
    assert told(done.scene) == {("wall_b", "size", "x"): (-0.01, 1)}
    before, after = scene.meshes[1].primitives[0], done.scene.meshes[1].primitives[0]
    assert np.allclose(after.normals, before.normals) and np.array_equal(after.indices, before.indices)
    # Stretched as one: what lay together lies together.
    assert np.allclose(after.positions, before.positions * [4 / 4.02, 1, 1], atol=1e-5)
    out, said = applied(scene, "modules", grid=2.0)
    assert told(out) == {} and said == ["2 kinds of pieces made to fit a grid of 2 m, 0 pieces moved"]
    assert applied(out, "modules", grid=2.0)[0] is out


def test_no_seam_opens() -> None:
    # A row that is closed by pieces as they are: one grid step is short, its neighbour long by as much and no module.
    parts = {"wall_b": (1.95, 3, 0.2), "wall_e": (0.55, 3, 0.2), "wall_a": (2.0, 3, 0.2)}
    row = [
        ("wall_b", (0, 0, 0), 0.0),
        ("wall_e", (1.95, 0, 0), 0.0),
        ("wall_a", (10, 0, 0), 0.0),
        ("wall_a", (12.0, 0, 4), 0.0),
    ]
    grown = snapped(walls(parts, row), 2.0)
    # Grown over its neighbour's edge it opens nothing.
    assert grown.fitted == 1 and grown.left == ()
    parts["wall_b"] = (2.05, 3, 0.2)
    row[1] = ("wall_e", (2.05, 0, 0), 0.0)
    left = snapped(walls(parts, row), 2.0)
    assert left.fitted == 0 and left.left == ("wall_b",)
    out, said = applied(walls(parts, row), "modules", grid=2.0)
    assert said == ["nothing brought onto the grid; left as they are, or a seam would open: wall_b"] and told(
        out
    )


def test_the_same_mesh_elsewhere_is_not_changed_under_the_hand() -> None:
    # The same mesh as a piece of another name.
    scene = walls({"wall_b": (1.99, 3, 0.2)}, [("wall_b", (0, 0, 0), 0), ("wall_b", (4, 0, 0), 0)])
    scene = replace(scene, placements=replace(scene.placements, names=("wall_b", "wall_x")))
    done = snapped(scene, 2.0)
    assert done.fitted == 0 and set(done.left) == {"wall_b", "wall_x"}


@pytest.mark.parametrize("what", ["nothing", "no size"])
def test_modules_of_no_size_and_none(what: str) -> None:
    sizes = {"wall_a": (0.0, 0.0, 0.0)} if what == "no size" else {"wall_a": (2.0, 3, 0.2)}
    places = [("wall_a", (0, 0, 0), 0.0)] if what == "no size" else []
    assert offences(walls(sizes, places), 2.0) == () and snapped(walls(sizes, places), 2.0).left == ()
