"""Textures that lie near, belong to a material by their name, and fill a role it lacks."""

from __future__ import annotations

from collections.abc import Iterator

from customs.intake.nearby import missing_names, stem
from customs.ledger.materials import allowed_roles, near_images, words
from customs.ledger.row import Case, Place, Requirement, Row, register, remedy, said
from customs.scene.model import Image, Material, Scene
from customs.surface.guess import DOUBTFUL, SURE, RoleGuess, guess_role
from customs.surface.suffixes import family, role_of_name


def owners(scene: Scene, materials: list[Material], image: Image) -> list[Material]:
    """Materials an image belongs to by its name: it is called as one of them, or as a texture of theirs."""
    mine = family(image.name, scene.suffixes)
    out = []
    for m in materials:
        names = {family(scene.images[u.image].name, scene.suffixes) for u in m.textures.values()}
        if mine and mine in {*names, family(m.name, {}), m.name.lower().replace(" ", "_").replace("-", "_")}:
            out.append(m)
    return out


def found(case: Case) -> Iterator[tuple[Material, Image, RoleGuess, bool]]:
    """(material, image, guess, alone): textures for empty roles; `alone` when one material and one texture
    fit.
    """
    scene, materials = case.delivering, [m for _, m in case.after.used_materials]
    lost, known = (
        set(missing_names(scene)),
        {*allowed_roles(case), "opacity", "height", "roughness", "metallic", "glossiness"},
    )
    picks: dict[tuple[str, str], list[tuple[Material, Image, RoleGuess]]] = {}
    for image in near_images(scene):
        if role_of_name(image.name, scene.suffixes) is None or stem(image.uri) in lost:
            continue
        mine = owners(scene, materials, image)
        guess = guess_role(image, scene.suffixes)
        if (
            len(mine) != 1
            or guess.sure < DOUBTFUL
            or guess.role not in known
            or guess.role in _filled(mine[0])
        ):
            continue
        picks.setdefault((str(mine[0].key), guess.role), []).append((mine[0], image, guess))
    for group in picks.values():
        for m, image, guess in group:
            yield m, image, guess, len(group) == 1


def _filled(material: Material) -> set[str]:
    """Roles a material has no need of: those it has, and those that lie packed in one it has."""
    out = set(material.textures)
    if out & {"metallic_roughness", "parameters"}:
        out |= {"roughness", "metallic", "glossiness", "metallic_roughness"}
    if out & {"roughness", "glossiness"}:
        out |= {"roughness", "glossiness"}
    return (
        out
        if material.model != "specular_glossiness"
        else out | {"base_colour", "metallic_roughness", "metallic", "roughness"}
    )


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    any_bad = False
    for m, image, guess, alone in found(case):
        any_bad = True
        sure = alone and guess.sure >= SURE
        yield rule.row(
            f"no {words(guess.role)}",
            "textures that lie near used",
            said(guess.role, f"no {words(guess.role)}"),
            "query",
            subject=f"{m.key} {image.key}",
            subject_name=f"{m.name} · {image.uri}",
            note=f"{guess.reason}.",
            remedy=remedy(
                "roles",
                f"Use it as {words(guess.role)}",
                sure=sure,
                uses=((str(m.key), guess.role, str(image.key)),),
            ),
            place=Place(m.key, "material"),
        )
    if not any_bad:
        yield rule.row("none left over", "textures that lie near used", "none left over", "cleared")


register(Requirement("role-nearby", "Textures left lying", "surface", _judge, step="roles"))
