"""Kernels over faces against the numpy ways, on random and on spiteful input, with indices checked."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from customs.geometry.faces import (
    degenerate,
    flat_by_columns,
    flat_compiled,
    repeats,
    repeats_by_rows,
    repeats_compiled,
)
from customs.geometry.inward import enclosed_by_columns, enclosed_compiled, inward
from customs.geometry.normals import Corners, corner_normals, sums_by_rounds, sums_compiled
from customs.geometry.shells import Shells, by_graph, by_joining, shells
from customs.geometry.weld import by_hashes, by_table, near_by_cells, near_by_tree
from customs.kernels.cores import cuts, on_cores
from customs.ledger.facts import facts_of
from customs.route.steps.fit.normals import with_normals
from customs.scene.arrays import frozen
from customs.scene.standing import known_of_faces
from tests.assets import cube, scene_of
from tests.kernels.test_kernels import compiled, got

__all__ = ["compiled"]
MOST = 2**32 - 1
SPITEFUL: dict[str, np.ndarray] = {
    "none": np.zeros((0, 3), np.float32),
    "one": np.ones((1, 3), np.float32),
    "all equal": np.full((999, 3), 7.5, np.float32),
    "not a number": np.array(
        [[np.nan, 0, 1], [np.nan, 0, 1], [0, np.nan, 1], [np.inf, -np.inf, 0]], np.float32
    ),
    "both zeros": np.array([[0.0, -0.0, 0], [-0.0, 0.0, -0.0], [0, 0, 1e-45]], np.float32),
    "largest": np.array([[MOST, MOST, 0], [MOST, MOST, 0], [MOST - 1, MOST, 0]], np.uint32),
    "wide": np.random.default_rng(0).integers(0, 2, (400, 17)).astype(np.uint32),
}


def alike(a: tuple[np.ndarray, np.ndarray], b: tuple[np.ndarray, np.ndarray]) -> bool:
    return all(np.array_equal(x, y) for x, y in zip(a, b))


@pytest.mark.parametrize("what", SPITEFUL)
def test_equal_rows_are_found_as_by_their_hashes(what: str) -> None:
    rows = SPITEFUL[what]
    assert alike(by_table(got("rows"), [rows]), by_hashes([rows]))
    assert alike(by_table(got("rows"), [rows, rows[:, :1]]), by_hashes([rows, rows[:, :1]]))


@given(st.integers(0, 2**32 - 1), st.integers(1, 400), st.integers(1, 9), st.integers(1, 5))
def test_equal_rows_of_drawn_ones(seed: int, count: int, kinds: int, width: int) -> None:
    rows = np.random.default_rng(seed).integers(-kinds, kinds, (count, width)).astype(np.float32) / 4
    first, inverse = by_table(got("rows"), [rows])
    assert alike((first, inverse), by_hashes([rows]))
    # Against numpy's own, which numbers in another order.
    judge = np.unique(rows + 0, axis=0, return_inverse=True)[1].reshape(-1)
    assert len(set(zip(judge.tolist(), inverse.tolist()))) == len(first) == judge.max() + 1


def same_shells(a: Shells, b: Shells) -> bool:
    return a.pairs == b.pairs and all(
        np.array_equal(getattr(a, name), getattr(b, name)) for name in ("part", "flipped", "opened")
    )


def fan(count: int) -> np.ndarray:
    """Faces that all share the place 0, neighbours sharing an edge; some of them turned over."""
    rim = np.arange(1, count + 1)
    faces = np.stack([np.zeros(count, int), rim, rim % count + 1], axis=1)
    faces[::3] = faces[::3, ::-1]
    return faces.astype(np.uint32)


def band(length: int, twisted: bool) -> np.ndarray:
    """A band of quads round, cut in triangles; a twisted one cannot be made consistent (Möbius, 1865)."""
    k = np.arange(length)
    low, high = k, k + length
    after = (k + 1) % length
    low2, high2 = low[after], high[after]
    if twisted:
        low2[-1], high2[-1] = high2[-1], low2[-1]
    return np.concatenate([np.c_[low, low2, high], np.c_[low2, high2, high]]).astype(np.uint32)


FACES = {
    "none": np.zeros((0, 3), np.uint32),
    "one": np.array([[0, 1, 2]], np.uint32),
    "all the same": np.tile(np.array([[3, 1, 2]], np.uint32), (50, 1)),
    "points": np.full((20, 3), 5, np.uint32),
    "lines": np.tile(np.array([[0, 1, 1], [1, 0, 0]], np.uint32), (9, 1)),
    "ten thousand at one place": fan(10_000),
    "far apart in number": np.array([[0, 70_000, 9], [9, 70_000, 1]], np.uint32),
    "band": band(40, False),
    "twisted band": band(40, True),
    "two bands and a fan": np.concatenate([band(7, True), band(9, False) + 100, fan(5) + 300]),
}


@pytest.mark.parametrize("what", FACES)
def test_shells_are_joined_as_by_the_graph(what: str) -> None:
    found = by_joining(got("shells"), FACES[what])
    assert same_shells(found, by_graph(FACES[what]))
    if what == "twisted band":
        assert not found.flipped.any()
    if what == "ten thousand at one place":
        assert found.flipped.sum() == 3334 and found.part.max() == 0 and found.pairs == 10_000


@given(st.integers(0, 2**32 - 1), st.integers(1, 200), st.integers(3, 60))
def test_shells_of_drawn_faces(seed: int, count: int, places: int) -> None:
    faces = np.random.default_rng(seed).integers(0, places, (count, 3)).astype(np.uint32)
    found = by_joining(got("shells"), faces)
    assert same_shells(found, by_graph(faces))
    share = np.bincount(found.part, weights=found.flipped) / np.bincount(found.part)
    assert (share <= 0.5).all()


def corners(faces: np.ndarray, rng: np.random.Generator, groups: bool = False) -> Corners:
    vectors = rng.normal(size=(len(faces), 3))
    vectors[rng.random(len(faces)) < 0.1] = 0
    vectors[rng.random(len(faces)) < 0.02] = np.nan
    length = np.linalg.norm(vectors, axis=1)
    units = vectors / np.where(length > 0, length, 1)[:, None]
    kinds = rng.integers(0, 3, len(faces)).astype(np.uint32) if groups else None
    return Corners(faces.reshape(-1), units, vectors, kinds)


@pytest.mark.parametrize("groups", [False, True])
@pytest.mark.parametrize("what", FACES)
def test_normals_are_summed_as_by_rounds(what: str, groups: bool) -> None:
    faces = fan(900) if what.startswith("ten") else FACES[what]
    for angle in (0.0, 30.0, 75.5, 180.0):
        mine = corners(faces, np.random.default_rng(1), groups)
        limit = float(np.cos(np.radians(angle)) - 1e-6)
        quick, slow = sums_compiled(got("smooth"), mine, limit), sums_by_rounds(mine, limit)
        assert np.array_equal(quick, slow, equal_nan=True), "to the last bit"


def test_a_fan_of_ten_thousand_is_smoothed_alike_all_round() -> None:
    faces, turn = fan(10_000), np.linspace(0, 2 * np.pi, 10_000, endpoint=False)
    faces[::3] = faces[::3, ::-1]
    points = np.concatenate([[[0, 0, 0]], np.c_[np.cos(turn), np.sin(turn), 0 * turn]]).astype(np.float32)
    mine = Corners(
        faces.reshape(-1), np.tile([0, 0, 1.0], (10_000, 1)), np.tile([0, 0, 2.0], (10_000, 1)), None
    )
    out = sums_compiled(got("smooth"), mine, 0.5)
    assert (out[faces.reshape(-1) == 0] == [0, 0, 20_000]).all()
    assert np.allclose(corner_normals(points, faces[:100], 40.0), [0, 0, 1])


def test_parts_of_work_cover_it_and_an_error_in_one_is_said() -> None:
    for count in (0, 1, 7, 1000):
        parts = cuts(count)
        assert [k for a, b in parts for k in range(a, b)] == list(range(count))

    def fail(part: tuple[int, int]) -> None:
        raise ValueError(f"at {part[0]}")

    with pytest.raises(ValueError, match="at 0"):
        on_cores(fail, [(0, 1), (1, 2)])


def soup(seed: int, count: int, places: int, spite: bool = False) -> tuple[np.ndarray, np.ndarray]:
    """Faces over points of a coarse grid, so that many are flat, doubled or backs; with numbers that are none,
    or huge, where `spite`.
    """
    rng = np.random.default_rng(seed)
    points = (rng.integers(-2, 3, (places, 3)) / 2).astype(np.float32)
    if spite:
        points[rng.random(places) < 0.1, 0] = np.nan
        points[rng.random(places) < 0.1, 1] = np.inf
        points[rng.random(places) < 0.1] = 3e38
    return points, rng.integers(0, places, (count, 3)).astype(np.uint32)


@given(st.integers(0, 2**32 - 1), st.integers(1, 300), st.integers(3, 60), st.booleans())
def test_flat_faces_and_repeats_of_drawn_ones(seed: int, count: int, places: int, spite: bool) -> None:
    points, faces = soup(seed, count, places, spite)
    assert np.array_equal(flat_compiled(got("faces"), points, faces), flat_by_columns(points, faces))
    place = by_hashes([points])[1][faces]
    assert alike(repeats_compiled(got("faces"), place), repeats_by_rows(place))


@pytest.mark.parametrize("what", FACES)
def test_repeats_among_spiteful_faces(what: str) -> None:
    assert alike(repeats_compiled(got("faces"), FACES[what]), repeats_by_rows(FACES[what]))
    both = np.concatenate([FACES[what], FACES[what][:, ::-1]])
    assert alike(repeats_compiled(got("faces"), both), repeats_by_rows(both))


@given(st.integers(0, 2**32 - 1), st.integers(1, 200), st.integers(3, 60))
def test_what_parts_enclose_to_the_last_bit(seed: int, count: int, places: int) -> None:
    points, faces = soup(seed, count, places)
    part = by_graph(faces).part
    quick = enclosed_compiled(got("faces"), points, faces, part, int(part.max()) + 1)
    assert alike(quick, enclosed_by_columns(points, faces, part, int(part.max()) + 1))


def test_what_a_ball_encloses() -> None:
    """Outside: trimesh's volume and area of the same ball; turned inside out, the volume has the other sign."""
    ball = trimesh.creation.icosphere(4)
    points, faces = ball.vertices.astype(np.float32), ball.faces.astype(np.uint32)
    whole = np.zeros(len(faces), np.int32)
    for out, sign in ((faces, 1), (faces[:, ::-1].copy(), -1)):
        found = enclosed_compiled(got("faces"), points, out, whole, 1)
        assert found.volume[0] / 6 == pytest.approx(sign * ball.volume, rel=1e-5)
        assert found.weight[0] / 2 == pytest.approx(ball.area, rel=1e-5)
        assert found.away[0] == pytest.approx(0 if sign > 0 else found.weight[0])


