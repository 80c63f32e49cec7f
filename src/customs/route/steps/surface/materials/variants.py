"""Variants: further skins of one model, each with its own textures."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar

from pydantic import Field, field_validator

from customs.changes.materials import find_image
from customs.errors import StepError
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.key import made_key
from customs.scene.model import SLOTS, Material, Primitive, Scene, TextureUse
from customs.scene.settings import Settings, Targeted

Use = tuple[str, str, str, str]


class Variants(Settings):
    """The skins."""

    adds: ClassVar = ("uses",)
    first: str = Field(default="plain", min_length=1, description="name of the skin the model has as it is")
    uses: tuple[Use, ...] = Field(default=(), description="(skin, material, role, texture)")

    @field_validator("uses")
    @classmethod
    def _known(cls, value: tuple[Use, ...]) -> tuple[Use, ...]:
        for skin, _, role, _ in value:
            if role not in SLOTS or not skin:
                raise ValueError(f"{skin!r}, {role!r}: a name, and one of {', '.join(SLOTS)}")
        return value


def _clones(
    scene: Scene, settings: Variants, names: list[str]
) -> tuple[list[Material], dict[int, dict[int, int]]]:
    """(all materials, by material and variant the clone's index)."""
    materials, clones = list(scene.materials), dict[int, dict[int, int]]()
    for skin, target, role, texture in settings.uses:
        image = find_image(scene, texture)
        one = Targeted(targets=(target,))
        meant = [i for i, m in enumerate(scene.materials) if one.takes(m.key, m.name, m.made_from)]
        if image is None or not meant:
            what = f"texture {texture}" if image is None else f"material {target}"
            raise StepError(f"no {what}", "one of the asset's own", "Choose again.", where=f"uses, {skin}")
        number = names.index(skin)
        for i in meant:
            at = clones.setdefault(i, {}).get(number)
            if at is None:
                source = scene.materials[i]
                at = clones[i][number] = len(materials)
                key = made_key(source.key, f"variant{number}")
                materials.append(
                    replace(source, key=key, name=f"{source.name} {skin}", made_from=(source.key,))
                )
            old = materials[at].textures.get(role)
            use = replace(old, image=image) if old is not None else TextureUse(image)
            materials[at] = replace(materials[at], textures={**materials[at].textures, role: use})
    return materials, clones


def _apply(scene: Scene, settings: Variants, resources: Content, job: Job) -> Outcome:
    if not settings.uses:
        return Outcome(scene)
    skins = list(dict.fromkeys(u[0] for u in settings.uses))
    names = list(dict.fromkeys([*scene.variants, settings.first, *skins]))
    materials, clones = _clones(scene, settings, names)

    def prim(prim: Primitive) -> Primitive:
        mine = clones.get(prim.material) if prim.material is not None else None
        if mine is None or prim.material is None:
            return prim
        other = tuple(k for k in range(len(names)) if k not in mine)
        own = [(prim.material, other)] if other else []
        return replace(prim, variants=(*prim.variants, *own, *((m, (k,)) for k, m in mine.items())))

    meshes = tuple(replace(m, primitives=tuple(prim(p) for p in m.primitives)) for m in scene.meshes)
    return Outcome(replace(scene, meshes=meshes, materials=tuple(materials), variants=tuple(names)))


register(
    Step(
        id="variants",
        name="Variants",
        desk="surface",
        order=82,
        phase="together",
        about="Adds further skins to a model: the same shape with other textures, chosen by name.",
        settings=Variants,
        apply=_apply,
        summary=lambda s: ", ".join(dict.fromkeys((s.first, *(u[0] for u in s.uses))))[:18],
        placements=True,
    )
)
