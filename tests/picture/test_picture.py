"""Pictures: what is drawn where, by looking at pixels."""

from __future__ import annotations

import os
import threading
from dataclasses import replace

import numpy as np
import pytest

from customs.memory import resident
from customs.motion.posing.bounds import world_bounds
from customs.picture.camera import Orbit, framing, project
from customs.picture.figure import HEIGHT, standing_figure
from customs.picture.lines import dimension_lines, grid, grid_step, length_text
from customs.picture.look import Look, Shot
from customs.picture.renderer import Renderer
from customs.picture.thumbnail import thumbnail
from customs.picture.upload import missing_weave
from customs.scene.arrays import frozen
from customs.scene.model import Image, Material, Scene, TextureUse
from tests.assets import cube, key, letter_primitive, scene_of

FRONT = Orbit((0, 0, 0), 4.0, 0.0, 0.0)
CLEAR = Look(grid=False, transparent=True, smooth=False)


def drawn(
    renderer: Renderer, scene: Scene, orbit: Orbit = FRONT, look: Look = CLEAR, **more: object
) -> np.ndarray:
    return renderer.render(Shot(scene, orbit, 120, 90, look, **more))  # type: ignore[arg-type]


def coloured(colour: tuple[float, float, float, float], **more: object) -> Material:
    return Material(key("material", 0), "m", model="unlit", base_colour=colour, **more)  # type: ignore[arg-type]


def test_a_cube_is_where_the_camera_says(renderer: Renderer) -> None:
    image = drawn(renderer, scene_of(cube()))
    rows, columns = np.nonzero(image[:, :, 3])
    corners = project(cube().positions[cube().positions[:, 2] > 0], FRONT, 120, 90)
    assert (
        abs(columns.min() - corners[:, 0].min()) <= 1.5
        and abs(columns.max() + 1 - corners[:, 0].max()) <= 1.5
    )
    assert abs(rows.min() - corners[:, 1].min()) <= 1.5 and abs(rows.max() + 1 - corners[:, 1].max()) <= 1.5


def test_faces_that_look_away_are_not_drawn(renderer: Renderer) -> None:
    single = Material(key("material", 0), "m")
    wall = replace(cube(material=0), indices=frozen(cube().indices[:6], np.uint32))  # type: ignore[index]
    away = replace(wall, indices=frozen(wall.indices[::-1], np.uint32))  # type: ignore[index]
    assert drawn(renderer, scene_of(wall, materials=(single,)))[45, 60, 3] == 255
    assert drawn(renderer, scene_of(away, materials=(single,)))[:, :, 3].max() == 0
    both = replace(single, double_sided=True)
    assert drawn(renderer, scene_of(away, materials=(both,)))[45, 60, 3] == 255
    hatch = drawn(renderer, scene_of(cube(turned_in=True)), look=replace(CLEAR, shading="sides"))
    red = hatch[:, :, 0].astype(int) - hatch[:, :, 2]
    assert (red[hatch[:, :, 3] > 0] > 40).mean() > 0.4
    plain = drawn(renderer, scene_of(cube()), look=replace(CLEAR, shading="sides"))
    assert (plain[:, :, 0].astype(int) - plain[:, :, 2])[plain[:, :, 3] > 0].max() < 30


def test_mirrored_numbers_turn_the_front_rule(renderer: Renderer) -> None:
    look = replace(CLEAR, shading="sides")
    image = drawn(renderer, scene_of(cube(turned_in=True)), look=look, mirrored=True)
    assert (image[:, :, 0].astype(int) - image[:, :, 2])[image[:, :, 3] > 0].max() < 30


def test_alpha_modes(renderer: Renderer) -> None:
    scene = scene_of(cube(material=0), materials=(coloured((1, 0, 0, 0.4)),))
    solid = drawn(renderer, scene)
    assert solid[45, 60, 3] == 255
    cut = replace(scene, materials=(replace(scene.materials[0], alpha_mode="mask", alpha_cutoff=0.5),))
    assert drawn(renderer, cut)[45, 60, 3] == 0
    blended = replace(scene, materials=(replace(scene.materials[0], alpha_mode="blend"),))
    assert 60 < drawn(renderer, blended)[45, 60, 3] < 200


