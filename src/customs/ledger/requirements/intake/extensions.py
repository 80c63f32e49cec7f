"""Extensions and properties we do not understand: kept in extras, and said."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register

NOTES = {
    "materials": "this part of the material's look is missing",
    "EXT_texture_webp": "textures that come as WebP alone are missing",
    "KHR_texture_basisu": "textures that come as Basis alone are missing",
    "texture without a core image": "its texture is missing",
    "KHR_animation_pointer": "what is animated by pointers stands still",
    "KHR_draco_mesh_compression": "meshes that are packed are read from their plain copy, where there is one",
    "EXT_meshopt_compression": "what is packed is read from its plain copy, where there is one",
    "animation of pointer": "what is animated by pointers stands still",
}
"""What is lost with an extension, by its name or by the kind in its name."""


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    strange = case.received.unknown
    if not strange:
        yield rule.row("0 unknown", "understood", "0 unknown", "cleared")
    for name in strange:
        note = NOTES.get(name.partition("_")[2].split("_")[0], "") or NOTES.get(name, "")
        note = f"Not read yet: {note}" if note else "Not understood"
        note += ". It is kept as it is in extras, and is without effect at the destination."
        yield rule.row(
            name, "understood", "kept in extras", "query", subject=name, subject_name=name, note=note
        )


register(Requirement("extensions", "Extensions", "intake", _judge))
