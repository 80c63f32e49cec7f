"""How materials are drawn: textures apart and packed, detail, the green of a normal map, texel density."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt
import pytest

from customs.picture.appearance import appearance
from customs.picture.camera import Orbit
from customs.picture.look import Look, Shot
from customs.picture.renderer import Renderer
from customs.scene.arrays import frozen
from customs.scene.convention import Convention
from customs.scene.model import Image, Material, Primitive, Scene, TextureUse
from customs.surface.channels import LAYOUT
from customs.surface.pixels import image_pixels
from tests.assets import key, scene_of

FRONT = Orbit((0, 0, 0), 3.0, 0.0, 0.0)
CLEAR = Look(grid=False, transparent=True, smooth=False)


def wall() -> Primitive:
    """A square of two metres facing the eye, its UVs 0..1 with V down."""
    points = frozen([[-1, -1, 0], [1, -1, 0], [1, 1, 0], [-1, 1, 0]])
    return Primitive(
        key("primitive", 0), points, indices=frozen([0, 1, 2, 0, 2, 3], np.uint32), normals=frozen([[0, 0, 1]] * 4),
        texcoords=(frozen([[0, 1], [1, 1], [1, 0], [0, 0]]),), material=0,
    )  # fmt: skip


def image(number: int, pixels: npt.NDArray[Any], **more: Any) -> Image:
    return Image(key("image", number), f"i{number}", pixels=frozen(pixels, np.uint8), **more)


def plain(value: Any, size: int = 8) -> npt.NDArray[np.uint8]:
    return np.full((size, size, len(value)), value, np.uint8)


def scene(roles: dict[str, Image], **values: Any) -> Scene:
    uses = {role: TextureUse(i) for i, role in enumerate(roles)}
    material = Material(key("material", 0), "m", textures=uses, **values)
    return scene_of(wall(), materials=(material,), images=tuple(roles.values()))


def centre(renderer: Renderer, what: Scene, look: Look = CLEAR) -> npt.NDArray[np.int64]:
    """The colour in the middle of the picture."""
    return (
        renderer.render(Shot(what, FRONT, 60, 60, look))[28:32, 28:32, :3]
        .reshape(-1, 3)
        .mean(axis=0)
        .astype(int)
    )


def test_values_apart_are_drawn_as_the_same_values_packed(renderer: Renderer) -> None:
    packed = scene({"metallic_roughness": image(0, plain((255, 60, 200)))}, base_colour=(0.8, 0.5, 0.2, 1.0))
    apart = scene(
        {"roughness": image(0, plain((60,))), "metallic": image(1, plain((200,)))},
        base_colour=(0.8, 0.5, 0.2, 1.0),
    )
    gloss = scene(
        {"glossiness": image(0, plain((195,))), "metallic": image(1, plain((200,)))},
        base_colour=(0.8, 0.5, 0.2, 1.0),
    )
    wanted = centre(renderer, packed)
    assert (
        np.abs(centre(renderer, apart) - wanted).max() <= 2
        and np.abs(centre(renderer, gloss) - wanted).max() <= 2
    )
    rough = scene(
        {"roughness": image(0, plain((250,)))}, base_colour=(0.8, 0.5, 0.2, 1.0), metallic=200 / 255
    )
    assert np.abs(centre(renderer, rough) - wanted).max() > 5


def test_packed_otherwise_is_read_by_its_pattern() -> None:
    made = scene({"parameters": image(0, plain((60, 200, 128)))})
    use = replace(
        made.materials[0].textures["parameters"], extras={LAYOUT: "R=roughness G=metallic B=occlusion"}
    )
    found = appearance(replace(made.materials[0], textures={"parameters": use}), made.images)
    assert (image_pixels(found.uses["metallic_roughness"][0]) == [128, 60, 200]).all()
    assert (
        found.uses["occlusion"][0] is found.uses["metallic_roughness"][0]
        and found.metallic == found.roughness == 1.0
    )


def test_an_appearance_is_worked_out_once_and_again_when_an_image_changes() -> None:
    made = scene({"roughness": image(0, plain((60,)))})
    first = appearance(made.materials[0], made.images)
    assert appearance(made.materials[0], made.images) is first
    other = (replace(made.images[0], pixels=frozen(plain((90,)), np.uint8)),)
    assert appearance(made.materials[0], other) is not first


def test_opacity_apart_cuts(renderer: Renderer) -> None:
    hole = scene(
        {"base_colour": image(0, plain((200, 200, 200))), "opacity": image(1, plain((0,)))}, alpha_mode="mask"
    )
    assert renderer.render(Shot(hole, FRONT, 60, 60, CLEAR))[:, :, 3].max() == 0


def test_specular_glossiness_shows_its_diffuse_and_its_gloss(renderer: Renderer) -> None:
    values = {"model": "specular_glossiness", "specular": (0.04, 0.04, 0.04)}
    dull = scene({"diffuse": image(0, plain((180, 60, 40)))}, glossiness=0.1, **values)
    found = centre(renderer, dull)
    assert found[0] > found[1] > found[2]
    assert appearance(dull.materials[0], dull.images).roughness == pytest.approx(0.9)


def test_a_middle_grey_detail_changes_nothing_and_a_dark_one_darkens(renderer: Renderer) -> None:
    base = {"base_colour": image(0, plain((160, 160, 160)))}
    bare = centre(renderer, scene(base))
    assert (
        np.abs(centre(renderer, scene({**base, "detail": image(1, plain((127, 127, 127)))})) - bare).max()
        <= 3
    )
    assert (centre(renderer, scene({**base, "detail": image(1, plain((60, 60, 60)))})) < bare - 20).all()


def test_the_detail_lies_by_its_own_scale(renderer: Renderer) -> None:
    stripes = np.zeros((4, 4, 3), np.uint8)
    stripes[:2] = 255
    made = scene(
        {
            "base_colour": image(0, plain((160, 160, 160))),
            "detail": image(1, np.kron(stripes, np.ones((8, 8, 1), np.uint8))),
        }
    )
    counts = []
    for times in (1.0, 4.0):
        use = replace(made.materials[0].textures["detail"], scale=(times, times))
        textures = {**made.materials[0].textures, "detail": use}
        shown = replace(made, materials=(replace(made.materials[0], textures=textures),))
        column = renderer.render(Shot(shown, FRONT, 120, 120, CLEAR))[:, 60, 0].astype(int)
        lit = column[column > 0] > 140
        counts.append(int((np.diff(lit.astype(int)) != 0).sum()))
    assert counts[1] > counts[0] + 3


def test_green_down_is_lit_as_green_up_turned_over(renderer: Renderer) -> None:
    leaning = plain((128, 200, 220))
    up = scene({"normal": image(0, leaning, green="up")})
    down = scene(
        {"normal": image(0, 255 - leaning * [0, 1, 0] + leaning * [1, 0, 1] - [255, 0, 255], green="down")}
    )
    turned = leaning.copy()
    turned[:, :, 1] = 255 - turned[:, :, 1]
    down = scene({"normal": image(0, turned, green="down")})
    assert np.abs(centre(renderer, up) - centre(renderer, down)).max() <= 2
    wrong = scene({"normal": image(0, turned, green="up")})
    assert np.abs(centre(renderer, up) - centre(renderer, wrong)).max() > 5
    told = replace(scene({"normal": image(0, turned)}), convention=Convention(green="down"))
    assert np.abs(centre(renderer, up) - centre(renderer, told)).max() <= 2


def test_texel_density_runs_from_teal_over_pale_to_red(renderer: Renderer) -> None:
    look = replace(CLEAR, shading="density")
    # Two metres: 64 pixels are 32 px/m, 1024 are 512 px/m, 8192 would be 4096 px/m; a scale of eight does the
    # same.
    coarse = centre(renderer, scene({"base_colour": image(0, plain((9, 9, 9), 64))}), look)
    fine = scene({"base_colour": image(0, plain((9, 9, 9), 1024))})
    use = replace(fine.materials[0].textures["base_colour"], scale=(8.0, 8.0))
    tiled = replace(fine, materials=(replace(fine.materials[0], textures={"base_colour": use}),))
    usual, dense = centre(renderer, fine, look), centre(renderer, tiled, look)
    assert coarse[2] > coarse[0] + 20, "teal"
    assert dense[0] > dense[2] + 40, "red"
    assert usual.min() > 150 and np.ptp(usual) < 40, "pale"
