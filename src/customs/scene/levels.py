"""Levels of detail that a mesh has beside itself."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from customs.scene.model import Mesh, Remark, Scene

LAST = 10_000.0
"""Metres up to which the last level is shown where nothing is said (common practice: one mesh alone needs a distance too)."""
FIELD = 60.0
"""Vertical field of view in degrees where nothing is said."""


def level_of(mesh: Mesh, level: int) -> Mesh:
    """A level of a mesh (0 is itself, beyond its last its last) with the materials that `mesh` has now."""
    if level <= 0 or not mesh.levels:
        return mesh
    coarse = mesh.levels[min(level, len(mesh.levels)) - 1]
    now = {p.key: p for p in mesh.primitives}
    return replace(
        coarse,
        primitives=tuple(
            replace(p, material=now[p.key].material, variants=now[p.key].variants) if p.key in now else p
            for p in coarse.primitives
        ),
    )


def at_level(scene: Scene, level: int) -> Scene:
    """The scene as it looks with every mesh at one of its levels; itself for level 0 and without levels."""
    if level <= 0 or not level_count(scene):
        return scene
    return replace(scene, meshes=tuple(level_of(m, level) for m in scene.meshes))


def level_count(scene: Scene) -> int:
    """The most levels beside the finest that a mesh of it has."""
    return max((len(m.levels) for m in scene.meshes), default=0)


def level_at(reach: Sequence[float], metres: float) -> int | None:
    """The level shown at a distance; None beyond the last."""
    return next((k for k, end in enumerate(reach) if metres < end), None)


def distance_for(size: float, share: float, field: float = FIELD) -> float:
    """Metres at which a thing `size` metres large fills `share` of the height of a picture with a vertical `field` of view in
    degrees: size = 2 d tan(field / 2) · share. Source: the perspective of glTF 2.0, 3.10.3.
    """
    return size / (2 * math.tan(math.radians(field) / 2) * share)


def switches(triangles: Sequence[int], size: float, field: float = FIELD) -> tuple[float, ...]:
    """Metres at which each level gives way to the next, from the triangles of all, the finest first, of a thing `size` metres
    large: as many triangles for a part of the picture at every distance, whose number goes with the square of its height;
    the first gives way at half the picture (common practice).
    """
    return tuple(
        round(distance_for(size, 0.5 * math.sqrt(n / triangles[0]), field), 3) for n in triangles[1:]
    )


def without_stale_levels(before: Scene, after: Scene) -> tuple[Scene, tuple[Remark, ...]]:
    """`after` without levels of meshes whose own primitives a step has changed, and what is to be said of it."""
    was = {m.key: m for m in before.meshes if m.levels}
    stale = [
        k for k, m in enumerate(after.meshes)
        if m.levels and m.key in was and m.levels is was[m.key].levels and _reshaped(was[m.key], m)
    ]  # fmt: skip
    gone = set(was) - {m.key for m in after.meshes}
    if not stale and not gone:
        return after, ()
    meshes = tuple(replace(m, levels=(), reach=()) if k in stale else m for k, m in enumerate(after.meshes))
    names = [after.meshes[k].name for k in stale] + [was[k].name for k in sorted(gone)]
    return replace(after, meshes=meshes), tuple(
        Remark(f"{name}: its levels were of what it was before this stop, and are gone: make them after it")
        for name in names
    )


def _reshaped(was: Mesh, now: Mesh) -> bool:
    """True where vertices or faces are others; materials alone may change."""
    if len(was.primitives) != len(now.primitives):
        return True
    return any(
        a.positions is not b.positions or a.indices is not b.indices or a.texcoords is not b.texcoords
        or a.joints is not b.joints or a.weights is not b.weights
        for a, b in zip(was.primitives, now.primitives)
    )  # fmt: skip
