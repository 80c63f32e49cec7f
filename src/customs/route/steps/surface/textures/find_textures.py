"""Find: missing textures taken from files found for them."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar

from pydantic import Field

from customs.changes.materials import find_image
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Remark, Scene
from customs.scene.settings import Settings


class FindTextures(Settings):
    """Which file stands in for which texture."""

    adds: ClassVar = ("pairs",)
    pairs: tuple[tuple[str, str], ...] = Field(
        default=(), description="(Key of the missing texture, Key of the one found)"
    )


def _apply(scene: Scene, settings: FindTextures, resources: Content, job: Job) -> Outcome:
    images, remarks = list(scene.images), []
    for lost, found in settings.pairs:
        at, source = find_image(scene, lost), find_image(scene, found)
        if at is None or source is None or not scene.images[source].there:
            remarks.append(Remark(f"{lost} → {found}: no longer there"))
            continue
        new = scene.images[source]
        images[at] = replace(
            scene.images[at], content=new.content, pixels=new.pixels, problem="", made_from=(new.key,)
        )
        remarks.append(
            Remark(
                f"{scene.images[at].uri or scene.images[at].name} taken from {new.uri}", scene.images[at].key
            )
        )
    return Outcome(replace(scene, images=tuple(images)) if remarks else scene, tuple(remarks))


register(
    Step(
        id="find-textures",
        name="Find",
        desk="surface",
        order=60,
        about="Takes missing textures from files of their name found in other folders.",
        settings=FindTextures,
        apply=_apply,
        summary=lambda s: f"{len(s.pairs)} found",
        placements=True,
    )
)
