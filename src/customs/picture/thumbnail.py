"""Small pictures of assets."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from customs.motion.posing.bounds import world_bounds
from customs.picture.camera import Orbit, framing
from customs.picture.look import Look, Shot
from customs.picture.renderer import Renderer
from customs.scene.model import Scene


def thumbnail(renderer: Renderer, scene: Scene, size: int = 96) -> npt.NDArray[np.uint8]:
    """A three-quarter view (size, size, 4) on a clear ground; drawn twice as large and halved."""
    box = world_bounds(scene)
    low, high = box if box is not None else (np.zeros(3), np.ones(3))
    orbit = framing(low, high, 1.0, Orbit(yaw=-35, pitch=16))
    shot = Shot(scene, orbit, size * 2, size * 2, Look(grid=False, transparent=True, sketched=True))
    big = renderer.render(shot).astype(np.uint16)
    small = (big[::2, ::2] + big[1::2, ::2] + big[::2, 1::2] + big[1::2, 1::2]) // 4
    return small.astype(np.uint8)
