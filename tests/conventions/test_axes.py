"""Axes against hand-worked cases, scipy's Rotation and all 48 signed permutations."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from customs.conventions.axes import (
    AXES,
    axis_vector,
    between,
    quarter_turns,
    to_working,
    turn_matrix,
)
from customs.errors import CustomsError
from customs.scene.convention import WORKING, Convention
from tests.assets import all_signed_permutations

ZUP = Convention("+Z", "-Y", "right", 1.0)
LEFT = Convention("+Z", "+X", "left", 0.01, front="cw")


def test_z_up_thing_lies_on_its_back_and_a_quarter_turn_about_x_stands_it_up() -> None:
    # common practice: Z up, face −Y to Y up, face +Z is a turn by −90° about X
    p, k = between(ZUP, WORKING)
    assert k == 1.0
    assert np.allclose(p, Rotation.from_euler("x", -90, degrees=True).as_matrix())


def test_hand_worked_left_handed_case() -> None:
    # Z up, faces +X, left-handed: the thing's left is −(Z × X) = −Y; it becomes +X, up becomes +Y, front +Z.
    p, k = between(LEFT, WORKING)
    assert k == 0.01
    assert (p @ [1, 0, 0] == [0, 0, 1]).all()
    assert (p @ [0, 0, 1] == [0, 1, 0]).all()
    assert (p @ [0, -1, 0] == [1, 0, 0]).all()
    assert round(np.linalg.det(p)) == -1


def test_there_are_48_and_each_is_orthogonal() -> None:
    every = all_signed_permutations()
    assert len(every) == 48
    assert len({m.tobytes() for m in every}) == 48
    for m in every:
        assert (m @ m.T == np.eye(3)).all()


def test_conventions_reach_all_48() -> None:
    seen = set()
    for up in AXES:
        for faces in AXES:
            if up[1] == faces[1]:
                continue
            for hand in ("right", "left"):
                m = to_working(up, faces, hand)
                assert round(np.linalg.det(m)) == (1 if hand == "right" else -1)
                assert (m @ axis_vector(up) == [0, 1, 0]).all()
                assert (m @ axis_vector(faces) == [0, 0, 1]).all()
                seen.add(m.tobytes())
    assert len(seen) == 48


def test_there_and_back_is_the_identity() -> None:
    there, k = between(ZUP, LEFT)
    back, j = between(LEFT, ZUP)
    assert (there @ back == np.eye(3)).all()
    assert k * j == pytest.approx(1.0)


@pytest.mark.parametrize("degrees", [(90, 0, 0), (0, 180, 0), (90, 90, 0), (270, -90, 180)])
def test_quarter_turns_are_exact_and_agree_with_scipy(degrees: tuple[float, float, float]) -> None:
    m = quarter_turns(degrees)
    assert m is not None
    assert set(np.unique(m)) <= {-1.0, 0.0, 1.0}
    assert np.allclose(m, Rotation.from_euler("xyz", degrees, degrees=True).as_matrix())


def test_other_turns_agree_with_scipy_and_are_no_quarter() -> None:
    degrees = (12.0, -33.0, 71.0)
    assert quarter_turns(degrees) is None
    assert np.allclose(turn_matrix(degrees), Rotation.from_euler("xyz", degrees, degrees=True).as_matrix())


def test_up_and_facing_on_one_axis_is_an_error_with_advice() -> None:
    with pytest.raises(CustomsError) as problem:
        to_working("+Z", "-Z", "right")
    assert "one axis" in str(problem.value) and problem.value.todo


def test_words_for_a_person() -> None:
    assert ZUP.axes_text() == "Z up · faces −Y"
