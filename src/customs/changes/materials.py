"""Shared ways of changing materials and textures: each returns a new Scene, or the same one when nothing
changed.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from customs.job import Job
from customs.scene.arrays import frozen
from customs.scene.key import Key
from customs.scene.model import Image, Material, Remark, Scene, TextureUse
from customs.scene.settings import Targeted, missing_targets

Pixels = npt.NDArray[np.generic]


def with_pixels(image: Image, pixels: Pixels) -> Image:
    """The image with other pixels; a block compression it came in no longer counts."""
    return replace(image, pixels=frozen(pixels, pixels.dtype))


def changed_images(
    scene: Scene, settings: Targeted, job: Job, change: Callable[[int, Image], tuple[Image, str] | None]
) -> tuple[Scene, tuple[Remark, ...]]:
    """`change` on every image meant; None leaves it, else the new image and what to say of it."""
    images, remarks = list(scene.images), []
    for i, image in enumerate(scene.images):
        job.check()
        if not settings.takes(image.key, image.name, image.made_from):
            continue
        job.progress(i / len(images), image.name)
        new = change(i, image)
        if new is not None:
            images[i] = new[0]
            remarks += [Remark(new[1], image.key)] if new[1] else []
    said = missing_targets(settings, ((im.key, im.name, im.made_from) for im in scene.images))
    same = all(a is b for a, b in zip(images, scene.images))
    return (scene if same else replace(scene, images=tuple(images))), (*remarks, *said)


class Textures:
    """The images of a scene while a step adds to them."""

    def __init__(self, scene: Scene) -> None:
        self.images = list(scene.images)
        self._known: dict[Key, int] = {}
        self._made: dict[tuple[object, ...], int] = {}

    def add(self, image: Image, share: bool = False) -> int:
        """Its index; one made here before with the same Key is replaced. With `share`, one with the same
        pixels serves for both.
        """
        at = self._known.get(image.key)
        if at is None and share and image.pixels is not None:
            print_ = (
                image.pixels.shape,
                image.pixels.dtype.str,
                hash(image.pixels.tobytes()),
                image.green,
                image.space,
            )
            twin = self._made.get(print_)
            if twin is not None and np.array_equal(self.images[twin].pixels, image.pixels):  # type: ignore[arg-type]
                return twin
            self._made[print_] = len(self.images)
        if at is None:
            at = self._known[image.key] = len(self.images)
            self.images.append(image)
        else:
            self.images[at] = image
        return at


def changed_materials(
    scene: Scene, settings: Targeted, job: Job, change: Callable[[Material, Textures], Material]
) -> tuple[Scene, tuple[Remark, ...]]:
    """`change` on every material meant, which may add images."""
    textures, materials = Textures(scene), []
    for m in scene.materials:
        job.check()
        materials.append(change(m, textures) if settings.takes(m.key, m.name, m.made_from) else m)
    said = missing_targets(settings, ((m.key, m.name, m.made_from) for m in scene.materials))
    if all(a is b for a, b in zip(materials, scene.materials)) and len(textures.images) == len(scene.images):
        return scene, said
    return replace(scene, materials=tuple(materials), images=tuple(textures.images)), said


def with_use(material: Material, role: str, use: TextureUse | None) -> Material:
    """The material with a texture in a role, or without one."""
    textures = {r: u for r, u in material.textures.items() if r != role}
    if use is not None:
        textures[role] = use
    return replace(material, textures=textures)


def without_roles(material: Material, roles: Iterable[str]) -> Material:
    """The material without the textures in some roles."""
    gone = set(roles)
    if not gone & set(material.textures):
        return material
    return replace(material, textures={r: u for r, u in material.textures.items() if r not in gone})


def tangent_set(material: Material | None) -> int | None:
    """The UV set along which a material needs tangents, None where it needs none: for its normal map, that of its
    clearcoat, or its anisotropy (glTF 2.0, 3.7.2.1; KHR_materials_anisotropy, "Tangents").
    """
    if material is None:
        return None
    found = (material.textures.get(role) for role in ("normal", "clearcoat_normal", "anisotropy"))
    use = next((u for u in found if u is not None), None)
    return use.texcoord if use is not None else 0 if "anisotropy" in material.layers else None


def find_image(scene: Scene, text: str) -> int | None:
    """Index of the image with that Key, or made from it."""
    return next(
        (i for i, im in enumerate(scene.images) if text in (str(im.key), *map(str, im.made_from))), None
    )


def tiles(scene: Scene) -> Mapping[int, tuple[bool, bool]]:
    """By image, along which of U and V every use of it repeats (glTF wrap modes other than clamp)."""
    out: dict[int, tuple[bool, bool]] = {}
    for m in scene.materials:
        for use in m.textures.values():
            old = out.get(use.image, (True, True))
            out[use.image] = (old[0] and use.sampler.wrap_s != 33071, old[1] and use.sampler.wrap_t != 33071)
    return out
