"""Tool faces: faces with textures that only tools see are left out."""

from __future__ import annotations

from pydantic import Field

from customs.grounds.faces import TOOL_WORDS, named, without_tools
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Remark, Scene
from customs.scene.settings import Settings
from customs.words import many


class ToolFaces(Settings):
    """The list of words; a material whose name has one of them is a tool's."""

    words: tuple[str, ...] = Field(
        default=TOOL_WORDS, min_length=1, description="words in the names of textures for tools"
    )


def _apply(scene: Scene, settings: ToolFaces, resources: Content, job: Job) -> Outcome:
    names = [scene.materials[k].name for k in named(scene, settings.words)]
    out, gone = without_tools(scene, settings.words)
    if not gone:
        return Outcome(scene)
    told = ", ".join(names[:4]) + (", …" if len(names) > 4 else "")
    return Outcome(
        out, (Remark(f"{gone:,} triangles of {many(len(names), 'tool texture')} left out: {told}"),)
    )


register(
    Step(
        id="tool-faces",
        name="Tool faces",
        desk="grounds",
        order=11,
        about="Leaves out faces with textures that only tools see: blockers, triggers, what is never drawn.",
        settings=ToolFaces,
        apply=_apply,
        summary=lambda s: many(len(s.words), "word"),
        placements=True,
    )
)
