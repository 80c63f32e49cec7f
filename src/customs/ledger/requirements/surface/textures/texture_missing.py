"""Every texture a material names is there."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.ranking import Candidate, candidates, clear
from customs.ledger.row import Case, Place, Remedy, Requirement, Row, register, remedy
from customs.scene.model import Image
from customs.words import many

NOTE = "A material names it and it is not there: many destinations crash on that. Put it beside the model, or search a folder."


def _fix(image: Image, ranked: list[Candidate]) -> Remedy | None:
    if not ranked:
        return None
    pair = (str(image.key), str(ranked[0].image.key))
    return remedy("find-textures", f"Take {ranked[0].image.uri}", sure=clear(ranked), pairs=(pair,))


def _note(ranked: list[Candidate]) -> str:
    if not ranked:
        return NOTE
    if len(ranked) == 1:
        return f"Found {ranked[0].image.uri}: {ranked[0].reason}."
    more = "; ".join(f"{c.image.uri} ({c.reason})" for c in ranked[:3])
    return f"{many(len(ranked), 'file')} may be meant: {more}."


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    before = sum(not im.there for _, im in case.before.used_images)
    lost = [im for _, im in case.after.used_images if not im.there]
    for image in lost:
        ranked = candidates(case.delivering, image)
        yield rule.row(
            "missing",
            "there",
            "missing",
            case.sheet.textures.missing,
            subject=str(image.key),
            subject_name=image.name,
            note=_note(ranked),
            remedy=_fix(image, ranked),
            place=Place(image.key, "image"),
        )
    if not lost:
        yield rule.row(f"{before} missing", "there", "0 missing", "cleared")


register(Requirement("texture-missing", "Missing textures", "surface", _judge, step="find-textures"))
