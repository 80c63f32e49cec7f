"""Which of several textures is meant by a name: ranked, and never picked alone when the margin is small."""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import dataclass

from customs.intake.nearby import alike, stem
from customs.scene.key import FILE
from customs.scene.model import Image, Scene
from customs.surface.pixels import image_info
from customs.surface.suffixes import words

MARGIN = 0.12
"""By how much the best must lead before it is taken alone (of 1)."""


@dataclass(frozen=True)
class Candidate:
    """A texture that may stand in for a missing one, how likely (0..1), why, and whether it has the very
    name.
    """

    image: Image
    score: float
    reason: str
    exact: bool


def candidates(scene: Scene, lost: Image) -> list[Candidate]:
    """Textures for a missing one, the likeliest first.

    Nearness to the model counts most, then lying with other textures of the asset, then the usual size, then
    spelling.
    """
    name = stem(lost.uri or lost.name)
    near = [im for im in scene.images if im.key.kind == FILE and im.there and not im.problem]
    exact = [im for im in near if stem(im.uri) == name]
    out = [
        _scored(scene, lost, im, bool(exact))
        for im in exact or [im for im in near if alike(stem(im.uri), name)]
    ]
    return sorted(out, key=lambda c: (-c.score, c.image.uri))


def clear(ranked: Sequence[Candidate]) -> bool:
    """True when the first leads far enough to be taken without asking."""
    if not ranked or not ranked[0].exact:
        return False
    return len(ranked) == 1 or ranked[0].score - ranked[1].score >= MARGIN


def _scored(scene: Scene, lost: Image, image: Image, exact: bool) -> Candidate:
    folder = os.path.dirname(image.uri)
    steps = len([p for p in folder.split("/") if p])
    nearness = 1 / (1 + steps)
    shared = _shared(scene, folder)
    size = _usual_size(scene, image)
    wanted = os.path.dirname((lost.uri or "").replace("\\", "/"))
    same = bool(wanted) and (folder == wanted or folder.endswith("/" + wanted))
    score = 0.35 * nearness + 0.3 * shared + 0.15 * size + 0.2 * same
    # A name spelt otherwise is a guess: it is offered and never taken alone.
    score = 0.45 + 0.55 * score if exact else 0.45 * score
    where = f"in {folder}/" if folder else "beside the model"
    reasons = (
        [where] + (["with other textures of it"] if shared else []) + (["of their size"] if size == 1 else [])
    )
    reasons += [] if exact else ["its name is spelt otherwise"]
    return Candidate(image, score, ", ".join(reasons), exact)


def _shared(scene: Scene, folder: str) -> float:
    """1 where textures the asset uses already lie in the same folder; half where only its relatives do."""
    used = {u.image for m in scene.materials for u in m.textures.values()}
    folders = {
        os.path.dirname(im.uri.replace("\\", "/"))
        for i, im in enumerate(scene.images)
        if i in used and im.there
    }
    if folder in folders:
        return 1.0
    family = {tuple(words(m.name))[:1] for m in scene.materials}
    kin = [im for im in scene.images if im.key.kind == FILE and os.path.dirname(im.uri) == folder]
    return 0.5 if any(tuple(words(im.name))[:1] in family for im in kin) else 0.0


def _usual_size(scene: Scene, image: Image) -> float:
    info = image_info(image)
    used = {u.image for m in scene.materials for u in m.textures.values()}
    sizes = [
        (i.width, i.height)
        for k in used
        if scene.images[k].there and (i := image_info(scene.images[k])) is not None
    ]
    if info is None or not sizes:
        return 0.5
    return 1.0 if (info.width, info.height) in sizes else 0.0
