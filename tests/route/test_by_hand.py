"""Taking away, cutting off, closing and pulling by hand: against trimesh's cuts and figures of its shapes, and distances
that are known on a plane and a sphere.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from customs.changes.choice import faces_in, packed_faces
from customs.changes.standing_parts import whole_of
from customs.errors import StepError
from customs.geometry.along import distances, falloff
from customs.geometry.choosing import beside_plane, grown, hanging_together, in_box, in_lasso, mirrored
from customs.geometry.rims import rims
from customs.geometry.triangles import triangles_of
from customs.job import Job
from customs.motion.posing.pose import posed_scene_points
from customs.route.step import Outcome, get_step, make_settings
from customs.scene.arrays import frozen
from customs.scene.model import Mesh, Node, Primitive, Scene
from tests.assets import cube, key, letter_primitive, quaternion, scene_of


def run(step: str, scene: Scene, content: dict[str, bytes] | None = None, **values: Any) -> Outcome:
    entry = get_step(step)
    return entry.run(scene, make_settings(entry, values), content or {}, Job())


def shape(made: trimesh.Trimesh, ordinal: int = 0) -> Primitive:
    """A shape of trimesh with normals, UVs and weights on two joints that change along X."""
    p = made.vertices
    share = np.clip(p[:, 0] + 0.5, 0, 1)
    return Primitive(
        key("primitive", ordinal), frozen(p), indices=frozen(made.faces.reshape(-1), np.uint32),
        normals=frozen(made.vertex_normals), texcoords=(frozen(p[:, :2] * 0.3 + 0.5),),
        joints=frozen(np.tile([0, 1], (len(p), 1)), np.uint16), weights=frozen(np.c_[1 - share, share]),
    )  # fmt: skip


def as_trimesh(scene: Scene) -> trimesh.Trimesh:
    """All faces of a scene as they stand, corners at one place made one."""
    whole = whole_of(scene)
    return trimesh.Trimesh(whole.points, whole.faces, process=False).process(validate=False)


BALL = trimesh.creation.icosphere(3)
TORUS = trimesh.creation.torus(0.5, 0.2)
ROD = trimesh.creation.cylinder(0.2, 1.0, sections=24)


@pytest.mark.parametrize("made", [BALL, TORUS, ROD, trimesh.creation.box((1, 1, 1))])
@pytest.mark.parametrize(
    "plane", [(0.1, 0, 0, 1, 0.2, 0.3), (0, 0, 0, 0, 0, 1), (0, 0, 0.5, 0, 0, 1), (0, 0.07, 0, 0.3, -1, 2)]
)
def test_a_cut_leaves_what_trimesh_leaves(made: trimesh.Trimesh, plane: tuple[float, ...]) -> None:
    """trimesh.intersections.slice_faces_plane; planes through vertices and along faces too."""
    scene = scene_of(shape(made))
    points, faces, _ = trimesh.intersections.slice_faces_plane(
        made.vertices, made.faces, -np.array(plane[3:]), np.array(plane[:3])
    )
    expected = trimesh.Trimesh(points, faces)
    out = as_trimesh(run("cut-off", scene, planes=(plane,)).scene)
    assert out.area == pytest.approx(expected.area, rel=1e-5)
    ends = out.edges_unique[np.bincount(out.edges_unique_inverse) == 1]
    rim = np.linalg.norm(np.diff(out.vertices[ends], axis=1), axis=2).sum()
    section = made.section(plane[3:], plane[:3])
    assert rim == pytest.approx(section.length if section is not None and len(ends) else 0.0, rel=1e-4)
    whole = as_trimesh(run("cut-off", scene, planes=(plane,), close=True).scene)
    assert whole.is_watertight and whole.is_winding_consistent
    above = as_trimesh(run("cut-off", scene, planes=((*plane[:3], *(-x for x in plane[3:])),), close=True).scene) \
        if len(ends) else None  # fmt: skip
    rest = above.volume if above is not None else 0.0
    assert whole.volume + rest == pytest.approx(made.volume, rel=1e-5), "two halves are the whole"


def test_a_box_takes_out_what_lies_inside_and_leaves_the_rest_as_it_is() -> None:
    prim = shape(BALL)
    scene = scene_of(prim)
    box = (0.2, -0.4, -0.4, 2.0, 0.4, 0.4)
    points, faces = BALL.vertices, BALL.faces
    for axis in range(3):
        for at, sign in ((box[axis], 1.0), (box[axis + 3], -1.0)):
            points, faces, _ = trimesh.intersections.slice_faces_plane(
                points, faces, np.eye(3)[axis] * sign, np.eye(3)[axis] * at
            )
    out = run("cut-off", scene, boxes=(box,)).scene
    assert as_trimesh(out).area == pytest.approx(BALL.area - trimesh.Trimesh(points, faces).area, rel=1e-5)
    new = out.meshes[0].primitives[0]
    far = np.flatnonzero(prim.positions[:, 0] < 0.0)
    kept = {p.tobytes(): k for k, p in enumerate(new.positions)}
    rows = np.array([kept[prim.positions[r].tobytes()] for r in far])
    for name in ("positions", "normals", "weights", "joints"):
        assert np.array_equal(getattr(new, name)[rows], getattr(prim, name)[far]), name
    assert np.array_equal(new.texcoords[0][rows], prim.texcoords[0][far])
    assert as_trimesh(run("cut-off", scene, boxes=(box,), close=True).scene).is_watertight
    with pytest.raises(StepError, match="nothing would be left"):
        run("cut-off", scene, boxes=((-9, -9, -9, 9, 9, 9),))
    assert run("cut-off", scene, boxes=((5, 5, 5, 9, 9, 9),)).scene is scene, "nothing lies there"


def test_new_vertices_lie_between_with_all_that_hangs_on_them() -> None:
    prim = shape(BALL)
    out = run("cut-off", scene_of(prim), planes=((0.13, 0, 0, 1, 0, 0),)).scene.meshes[0].primitives[0]
    made = np.abs(out.positions[:, 0] - 0.13) < 1e-6
    assert made.sum() > 20
    assert out.weights is not None and out.joints is not None and out.normals is not None
    second = np.where(out.joints == 1, out.weights, 0).sum(axis=1)
    assert second[made] == pytest.approx(0.63, abs=1e-5) and out.weights.sum(axis=1) == pytest.approx(
        1, abs=1e-6
    )
    assert np.linalg.norm(out.normals, axis=1) == pytest.approx(1, abs=1e-5)
    assert out.texcoords[0][made] == pytest.approx(out.positions[made, :2] * 0.3 + 0.5, abs=1e-5)


def spiked() -> tuple[Scene, np.ndarray]:
    """A ball with a spike of its own and one that grows out of it, and the faces of the second."""
    ball = trimesh.creation.icosphere(4)
    tip = np.flatnonzero(ball.vertices[:, 1] > 0.95)
    points = ball.vertices.copy()
    points[tip] *= 1.6
    grown_out = trimesh.Trimesh(points, ball.faces, process=False)
    cone = trimesh.creation.cone(0.1, 0.5, sections=12)
    cone.apply_translation((0, 0, 1.0))
    spikes = np.isin(ball.faces, tip).any(axis=1)
    return scene_of(shape(grown_out), shape(cone, 1)), np.flatnonzero(spikes)


def test_spikes_go_and_the_hole_is_closed() -> None:
    scene, rows = spiked()
    ball, cone = (m.primitives[0] for m in scene.meshes)
    name, body = packed_faces(ball, rows)
    out = run(
        "take-away",
        scene,
        {name: body},
        faces=((str(ball.key), name), (str(cone.key), ((0, 10_000),))),
        close=True,
    )
    assert [len(m.primitives) for m in out.scene.meshes] == [1, 0]
    (left,) = out.scene.meshes[0].primitives
    kept = triangles_of(ball)[np.setdiff1d(np.arange(len(triangles_of(ball))), rows)]
    caps = len(triangles_of(left)) - len(kept)
    assert caps > 3 and any("1 hole closed" in r.text for r in out.remarks)
    used = np.unique(kept)
    for name in ("positions", "normals", "weights", "joints"):
        assert np.array_equal(getattr(left, name)[: len(used)], getattr(ball, name)[used]), name
    assert np.array_equal(left.texcoords[0][: len(used)], ball.texcoords[0][used])
    made = as_trimesh(out.scene)
    assert made.is_watertight and made.is_winding_consistent and made.bounds[1, 1] < 1.0


def test_bad_choices_say_what_to_do() -> None:
    scene, _ = spiked()
    mine = str(scene.meshes[0].primitives[0].key)
    every = tuple((str(m.primitives[0].key), ((0, 10_000),)) for m in scene.meshes)
    with pytest.raises(StepError, match="nothing would be left"):
        run("take-away", scene, faces=every)
    with pytest.raises(StepError, match="no longer there"):
        run("take-away", scene, faces=((mine, "rows:" + "0" * 32),))
    with pytest.raises(StepError, match="damaged"):
        run("take-away", scene, {"rows:x": b"odd"}, faces=((mine, "rows:x"),))
    with pytest.raises(StepError):
        run("take-away", scene, faces=((mine, ((5, 2),)),))
    for bad in (((0, 0, 0, 0, 0, 0),), ((0, 0, 0, float("nan"), 0, 1),)):
        with pytest.raises(StepError):
            run("cut-off", scene, planes=bad)
    gone = run("take-away", scene, faces=(("cccccccccccc:primitive:0", ((0, 3),)),))
    assert gone.scene is scene and "no longer there" in gone.remarks[0].text
    assert run("take-away", scene).scene is scene and run("cut-off", scene).scene is scene


def test_a_choice_finds_its_faces_again_after_a_change_and_says_what_it_does_not() -> None:
    prim = shape(BALL)
    rows = np.flatnonzero(BALL.triangles_center[:, 1] > 0.5)
    _, body = packed_faces(prim, rows)
    assert np.array_equal(faces_in(body, prim)[0], rows)
    # Moved or scaled, the faces have the numbers they had.
    larger = replace(prim, positions=frozen(prim.positions * 3))
    assert np.array_equal(faces_in(body, larger)[0], rows)
    # Exported again in another order, with some gone, they are where they were.
    order = np.random.default_rng(3).permutation(len(BALL.faces))[:-40]
    other = replace(prim, indices=frozen(BALL.faces[order].reshape(-1), np.uint32))
    found, lost = faces_in(body, other)
    assert np.array_equal(np.sort(order[found]), np.intersect1d(order, rows)) and lost == len(rows) - len(
        found
    )
    both = replace(other, positions=frozen(prim.positions * np.float32(2) + np.float32([0, 3, 1])))
    moved, gone = faces_in(body, both)
    assert np.array_equal(moved, found) and gone == lost, "moved and scaled as a whole besides"
    assert faces_in(body, replace(other, positions=frozen(prim.positions[::-1] * [1, 5, 1])))[1] > 0
    scene = scene_of(other)
    name, body = packed_faces(prim, rows)
    out = run("take-away", scene, {name: body}, faces=((str(prim.key), name),))
    assert any(f"{lost:,} of the faces" in r.text for r in out.remarks)


@given(st.binary(max_size=200))
def test_bytes_that_are_no_choice_are_refused(body: bytes) -> None:
    with pytest.raises(ValueError, match="choice of faces"):
        faces_in(b"FACE0001" + body, cube())


def test_choosing_by_what_hangs_together_rings_places_and_the_mirror() -> None:
    scene = scene_of(cube(1.0), replace(cube(0.5, 1), positions=frozen(cube(0.5).positions + [3, 0, 0])))
    whole = whole_of(scene)
    first = np.zeros(24, dtype=bool)
    first[0] = True
    assert np.array_equal(np.flatnonzero(hanging_together(whole.places, first)), np.arange(12))
    one = grown(whole.places, first, 1)
    assert first.sum() < one.sum() < 12 and grown(whole.places, one, -1).sum() <= one.sum()
    assert not grown(whole.places, first, -1).any() and grown(whole.places, first, 9).sum() == 12
    assert np.array_equal(np.flatnonzero(in_box(whole.centres, (2, -1, -1), (4, 1, 1))), np.arange(12, 24))
    assert beside_plane(whole.centres, (1, 0, 0), (1, 0, 0)).sum() == 12
    ball = whole_of(scene_of(shape(BALL)))
    right = ball.centres[:, 0] > 0.5
    assert np.array_equal(mirrored(ball.centres, right, 1e-4), ball.centres[:, 0] < -0.5)
    flat, ring = ball.points[:, :2], [(0.01, -2), (2, -2), (2, 2), (0.01, 2)]
    mine = in_lasso(flat, ball.faces, ring)
    assert np.array_equal(mine, (flat[ball.faces][:, :, 0] > 0.01).all(axis=1))
    assert not in_lasso(flat, ball.faces, ring[:2]).any()


def test_distances_along_a_plane_and_a_ball_are_the_known_ones() -> None:
    x, y = np.meshgrid(np.linspace(-1, 1, 61), np.linspace(-1, 1, 61))
    at = np.arange(61 * 61).reshape(61, 61)
    a = at[:-1, :-1].ravel()
    faces = np.concatenate([np.c_[a, a + 1, a + 61], np.c_[a + 1, a + 62, a + 61]])
    flat = np.c_[x.ravel(), y.ravel(), 0 * x.ravel()]
    seeds = np.zeros(len(flat), dtype=bool)
    seeds[at[30, 30]] = True
    d = distances(flat, faces, seeds, 0.9)
    known = np.linalg.norm(flat, axis=1)
    assert np.array_equal(
        np.isfinite(d)[np.abs(known - 0.9) > 1e-6], (known < 0.9)[np.abs(known - 0.9) > 1e-6]
    )
    assert np.abs(d - known)[np.isfinite(d)].max() < 1e-9
    ball = trimesh.creation.icosphere(4)
    seeds = np.zeros(len(ball.vertices), dtype=bool)
    top = int(ball.vertices[:, 1].argmax())
    seeds[top] = True
    d, arc = (
        distances(ball.vertices, ball.faces, seeds, 2.0),
        np.arccos(np.clip(ball.vertices @ ball.vertices[top], -1, 1)),
    )
    assert np.abs(d - arc)[arc < 1.9].max() < 0.01, "a great circle; the facets lie a little inside the ball"
    assert not np.isfinite(distances(flat, faces, np.zeros(len(flat), dtype=bool), 1.0)).any()
    assert falloff(np.array([0, 0.5, 1.0, np.inf]), 1.0) == pytest.approx([1, 0.5, 0, 0])
    assert falloff(np.array([0, 1e-9]), 0.0) == pytest.approx([1, 0])


def posed() -> Scene:
    """A rod bound to two joints that rest off their bind pose, beside one that hangs under a turned, scaled node."""
    rod = trimesh.creation.cylinder(0.1, 1.0, sections=16).subdivide().subdivide()
    rod.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, (0, 1, 0)))
    scene = scene_of(shape(rod), replace(shape(rod, 1), joints=None, weights=None))
    joints = (
        Node(key("node", 2), "a", rotation=quaternion("Z", 20)),
        Node(key("node", 3), "b", translation=np.array([0.1, 0.3, 0.0])),
    )
    inverse = frozen(np.stack([np.eye(4)] * 2), np.float64)
    from customs.scene.model import Skin

    nodes = (
        replace(scene.nodes[0], skin=0),
        replace(scene.nodes[1], translation=np.array([0, 0, 2.0]), rotation=quaternion("X", 40), scale=np.array([2.0] * 3)),
        *joints,
    )  # fmt: skip
    return replace(
        scene, nodes=nodes, roots=(0, 1, 2, 3), skins=(Skin(key("skin", 0), "rod", (2, 3), inverse),)
    )


@pytest.mark.parametrize("which", [0, 1])
def test_an_arm_is_pulled_to_a_point_whatever_moves_it(which: int) -> None:
    scene = posed()
    whole = whole_of(scene)
    part = whole.parts[which]
    end = part.points[:, 0].max()
    hand = np.flatnonzero((part.points[part.faces][:, :, 0] > end - 0.05).all(axis=1))
    name, body = packed_faces(part.prim, hand)
    move = (0.2, 0.05, -0.1)
    out = run(
        "soft-move", scene, {name: body},
        moves=((((str(part.prim.key), name),), move, (0, 0, 0), 1.0, 0.4, False),),
    )  # fmt: skip
    after = posed_scene_points(out.scene)[which]
    spot = np.unique(part.faces[hand])
    assert np.abs(after[spot] - part.points[spot] - move).max() < 2e-6, "the hand is met to the micrometre"
    still = np.linalg.norm(part.points - part.points[spot].mean(axis=0), axis=1) > 1.0
    new, old = out.scene.meshes[which].primitives[0], part.prim
    for values in ("positions", "normals"):
        assert np.array_equal(getattr(new, values)[still], getattr(old, values)[still])
    assert np.array_equal(new.texcoords[0], old.texcoords[0])
    between = (after - part.points) @ np.array(move) / np.dot(move, move)
    assert between.min() > -1e-6 and between.max() < 1 + 1e-6
    assert out.scene.meshes[1 - which] is scene.meshes[1 - which]
    closed = trimesh.Trimesh(after, part.faces, process=False)
    assert closed.is_watertight, "no seam opens"
    assert (
        np.einsum(
            "ij,ij->i", new.normals, trimesh.Trimesh(new.positions, part.faces, process=False).vertex_normals
        ).min()
        > 0.9
    )


def test_a_spot_is_turned_scaled_and_mirrored() -> None:
    ball = shape(trimesh.creation.icosphere(4))
    scene = scene_of(ball)
    whole = whole_of(scene)
    spot = np.flatnonzero(whole.centres[:, 0] > 0.9)
    name, body = packed_faces(ball, spot)

    def moved(*more: Any) -> np.ndarray:
        out = run("soft-move", scene, {name: body}, moves=((((str(ball.key), name),), *more),))
        return posed_scene_points(out.scene)[0]

    before = whole.points
    both = moved((0.3, 0.1, 0.0), (0, 0, 0), 1.0, 0.5, True)
    for sign in (1, -1):
        tip = before[:, 0] * sign > 0.95
        assert (both - before)[tip] == pytest.approx(np.tile([0.3 * sign, 0.1, 0], (tip.sum(), 1)), abs=1e-5)
    turned = moved((0, 0, 0), (90, 0, 0), 1.0, 0.0, False)
    rows = np.unique(whole.faces[spot])
    middle = before[rows].mean(axis=0)
    assert (turned[rows] - middle)[:, 1] == pytest.approx(-(before[rows] - middle)[:, 2], abs=1e-5)
    scaled = moved((0, 0, 0), (0, 0, 0), 0.5, 0.0, False)
    assert scaled[rows] - middle == pytest.approx((before[rows] - middle) / 2, abs=1e-5)
    alone = run("soft-move", scene_of(letter_primitive(0)), moves=(((str(key("primitive", 0)), ((0, 1),)),) and (
        ((str(key("primitive", 0)), ((0, 1),)),), (0, 0.1, 0), (0, 0, 0), 1.0, 0.0, True),))  # fmt: skip
    assert any("opposite" in r.text for r in alone.remarks)
    for bad in (0.0, -1.0, float("inf")):
        with pytest.raises(StepError):
            moved((0, 0, 0), (0, 0, 0), bad, 0.1, False)


def test_holes_are_closed_over_material_borders_and_odd_rims_left_open() -> None:
    ball = trimesh.creation.icosphere(3)
    upper = ball.triangles_center[:, 1] > 0
    open_ = ball.triangles_center[:, 0] < 0.8
    parts = tuple(
        replace(shape(ball, k), indices=frozen(ball.faces[side & open_].reshape(-1), np.uint32))
        for k, side in enumerate((upper, ~upper))
    )
    scene = replace(scene_of(parts[0]), meshes=(Mesh(key("mesh", 0), "halves", parts),))
    assert not as_trimesh(scene).is_watertight
    done = run("close-holes", scene)
    assert as_trimesh(done.scene).is_watertight and any("1 hole closed" in r.text for r in done.remarks)
    assert run("close-holes", scene, edges=4).scene is scene
    # Two faces that touch at one point: four open edges meet there.
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [-1, 0, 0], [0, -1, 0]], np.float32)
    faces = np.array([[0, 1, 2], [0, 3, 4]], np.uint32)
    loops, left = rims(points, faces)
    assert not loops and left == 1
    # Three faces at one edge: it is no rim.
    fan = np.array([[0, 0, 0], [0, 0, 1], [1, 0, 0], [0, 1, 0], [-1, 0, 0]], np.float32)
    loops, left = rims(fan, np.array([[0, 1, 2], [0, 1, 3], [1, 0, 4]], np.uint32))
    assert left + len(loops) <= 1
    nothing = scene_of(replace(cube(), mode="points", indices=None))
    assert run("close-holes", nothing).scene is nothing


def test_numbers_that_are_none_stop_no_hand() -> None:
    """A few vertices of every part are no numbers: everything works on the rest, and leaves them as they are."""
    points = BALL.vertices.copy()
    points[[3, 40]] = [[np.nan], [np.inf]]
    prim = replace(shape(BALL), positions=frozen(points))
    scene = scene_of(prim)
    whole = whole_of(scene)
    spot = beside_plane(whole.centres, (0.5, 0, 0), (1, 0, 0))
    assert spot.any() and 1.9 < whole.size < 2.1
    name, body = packed_faces(prim, np.flatnonzero(spot))
    said = ((str(prim.key), name),)
    assert np.array_equal(faces_in(body, prim)[0], np.flatnonzero(spot))
    order = np.random.default_rng(1).permutation(len(BALL.faces))
    other = replace(prim, indices=frozen(BALL.faces[order].reshape(-1), np.uint32))
    assert len(faces_in(body, other)[0]) == spot.sum()
    for step, values in (
        ("take-away", {"faces": said, "close": True}),
        ("cut-off", {"planes": ((0.2, 0, 0, 1, 0, 0),), "close": True}),
        ("cut-off", {"boxes": ((0, 0, 0, 2, 2, 2),), "close": True}),
        ("close-holes", {}),
        ("soft-move", {"moves": ((said, (0.1, 0, 0), (10, 0, 0), 1.2, 0.5, True),)}),
    ):
        out = run(step, scene, {name: body}, **values).scene
        assert step == "close-holes" or out is not scene, step
    moved = run(
        "soft-move", scene, {name: body}, moves=((said, (0.1, 0, 0), (0, 0, 0), 1.0, 0.0, False),)
    ).scene
    after = moved.meshes[0].primitives[0].positions
    assert np.array_equal(np.isfinite(after), np.isfinite(points))
    assert np.isfinite(distances(whole.points, whole.faces, np.arange(len(points)) == 5, 9.0)).sum() > 500


def test_rims_that_run_along_what_was_open_are_left_and_said() -> None:
    """A tube open at both ends cut along its length: its new rim runs along the old ones. Cut across, its end is new."""
    tube = trimesh.creation.cylinder(0.3, 1.0, sections=24)
    side = np.abs(tube.face_normals[:, 2]) < 0.5
    prim = replace(shape(tube), indices=frozen(tube.faces[side].reshape(-1), np.uint32))
    along = run("cut-off", scene_of(prim), planes=((0.05, 0, 0, 1, 0, 0),), close=True)
    assert not any("hole" in r.text for r in along.remarks) and any(
        "1 rim left open" in r.text for r in along.remarks
    )
    across = run("cut-off", scene_of(prim), planes=((0, 0, 0.1, 0, 0, 1),), close=True)
    assert any("1 hole closed" in r.text for r in across.remarks)
    assert not any("left open" in r.text for r in across.remarks), "the other end was open before"


def test_what_stands_in_several_places_is_said_to_change_in_all() -> None:
    scene = scene_of(shape(BALL), cube(3.0, 1))
    twin = Node(key("node", 7), "twin", mesh=0, translation=np.array([4.0, 0, 0]))
    scene = replace(scene, nodes=(*scene.nodes, twin), roots=(*scene.roots, 2))
    said = ((str(scene.meshes[0].primitives[0].key), ((0, 40),)),)
    for step, values in (
        ("take-away", {"faces": said}),
        ("cut-off", {"planes": ((0, 0.5, 0, 0, 1, 0),), "targets": ("mesh 0",)}),
        ("soft-move", {"moves": ((said, (0, 0.1, 0), (0, 0, 0), 1.0, 0.1, False),)}),
    ):
        texts = [r.text for r in run(step, scene, **values).remarks]
        assert any("mesh 0 stands in 2 places" in t for t in texts) and not any(
            "mesh 1" in t for t in texts
        ), (step, texts)
    there = whole_of(scene, 2)
    assert there.parts[there.number_of({said[0][0]}) or 0].points[:, 0].min() > 2.9, "where that node stands"


def test_a_hole_over_two_materials_is_closed_where_a_number_is_none() -> None:
    upper = BALL.triangles_center[:, 1] > 0
    open_ = BALL.triangles_center[:, 0] < 0.8
    points = BALL.vertices.copy()
    points[np.abs(points + [1, 0, 0]).sum(axis=1).argmin()] = np.nan
    base = replace(shape(BALL), positions=frozen(points))
    parts = tuple(
        replace(
            base, key=key("primitive", k), indices=frozen(BALL.faces[side & open_].reshape(-1), np.uint32)
        )
        for k, side in enumerate((upper, ~upper))
    )
    scene = replace(scene_of(base), meshes=(Mesh(key("mesh", 0), "halves", parts),))
    out = run("close-holes", scene)
    assert any("hole" in r.text and "closed" in r.text for r in out.remarks)
