"""The scene in memory: transforms against scipy, trees, pruning, arrays, keys."""

from __future__ import annotations

from dataclasses import FrozenInstanceError, replace

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from customs.errors import Cancelled, CustomsError, ReadError
from customs.geometry.counts import counts
from customs.scene import Key, Node, Scene
from customs.scene.arrays import all_finite, bounds, finite_rows, frozen
from customs.scene.content import Encoded
from customs.scene.model import Image, Material, TextureUse
from customs.scene.prune import prune, prune_content, prune_nodes
from customs.scene.transforms import (
    apply_affine,
    axis_lengths,
    compose,
    decompose,
    inverse,
    matrix_quaternion,
    multiply_quaternions,
    quaternion_matrix,
    unit_rows,
)
from customs.scene.tree import animated_nodes, joint_nodes, mesh_nodes, parents, walk, world_matrices
from tests.assets import cube, key, quaternion, scene_of

TURNS = Rotation.random(200, random_state=11)


def test_quaternions_and_matrices_agree_with_scipy() -> None:
    # outside judge: scipy.spatial.transform.Rotation
    q = TURNS.as_quat()
    assert np.allclose(quaternion_matrix(q), TURNS.as_matrix(), atol=1e-12)
    for m in TURNS.as_matrix():
        back = matrix_quaternion(m)
        assert np.allclose(quaternion_matrix(back), m, atol=1e-9) and back[3] >= 0
    product = multiply_quaternions(q[:100], q[100:])
    assert np.allclose(quaternion_matrix(product), (TURNS[:100] * TURNS[100:]).as_matrix(), atol=1e-12)


@pytest.mark.parametrize("axis", "XYZ")
@pytest.mark.parametrize("degrees", [0, 90, 180, 270, 179.9999])
def test_half_turns_are_no_trouble(axis: str, degrees: float) -> None:
    m = Rotation.from_euler(axis.lower(), degrees, degrees=True).as_matrix()
    assert np.allclose(quaternion_matrix(matrix_quaternion(m)), m, atol=1e-9)


def test_transforms_come_apart_and_together() -> None:
    rng = np.random.default_rng(3)
    for q in TURNS.as_quat()[:50]:
        t, s = rng.normal(size=3) * 10, rng.uniform(0.1, 5, 3)
        parts = decompose(compose(t, q, s))
        assert parts is not None
        assert np.allclose(compose(*parts), compose(t, q, s), atol=1e-9) and np.allclose(parts[2], s)


def test_mirrors_come_apart_with_one_negative_scale() -> None:
    m = compose([1, 2, 3], quaternion("Y", 30), [1, -2, 1])
    parts = decompose(m)
    assert parts is not None and (parts[2] < 0).sum() == 1 and np.allclose(compose(*parts), m)


def test_shear_does_not_come_apart_and_squashing_does() -> None:
    leaning = np.eye(4)
    leaning[0, 1] = 0.3
    assert decompose(leaning) is None
    rng = np.random.default_rng(5)
    for squashed in (
        (0, 1, 1),
        (1, 0, 1),
        (1, 1, 0),
        (0, 0, 2),
        (0, 3, 0),
        (1, 0, 0),
        (0, 0, 0),
        (1e-9, 0, 1e-9),
    ):
        place, turn = rng.normal(size=3), Rotation.random(rng=rng).as_quat()
        m = compose(place, turn, np.array(squashed, float))
        parts = decompose(m)
        assert parts is not None
        assert np.allclose(compose(*parts), m, atol=1e-12 * max(squashed)), squashed
        assert np.isclose(np.linalg.norm(parts[1]), 1)


def test_whatever_its_unit_a_matrix_has_an_inverse_and_what_squashes_leads_back_to_what_is_left() -> None:
    rng = np.random.default_rng(6)
    for unit in (1e-200, 1e-12, 1.0, 1e12, 1e200):
        m = compose(rng.normal(size=3) * unit, Rotation.random(rng=rng).as_quat(), np.full(3, unit))
        assert np.allclose(inverse(m) @ m, np.eye(4), atol=1e-9)
        flat = m @ np.diag([1.0, 0, 1, 1])
        assert np.allclose(flat @ inverse(flat) @ flat, flat, rtol=1e-9, atol=1e-9 * unit), unit
        assert np.allclose(axis_lengths(flat), [unit, 0, unit], rtol=1e-9)


def test_points_through_a_matrix_in_chunks() -> None:
    points = np.random.default_rng(1).normal(size=(150_000, 3)).astype(np.float32)
    m = compose([1e3, -2e3, 5], quaternion("Z", 33), [2, 2, 2])
    want = points.astype(float) @ m[:3, :3].T + m[:3, 3]
    assert np.abs(apply_affine(m, points) - want).max() < 1e-3


def test_unit_rows_leave_zero_alone() -> None:
    out = unit_rows(np.array([[3.0, 0, 4], [0, 0, 0]], np.float32))
    assert out.tolist() == [[pytest.approx(0.6), 0, pytest.approx(0.8)], [0, 0, 0]]


def test_frozen_arrays_cannot_be_written_and_share() -> None:
    base = np.zeros((4, 3), np.float32)
    out = frozen(base)
    with pytest.raises(ValueError, match="read-only"):
        out[0, 0] = 1
    assert np.shares_memory(base, out) and base.flags.writeable
    assert frozen([1, 2], np.uint32).dtype == np.uint32


