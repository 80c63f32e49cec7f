"""Which block compression a sheet asks for, by what a texture holds."""

from __future__ import annotations

from collections.abc import Collection

from customs.scene.model import COLOUR_SLOTS, NORMAL_SLOTS
from customs.sheet.model import Block, Blocks

PACKED = {"metallic_roughness", "parameters"}


def wanted_block(blocks: Blocks, roles: Collection[str], alpha: bool) -> Block:
    """The compression for a texture used in `roles`; `alpha` says that its alpha is used."""
    used = set(roles)
    if used & NORMAL_SLOTS:
        return blocks.normal
    if used & PACKED:
        return blocks.packed
    if "specular_glossiness" in used:
        return blocks.alpha
    if used & set(COLOUR_SLOTS) or not used:
        return blocks.alpha if alpha else blocks.colour
    return blocks.grey


def compressed(blocks: Blocks) -> bool:
    """True when the sheet asks for any block compression."""
    return any(blocks.model_dump().values())
