"""What hangs at posts, in place: seen with the asset, never part of it."""

from __future__ import annotations

import numpy as np

from customs.changes.mixing import Bringing, brought
from customs.changes.posts import posts_of
from customs.scene.kept import kept
from customs.scene.model import Scene
from customs.scene.tree import world_matrices


def with_hanging(scene: Scene) -> Scene:
    """The scene with what hangs at its posts, as a picture shows it; itself where nothing does. Kept while it lives."""
    if not any(post.thing is not None for _, post in posts_of(scene)):
        return scene
    return kept("with what hangs", scene, lambda: _hung(scene))


def _hung(scene: Scene) -> Scene:
    worlds, out = world_matrices(scene), scene
    for n, post in posts_of(scene):
        if post.thing is None:
            continue
        # It stands as its post does: a scale of the joint it hangs on is not its own.
        place = worlds[n].copy()
        length = np.linalg.norm(place[:3, :3], axis=0)
        place[:3, :3] /= np.where(length > 0, length, 1)
        if np.isfinite(place).all():
            out = brought(out, post.thing, Bringing(place, "none"))[0]
    return out
