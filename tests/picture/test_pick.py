"""What lies under a place of the picture, against rays cast by trimesh (https://trimesh.org,
`ray.intersects_location`).
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
import trimesh

from customs.geometry.triangles import triangles_of
from customs.picture.camera import Orbit, framing
from customs.picture.look import Look, Shot
from customs.picture.pick import pick
from customs.picture.renderer import Renderer
from customs.scene.arrays import frozen
from customs.scene.folding import fold, unfolded
from customs.scene.model import Image, Material, Node, Scene, TextureUse
from customs.scene.transforms import apply_affine
from customs.scene.tree import mesh_nodes, world_matrices
from tests.assets import cube, key, quaternion, scene_of

WIDTH, HEIGHT = 160, 120


def shot_of(scene: Scene, **more: Any) -> Shot:
    """A scene from the side, whole."""
    orbit = framing(
        np.array([-1.5, -0.5, -1.5]), np.array([1.5, 1.5, 1.5]), WIDTH / HEIGHT, Orbit(yaw=-32, pitch=14)
    )
    return Shot(scene, orbit, WIDTH, HEIGHT, Look(grid=False), **more)


def several() -> Scene:
    """Cubes that stand, lean, are stretched and mirrored, in one another's way."""
    nodes = (
        Node(key("node", 0), "plain", mesh=0),
        Node(
            key("node", 1),
            "leaning",
            mesh=0,
            translation=np.array([0.9, 0.3, 0.2]),
            rotation=quaternion("X", 25),
        ),
        Node(
            key("node", 2),
            "mirrored",
            mesh=1,
            translation=np.array([-0.8, 0, 0.5]),
            scale=np.array([-0.6, 1.4, 1.0]),
        ),
    )
    scene = scene_of(cube(0.7), cube(0.5, 1))
    return replace(scene, nodes=nodes, roots=(0, 1, 2))


def tiles(count: int = 60) -> Scene:
    """Rows of one mesh, every third mirrored."""
    rng = np.random.default_rng(4)
    nodes = tuple(
        Node(key("node", k), f"tile {k}", mesh=0, translation=rng.uniform(-1.2, 1.2, 3) + [0, 0.5, 0],
             scale=np.array([-1.0 if k % 3 == 0 else 1.0, 1, 1]))
        for k in range(count)
    )  # fmt: skip
    out = fold(replace(scene_of(cube(0.3)), nodes=nodes, roots=tuple(range(count))))
    assert len(out.placements) == count
    return out


def by_ray(shot: Shot, x: int, y: int) -> tuple[str, int] | None:
    """(name of the node, triangle) trimesh meets first through the middle of a pixel."""
    scene = unfolded(shot.scene)
    world, owners, soups = world_matrices(scene), [], []
    for n in mesh_nodes(scene):
        p = scene.meshes[scene.nodes[n].mesh or 0].primitives[0]
        soups.append(apply_affine(world[n], p.positions)[triangles_of(p)])
        owners += [(scene.nodes[n].name, k) for k in range(len(soups[-1]))]
    soup = trimesh.Trimesh(**trimesh.triangles.to_kwargs(np.concatenate(soups)), process=False)
    back = np.linalg.inv(shot.orbit.projection(WIDTH / HEIGHT) @ shot.orbit.view())
    ends = [
        back @ np.array([(2 * (x + 0.5) / WIDTH) - 1, 1 - 2 * (y + 0.5) / HEIGHT, z, 1.0]) for z in (-1, 1)
    ]
    start, end = (e[:3] / e[3] for e in ends)
    places, _, faces = soup.ray.intersects_location([start], [end - start], multiple_hits=True)
    return owners[faces[np.linalg.norm(places - start, axis=1).argmin()]] if len(faces) else None


