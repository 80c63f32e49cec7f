"""Looks beyond the core in pictures: each does to light what its extension says."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from customs.demo.build import material, mesh, primitive
from customs.demo.shapes import lathe
from customs.picture.camera import Orbit
from customs.picture.look import Look, Shot
from customs.picture.renderer import Renderer
from customs.scene.arrays import frozen
from customs.scene.key import Key
from customs.scene.model import Image, Node, Scene, TextureUse

SIZE = 160
ROUND = [(max(1e-3, float(np.sin(t))) / 2, float(1 - np.cos(t)) / 2) for t in np.linspace(0, np.pi, 24)]


def ball(
    renderer: Renderer, look: Look | None = None, images: tuple[Image, ...] = (), **values: object
) -> np.ndarray:
    """A ball before a transparent ground, linear-ish (H, W, 4) from 0 to 1."""
    plain = replace(
        material("ball", 0, "ball", {}), base_colour=(0.5, 0.1, 0.1, 1.0), metallic=0.0, roughness=0.6
    )
    part = primitive("ball", 0, lathe(ROUND, 32), 0, 180.0)
    scene = Scene(
        "ball", "ball", nodes=(Node(Key("ball", "node", 0), "ball", mesh=0),), roots=(0,),
        meshes=(mesh("ball", 0, "ball", [part]),), images=images, materials=(replace(plain, **values),),  # type: ignore[arg-type]
    )  # fmt: skip
    shown = look or Look(figure=None, grid=False, transparent=True)
    shot = Shot(scene, Orbit(target=(0.0, 0.5, 0.0), distance=2.4), SIZE, SIZE, shown)
    return renderer.render(shot).astype(float) / 255


def inside(picture: np.ndarray) -> np.ndarray:
    """Where the ball is, its rim left out."""
    y, x = np.mgrid[:SIZE, :SIZE]
    found = picture[..., 3] > 0.02
    radius = np.sqrt(found.sum() / np.pi)
    return np.hypot(x - x[found].mean(), y - y[found].mean()) < 0.9 * radius


def test_what_is_at_rest_is_drawn_as_without(renderer: Renderer) -> None:
    assert np.array_equal(ball(renderer), ball(renderer, layers={"ior": 1.5, "clearcoat": 0.0}))


def test_a_coat_glints_where_the_ball_is_dull(renderer: Renderer) -> None:
    plain, coated = ball(renderer), ball(renderer, layers={"clearcoat": 1.0, "clearcoat_roughness": 0.05})
    assert coated[..., :3].min(axis=2).max() > plain[..., :3].min(axis=2).max() + 0.2


def test_glass_lets_the_ground_through_and_metal_does_not(renderer: Renderer) -> None:
    plain = ball(renderer)
    mid = inside(plain)
    glass = ball(renderer, layers={"transmission": 1.0})
    assert plain[mid][:, 3].min() == 1.0 and glass[mid][:, 3].mean() < 0.4
    metal = ball(renderer, layers={"transmission": 1.0}, metallic=1.0)
    assert metal[mid][:, 3].min() == 1.0
    # Seen as triangles by side, it covers.
    sides = ball(
        renderer,
        Look(figure=None, grid=False, transparent=True, shading="sides"),
        layers={"transmission": 1.0},
    )
    assert sides[mid][:, 3].min() == 1.0


def test_velvet_is_brighter_at_its_edge_than_in_its_middle(renderer: Renderer) -> None:
    plain, velvet = (
        ball(renderer),
        ball(renderer, layers={"sheen_tint": (0.9, 0.9, 0.9), "sheen_roughness": 0.4}),
    )
    mid = inside(plain)
    gain = velvet[..., 2] - plain[..., 2]
    y, x = np.nonzero(mid)
    far = np.hypot(x - x.mean(), y - y.mean())
    edge, middle = far > np.quantile(far, 0.8), far < np.quantile(far, 0.2)
    assert gain[y[edge], x[edge]].mean() > gain[y[middle], x[middle]].mean() + 0.03


def test_a_film_has_other_colours_from_other_sides(renderer: Renderer) -> None:
    film = {"iridescence": 1.0, "iridescence_ior": 1.8, "iridescence_thickest": 420.0}
    dark = {"base_colour": (0.03, 0.03, 0.03, 1.0), "roughness": 0.15}
    plain, oiled = ball(renderer, **dark), ball(renderer, layers=film, **dark)
    mid = inside(plain)
    spread = [np.ptp(p[mid][:, :3], axis=1).max() for p in (plain, oiled)]
    assert spread[1] > spread[0] + 0.2


def test_without_reflection_it_is_darker_and_light_comes_from_behind(renderer: Renderer) -> None:
    plain = ball(renderer)
    mid = inside(plain)
    dull = ball(renderer, layers={"specular_strength": 0.0})
    assert dull[mid][:, :3].mean() < plain[mid][:, :3].mean() - 0.005
    leaf = ball(renderer, layers={"diffuse_transmission": 0.8, "diffuse_transmission_tint": (0.1, 1.0, 0.1)})
    assert (leaf[mid][:, 1] - plain[mid][:, 1]).max() > 0.15


def test_textures_of_layers_mask_them(renderer: Renderer) -> None:
    """A texture black on one half and white on the other: the half that is white looks as with the number alone, the
    other as without. Channels: glTF 2.0, KHR_materials_* (R of transmission and clearcoat, A of specular, RGB of tints).
    """
    half = np.zeros((128, 128, 4), np.uint8)
    half[:, 64:] = 255
    image = Image(Key("ball", "image", 0), "half", pixels=frozen(half, "u1"))
    plain = ball(renderer)
    for role, layers, rest in (
        ("clearcoat", {"clearcoat": 1.0}, {}), ("transmission", {"transmission": 1.0}, {}),
        ("sheen_tint", {"sheen_tint": (1.0, 1.0, 1.0), "sheen_roughness": 0.5}, {}),
        ("iridescence", {"iridescence": 1.0}, {}),
        ("specular_tint", {"ior": 1.8}, {"specular_strength": 0.0, "ior": 1.8}),
        ("specular_strength", {"ior": 1.8}, {"specular_strength": 0.0, "ior": 1.8}),
    ):  # fmt: skip
        use = {role: TextureUse(0)}
        masked, whole = (
            ball(renderer, layers=layers, textures=use, images=(image,)),
            ball(renderer, layers=layers),
        )
        without = ball(renderer, layers=rest) if rest else plain
        on, off = np.abs(masked - whole).max(axis=2), np.abs(masked - without).max(axis=2)
        told = (np.abs(whole - without).max(axis=2) > 0.02) & inside(plain)
        assert told.sum() > 100 and (np.minimum(on, off)[told] < 0.02).mean() > 0.9, role
        assert 0.1 < (on < off)[told].mean() < 0.9, role