def test_a_face_with_a_vertex_that_is_not_there_is_refused_before_any_loop() -> None:
    points = np.zeros((4, 3), np.float32)
    faces = np.zeros((60_000, 3), np.uint32)
    faces[777, 1] = MOST
    for find in (degenerate, repeats):
        with pytest.raises(IndexError):
            find(points, faces)


def test_what_is_known_of_faces_holds_while_they_stand_where_they_stood() -> None:
    cube_ = cube()
    assert scene_of(cube_) is not None
    first = facts_of(cube_)
    assert not first.inward.any() and set(known_of_faces(cube_)) == {"degenerate", "repeats", "inward"}
    bare = replace(cube_, normals=None)
    assert known_of_faces(bare) is known_of_faces(cube_), "other normals, the same faces"
    weights = np.full((len(cube_.positions), 4), np.nan, np.float32)
    broken = replace(cube_, weights=frozen(weights), joints=np.zeros(weights.shape, np.uint16))
    assert not facts_of(broken).inward.any() and not facts_of(broken).doubled.any()
    assert not facts_of(replace(broken, weights=None, joints=None)).inward.any(), "and whole again"
    moved = replace(cube_, positions=frozen(cube_.positions * 2))
    assert known_of_faces(moved) == {}, "other places"
    split = with_normals(bare, 30.0)
    assert known_of_faces(split) is known_of_faces(cube_) and len(split.positions) >= len(bare.positions)
    over = replace(cube_, indices=frozen(cube_.indices.reshape(-1, 3)[:, ::-1].reshape(-1), np.uint32))
    assert facts_of(over).inward.all() and not facts_of(cube_).inward.any()


