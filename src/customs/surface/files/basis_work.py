"""Basis Universal textures unpacked by the transcoder of a library: done in a child."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import opengl_basisu

from customs.aside.pack import Json, Packer


def run(asked: Json) -> tuple[Json, Packer]:
    """(header, arrays (H, W, 4) uint8) of mip `levels` of the KTX2 in `file`. Raises ValueError."""
    pack = Packer()
    try:
        texture = opengl_basisu.open(Path(asked["file"]).read_bytes())
        levels = [np.asarray(texture.transcode("rgba8", level=i).data, np.uint8) for i in asked["levels"]]
    except Exception as problem:  # noqa: BLE001 (whatever the library says of damage)
        raise ValueError(str(problem)) from None
    return {"levels": [pack.add(pixels) for pixels in levels]}, pack
