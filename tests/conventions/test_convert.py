"""A whole scene through every signed permutation and both front rules: nothing mirrored, nothing inside out,
posed vertices equal. The asset is a letter F with skin, clip, morph target, light and camera."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from customs.conventions.axes import between, to_working
from customs.conventions.convert import (
    change_convention,
    convert,
    permuted,
    reversed_faces,
    rotated_quaternions,
)
from customs.geometry.triangles import face_vectors, signed_volume, strip_triangles, triangles_of
from customs.motion.posing.pose import posed_scene_points
from customs.motion.posing.posing import posing
from customs.scene.arrays import frozen
from customs.scene.convention import WORKING, Convention
from customs.scene.model import Camera, Light, Primitive, Scene
from customs.scene.transforms import quaternion_matrix
from customs.scene.tree import world_matrices
from tests.assets import all_signed_permutations, cube, key, scene_of

EVERY = all_signed_permutations()
TIMES = (0.0, 0.3, 0.5, 0.8, 1.0)


@pytest.mark.parametrize("number", range(48))
def test_posed_vertices_are_the_same_points(letter: Scene, number: int) -> None:
    p, k = EVERY[number], 0.01 if number % 2 else 39.37
    out = convert(letter, p, k)
    for clip_in, clip_out, seconds in [
        (None, None, 0.0),
        *((letter.clips[0], out.clips[0], t) for t in TIMES),
    ]:
        before = posed_scene_points(letter, clip_in, seconds)
        after = posed_scene_points(out, clip_out, seconds)
        for a, b in zip(before, after):
            assert np.abs(a @ p.T * k - b).max() < 2e-6 * k * np.abs(a).max()


@pytest.mark.parametrize("number", range(48))
def test_normals_and_tangents_follow(letter: Scene, number: int) -> None:
    p = EVERY[number]
    out = convert(letter, p, 2.0)
    for m, n in zip(letter.meshes, out.meshes):
        a, b = m.primitives[0], n.primitives[0]
        assert (
            a.normals is not None
            and b.normals is not None
            and a.tangents is not None
            and b.tangents is not None
        )
        assert np.allclose(a.normals @ p.T, b.normals, atol=1e-6)
        assert np.allclose(a.tangents[:, :3] @ p.T, b.tangents[:, :3], atol=1e-6)
        bitangent = np.cross(a.normals, a.tangents[:, :3]) * a.tangents[:, 3:]
        turned = np.cross(b.normals, b.tangents[:, :3]) * b.tangents[:, 3:]
        assert np.allclose(bitangent @ p.T, turned, atol=1e-5)


@pytest.mark.parametrize("hand", ["right", "left"])
@pytest.mark.parametrize("front", ["ccw", "cw"])
def test_outward_stays_outward_by_the_front_rule(letter: Scene, hand: str, front: str) -> None:
    target = Convention("+Z", "+X", hand, 0.01, front)  # type: ignore[arg-type]
    out = change_convention(letter, target, WORKING)
    expected = (1 if hand == "right" else -1) * (1 if front == "ccw" else -1)
    for mesh in out.meshes:
        prim = mesh.primitives[0]
        assert np.sign(signed_volume(prim.positions, triangles_of(prim))) == expected


@pytest.mark.parametrize("number", range(48))
@pytest.mark.parametrize("front", ["ccw", "cw"])
def test_there_and_back_through_every_convention(letter: Scene, number: int, front: str) -> None:
    p = EVERY[number]
    hand = "right" if np.linalg.det(p) > 0 else "left"
    names = [("+" if v.max() > 0 else "-") + "XYZ"[int(np.abs(v).argmax())] for v in p]
    convention = Convention(names[1], names[2], hand, 0.0254, front)  # type: ignore[arg-type]
    assert (to_working(convention.up, convention.faces, convention.hand) == p).all()
    back = change_convention(change_convention(letter, convention, WORKING), WORKING, convention)
    for a, b in zip(posed_scene_points(letter), posed_scene_points(back)):
        assert np.abs(a - b).max() < 1e-5
    for m, n in zip(letter.meshes, back.meshes):
        assert (triangles_of(m.primitives[0]) == triangles_of(n.primitives[0])).all()


@pytest.mark.parametrize("number", range(48))
def test_lights_and_cameras_look_where_they_looked(letter: Scene, number: int) -> None:
    p = EVERY[number]
    out = convert(letter, p, 1.0)
    before, after = world_matrices(letter), world_matrices(out)
    for kind in (Light, Camera):
        i = next(i for i, n in enumerate(letter.nodes) if any(type(h) is kind for h in n.holds))
        j = next(j for j, n in enumerate(out.nodes) if any(type(h) is kind for h in n.holds))
        assert np.allclose(p @ before[i][:3, :3] @ [0, 0, -1], after[j][:3, :3] @ [0, 0, -1], atol=1e-6)
        assert np.allclose(p @ before[i][:3, 3], after[j][:3, 3], atol=1e-6)


def test_an_animated_light_gets_a_leaf_node(letter: Scene) -> None:
    moving = replace(letter.clips[0], channels=(replace(letter.clips[0].channels[0], node=7),))
    scene = replace(letter, clips=(moving,))
    p, _ = between(Convention("+Z", "-Y"), WORKING)
    out = convert(scene, p, 1.0)
    assert not out.nodes[7].holds
    leaf = out.nodes[out.nodes[7].children[0]]
    assert leaf.holds == out.lights and leaf.made_from == (letter.nodes[7].key,)
    for seconds in (0.0, 0.4):
        a = posing(scene, scene.clips[0]).world(seconds)[7]
        b = posing(out, out.clips[0]).world(seconds)[out.nodes[7].children[0]]
        assert np.allclose(p @ a[:3, :3] @ [0, 0, -1], b[:3, :3] @ [0, 0, -1], atol=1e-6)


def test_ranges_and_clip_planes_scale(letter: Scene) -> None:
    out = convert(letter, np.eye(3), 100.0)
    assert out.lights[0].range == pytest.approx(400.0)
    assert out.cameras[0].znear == pytest.approx(10.0)
    assert out.cameras[0].zfar == pytest.approx(5000.0)


def test_quaternions_agree_with_scipy() -> None:
    rng = np.random.default_rng(5)
    q = Rotation.random(20, random_state=5).as_quat()
    for p in (EVERY[3], EVERY[17], EVERY[40]):
        mine = quaternion_matrix(rotated_quaternions(p, q))
        assert np.allclose(mine, p @ Rotation.from_quat(q).as_matrix() @ p.T, atol=1e-9)
    assert rng is not None


def test_permuted_only_swaps_and_flips() -> None:
    values = np.arange(12, dtype=np.float32).reshape(4, 3)
    p = np.array([[0, 0, -1], [1, 0, 0], [0, -1, 0]], dtype=float)
    assert (permuted(p, values, 2.0) == values @ p.T * 2).all()


def test_v_is_flipped_between_conventions(letter: Scene) -> None:
    up = replace(WORKING, v="up")
    out = change_convention(letter, up, WORKING)
    a, b = letter.meshes[0].primitives[0].texcoords[0], out.meshes[0].primitives[0].texcoords[0]
    assert np.allclose(b[:, 1], 1 - a[:, 1]) and np.allclose(b[:, 0], a[:, 0])


@pytest.mark.parametrize("count", [4, 5, 6, 7])
def test_strips_turn_over_whole(count: int) -> None:
    flat = frozen(np.arange(count), np.uint32)
    prim = Primitive(
        key("primitive", 0), frozen(np.random.default_rng(1).random((count, 3))), "triangle_strip", flat
    )
    before = strip_triangles(flat)
    after = triangles_of(reversed_faces(prim))
    forward = {tuple(np.roll(t, -int(t.argmin()))) for t in before}
    backward = {tuple(np.roll(t[::-1], -int(t[::-1].argmin()))) for t in after if len(set(t)) == 3}
    assert forward == backward


def test_fans_and_polygons_turn_over() -> None:
    square = frozen([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]])
    fan = Primitive(key("primitive", 0), square, "triangle_fan", frozen(np.arange(4), np.uint32))
    assert (face_vectors(square, triangles_of(fan))[:, 2] > 0).all()
    assert (face_vectors(square, triangles_of(reversed_faces(fan)))[:, 2] < 0).all()
    polygon = Primitive(
        key("primitive", 1), square, "polygons", frozen([0, 1, 2, 3], np.uint32), sizes=frozen([4], np.uint32),
        triangulation=frozen([[0, 1, 2], [0, 2, 3]], np.uint32),
    )  # fmt: skip
    turned = reversed_faces(polygon)
    assert turned.indices is not None and turned.indices.tolist() == [3, 2, 1, 0]
    assert (face_vectors(square, triangles_of(turned))[:, 2] < 0).all()


def test_nothing_to_do_shares_everything(letter: Scene) -> None:
    assert convert(letter, np.eye(3), 1.0) is letter


def test_a_sheared_node_is_conjugated() -> None:
    m = np.eye(4)
    m[0, 1], m[:3, 3] = 0.5, (1, 2, 3)
    scene = scene_of(cube())
    sheared = replace(scene, nodes=(replace(scene.nodes[0], matrix=m),))
    p, _ = between(Convention("+Z", "-Y"), WORKING)
    out = convert(sheared, p, 0.01)
    for a, b in zip(posed_scene_points(sheared), posed_scene_points(out)):
        assert np.allclose(a @ p.T * 0.01, b, atol=1e-7)
