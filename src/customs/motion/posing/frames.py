"""A primitive in many poses at once."""

from __future__ import annotations

from collections.abc import Sequence
from types import ModuleType
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.kernels.cores import cuts, on_cores
from customs.kernels.store import kernel_for
from customs.motion.curves.track import skin_track
from customs.motion.posing.pose import morph_weights, morphed, posed_positions
from customs.scene.model import Clip, Primitive, Scene

F64 = npt.NDArray[np.float64]


def posed_frames(
    scene: Scene, node: int, prim: Primitive, clip: Clip | None, times: npt.NDArray[Any], world: F64
) -> F64:
    """World positions (T, V, 3) of a primitive at `node` at each of `times` (T,), seconds; `world` are the
    world matrices (T, N, 4, 4) of all nodes then.
    """
    shapes = [morph_weights(scene, node, clip, float(t)) for t in times] if prim.targets else []
    if not any(w is not None and w.any() for w in shapes):
        compiled = kernel_for("skin", len(times) * len(prim.positions))
        quick = by_kernel(compiled, scene, node, prim, world) if compiled is not None else None
        if quick is not None:
            return quick
    return by_frames(scene, node, prim, world, shapes)


def by_frames(scene: Scene, node: int, prim: Primitive, world: F64, shapes: Sequence[Any] = ()) -> F64:
    """Frame by frame; `shapes` are the morph weights of each, where there are any."""
    out = np.empty((len(world), len(prim.positions), 3))
    for k in range(len(world)):
        out[k] = posed_positions(scene, node, prim, world[k], shapes[k] if shapes else None)
    return out


def by_kernel(compiled: ModuleType, scene: Scene, node: int, prim: Primitive, world: F64) -> F64 | None:
    """All frames by the kernel `skin`; None for what is not skinned by joints that are all there."""
    skin = scene.nodes[node].skin
    if skin is None or prim.joints is None or prim.weights is None:
        return None
    joints_there = len(scene.skins[skin].joints)
    if int(prim.joints.max(initial=0)) >= joints_there:
        return None
    matrices = skin_track(scene, skin, world)[:, :, :3, :]
    flat = np.ascontiguousarray(matrices).reshape(len(world), joints_there, 12)
    points = np.ascontiguousarray(morphed(prim, None), np.float64)
    joints = np.ascontiguousarray(prim.joints, np.int32)
    weights = np.ascontiguousarray(prim.weights, np.float64)
    out = np.empty((len(world), len(points), 3))
    on_cores(lambda part: compiled.posed(points, joints, weights, flat, *part, out), cuts(len(world)))
    return out
