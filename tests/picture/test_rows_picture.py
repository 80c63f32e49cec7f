"""Placements are drawn as nodes would be, in a call a mesh; while something moves, the largest on the
screen.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest

from customs.motion.posing.bounds import world_bounds
from customs.picture.camera import Orbit, framing
from customs.picture.look import Look, Shot
from customs.picture.renderer import Renderer
from customs.picture.rows import groups
from customs.scene.folding import fold
from customs.scene.key import Key
from customs.scene.model import Material, Scene
from customs.scene.tree import world_matrices
from tests.scene.test_placements import MADE, WHOLE, drawn


def painted(seed: int, made: Callable[[int], Scene] = drawn) -> Scene:
    """A drawn hall with one mesh opaque and one glassy."""
    scene = made(seed)
    materials = (
        Material(Key("d", "material", 0), "brass", base_colour=(0.7, 0.5, 0.2, 1)),
        Material(Key("d", "material", 1), "glass", base_colour=(0.2, 0.5, 0.7, 0.5), alpha_mode="blend"),
    )
    meshes = tuple(
        replace(m, primitives=tuple(replace(p, material=k) for p in m.primitives))
        for k, m in enumerate(scene.meshes)
    )
    return replace(scene, materials=materials, meshes=meshes)


@MADE
@pytest.mark.parametrize(
    "look", [Look(grid=False), Look(shading="plain", grid=False), Look(wire=True, grid=False)]
)
def test_rows_look_as_nodes_do(look: Look, made: Callable[[int], Scene], renderer: Renderer) -> None:
    scene = painted(0, made)
    scene = replace(scene, materials=(scene.materials[0], replace(scene.materials[1], alpha_mode="opaque")))
    low, high = world_bounds(scene)  # type: ignore[misc]
    for unit in (1.0, 0.01):
        orbit = framing(low, high, unit, Orbit(yaw=-35, pitch=16))
        nodes, rows = (
            renderer.render(Shot(s, orbit, 240, 180, look, unit=unit)).astype(int)
            for s in (scene, fold(scene))
        )
        assert np.abs(nodes - nodes[0, 0]).max() > 40, "something is drawn"
        assert (np.abs(nodes - rows).max(axis=2) > 24).mean() < 0.004


def test_glassy_rows_are_drawn_after_the_solid_ones(renderer: Renderer) -> None:
    scene = fold(painted(1))
    low, high = world_bounds(scene)  # type: ignore[misc]
    shot = Shot(scene, framing(low, high, 1.0, Orbit(yaw=20, pitch=10)), 160, 120, Look(grid=False))
    blue = renderer.render(shot)[:, :, 2].astype(int)
    without = renderer.render(
        replace(shot, scene=replace(scene, placements=scene.placements.at(scene.placements.of == 0)))
    )
    assert np.abs(blue - without[:, :, 2]).max() > 20


def test_rows_are_grouped_by_mesh_and_side() -> None:
    scene = fold(drawn(2))
    eye, worlds = np.array([0.0, 2.0, 12.0]), world_matrices(scene)
    every = groups(scene, worlds, 1.0, eye)
    assert sum(len(g.matrices) for g in every) == WHOLE and all(
        g.mirrored == (np.linalg.det(g.matrices[0, :, :3]) < 0) for g in every
    )
    some = np.arange(WHOLE) % 3 == 0
    assert sum(len(g.matrices) for g in groups(scene, worlds, 1.0, eye, some)) == int(some.sum())
    assert groups(scene, worlds, 1.0, eye, np.zeros(WHOLE, bool)) == []
