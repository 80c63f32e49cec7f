"""Questions about materials and their textures that several requirements ask."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from typing import Any

from customs.changes.roles import roles_of_images
from customs.formats.image_write import delivered_form
from customs.ledger.facts import SceneFacts
from customs.ledger.row import Case
from customs.scene.kept import kept
from customs.scene.key import FILE
from customs.scene.layers import LAYER_ALPHAS
from customs.scene.model import COLOUR_SLOTS, Image, Material, Scene, TextureUse
from customs.scene.wishes import Wishes
from customs.sheet.blocks import compressed, wanted_block
from customs.surface.channels import LAYOUT
from customs.surface.files.base import texture_format
from customs.surface.pattern import parse_pattern, slot_of
from customs.surface.pixels import image_info

USUAL_PACKING = "R=occlusion G=roughness B=metallic"


def words(role: str) -> str:
    """A role as a person reads it."""
    return role.replace("_", " ")


def allowed_roles(case: Case) -> tuple[str, ...]:
    """Roles the destination has a place for."""
    if case.sheet.textures.roles is not None:
        return case.sheet.textures.roles
    packed = case.sheet.textures.pack
    more = (slot_of(parse_pattern(packed)),) if packed else ()
    # Where a texture cannot say which of its channels counts, or few readers heed it, values go in textures
    # of their own.
    form = case.format
    roles = [r for r in form.texture_roles if form.channels or r != "metallic_roughness"]
    return (*roles, *more)


def uses(facts: SceneFacts) -> Iterator[tuple[Material, str, TextureUse, Image]]:
    """Every texture of every used material: (material, role, use, image)."""
    for _, m in facts.used_materials:
        for role, use in m.textures.items():
            yield m, role, use, facts.scene.images[use.image]


def used_as(facts: SceneFacts, roles: Collection[str]) -> list[Image]:
    """Used images with a role among `roles` that can be read, once each."""
    wanted = {use.image for m, role, use, image in uses(facts) if role in roles}
    return [im for i, im in enumerate(facts.scene.images) if i in wanted and image_info(im) is not None]


def roles_of(facts: SceneFacts) -> dict[int, set[str]]:
    """Roles by image, of materials in use."""
    return _used(facts)[0]


def alpha_used(facts: SceneFacts, index: int) -> bool:
    """True when some material needs the alpha of an image: cut out or blended by it, or with a value packed
    there.
    """
    return index in _used(facts)[1]


def _used(facts: SceneFacts) -> tuple[dict[int, set[str]], set[int]]:
    """(roles by image, images whose alpha is needed), gone through once."""
    return kept("uses", facts.scene, lambda: _find_used(facts))


def _find_used(facts: SceneFacts) -> tuple[dict[int, set[str]], set[int]]:
    roles: dict[int, set[str]] = {}
    alpha = set()
    for m, role, use, _ in uses(facts):
        roles.setdefault(use.image, set()).add(role)
        if _needs_alpha(m, role, use):
            alpha.add(use.image)
    return roles, alpha


def _needs_alpha(material: Material, role: str, use: TextureUse) -> bool:
    if (role in ("base_colour", "diffuse") and material.alpha_mode != "opaque") or role in (
        "specular_glossiness",
        *LAYER_ALPHAS,
    ):
        return True
    layout = use.extras.get(LAYOUT)
    return role == "parameters" and (
        layout is None or any(p.channel == "A" for p in parse_pattern(str(layout)))
    )


def near_images(scene: Scene) -> list[Image]:
    """Textures that lie near the asset and are used for nothing yet."""
    used = roles_of_images(scene)
    # A file that was found for a missing texture lives on in that one.
    taken = {id(_holder(scene.images[i])) for i in used}
    files = [im for i, im in enumerate(scene.images) if im.key.kind == FILE and i not in used and im.there]
    return [im for im in files if id(_holder(im)) not in taken]


def _holder(image: Image) -> object:
    return image.pixels if image.pixels is not None else image.content


def delivery_values(case: Case, index: int) -> dict[str, Any]:
    """Settings of the step Formats that bring an image to what the sheet asks for."""
    rules, image = case.sheet.textures, case.delivering.images[index]
    forms = [f for f in rules.formats if f in case.format.image_forms]
    if not forms:
        return {}
    values: dict[str, Any] = {"form": forms[0], "accept": tuple(forms), "bits": min(8, *rules.bits)}
    if texture_format(forms[0]).mips and (compressed(rules.blocks) or rules.mips):
        block = wanted_block(
            rules.blocks, roles_of(case.after).get(index, set()), alpha_used(case.after, index)
        )
        values |= {
            "block": block,
            "mips": rules.mips,
            "quality": rules.quality,
            "header": rules.header,
            "zstd": rules.zstd,
        }
        values |= {"targets": (str(image.key),)}
    if rules.also:
        values |= {"also": rules.also}
    return values


def delivered_block(image: Image, wishes: Wishes) -> str:
    """The block compression an image will be written with, "" for none."""
    if wished := wishes.first(image.key):
        return wished.block
    info = image_info(image)
    return info.block if info is not None and image.pixels is None else ""


def delivered_levels(image: Image, wishes: Wishes) -> bool:
    """True when an image will be written with all its mip levels."""
    if not texture_format(delivered_form(image, wishes)).mips:
        return False
    if wished := wishes.first(image.key):
        return wished.mips
    info = image_info(image)
    return (
        info is not None and image.pixels is None and info.levels >= max(info.width, info.height).bit_length()
    )


def wants_colour(roles: set[str]) -> bool:
    """True when a texture in these roles holds colours (sRGB)."""
    return bool(roles & set(COLOUR_SLOTS))
