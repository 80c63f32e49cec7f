"""Weights of a joint as colour: one hue, evenly spaced to the eye, with a scale that can be read off."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from customs.motion.weights.table import table_of
from customs.scene.arrays import frozen
from customs.scene.key import Key
from customs.scene.model import Material, Mesh, Primitive, Scene

F64 = npt.NDArray[np.float64]
PALE, DEEP = (0.925, -0.004, 0.008), (0.42, -0.065, -0.018)
"""Ends of the ramp in OKLab (B. Ottosson, "A perceptual color space for image processing", 2020): paper to
teal.
"""


def ramp(share: npt.NDArray[np.floating]) -> F64:
    """Linear RGB (..., 3) of shares (...,) 0 to 1, straight through OKLab."""
    t = np.clip(np.asarray(share, dtype=np.float64), 0, 1)[..., None]
    lab = np.array(PALE) + t * (np.array(DEEP) - np.array(PALE))
    lightness, a, b = lab[..., 0], lab[..., 1], lab[..., 2]
    long = (lightness + 0.3963377774 * a + 0.2158037573 * b) ** 3
    middle = (lightness - 0.1055613458 * a - 0.0638541728 * b) ** 3
    short = (lightness - 0.0894841775 * a - 1.2914855480 * b) ** 3
    rgb = np.stack([
        4.0767416621 * long - 3.3077115913 * middle + 0.2309699292 * short,
        -1.2684380046 * long + 2.6097574011 * middle - 0.3413193965 * short,
        -0.0041960863 * long - 0.7034186147 * middle + 1.7076147010 * short,
    ], axis=-1)  # fmt: skip
    return np.clip(rgb, 0, 1)


def heat_scene(scene: Scene, joint: str) -> Scene:
    """The scene with every mesh in the colours of its weights for the joint of that name; what has none stays
    pale.
    """
    skin_of = {n.mesh: n.skin for n in scene.nodes if n.mesh is not None}
    number = len(scene.materials)
    cloth = Material(
        Key(scene.digest, "material", 9_000_000), "weights", metallic=0.0, roughness=0.9, double_sided=True
    )

    def change(mesh_number: int, prim: Primitive) -> Primitive:
        skin = skin_of.get(mesh_number)
        names = [scene.nodes[j].name for j in scene.skins[skin].joints] if skin is not None else []
        share = np.zeros(len(prim.positions))
        if joint in names:
            share = np.asarray(table_of(prim, len(names))[:, names.index(joint)].toarray()).reshape(-1)
        colours = np.ones((len(prim.positions), 4), np.float32)
        colours[:, :3] = ramp(share)
        return replace(prim, colours=(frozen(colours),), material=number)

    def mesh(i: int, mesh: Mesh) -> Mesh:
        return replace(mesh, primitives=tuple(change(i, p) for p in mesh.primitives))

    return replace(
        scene,
        meshes=tuple(mesh(i, m) for i, m in enumerate(scene.meshes)),
        materials=(*scene.materials, cloth),
    )