def test_textures_are_seen_the_right_way_up(renderer: Renderer) -> None:
    pixels = np.zeros((4, 4, 3), np.uint8)
    pixels[:2] = (255, 0, 0)
    pixels[2:] = (0, 0, 255)
    image = Image(key("image", 0), "i", pixels=frozen(pixels, np.uint8))
    prim = replace(
        cube(material=0),
        texcoords=(frozen(np.c_[cube().positions[:, 0] + 0.5, 0.5 - cube().positions[:, 1]]),),
    )
    material = coloured((1, 1, 1, 1), textures={"base_colour": TextureUse(0)})
    out = drawn(renderer, scene_of(prim, materials=(material,), images=(image,)))
    assert out[35, 60, 0] > 180 and out[35, 60, 2] < 60 and out[55, 60, 2] > 180


def test_a_missing_texture_is_a_weave(renderer: Renderer) -> None:
    image = Image(key("image", 0), "i", problem="gone")
    material = coloured((1, 1, 1, 1), textures={"base_colour": TextureUse(0)})
    out = drawn(renderer, scene_of(letter_primitive(0), materials=(material,), images=(image,)))
    seen = out[out[:, :, 3] > 0]
    assert (np.abs(seen[:, 0].astype(int) - seen[:, 1]) < 6).all() and len(np.unique(seen[:, 0])) > 1
    weave = missing_weave()
    assert weave.shape == (64, 64, 4) and len(np.unique(weave[:, :, 0])) == 3


def test_skinning_on_the_card_is_that_of_the_core(renderer: Renderer, letter: Scene) -> None:
    from customs.motion.posing.pose import posed_scene_points

    body = replace(
        letter, nodes=tuple(replace(n, mesh=None) if n.name == "letter" else n for n in letter.nodes)
    )
    for seconds in (0.0, 0.5, 1.0):
        points = posed_scene_points(body, body.clips[0], seconds)[0]
        orbit = framing(points.min(axis=0), points.max(axis=0), 120 / 90, FRONT)
        image = drawn(renderer, body, orbit, clip=0, seconds=seconds)
        rows, columns = np.nonzero(image[:, :, 3])
        where = project(points, orbit, 120, 90)
        assert abs(columns.min() - where[:, 0].min()) <= 2 and abs(columns.max() - where[:, 0].max()) <= 2
        assert abs(rows.min() - where[:, 1].min()) <= 2 and abs(rows.max() - where[:, 1].max()) <= 2


def test_morphs_on_the_card(renderer: Renderer, letter: Scene) -> None:
    alone = replace(
        letter, nodes=tuple(replace(n, mesh=None) if n.name == "body" else n for n in letter.nodes), clips=()
    )
    heavy = replace(alone, meshes=(replace(alone.meshes[0], weights=frozen([2.0])), alone.meshes[1]))
    box = world_bounds(heavy)
    assert box is not None
    orbit = framing(*box, 120 / 90, FRONT)
    assert (drawn(renderer, alone, orbit)[:, :, 3] != drawn(renderer, heavy, orbit)[:, :, 3]).any()
    rows, _ = np.nonzero(drawn(renderer, heavy, orbit)[:, :, 3])
    assert rows.min() > 1 and rows.max() < 88


def test_wire_checker_grid_figure_and_marks(renderer: Renderer) -> None:
    scene = scene_of(letter_primitive(0, material=None))
    base = drawn(renderer, scene)
    for look in (
        replace(CLEAR, wire=True),
        replace(CLEAR, shading="checker"),
        replace(CLEAR, figure=-0.8),
        replace(CLEAR, dimensions=True),
    ):
        assert (drawn(renderer, scene, look=look) != base).any(), look
    ground = drawn(renderer, scene, look=Look(grid=True, smooth=False))
    bare = drawn(renderer, scene, look=Look(grid=False, smooth=False))
    assert (ground != bare).any() and (bare[:, :, 3] == 255).all()
    marked = drawn(renderer, scene, marks={str(scene.meshes[0].primitives[0].key): ((0, 4),)})
    assert (marked != base).any()
    whole = drawn(renderer, scene, marks={str(scene.meshes[0].primitives[0].key): ()})
    assert (whole[:, :, 0].astype(int) - whole[:, :, 2])[whole[:, :, 3] > 0].min() > 20


