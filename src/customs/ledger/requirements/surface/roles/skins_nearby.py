"""Further skins that lie near: the same textures in other colours."""

from __future__ import annotations

from collections.abc import Iterator

from customs.intake.nearby import missing_names, stem
from customs.ledger.materials import near_images
from customs.ledger.row import Case, Place, Requirement, Row, register, remedy, said
from customs.scene.model import Material, Scene
from customs.surface.suffixes import family, role_of_name

Use = tuple[str, str, str, str]


def skins(scene: Scene, materials: list[Material]) -> dict[str, list[Use]]:
    """By skin the uses (skin, material, role, texture) of textures called as a material's own, with a word
    more or another.
    """
    lost = set(missing_names(scene))
    known = {
        family(scene.images[u.image].name, scene.suffixes) for m in materials for u in m.textures.values()
    }
    known |= {family(m.name) for m in materials}
    out: dict[str, list[Use]] = {}
    for image in near_images(scene):
        named = role_of_name(image.name, scene.suffixes)
        if named is None or named.family in known or stem(image.uri) in lost:
            continue
        mine = named.family.split("_")
        for m in materials:
            use = m.textures.get(named.role)
            if use is None:
                continue
            own = family(scene.images[use.image].name, scene.suffixes).split("_")
            word = _other_word(own, mine)
            if word:
                out.setdefault(word, []).append((word, str(m.key), named.role, str(image.key)))
    return out


def _other_word(own: list[str], other: list[str]) -> str:
    """The word two families differ in, or ""."""
    if len(other) == len(own) + 1 and other[:-1] == own:
        return other[-1]
    differing = [b for a, b in zip(own, other) if a != b]
    return differing[0] if len(own) == len(other) > 1 and len(differing) == 1 else ""


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if "variants" not in case.format.carries:
        return
    found = skins(case.delivering, [m for _, m in case.after.used_materials])
    for word, uses in found.items():
        key = next(m.key for _, m in case.after.used_materials if str(m.key) == uses[0][1])
        yield rule.row(
            "one skin",
            "further skins asked about",
            said((word, len(uses)), f"{word} lies near"),
            "query",
            subject=word,
            subject_name=word,
            note=f"{len(uses)} texture{'s' if len(uses) > 1 else ''} of another skin can go along as a variant.",
            remedy=remedy("variants", f"Add skin {word}", sure=False, uses=tuple(uses)),
            place=Place(key, "material"),
        )


register(Requirement("skins-nearby", "Further skins", "surface", _judge, step="variants"))
