"""EXR textures unpacked by the library of the format: done in a child."""

from __future__ import annotations

import numpy as np
import OpenEXR

from customs.aside.pack import Json, Packer

ORDERS = (
    ("RGBA",),
    ("RGB",),
    ("RGB", "A"),
    ("R", "G", "B", "A"),
    ("R", "G", "B"),
    ("Y", "A"),
    ("Y",),
    ("R", "G"),
    ("R",),
)


def run(asked: Json) -> tuple[Json, Packer]:
    """(header, array (H, W, C) float32) of the picture in `file`. Raises ValueError."""
    pack = Packer()
    try:
        with OpenEXR.File(asked["file"]) as file:
            found = {
                name: np.asarray(channel.pixels, np.float32) for name, channel in file.channels().items()
            }
    except Exception as problem:  # noqa: BLE001 (whatever the library says of damage)
        raise ValueError(str(problem).splitlines()[0] if str(problem) else "damaged") from None
    order = next((o for o in ORDERS if set(o) <= found.keys()), None)
    if order is None:
        raise ValueError(f"channels {', '.join(sorted(found))[:80]} and no colours")
    planes = [p if p.ndim == 3 else p[:, :, None] for p in (found[name] for name in order)]
    return {"pixels": pack.add(np.concatenate(planes, axis=2))}, pack
