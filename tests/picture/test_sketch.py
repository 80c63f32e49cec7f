"""Levels as they are sketched while the camera moves: the largest first, nothing that cannot be seen, and much like the real picture."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from customs.motion.posing.bounds import world_bounds
from customs.picture.camera import Orbit, framing
from customs.picture.look import Look, Shot
from customs.picture.renderer import MOST_PLACED, Renderer
from customs.picture.rows import placed_triangles
from customs.picture.sketch import Level
from customs.scene.model import Scene
from customs.scene.tree import world_matrices
from tests.grounds.conftest import arrived, court, court_files  # noqa: F401 (fixtures)


@pytest.fixture(scope="module")
def level(arrived: Scene) -> tuple[Scene, Level]:  # noqa: F811
    rows = arrived.placements
    # Without what stands around everything and far away.
    spared = np.array([n not in ("sky_dome", "outer_box") for n in rows.names])
    near = np.abs(rows.matrices[:, :, 3]).max(axis=1) < 100
    scene = replace(arrived, placements=rows.at(spared & near), nodes=(), roots=())
    return scene, Level(scene, world_matrices(scene), 1.0)


def eye(scene: Scene) -> Orbit:
    box = world_bounds(scene)
    assert box is not None
    return framing(*box, 750 / 450)


def seen_from(orbit: Orbit) -> np.ndarray:
    return orbit.projection(750 / 450) @ orbit.view()


def test_the_largest_come_first_within_the_budget(level: tuple[Scene, Level]) -> None:
    scene, one = level
    orbit = replace(eye(scene), distance=12.0)
    few, all_ = (one.choose(seen_from(orbit), 450, budget) for budget in (8_000, None))
    chosen = np.concatenate([rows for _, _, rows in few.draws])
    assert few.triangles <= 8_000 < all_.triangles
    apart = np.linalg.norm(one.middle - orbit.eye, axis=1) / np.maximum(one.radius, 1e-9)
    assert np.median(apart[chosen]) < np.median(apart[np.concatenate([rows for _, _, rows in all_.draws])])
    # What is not a mesh any more is a spot, not gone.
    assert set(few.spots.tolist()) | set(chosen.tolist()) == set(all_.spots.tolist()) | {
        k for _, _, rows in all_.draws for k in rows.tolist()
    }


def test_what_is_behind_or_beside_is_not_drawn(level: tuple[Scene, Level]) -> None:
    scene, one = level
    inside = replace(eye(scene), distance=0.5, target=(0.0, 1.7, 0.0), pitch=0.0, yaw=0.0)
    found = one.choose(seen_from(inside), 450, None)
    drawn = np.concatenate([*(rows for _, _, rows in found.draws), found.spots])
    ahead = inside.eye[2] - one.middle[drawn, 2]
    assert (ahead > -one.radius[drawn]).all()
    assert len(drawn) < (one.radius > 0).sum()


def test_it_looks_like_the_level(level: tuple[Scene, Level]) -> None:
    """Against the picture of everything with all its materials: where something stands, something is drawn, about as bright."""
    scene, _ = level
    assert placed_triangles(scene) > MOST_PLACED
    renderer = Renderer()
    if not renderer.software:
        pytest.skip("a graphics card draws all of it")
    shot = Shot(scene, eye(scene), 320, 200, Look(grid=False, transparent=True))
    whole = renderer.render(shot).astype(float)
    moving = replace(shot, look=replace(shot.look, smooth=False))
    # Colours of textures are found as far as there is time: on a busy machine the first pictures have not all of them.
    quick = [renderer.render(moving) for _ in range(8)][-1].astype(float)
    renderer.release()
    there, sketched = whole[:, :, 3] > 128, quick[:, :, 3] > 128
    assert (there & sketched).sum() > 0.9 * (there | sketched).sum()
    both = there & sketched
    assert abs(whole[both][:, :3].mean() - quick[both][:, :3].mean()) < 45


def test_what_has_changed_is_drawn_anew(level: tuple[Scene, Level]) -> None:
    """The same rows of meshes that are others now, and at other places."""
    scene, _ = level
    renderer = Renderer()
    if not renderer.software:
        pytest.skip("a graphics card draws all of it")
    shot = Shot(scene, eye(scene), 160, 100, Look(grid=False, smooth=False))
    before = renderer.render(shot).astype(int)
    flat = tuple(replace(m, primitives=m.primitives[:0]) for m in scene.meshes)
    gone = renderer.render(replace(shot, scene=replace(scene, meshes=flat))).astype(int)
    assert np.abs(before - gone).max() > 20
    assert np.abs(renderer.render(shot).astype(int) - before).mean() < 8
    renderer.release()
