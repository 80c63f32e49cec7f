"""The bind pose: joints put where their skin was bound, so that at rest the mesh stands as it was
modelled.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from customs.motion.posing.pose import joint_matrices
from customs.scene.model import Scene
from customs.scene.transforms import decompose_all, inverse
from customs.scene.tree import local_matrix, walk, world_matrices

F64 = npt.NDArray[np.float64]


def bind_error(scene: Scene, skin: int, world: F64 | None = None) -> float:
    """Largest difference between the joint matrices of a skin: 0 when the rest pose is the bind pose, be it
    moved as a whole.
    """
    joined = joint_matrices(scene, skin, world if world is not None else world_matrices(scene))
    return float(np.abs(joined - joined[0]).max()) if len(joined) else 0.0


def at_bind_pose(scene: Scene, skins: list[int]) -> tuple[Scene, float]:
    """The scene with the joints of `skins` where they were bound, and the largest shear that could not be
    said.

    The first joint of each skin keeps its place; the others follow as the inverse bind matrices have it.
    Joints of two skins that disagree take the first's word. Nodes between and below joints keep their own
    transform.
    """
    world = world_matrices(scene)
    wanted: dict[int, F64] = {}
    for number in skins:
        skin = scene.skins[number]
        order = {n: i for i, (n, _, _) in enumerate(walk(scene))}
        top = min(range(len(skin.joints)), key=lambda k: order.get(skin.joints[k], len(order)))
        whole = world[skin.joints[top]] @ skin.inverse_bind[top]
        for joint, bound in zip(skin.joints, skin.inverse_bind):
            wanted.setdefault(joint, whole @ inverse(bound))
    nodes, placed, worst = list(scene.nodes), dict[int, F64](), 0.0
    for n, parent, _ in walk(scene):
        base = placed[parent] if parent >= 0 else np.eye(4)
        local = inverse(base) @ wanted[n] if n in wanted else local_matrix(scene.nodes[n])
        if n in wanted:
            t, q, s, shear = decompose_all(local, like=nodes[n].scale)
            worst = max(worst, shear)
            nodes[n] = replace(nodes[n], translation=t, rotation=q, scale=s, matrix=None)
        placed[n] = base @ local
    return replace(scene, nodes=tuple(nodes)), worst
