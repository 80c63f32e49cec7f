"""Files cut off anywhere say that they are cut off, and never speak of a format they are not."""

from __future__ import annotations

from pathlib import Path

import pytest

from customs.errors import CustomsError
from tests.assets import cube, loaded, saved, scene_of


@pytest.mark.parametrize("share", [0, 1, 2, 3, 5, 11, 13, 19, 200, 0.5, 0.9])
def test_a_cut_glb_says_so(share: float, tmp_path: Path) -> None:
    path = saved(scene_of(cube()), tmp_path / "block.glb")
    data = path.read_bytes()
    path.write_bytes(data[: share if isinstance(share, int) else int(share * len(data))])
    with pytest.raises(CustomsError) as problem:
        loaded(path)
    assert "JSON" not in str(problem.value) and problem.value.todo
