"""Figures of shapes that are known: handbook formulas, and rays against trimesh's own."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from customs.changes.standing_parts import whole_of
from customs.dispatch.docket import measured_lines
from customs.geometry.rays import hits, on_plane
from customs.ledger.row import About
from customs.picture.camera import Orbit, project, ray_through
from customs.scene.arrays import frozen
from customs.scene.model import Primitive
from customs.scene.notes import Note
from customs.work.lookup import find_sheet
from customs.work.measuring import face_number, measured, nearest_corner, place_at, standing_at
from tests.assets import cube, key, scene_of


def test_a_line_of_sight_goes_through_its_pixel() -> None:
    orbit = Orbit(yaw=30, pitch=20, distance=3.0, target=(0.2, 0.5, -0.1))
    for x, y in ((0, 0), (320, 200), (511, 399), (37, 311)):
        start, way = ray_through(orbit, 512, 400, x, y)
        for far in (0.5, 4.0):
            assert project((start + way * far)[None], orbit, 512, 400)[0] == pytest.approx([x, y], abs=1e-6)


def test_triangles_are_met_where_trimesh_meets_them() -> None:
    ball = trimesh.creation.icosphere(3)
    rng = np.random.default_rng(5)
    for _ in range(40):
        start, way = rng.normal(size=3) * 2, rng.normal(size=3)
        found = hits(ball.vertices, ball.faces, start, way)
        places, _, faces = ball.ray.intersects_location(start[None], way[None])
        assert set(np.flatnonzero(np.isfinite(found))) == set(faces)
        if len(places):
            assert start + way * found.min() == pytest.approx(
                places[np.linalg.norm(places - start, axis=1).argmin()], abs=1e-6
            )
    assert not np.isfinite(hits(np.zeros((3, 3)), np.array([[0, 1, 2]]), (0, 0, 1), (0, 0, -1))).any(), (
        "no area"
    )
    assert on_plane(np.eye(3), (0, 0, 0), (1, -1, 0)) is None


def test_figures_of_a_cube_and_a_shell() -> None:
    whole = whole_of(scene_of(cube(2.0)))
    a, b, c = np.array([-1.0, -1, 1]), np.array([1.0, -1, 1]), np.array([1.0, 1, 1])
    diagonal, corner = measured(whole, "distance", [a, c]), measured(whole, "angle", [a, b, c])
    assert diagonal is not None and corner is not None
    assert diagonal.value == pytest.approx(np.sqrt(8)) and corner.value == pytest.approx(90)
    front = int(np.flatnonzero(whole.centres[:, 2] > 0.99)[0])
    edge = measured(whole, "edge", [np.array([0.0, -0.95, 1.0])], int(np.flatnonzero(
        (whole.centres[:, 2] > 0.99) & (whole.centres[:, 1] < 0))[0]))  # fmt: skip
    through = measured(whole, "thickness", [np.array([0.3, 0.2, 1.0])], front)
    assert (
        edge is not None
        and edge.value == pytest.approx(2)
        and through is not None
        and through.value == pytest.approx(2, abs=1e-5)
    )
    outer, inner = trimesh.creation.icosphere(4, 1.0), trimesh.creation.icosphere(4, 0.9)
    shell = trimesh.util.concatenate(
        [outer, trimesh.Trimesh(inner.vertices, inner.faces[:, ::-1], process=False)]
    )
    prim = Primitive(
        key("primitive", 0), frozen(shell.vertices), indices=frozen(shell.faces.reshape(-1), np.uint32)
    )
    wall = whole_of(scene_of(prim))
    found = measured(wall, "thickness", [wall.centres[0]], 0)
    assert found is not None and found.value == pytest.approx(0.1, abs=3e-3)
    sheet = whole_of(scene_of(Primitive(key("primitive", 0), frozen([[0, 0, 0], [1, 0, 0], [0, 1, 0]]))))
    assert measured(sheet, "thickness", [np.array([0.2, 0.2, 0])], 0) is None
    assert measured(whole, "angle", [a, a, c]) is None and measured(whole, "edge", [a]) is None


def test_places_and_corners() -> None:
    scene = scene_of(cube(2.0))
    whole, orbit = whole_of(scene), Orbit(yaw=0, pitch=0, distance=6.0, target=(0.0, 0.0, 0.0))
    names = {str(scene.meshes[0].primitives[0].key)}
    face = int(np.flatnonzero(whole.centres @ orbit.back() > 0.99)[0])
    number = face_number(whole, names, face)
    assert number == face and standing_at(scene, whole, names, scene.nodes[0].key) is whole
    place = place_at(whole, number, orbit, (400, 300), 200, 150)
    assert (
        place is not None
        and place @ orbit.back() == pytest.approx(1.0)
        and np.linalg.norm(place) == pytest.approx(1.0)
    )
    assert face_number(whole, {"other"}, face) is None and face_number(whole, names, 99) is None
    twin = replace(scene.nodes[0], key=key("node", 5), translation=np.array([3.0, 0, 0]))
    two = replace(scene, nodes=(*scene.nodes, twin), roots=(0, 1))
    there = standing_at(two, whole_of(two), names, twin.key)
    assert there is not None and there.points[:, 0].min() == pytest.approx(2.0), "where that node stands"
    assert standing_at(two, whole_of(two), names, key("row", 9)) is None
    assert nearest_corner(whole, (0.99, 0.98, 1.0), 0.1) == pytest.approx([1, 1, 1])
    assert nearest_corner(whole, (0.5, 0.5, 1.0), 0.1) == pytest.approx([0.5, 0.5, 1.0])


def test_the_docket_tells_those_that_are_wished_in_its_unit() -> None:
    notes = (
        Note("distance", ((0, 0, 0), (0, 0, 1.5)), 1.5, True),
        Note("edge", ((0, 0, 0),) * 2, 0.2),
        Note("angle", ((0, 0, 0),) * 3, 45, True),
    )
    lines = measured_lines(About(notes=notes), find_sheet("centimetre-zup-lh"))
    assert [x["text"] for x in lines] == ["150 cm", "45.0°"] and lines[0]["value"] == pytest.approx(150)
    assert Note.from_dict(notes[0].as_dict()) == notes[0]
