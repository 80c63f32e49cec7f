"""Pictures that move: fewer triangles where a software driver draws, never at rest."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from customs.picture.camera import Orbit
from customs.picture.look import Look, Shot
from customs.picture.renderer import Renderer
from customs.picture.thin import sides, thinned
from customs.scene.arrays import frozen
from customs.scene.model import Mesh, Node, Primitive, Scene
from tests.assets import DIGEST, key


@pytest.mark.parametrize("target", [20_000, 5_000, 600])
def test_a_ball_keeps_its_surface(target: int) -> None:
    """Area and volume against trimesh's own figures of its ball."""
    ball = trimesh.creation.icosphere(6)
    small = thinned(ball.vertices, ball.faces, target)
    assert 0.4 * target < len(small) < 1.7 * target
    assert small.max() < len(ball.vertices) and (np.diff(np.sort(small, axis=1), axis=1) > 0).all(), (
        "no face is a line"
    )
    thin = trimesh.Trimesh(ball.vertices, small, process=False)
    assert thin.area == pytest.approx(ball.area, rel=0.06) and thin.volume == pytest.approx(
        ball.volume, rel=0.08
    )


def test_sides_of_a_plate_and_pieces_of_the_unwrap_stay_apart() -> None:
    ball = trimesh.creation.icosphere(4)
    flat = ball.vertices * [1, 1, 1e-3]
    upper = ball.vertices[:, 2] > 0
    small = thinned(flat, ball.faces, 300, sides(ball.vertex_normals, None))
    mixed = upper[small].any(axis=1) & ~upper[small].all(axis=1)
    whole = upper[ball.faces].any(axis=1) & ~upper[ball.faces].all(axis=1)
    assert mixed.sum() <= whole.sum(), "only faces of the rim have corners on both sides, as before"
    uv = np.where(upper, 0.1, 0.9)[:, None] * [1, 1]
    assert len(set(zip(upper.tolist(), sides(None, uv).tolist()))) == 2


def test_broken_numbers_do_not_stop_a_picture() -> None:
    positions = np.array([[0, 0, 0], [np.nan, 0, 0], [0, np.inf, 0], [1, 1, 0]], np.float32)
    assert thinned(positions, np.array([[0, 1, 2], [1, 2, 3]]), 1).shape[1] == 3


def test_a_moving_picture_is_like_the_resting_one(renderer: Renderer) -> None:
    ball = trimesh.creation.icosphere(6)
    prim = Primitive(key("primitive", 0), frozen(ball.vertices), indices=frozen(ball.faces.reshape(-1), np.uint32),
                     normals=frozen(ball.vertex_normals))  # fmt: skip
    scene = Scene(
        "ball",
        DIGEST,
        (Node(key("node", 0), "ball", mesh=0),),
        (0,),
        (Mesh(key("mesh", 0), "ball", (prim,)),),
    )
    look = Look(grid=False, transparent=True)
    resting = renderer.render(Shot(scene, Orbit(distance=4), 200, 200, look)).astype(int)
    moving = renderer.render(Shot(scene, Orbit(distance=4), 200, 200, replace(look, smooth=False))).astype(
        int
    )
    part = renderer.store.part(prim)
    counts = {halved: count // 3 for halved, (_, count) in part.indices.items()}
    assert counts[0] == len(ball.faces)
    if renderer.software:
        assert 2 in counts and counts[2] < counts[0] / 2.5
    a, b = resting[:, :, 3] > 127, moving[:, :, 3] > 127
    assert (a & b).sum() > 0.98 * (a | b).sum(), "the outline stays"
    assert np.abs(resting - moving)[a & b][:, :3].mean() < 6, "the shading too"