def test_units_scale_raw_numbers(renderer: Renderer) -> None:
    big = scene_of(replace(cube(), positions=frozen(cube().positions * 100)))
    a, b = drawn(renderer, scene_of(cube())), drawn(renderer, big, unit=0.01)
    assert (a[:, :, 3] == b[:, :, 3]).mean() > 0.99


def test_smooth_edges_and_evening(renderer: Renderer) -> None:
    scene = scene_of(cube())
    tilted = Orbit((0, 0, 0), 4.0, 20.0, 20.0)
    smooth = drawn(renderer, scene, tilted, replace(CLEAR, smooth=True))
    assert ((smooth[:, :, 3] > 0) & (smooth[:, :, 3] < 255)).any()
    assert (
        drawn(renderer, scene, look=Look(evening=True))[0, 0, 0]
        < drawn(renderer, scene, look=Look())[0, 0, 0]
    )


def test_an_empty_scene_is_a_picture_too(renderer: Renderer) -> None:
    assert drawn(renderer, Scene("", "")).max() == 0
    assert thumbnail(renderer, Scene("", ""), 32).shape == (32, 32, 4)
    assert thumbnail(renderer, scene_of(cube()), 48)[24, 24, 3] == 255


def test_buffers_of_the_dead_are_let_go(renderer: Renderer) -> None:
    for k in range(5):
        drawn(renderer, scene_of(cube(1 + k)))
    assert len(renderer.store.parts) <= 600


def test_a_context_ends_with_its_thread() -> None:
    """A driver holds some thirty megabytes for each that does not."""

    def once() -> None:
        mine = Renderer()
        mine.render(Shot(Scene("", ""), Orbit(), 640, 400, Look(figure=0.0)))
        mine.release()

    held = []
    for _ in range(7):
        thread = threading.Thread(target=once)
        thread.start()
        thread.join()
        held.append(resident(os.getpid()))
    assert held[-1] - held[2] < 60e6, held


def test_cameras_turn_and_frame() -> None:
    orbit = framing([-1, 0, -1], [1, 2, 1], 1.0, Orbit(yaw=30, pitch=10))
    corners = np.array([[x, y, z] for x in (-1, 1) for y in (0, 2) for z in (-1, 1)])
    where = project(corners, orbit, 100, 100)
    assert where.min() > 0 and where.max() < 100
    assert orbit.turned(0, 500).pitch == 89 and orbit.nearer(2).distance == pytest.approx(orbit.distance / 2)
    assert np.allclose(np.linalg.norm(orbit.eye - np.array(orbit.target)), orbit.distance)
    behind = project([orbit.eye + orbit.back()], orbit, 100, 100)
    assert np.isnan(behind).all()
    moved = orbit.moved(0.5, 0.0)
    assert project([orbit.target], moved, 100, 100)[0, 0] == pytest.approx(0, abs=1)


def test_lines_and_labels() -> None:
    lines, labels = dimension_lines([0, 0, 0], [1.5, 2, 0.4], False)
    assert [x.text for x in labels] == ["2.000 m", "1.500 m", "40.0 cm"] and len(lines) == 18
    assert [length_text(v) for v in (1204, 1.7844, 0.42, 0.0082)] == [
        "1,204 m",
        "1.784 m",
        "42.0 cm",
        "8.20 mm",
    ]
    assert grid_step(5) == 1.0 and grid_step(0.3) == 0.1 and grid(5, (0, 0, 0), False).shape[1] == 7


def test_the_figure_is_as_tall_as_it_says() -> None:
    figure = standing_figure().positions
    # common practice: a standing figure of 1.80 m
    assert figure[:, 1].max() == pytest.approx(HEIGHT) and figure[:, 1].min() == 0.0 and HEIGHT == 1.80
