"""Textures that do not look like what they are used as."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.materials import uses, words
from customs.ledger.row import Case, Place, Remedy, Requirement, Row, register, remedy, said
from customs.scene.model import Image, Material
from customs.surface.guess import SURE, RoleGuess, content_of, fits, guess_role

LEAST = 0.8
"""How sure the pixels must be before a role somebody chose is doubted (0..1)."""


def _fix(case: Case, material: Material, role: str, image: Image, guess: RoleGuess) -> Remedy | None:
    if (
        guess.sure < 0.5
        or guess.role == role
        or fits(guess.role, guess.content.content if guess.content else "") is False
    ):
        return None
    moved = ((str(material.key), role, ""), (str(material.key), guess.role, str(image.key)))
    # What the file itself says is only asked about.
    sure = (
        guess.sure >= SURE and guess.role not in material.textures and not _said(case, material, role, image)
    )
    return remedy("roles", f"Use it as {words(guess.role)}", sure=sure, uses=moved)


def _said(case: Case, material: Material, role: str, image: Image) -> bool:
    """True where the file gives the texture this role, and no guess of ours did."""
    for old in case.received.materials:
        use = old.textures.get(role)
        if use is not None and old.key in (material.key, *material.made_from):
            return case.received.images[use.image].key in (image.key, *image.made_from)
    return False


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    any_bad = False
    for m, role, _, image in uses(case.after):
        content = content_of(image) if image.there else None
        if content is None or content.sure < LEAST or fits(role, content.content):
            continue
        any_bad = True
        yield rule.row(
            words(role),
            "looks like its role",
            said((role, content.content), f"looks like {content.content}"),
            "query",
            subject=f"{m.key} {role}",
            subject_name=f"{m.name} · {image.name}",
            note=f"{content.reason[:1].upper()}{content.reason[1:]}.",
            remedy=_fix(case, m, role, image, guess_role(image, case.delivering.suffixes)),
            place=Place(image.key, "image"),
        )
    if not any_bad:
        yield rule.row("as used", "looks like its role", "as used", "cleared")


register(Requirement("role-doubt", "Doubtful roles", "surface", _judge, step="roles"))