@given(st.integers(0, 2**32 - 1), st.integers(1, 120), st.sampled_from([1e-3, 0.01, 0.05, 0.3, 3.0]))
def test_points_near_one_another_are_chained_as_by_the_tree(seed: int, count: int, distance: float) -> None:
    rng = np.random.default_rng(seed)
    spots = rng.uniform(-200, 200, (max(count // 3, 1), 3)) * distance
    points = spots[rng.integers(0, len(spots), count)] + rng.normal(size=(count, 3)) * distance * 0.4
    quick = near_by_cells(got("near"), points, distance)
    assert quick is not None and np.array_equal(quick, near_by_tree(points, distance))


def test_points_just_over_the_border_of_a_cell_are_found() -> None:
    step = 64 * 0.01
    ends = np.array([[k * step + side, 0, 0] for k in range(40) for side in (-0.004, 0.004)])
    points = np.concatenate([ends, ends[:, [1, 0, 2]], ends[:, [1, 2, 0]] + [0, 0, 0.001]])
    quick = near_by_cells(got("near"), points, 0.01)
    assert quick is not None and np.array_equal(quick, near_by_tree(points, 0.01)) and quick.max() < 120


def test_crowds_and_numbers_that_are_none_are_left_to_the_tree() -> None:
    crowd = np.random.default_rng(0).uniform(0, 1, (4000, 3))
    assert near_by_cells(got("near"), crowd, 0.5) is None, "all in a few cells"
    for bad in (np.nan, np.inf):
        assert near_by_cells(got("near"), np.array([[0.0, 0, 0], [bad, 0, 0]]), 0.1) is None
    assert near_by_cells(got("near"), np.zeros((1, 3)), 0.1) is not None


@given(st.integers(0, 2**32 - 1), st.floats(0, 1), st.booleans())
def test_seams_that_rounding_pulled_apart_are_closed_again(seed: int, share: float, cut: bool) -> None:
    """Against the same shell whole: some corners get places of their own a hair away."""
    rng = np.random.default_rng(seed)
    ball = trimesh.creation.icosphere(2)
    points, faces = ball.vertices.astype(np.float32), ball.faces.astype(np.int64)
    faces = faces[60:] if cut else faces
    turned = rng.random(len(faces)) < 0.1
    faces[turned] = faces[turned, ::-1]
    own = rng.random(faces.shape) < share
    torn = np.where(own, len(points) + np.arange(faces.size).reshape(faces.shape), faces)
    hair = rng.uniform(-3e-7, 3e-7, (faces.size, 3)).astype(np.float32)
    moved = np.concatenate([points, points[faces.reshape(-1)] + hair])
    before = inward(points, faces.astype(np.uint32))
    assert np.array_equal(inward(moved, torn.astype(np.uint32)), before)
    assert cut or np.array_equal(before, turned)


def test_numbers_of_places_far_apart_ask_for_no_table_of_them_all() -> None:
    faces = np.tile(np.array([[0, MOST, MOST - 1], [MOST, 0, 7]], np.uint32), (60_000, 1))
    found = shells(faces)
    assert found.pairs == 0 and len(found.part) == 120_000
