"""Pictures of rigs: the card skins as the core does, twists keep their girth, weights show as colour."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from customs.motion.posing.dual import dual_positions, squeeze
from customs.motion.posing.pose import joint_matrices, posed_scene_points
from customs.motion.posing.posing import posing
from customs.picture.camera import Orbit, project
from customs.picture.heat import DEEP, PALE, heat_scene, ramp
from customs.picture.look import Look, Shot
from customs.picture.renderer import Renderer
from customs.scene.arrays import frozen
from customs.scene.model import Channel, Clip, Material, Scene
from tests.assets import key
from tests.motion.rigs import bar, bend

SIDE = Orbit((0, 0.5, 0), 2.4, 0.0, 0.0)
CLEAR = Look(grid=False, transparent=True, smooth=False)
WHITE = Material(key("material", 0), "white", model="unlit", base_colour=(1, 1, 1, 1), double_sided=True)


def shown(renderer: Renderer, scene: Scene, seconds: float, **look: object) -> np.ndarray:
    """(H, W, 4) picture of the scene's first clip."""
    look_ = replace(CLEAR, **look)  # type: ignore[arg-type]
    return renderer.render(Shot(scene, SIDE, 240, 240, look_, 0 if scene.clips else None, seconds))


def white(scene: Scene) -> Scene:
    """The scene in one unlit white."""
    meshes = tuple(
        replace(m, primitives=tuple(replace(p, material=0) for p in m.primitives)) for m in scene.meshes
    )
    return replace(scene, meshes=meshes, materials=(WHITE,))


def twisted(degrees: float, scale: float = 1.0) -> Scene:
    """The bar with its upper end turned about its own length, and stretched."""
    scene = white(bar(2, 1.0))
    q = Rotation.from_euler("y", degrees, degrees=True).as_quat()
    channels = [Channel(1, "rotation", frozen([0.0]), frozen(q[None]))]
    channels += [Channel(1, "scale", frozen([0.0]), frozen([[scale] * 3]))] if scale != 1 else []
    return replace(scene, clips=(Clip(key("clip", 1), "twist", tuple(channels)),))


def girth(picture: np.ndarray, y: float) -> int:
    """Pixels covered in the row where height `y` is."""
    row = round(float(project([np.array([0.0, y, 0.0])], SIDE, 240, 240)[0][1]))
    return int((picture[row, :, 3] > 127).sum())


@pytest.mark.parametrize("dual", [False, True])
@pytest.mark.parametrize(("degrees", "scale"), [(0, 1), (40, 1), (40, 1.5), (0, 1.5)])
def test_the_card_skins_as_the_core_does(
    renderer: Renderer, dual: bool, degrees: float, scale: float
) -> None:
    scene = twisted(degrees, scale)
    picture = shown(renderer, scene, 0.0, dual=dual)
    world = posing(scene, scene.clips[0]).world(0.0)
    prim = scene.meshes[0].primitives[0]
    points = (
        dual_positions(prim, joint_matrices(scene, 0, world))
        if dual
        else posed_scene_points(scene, scene.clips[0], 0.0)[0]
    )
    flat = np.array(project(list(points), SIDE, 240, 240))
    rows, columns = np.nonzero(picture[:, :, 3] > 127)
    assert abs(columns.min() - flat[:, 0].min()) <= 1.6 and abs(columns.max() + 1 - flat[:, 0].max()) <= 1.6
    assert abs(rows.min() - flat[:, 1].min()) <= 1.6 and abs(rows.max() + 1 - flat[:, 1].max()) <= 1.6


def test_dual_quaternions_keep_a_twist_round(renderer: Renderer) -> None:
    scene = twisted(170)
    plain, dual = (shown(renderer, scene, 0.0, dual=on) for on in (False, True))
    assert girth(plain, 0.5) < 0.4 * girth(plain, 0.02), "the linear blend squeezes the middle of a twist"
    assert abs(girth(dual, 0.5) - girth(plain, 0.02)) <= 3
    assert squeeze(scene, scene.clips[0]) > 0.08 and squeeze(bar(), bend(1, 1.0, degrees=0.0)) < 1e-9


def test_a_clip_moves_the_picture(renderer: Renderer) -> None:
    scene = white(bar())
    scene = replace(scene, clips=(replace(scene.clips[0], channels=(_about_z(60),)),))
    still, bent = (shown(renderer, scene, t) for t in (0.0, 1.0))
    assert np.nonzero(bent[:, :, 3])[1].min() < np.nonzero(still[:, :, 3])[1].min() - 10
    assert (shown(renderer, replace(scene, clips=()), 0.0) == still).all()


def _about_z(degrees: float) -> Channel:
    turns = Rotation.from_euler("z", [[0], [degrees]], degrees=True).as_quat()
    return Channel(1, "rotation", frozen([0.0, 1.0]), frozen(turns))


def test_the_ramp_is_even_to_the_eye_and_of_one_hue() -> None:
    """Steps of OKLab are even by construction; here the colours are taken back through the published matrices
    (Ottosson 2020).
    """
    rgb = ramp(np.linspace(0, 1, 11))
    lms = np.cbrt(rgb @ np.array([
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ]).T)  # fmt: skip
    lab = lms @ np.array([
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]).T  # fmt: skip
    assert np.abs(lab[0] - PALE).max() < 1e-3 and np.abs(lab[-1] - DEEP).max() < 1e-3
    steps = np.linalg.norm(np.diff(lab, axis=0), axis=1)
    assert np.ptp(steps) < 0.02 * steps.mean() and (np.diff(lab[:, 0]) < 0).all()


def test_weights_show_as_colour_from_one_end_to_the_other(renderer: Renderer) -> None:
    scene = bar(2, 1.0)
    warm = heat_scene(scene, "bone_1")
    colours = warm.meshes[0].primitives[0].colours[0]
    share = scene.meshes[0].primitives[0].weights[:, 1]  # type: ignore[index]
    assert np.abs(colours[:, :3] - ramp(share)).max() < 1e-6
    picture = renderer.render(Shot(replace(warm, clips=()), SIDE, 240, 240, CLEAR)).astype(int)
    column = picture[:, 120, :3].sum(axis=1)[picture[:, 120, 3] > 0]
    assert column[: len(column) // 8].mean() < column[-len(column) // 8 :].mean() - 150, (
        "the top is the joint's own"
    )
    nobody = heat_scene(scene, "no such joint").meshes[0].primitives[0].colours[0]
    assert np.ptp(nobody, axis=0).max() == 0
