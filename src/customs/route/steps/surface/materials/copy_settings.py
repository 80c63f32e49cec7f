"""Copy settings: materials set as another material is, with their own names and textures."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from customs.changes.materials import Textures, changed_materials
from customs.errors import StepError
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Material, Scene
from customs.scene.settings import Targeted

COPIED = ("model", "base_colour", "metallic", "roughness", "emissive", "emissive_strength", "diffuse", "specular", "glossiness",
          "alpha_mode", "alpha_cutoff", "double_sided", "layers")  # fmt: skip


class CopySettings(Targeted):
    """Where they come from."""

    source: str = Field(default="", description="Key or name of the material they come from")


def _apply(scene: Scene, settings: CopySettings, resources: Content, job: Job) -> Outcome:
    if not settings.source:
        return Outcome(scene)
    one = Targeted(targets=(settings.source,))
    source = next((m for m in scene.materials if one.takes(m.key, m.name, m.made_from)), None)
    if source is None:
        names = ", ".join(m.name for m in scene.materials[:8])
        raise StepError(f"no material {settings.source!r}", f"one of {names}", where="source")

    def change(material: Material, textures: Textures) -> Material:
        if material is source or all(getattr(material, n) == getattr(source, n) for n in COPIED):
            return material
        return replace(material, **{n: getattr(source, n) for n in COPIED})

    return Outcome(*changed_materials(scene, settings, job, change))


register(
    Step(
        id="copy-settings",
        name="Copy settings",
        desk="surface",
        order=76,
        about="Sets materials as another one is. They keep their names and textures.",
        settings=CopySettings,
        targets="materials",
        apply=_apply,
        summary=lambda s: f"from {s.source.rsplit(':', 1)[-1]}"[:18],
        plural=True,
        placements=True,
    )
)
