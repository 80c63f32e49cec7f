"""Matrices that count as one, against each compared with each."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from customs.scene.alike import Alike

TOLERANCE = 1e-8


@given(seed=st.integers(0, 10_000), far=st.sampled_from([0.0, 1.0, 1e3]))
def test_the_first_that_is_alike_is_found(seed: int, far: float) -> None:
    rng = np.random.default_rng(seed)
    kinds = rng.normal(size=(6, 4, 4)) * np.array([1, 1, 1, far])
    met: list[np.ndarray] = []
    alike: Alike[int] = Alike(TOLERANCE)
    for number in range(60):
        matrix = kinds[rng.integers(len(kinds))] + rng.choice([0.0, 0.9, 1.1, 3.0]) * TOLERANCE * rng.uniform(
            -1, 1, (4, 4)
        )
        by_hand = next((k for k, m in enumerate(met) if np.abs(m - matrix).max() < TOLERANCE), None)
        assert alike.find(matrix) == by_hand
        alike.add(matrix, number)
        met.append(matrix)
    assert len(alike) == 60


def test_what_is_no_number_is_like_nothing() -> None:
    alike: Alike[int] = Alike(TOLERANCE)
    nothing = np.full((4, 4), np.nan)
    alike.add(nothing, 0)
    assert alike.find(nothing) is None and len(alike) == 1
