"""Posts placed by pointing: on the surface, on a vertex, in a part's middle, on the nearest joint."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from customs.changes.standing_parts import whole_of
from customs.route.step import get_step, make_settings
from customs.work.posts import On, spot_for
from tests.assets import cube, scene_of
from tests.changes.test_coarser import run
from tests.motion.rigs import bar


@pytest.mark.parametrize(
    ("on", "at"), [("surface", (0.2, 0.5, 0.1)), ("vertex", (0.5, 0.5, 0.5)), ("centre", (0, 0, 0))]
)
def test_on_a_cube_by_hand(on: On, at: tuple[float, ...]) -> None:
    """A unit cube about zero, pointed at on its upper side: the way is up."""
    scene = scene_of(cube(1.0))
    whole = whole_of(scene)
    corners = whole.points[whole.faces]
    face = next(
        k
        for k, c in enumerate(corners)
        if np.allclose(c[:, 1], 0.5) and (c == [0.5, 0.5, 0.5]).all(axis=1).any()
    )
    names = {str(scene.meshes[0].primitives[0].key)}
    spot = spot_for(on, scene, whole, names, face, np.array([0.2, 0.5, 0.1]))
    assert (
        spot is not None
        and spot.at == pytest.approx(at)
        and spot.points == pytest.approx((0, 1, 0))
        and not spot.joint
    )
    assert spot_for("joint", scene, whole, names, face, spot.at) is None
    assert spot_for("centre", scene, whole, {"nobody"}, face, spot.at) is None


def test_on_a_joint_it_hangs_on_it_and_moves_with_it() -> None:
    scene = bar(4)
    whole = whole_of(scene)
    names = {str(scene.meshes[0].primitives[0].key)}
    spot = spot_for("joint", scene, whole, names, 0, np.array([0.1, 0.6, 0.0]))
    assert spot is not None and spot.joint == "bone_2" and spot.at == pytest.approx((0, 2 / 3, 0))
    wish = ("hook", tuple(spot.at.tolist()), tuple(spot.points.tolist()), spot.joint, "")
    make_settings(get_step("posts"), {"posts": [wish]})
    out = run("posts", scene, posts=[wish]).scene
    bone = next(n for n in out.nodes if n.name == "bone_2")
    assert [out.nodes[c].name for c in bone.children][-1] == "hook"
    twice = replace(scene, nodes=tuple(replace(n, name="same") for n in scene.nodes))
    assert spot_for("joint", twice, whole, names, 0, spot.at) is None