@pytest.mark.parametrize("make", [several, tiles])
def test_it_is_what_a_ray_meets_first(renderer: Renderer, make: Any) -> None:
    shot = shot_of(make())
    rng, met, same = np.random.default_rng(1), 0, 0
    for x, y in zip(rng.integers(55, 105, 60).tolist(), rng.integers(35, 95, 60).tolist()):
        wanted, found = by_ray(shot, x, y), pick(renderer, shot, x, y)
        met += wanted is not None
        same += (None if found is None else (found.name, found.face)) == wanted
    # Pixels on an edge may go to either side of it.
    assert met > 15 and same >= 57
    whole = unfolded(shot.scene)
    found = next(
        f
        for f in (pick(renderer, shot, WIDTH // 2 + d, HEIGHT // 2) for d in range(0, 60, 3))
        if f is not None
    )
    assert (
        found.key == next(n.key for n in whole.nodes if n.name == found.name)
        and found.mesh in shot.scene.meshes
        and str(found.key) in found.subjects()
    )


def test_holes_let_through_and_backs_of_one_sided_faces_are_not_there(renderer: Renderer) -> None:
    holes = np.full((4, 4, 4), 255, np.uint8)
    holes[:, :2, 3] = 0
    sheet = replace(
        cube(1.0, 0, material=0),
        texcoords=(frozen(np.tile([[0.25, 0.5]], (24, 1))[: len(cube(1.0).positions)]),),
    )
    pane = Material(key("material", 0), "pane", textures={"base_colour": TextureUse(0)}, alpha_mode="mask")
    front, behind = (
        Node(key("node", 0), "front", mesh=0),
        Node(key("node", 1), "behind", mesh=1, scale=np.full(3, 0.5)),
    )
    scene = replace(
        scene_of(sheet, cube(0.8, 1)), nodes=(front, behind), roots=(0, 1), materials=(pane,), images=(Image(key("image", 0), "holes", pixels=holes),)
    )  # fmt: skip
    middle = (WIDTH // 2, HEIGHT // 2 + 10)
    through = pick(renderer, shot_of(scene), *middle)
    assert through is not None and through.name == "behind"
    solid = replace(scene, materials=(replace(pane, alpha_mode="opaque"),))
    found = pick(renderer, shot_of(solid), *middle)
    assert found is not None and found.name == "front"
    inward = replace(
        solid,
        meshes=(replace(solid.meshes[0], primitives=(replace(cube(1.0, 0, True, 0)),)), solid.meshes[1]),
    )
    seen = pick(renderer, shot_of(inward), *middle)
    assert seen is not None and seen.name == "behind", (
        "a face seen from its back is not drawn, so it is not met"
    )


def test_nothing_is_met_beside_it(renderer: Renderer) -> None:
    assert pick(renderer, shot_of(several()), 1, 1) is None
    assert pick(renderer, shot_of(Scene("none", "d")), 20, 20) is None


@pytest.mark.parametrize("make", [several, tiles])
def test_what_was_met_is_marked_alone(renderer: Renderer, make: Any) -> None:
    scene = make()
    shot = shot_of(scene)
    found = next(
        f
        for f in (pick(renderer, shot, WIDTH // 2 + d, HEIGHT // 2) for d in range(0, 60, 3))
        if f is not None
    )
    plain = renderer.render(shot).astype(int)
    one, every = (
        renderer.render(replace(shot, marks={k: ()})).astype(int)
        for k in (str(found.key), str(found.prim.key))
    )
    mine, all_ = ((np.abs(p - plain).max(axis=2) > 8) for p in (one, every))
    assert mine.any() and mine.sum() < all_.sum() and not (mine & ~all_).any()
    where = np.argwhere(mine)[:: max(1, int(mine.sum()) // 40)]
    met = [pick(renderer, shot, int(x), int(y)) for y, x in where]
    # Pixels on its edge are drawn smooth and belong to two.
    assert np.mean([m is not None and m.key == found.key for m in met]) > 0.6
    assert not (
        np.abs(renderer.render(replace(shot, marks={f"{scene.digest}:node:9999": ()})).astype(int) - plain)
        > 8
    ).any()
