"""KTX2 files of ours before an independent reader; numbers as in the KTX 2.0 and Khronos Data Format
specifications.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from customs.surface.files.base import Coding, texture_format
from tests.outside.judges import ktx_parse

VK = {("", "srgb"): 43, ("", "linear"): 37, ("bc1", "srgb"): 132, ("bc1", "linear"): 131, ("bc3", "srgb"): 138,
      ("bc4", "linear"): 139, ("bc5", "linear"): 141, ("bc7", "srgb"): 146, ("bc7", "linear"): 145}  # fmt: skip
"""VkFormat numbers of the Vulkan specification."""
MODEL = {"": 1, "bc1": 128, "bc3": 130, "bc4": 131, "bc5": 132, "bc7": 134}
"""Colour models of the Khronos Data Format specification 1.3."""


@pytest.mark.parametrize(("block", "space"), list(VK))
@pytest.mark.parametrize("zstd", [False, True])
def test_an_independent_reader_finds_what_was_written(
    block: str, space: str, zstd: bool, tmp_path: Path
) -> None:
    rng = np.random.default_rng(3)
    levels = [rng.integers(0, 255, (32 >> k, 64 >> k, 4), dtype=np.uint8) for k in range(6)]
    levels.append(np.zeros((1, 1, 4), np.uint8))
    encode = texture_format("ktx2").encode
    assert encode is not None
    path = tmp_path / "x.ktx2"
    path.write_bytes(encode(levels, Coding(block, "quick", space, zstd=zstd)))  # type: ignore[arg-type]
    found = ktx_parse(path)
    assert found["vkFormat"] == VK[(block, space)] and (found["width"], found["height"]) == (64, 32)
    assert found["levels"] == 7 and found["zstd"] == (2 if zstd else 0)
    assert found["model"] == MODEL[block] and found["transfer"] == (2 if space == "srgb" else 1)
    bytes_ = {"": 4, "bc1": 0.5, "bc4": 0.5}.get(block, 1)
    wanted = [int(max(1, -(-(64 >> k) // 4)) * max(1, -(-(max(1, 32 >> k)) // 4)) * 16 * bytes_) if block else
              max(1, 64 >> k) * max(1, 32 >> k) * 4 for k in range(7)]  # fmt: skip
    assert found["sizes"] == wanted
