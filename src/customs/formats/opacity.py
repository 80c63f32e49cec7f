"""Opacities as files write them."""

from __future__ import annotations

from customs.formats.source import Source
from customs.scene.model import Material


def shown_opacity(opacity: float, name: str, source: Source) -> float:
    """An opacity that lets something be seen.

    Several exporters write transparency where opacity belongs, and the other way round (common practice): a
    material that would show nothing at all is taken as opaque, and a remark says so.
    """
    if opacity > 1e-4:
        return opacity
    source.remark(f"material {name} is written as fully clear and would show nothing; taken as opaque")
    return 1.0


def seen_opacity(material: Material) -> float:
    """The opacity a material is drawn with: its alpha factor, which an opaque one does not heed (glTF 2.0,
    3.9.4).
    """
    factor = material.diffuse[3] if material.model == "specular_glossiness" else material.base_colour[3]
    return 1.0 if material.alpha_mode == "opaque" else float(factor)
