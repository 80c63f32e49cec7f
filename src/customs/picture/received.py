"""An asset as received, so that it can be drawn: its own numbers, with what they mean where a picture must
know.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from customs.conventions.convert import convert
from customs.scene.convention import Convention
from customs.scene.kept import latest
from customs.scene.model import Scene


def as_seen(scene: Scene, meant: Convention) -> Scene:
    """`scene` with V growing down and with the green that is `meant`, as pictures take them. Kept while the
    scene lives.

    Places and lengths stay in the file's own numbers.
    """
    return latest("as seen", scene, (meant.v, meant.green), lambda: _seen(scene, meant))


def _seen(scene: Scene, meant: Convention) -> Scene:
    out = convert(scene, np.eye(3), 1.0, flip_v=meant.v == "up")
    if out is not scene or meant.green != scene.convention.green:
        out = replace(out, convention=replace(scene.convention, v="down", green=meant.green))
    return out
