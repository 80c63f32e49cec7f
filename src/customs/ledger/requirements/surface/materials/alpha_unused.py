"""A material that blends though its texture is solid throughout."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.facts import alpha_shares
from customs.ledger.row import Case, Place, Requirement, Row, register, remedy, said
from customs.ledger.texture import alpha_image


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    any_bad = False
    for _, m in case.after.used_materials:
        image = alpha_image(case.delivering, m)
        factor = m.diffuse[3] if m.model == "specular_glossiness" else m.base_colour[3]
        shares = alpha_shares(image) if image is not None else None
        solid = (image is None or shares is None or shares[2] > 0.9999) and factor >= 0.999
        if m.alpha_mode == "opaque" or not solid or (image is not None and image.problem):
            continue
        if any(p.colours for mesh in case.delivering.meshes for p in mesh.primitives):
            continue
        any_bad = True
        yield rule.row(
            m.alpha_mode,
            "opaque",
            said(m.alpha_mode, m.alpha_mode),
            "query",
            subject=str(m.key),
            subject_name=m.name,
            note="Nothing in it is clear: it costs drawing time and sorts wrongly.",
            remedy=remedy("alpha", "Make it opaque", mode="opaque", targets=(str(m.key),)),
            place=Place(m.key, "material"),
        )
    if not any_bad:
        yield rule.row("none", "none", "none", "cleared")


register(Requirement("alpha-unused", "Alpha for nothing", "surface", _judge, step="alpha"))
