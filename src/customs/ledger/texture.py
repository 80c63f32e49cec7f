"""Small questions about textures several requirements ask."""

from __future__ import annotations

from customs.ledger.facts import SceneFacts
from customs.scene.model import Image, Material, Scene
from customs.surface.pixels import image_info


def readable(facts: SceneFacts) -> list[Image]:
    """Used images whose header reads."""
    return [im for _, im in facts.used_images if image_info(im) is not None]


def edges(image: Image) -> str:
    """Size for a person."""
    info = image_info(image)
    return f"{info.width} × {info.height}" if info else "–"


def longest(image: Image) -> int:
    """Longest edge in pixels, 0 when unreadable."""
    info = image_info(image)
    return max(info.width, info.height) if info else 0


def is_power(image: Image) -> bool:
    """True when both edges are powers of two."""
    info = image_info(image)
    return info is None or (info.width & (info.width - 1) == 0 and info.height & (info.height - 1) == 0)


def alpha_image(scene: Scene, material: Material) -> Image | None:
    """The image whose alpha the material uses, or None."""
    use = material.textures.get("diffuse" if material.model == "specular_glossiness" else "base_colour")
    return scene.images[use.image] if use is not None else None
