"""What each texture is used for."""

from __future__ import annotations

from customs.scene.model import Scene


def roles_of_images(scene: Scene) -> dict[int, set[str]]:
    """The slots (`base_colour`, `normal`, …) each image is used in, by index."""
    out: dict[int, set[str]] = {}
    for material in scene.materials:
        for slot, use in material.textures.items():
            out.setdefault(use.image, set()).add(slot)
    return out
