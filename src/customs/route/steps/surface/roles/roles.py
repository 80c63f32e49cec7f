"""Roles: which texture serves as what in which material."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar

from pydantic import Field, field_validator

from customs.changes.materials import find_image, with_use
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import SLOTS, Material, Remark, Scene, TextureUse
from customs.scene.settings import Settings, Targeted

Use = tuple[str, str, str]


class Roles(Settings):
    """Uses of textures, later ones over earlier ones."""

    adds: ClassVar = ("uses",)
    uses: tuple[Use, ...] = Field(
        default=(), description="(material, role, texture); no texture empties the role"
    )

    @field_validator("uses")
    @classmethod
    def _known(cls, value: tuple[Use, ...]) -> tuple[Use, ...]:
        for _, role, _ in value:
            if role not in SLOTS:
                raise ValueError(f"role {role!r}: one of {', '.join(SLOTS)}")
        return value


def _given(m: Material, role: str, image: int | None) -> Material:
    """The material with a texture in a role; factors that would hide it are opened."""
    old = m.textures.get(role) or next(iter(m.textures.values()), None)
    use = replace(old, image=image, strength=1.0, extras={}) if old and image is not None else None
    m = with_use(m, role, use if use is not None else TextureUse(image) if image is not None else None)
    if image is None:
        return m
    if role == "emissive" and not any(m.emissive):
        m = replace(m, emissive=(1.0, 1.0, 1.0))
    if role == "base_colour" and not any(m.base_colour[:3]):
        m = replace(m, base_colour=(1.0, 1.0, 1.0, m.base_colour[3]))
    if role in ("metallic", "metallic_roughness") and m.metallic == 0:
        m = replace(m, metallic=1.0)
    if role in ("roughness", "metallic_roughness", "glossiness"):
        m = replace(m, roughness=1.0)
    return m


def _apply(scene: Scene, settings: Roles, resources: Content, job: Job) -> Outcome:
    materials, remarks = list(scene.materials), []
    for target, role, texture in settings.uses:
        job.check()
        image = find_image(scene, texture) if texture else None
        meant = [
            i
            for i, m in enumerate(materials)
            if Targeted(targets=(target,)).takes(m.key, m.name, m.made_from)
        ]
        if not meant or (texture and image is None):
            remarks.append(Remark(f"{target} {role.replace('_', ' ')}: no longer there"))
            continue
        for i in meant:
            materials[i] = _given(materials[i], role, image)
    if not settings.uses:
        return Outcome(scene)
    return Outcome(replace(scene, materials=tuple(materials)), tuple(remarks))


register(
    Step(
        id="roles",
        name="Roles",
        desk="surface",
        order=61,
        about="Sets which texture serves as what in which material.",
        settings=Roles,
        apply=_apply,
        summary=lambda s: f"{len(s.uses)} set",
        placements=True,
    )
)