def test_bounds_and_finiteness() -> None:
    points = np.array([[1, 2, 3], [-1, 5, 0]], np.float32)
    low, high = bounds(points)
    assert low.tolist() == [-1, 2, 0] and high.tolist() == [1, 5, 3]
    assert all_finite(points) and all_finite(np.zeros((0, 3))) and all_finite(np.array([[1]], np.uint8))
    bad = points.copy()
    bad[1, 2] = np.nan
    assert not all_finite(bad) and finite_rows(bad).tolist() == [True, False]
    assert all_finite(np.full((9, 3), 3e38, np.float32)), "a sum that overflows is no proof"


def test_scenes_cannot_be_changed_in_place() -> None:
    with pytest.raises(FrozenInstanceError):
        scene_of(cube()).name = "other"  # type: ignore[misc]


def tree() -> Scene:
    """root → (a → c, b); d outside the tree."""
    nodes = (
        Node(key("node", 0), "root", children=(1, 2), translation=np.array([1.0, 0, 0])),
        Node(key("node", 1), "a", children=(3,), rotation=quaternion("Z", 90)),
        Node(key("node", 2), "b", mesh=0),
        Node(key("node", 3), "c", mesh=1, translation=np.array([0, 2.0, 0])),
        Node(key("node", 4), "d", mesh=2),
    )
    return replace(scene_of(cube(), cube(1, 1), cube(1, 2)), nodes=nodes, roots=(0,))


def test_walking_the_tree() -> None:
    scene = tree()
    assert [n for n, _, _ in walk(scene)] == [0, 1, 3, 2]
    assert parents(scene) == [-1, 0, 0, 1, -1]
    assert mesh_nodes(scene) == [3, 2]
    world = world_matrices(scene)
    assert np.allclose(world[3][:3, 3], [-1, 0, 0]) and np.allclose(world[4], np.eye(4))


def test_what_moves_and_what_joins(letter: Scene) -> None:
    assert animated_nodes(letter) == {1, 2, 3} and joint_nodes(letter) == {1, 2, 3}


def test_pruning_drops_what_nothing_uses_and_renumbers() -> None:
    images = tuple(Image(key("image", i), f"i{i}", problem="none") for i in range(3))
    materials = tuple(
        Material(key("material", i), f"m{i}", textures={"base_colour": TextureUse(i)}) for i in range(3)
    )
    scene = replace(tree(), materials=materials, images=images)
    used = replace(scene.meshes[1].primitives[0], material=2, variants=((1, (0,)),))
    scene = replace(
        scene, meshes=(scene.meshes[0], replace(scene.meshes[1], primitives=(used,)), scene.meshes[2])
    )
    out = prune(scene)
    assert [n.name for n in out.nodes] == ["root", "a", "b", "c"] and len(out.meshes) == 2
    assert [m.name for m in out.materials] == ["m1", "m2"] and [i.name for i in out.images] == ["i1", "i2"]
    assert out.meshes[1].primitives[0].material == 1 and out.meshes[1].primitives[0].variants == ((0, (0,)),)
    assert out.materials[1].textures["base_colour"].image == 1
    assert counts(out) == counts(scene) and counts(out)["triangles"] == 24


def test_pruning_keeps_rigs_and_drops_channels_of_the_gone(letter: Scene) -> None:
    same = prune(letter)
    assert len(same.skins) == 1 and len(same.clips[0].channels) == 5
    without = replace(letter, roots=(0, 4))
    out = prune_nodes(without)
    assert all(c.node < len(out.nodes) for c in out.clips[0].channels) and len(out.clips[0].channels) == 4
    no_body = replace(
        letter, nodes=tuple(replace(n, mesh=None, skin=None) if n.name == "body" else n for n in letter.nodes)
    )
    assert not prune_content(no_body).skins


def test_keys_are_text_and_back() -> None:
    k = Key("abc", "mesh", 7)
    assert Key.parse(str(k)) == k and sorted([Key("b", "m", 0), Key("a", "m", 9)])[0].digest == "a"
    with pytest.raises(ValueError, match="unpack"):
        Key.parse("nonsense")


def test_encoded_bytes_from_memory_and_file(tmp_path) -> None:  # type: ignore[no-untyped-def]
    (tmp_path / "x.png").write_bytes(b"abc")
    assert Encoded(memoryview(b"xyz")).read() == b"xyz" and Encoded(b"q").path is None
    assert (
        Encoded(tmp_path / "x.png").read() == b"abc"
        and Encoded(tmp_path / "x.png").path == tmp_path / "x.png"
    )


def test_errors_say_all_they_know_and_travel_between_processes() -> None:
    import pickle

    problem = ReadError("7 vertices", "8", "Export it again.", "a.glb", "/meshes/0")
    assert str(problem) == "a.glb: /meshes/0: 7 vertices; expected 8. Export it again."
    again = pickle.loads(pickle.dumps(problem))
    assert type(again) is ReadError and str(again) == str(problem)
    assert problem.as_dict()["kind"] == "ReadError" and str(CustomsError("x")) == "x"
    assert not issubclass(Cancelled, CustomsError)
