"""Morph targets left out where several nodes show one mesh: each stays as it was shown."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from customs.job import Job
from customs.motion.posing.pose import posed_scene_points
from customs.route.step import NOTHING, get_step, make_settings
from customs.scene.arrays import frozen
from customs.scene.model import Mesh, MorphTarget, Node
from tests.assets import key, letter_primitive, scene_of


def test_each_node_keeps_its_own_weights() -> None:
    plain = letter_primitive(0, material=None)
    bump = MorphTarget(frozen(np.tile([0.0, 0.2, 0.5], (len(plain.positions), 1))), None, None)
    mesh = Mesh(key("mesh", 0), "letter", (replace(plain, targets=(bump,)),), frozen([0.25]), ("lean",))
    nodes = tuple(
        Node(key("node", k), f"n{k}", mesh=0, translation=np.array([3.0 * k, 0, 0]), weights=w)
        for k, w in enumerate((None, frozen([1.0]), frozen([0.0]), frozen([1.0])))
    )
    scene = replace(scene_of(plain), meshes=(mesh,), nodes=nodes, roots=(0, 1, 2, 3))
    step = get_step("leave-out")
    out = step.apply(scene, make_settings(step, {"morphs": True}), NOTHING, Job()).scene
    assert len(out.meshes) == 3 and not any(p.targets for m in out.meshes for p in m.primitives)
    for a, b in zip(posed_scene_points(scene, None, 0.0), posed_scene_points(out, None, 0.0), strict=True):
        assert np.abs(a - b).max() < 1e-5
