"""An asset as received, so that it can be drawn: its own numbers, with what they mean where a picture must know."""

from __future__ import annotations

import threading
import weakref
from dataclasses import replace

import numpy as np

from customs.conventions.convert import convert
from customs.scene.convention import Convention
from customs.scene.model import Scene

_seen: weakref.WeakKeyDictionary[Scene, tuple[Convention, Scene]] = weakref.WeakKeyDictionary()
_lock = threading.Lock()


def as_seen(scene: Scene, meant: Convention) -> Scene:
    """`scene` with V growing down and with the green that is `meant`, as pictures take them. Kept while the scene lives.

    Places and lengths stay in the file's own numbers.
    """
    with _lock:
        known = _seen.get(scene)
    if known is not None and (known[0].v, known[0].green) == (meant.v, meant.green):
        return known[1]
    out = convert(scene, np.eye(3), 1.0, flip_v=meant.v == "up")
    if out is not scene or meant.green != scene.convention.green:
        out = replace(out, convention=replace(scene.convention, v="down", green=meant.green))
    if out is scene:
        return scene
    with _lock:
        _seen[scene] = (meant, out)
    return out
