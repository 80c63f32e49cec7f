"""Lists a level is delivered as: by parts a person made of it, by tiles of the plan, or both."""

from __future__ import annotations

import re

import numpy as np
import numpy.typing as npt

from customs.changes.naming import free_name
from customs.grounds.things import Things, numbers_of
from customs.grounds.tiles import tiles_of
from customs.scene.model import Scene

REST = "rest"
"""What the list is called of all that is in no part."""


def list_names(scene: Scene, things: Things, tile: float) -> npt.NDArray[np.object_] | None:
    """(T,) what the list is called that each thing goes into, behind the level's own name; None where all of it is one list. `tile` is the
    edge in metres of a tile of the plan, 0 for none.
    """
    if not tile and not scene.parts.words:
        return None
    out = np.full(len(things), "", object)
    if scene.parts.words:
        taken = set[str]()
        words = [free_name(_plain(w), taken).replace(" ", "_") for w in (*scene.parts.words, REST)]
        out = np.array(words, object)[scene.parts.of(numbers_of(scene, things))]
    if tile:
        at, which = np.unique(tiles_of(things, tile), axis=0, return_inverse=True)
        names = np.array([f"tile_{i}_{j}" for i, j in at.tolist()] or [""], object)[which.reshape(-1)]
        out = out + "_" + names if scene.parts.words else names
    return out


def _plain(word: str) -> str:
    """A word as every file system takes it, and as names of kits mostly are."""
    return re.sub(r"[^a-z0-9]+", "_", word.lower()).strip("_") or "part"
