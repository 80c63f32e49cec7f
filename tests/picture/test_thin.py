"""Pictures that move: fewer triangles where a software driver draws, never at rest."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
import trimesh
from pytestqt.qtbot import QtBot

from customs.picture.camera import Orbit
from customs.picture.look import Look, Shot
from customs.picture.renderer import Renderer
from customs.picture.thin import sides, thinned
from customs.scene.arrays import frozen
from customs.scene.model import Mesh, Node, Primitive, Scene
from customs_desktop.painter import Painter
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


def ball(divided: int) -> Scene:
    """A ball of 20 × 4^`divided` faces."""
    made = trimesh.creation.icosphere(divided)
    prim = Primitive(key("primitive", 0), frozen(made.vertices), indices=frozen(made.faces.reshape(-1), np.uint32),
                     normals=frozen(made.vertex_normals))  # fmt: skip
    node, mesh = Node(key("node", 0), "ball", mesh=0), Mesh(key("mesh", 0), "ball", (prim,))
    return Scene("ball", DIGEST, (node,), (0,), (mesh,))


def test_a_moving_picture_is_like_the_resting_one(renderer: Renderer) -> None:
    scene = ball(6)
    prim = scene.meshes[0].primitives[0]
    look = Look(grid=False, transparent=True)
    resting = renderer.render(Shot(scene, Orbit(distance=4), 200, 200, look)).astype(int)
    moving = renderer.render(Shot(scene, Orbit(distance=4), 200, 200, replace(look, smooth=False))).astype(
        int
    )
    part = renderer.store.part(prim)
    counts = {halved: count // 3 for halved, (_, count) in part.indices.items()}
    assert counts[0] == 20 * 4**6
    if renderer.software:
        assert 2 in counts and counts[2] < counts[0] / 2.5
    a, b = resting[:, :, 3] > 127, moving[:, :, 3] > 127
    assert (a & b).sum() > 0.98 * (a | b).sum(), "the outline stays"
    assert np.abs(resting - moving)[a & b][:, :3].mean() < 6, "the shading too"


def test_a_sketch_comes_before_a_picture_that_takes_long(renderer: Renderer, qtbot: QtBot) -> None:
    if not renderer.software:
        pytest.skip("a graphics card draws everything at once")
    look = Look(grid=False, transparent=True)
    large, small = (Shot(ball(n), Orbit(distance=4), 160, 160, look) for n in (7, 3))
    assert renderer.takes_long(large) and not renderer.takes_long(small)
    whole = as_numbers(renderer.render(large))
    assert not renderer.takes_long(large), "what has been drawn is drawn again without one"
    painter, met = Painter(), list[tuple[str, Any, object]]()
    painter.painted.connect(lambda slot, image, tag: met.append((slot, image, tag)))
    try:
        for slot, shot in (("one", large), ("other", small)):
            painter.ask(slot, shot, slot)
        qtbot.waitUntil(lambda: len(met) == 3 and painter.idle, timeout=60_000)
        assert [(slot, tag) for slot, _, tag in met] == [
            ("one", "one"),
            ("other", "other"),
            ("one", "one"),
        ], "what is quickly drawn is not kept waiting"
        sketch, last = (as_numbers(met[k][1]) for k in (0, 2))
        assert (last == whole).all() and 0 < np.abs(sketch - whole).mean() < 6
    finally:
        painter.close()


def as_numbers(picture: Any) -> Any:
    """Pixels as whole numbers that can be subtracted."""
    if not isinstance(picture, np.ndarray):
        bits = picture.constBits()
        bits.setsize(picture.sizeInBytes())
        picture = np.frombuffer(bits, np.uint8).reshape(picture.height(), picture.width(), 4)
    return picture.astype(int)


def test_what_is_dragged_shares_what_did_not_change_and_nothing_is_held_for_ever(renderer: Renderer) -> None:
    scene = ball(5)
    look = Look(grid=False, transparent=True)
    prim = scene.meshes[0].primitives[0]

    def moved(far: float) -> Scene:
        new = replace(prim, positions=frozen(prim.positions + np.float32([far, 0, 0])))
        return replace(scene, meshes=(replace(scene.meshes[0], primitives=(new,)),))

    renderer.render(Shot(scene, Orbit(distance=4), 120, 120, look))
    before, held = len(renderer.store.parts), dict(renderer.store._held)
    for k in range(6):
        picture = renderer.render(Shot(moved(0.1 * k), Orbit(distance=4), 120, 120, look))
    fresh = Renderer()
    try:
        alone = fresh.render(Shot(moved(0.5), Orbit(distance=4), 120, 120, look))
    finally:
        fresh.release()
    assert (picture == alone).all(), "as if nothing had been drawn before"
    assert len(renderer.store.parts) <= before + 2
    part, own = renderer.store.part(prim), {id(b) for b in renderer.store.part(prim).buffers}
    assert (
        part.alive() is prim and own <= set(renderer.store._held) and set(held) <= set(renderer.store._held)
    )
