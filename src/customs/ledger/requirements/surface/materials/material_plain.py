"""Materials without textures or settings of their own: what is left when a shader did not come along."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy
from customs.ledger.shapes import elements
from customs.scene.model import Material
from customs.surface.presets import apply_preset, preset_of_name, presets


def plain(material: Material) -> bool:
    """True for a grey that nobody chose: no texture, no glow, no colour, nothing metallic, fully rough or
    shiny.
    """
    r, g, b, _ = material.base_colour
    return (
        not material.textures
        and r == g == b
        and not any(material.emissive)
        and material.alpha_mode == "opaque"
        and material.roughness in (0.0, 1.0)
    )


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    bad = []
    for _, m in case.after.used_materials:
        id_ = preset_of_name(m.name) if plain(m) else None
        if id_ is not None and apply_preset(m, presets()[id_]).__dict__ != m.__dict__:
            bad.append((m, "plain grey"))

    def fix(material: Material) -> Remedy | None:
        id_ = preset_of_name(material.name) or "opaque"
        return remedy(
            "preset",
            f"Set as {presets()[id_].title.lower()}",
            sure=False,
            preset=id_,
            targets=(str(material.key),),
        )

    note = "Its settings did not come along; its name says what it was."
    yield from elements(rule, bad, "material", "set", "set", "set", "query", note, fix)


register(Requirement("material-plain", "Materials left plain", "surface", _judge, step="preset"))
