"""Leave out textures: roles a destination has no place for."""

from __future__ import annotations

from typing import ClassVar

from pydantic import Field

from customs.changes.materials import Textures, changed_materials, without_roles
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Material, Remark, Scene
from customs.scene.settings import Targeted


class DropRoles(Targeted):
    """Which roles."""

    adds: ClassVar = ("roles",)
    roles: tuple[str, ...] = Field(default=(), description="roles whose textures are left out")


def _apply(scene: Scene, settings: DropRoles, resources: Content, job: Job) -> Outcome:
    gone: list[Remark] = []

    def change(material: Material, textures: Textures) -> Material:
        lost = [r for r in settings.roles if r in material.textures]
        if lost:
            gone.append(Remark(f"{', '.join(r.replace('_', ' ') for r in lost)} left out", material.key))
        return without_roles(material, settings.roles)

    out, remarks = changed_materials(scene, settings, job, change)
    return Outcome(out, (*gone, *remarks))


register(
    Step(
        id="drop-roles",
        name="Drop roles",
        desk="surface",
        order=86,
        phase="together",
        about="Leaves out textures in roles the destination has no place for.",
        settings=DropRoles,
        apply=_apply,
        summary=lambda s: ", ".join(r.replace("_", " ") for r in s.roles)[:18],
        placements=True,
    )
)
