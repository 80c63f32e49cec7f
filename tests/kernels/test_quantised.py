"""Whole numbers as shares, every one there is, against numpy to the last bit and against the standard."""

from __future__ import annotations

import numpy as np
import pytest

from customs.formats.gltf.accessors import shares_by_columns, shares_compiled
from tests.kernels.test_kernels import compiled, got

__all__ = ["compiled"]

KINDS = ("int8", "uint8", "int16", "uint16")


@pytest.mark.parametrize("kind", KINDS)
def test_every_number_of_a_type_as_the_standard_says(kind: str) -> None:
    # glTF 2.0, 3.6.2.2: f = c / 127, max(c / 127.0, -1.0) and so on
    ends = np.iinfo(kind)
    whole = np.arange(ends.min, ends.max + 1).astype(kind).reshape(-1, 2)
    out = shares_compiled(got("quantised"), whole)
    assert out.dtype == np.float32 and np.array_equal(out, shares_by_columns(whole))
    assert np.abs(out - np.maximum(whole.astype(np.float64) / ends.max, -1)).max() < 1e-7
    assert out.max() == 1 and out.min() == (-1 if ends.min < 0 else 0)


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("shape", [(0, 3), (1, 1), (7, 4)])
def test_none_one_and_columns_that_lie_apart(kind: str, shape: tuple[int, int]) -> None:
    whole = np.random.default_rng(1).integers(0, 120, (shape[0], 8)).astype(kind)
    for values in (whole[:, : shape[1]], whole[::-1, : shape[1]]):
        out = shares_compiled(got("quantised"), values)
        assert out.shape == shape and np.array_equal(out, shares_by_columns(values))
