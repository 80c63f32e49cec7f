"""Animation of what is no node: values of materials, lights and cameras, kept for destinations that read them.

Source: KHR_animation_pointer, an extension of glTF 2.0; its pointers are JSON pointers (RFC 6901).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
import numpy.typing as npt

from customs.scene.key import Key

F32 = npt.NDArray[np.float32]
LENGTHS = ("range", "znear", "zfar", "xmag", "ymag", "thicknessFactor", "attenuationDistance")
"""Last words of pointers to what is in units of the scene."""
SAME = 1e-4
"""Seconds by which a clip may differ from the one its pointers came in."""


@dataclass(frozen=True, eq=False)
class Pointer:
    """Keys of one value of `subject`, `path` within it as the file says it: `times` (K,) seconds, `values` (K, N), or
    (K, 3, N) for "cubic". `seconds` are those of the clip it came in: in one that was cut or stretched since it would tell
    another time.
    """

    subject: Key
    path: str
    times: F32
    values: F32
    interpolation: Literal["linear", "step", "cubic"]
    seconds: float = 0.0

    def scaled(self, k: float) -> Pointer:
        """In a unit of which 1/k make one of these."""
        length = self.path.rpartition("/")[2] in LENGTHS
        return replace(self, values=self.values * np.float32(k)) if length and k != 1.0 else self

    def tells(self, seconds: float) -> bool:
        """True for a clip that is as long as the one it came in."""
        return abs(seconds - self.seconds) <= SAME
