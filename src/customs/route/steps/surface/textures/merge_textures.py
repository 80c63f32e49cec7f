"""Same textures: equal pictures become one."""

from __future__ import annotations

import hashlib
from dataclasses import replace

import numpy as np

from customs.changes.roles import roles_of_images
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Image, Remark, Scene
from customs.scene.settings import Settings
from customs.surface.kept import kept_of_pixels
from customs.surface.pixels import pixels_or_none


class MergeTextures(Settings):
    """Nothing to set."""


def fingerprint(image: Image) -> str:
    """Equal for images with equal pixels; "" for one that cannot be read."""

    def found() -> str:
        pixels = pixels_or_none(image)
        if pixels is None:
            return ""
        state = hashlib.sha256(repr((pixels.shape, pixels.dtype.str)).encode())
        state.update(np.ascontiguousarray(pixels).data)
        return state.hexdigest()

    return kept_of_pixels("fingerprint", image, found)


def twins(scene: Scene) -> dict[int, int]:
    """For each used image that repeats an earlier used one: the earlier one's index."""
    first: dict[tuple[object, ...], int] = {}
    out: dict[int, int] = {}
    for i in sorted(roles_of_images(scene)):
        image = scene.images[i]
        mark = fingerprint(image)
        # What is written differently is not the same file.
        key = (mark, scene.wishes.of(image.key), image.space)
        if mark and key in first:
            out[i] = first[key]
        else:
            first[key] = i
    return out


def _apply(scene: Scene, settings: MergeTextures, resources: Content, job: Job) -> Outcome:
    same = twins(scene)
    if not same:
        return Outcome(scene)
    materials = tuple(
        replace(m, textures={r: replace(u, image=same.get(u.image, u.image)) for r, u in m.textures.items()})
        for m in scene.materials
    )
    remarks = tuple(Remark(f"same as {scene.images[b].name}", scene.images[a].key) for a, b in same.items())
    return Outcome(replace(scene, materials=materials), remarks)


register(
    Step(
        id="merge-textures",
        name="Same textures",
        desk="surface",
        order=80,
        phase="together",
        about="Makes one of textures whose pixels are all alike.",
        settings=MergeTextures,
        apply=_apply,
        summary=lambda s: "→ one",
        placements=True,
    )
)
