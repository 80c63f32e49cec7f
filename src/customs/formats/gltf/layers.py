"""Material extensions of the standard, read and written by the table of `scene.layers`."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import Any

from customs.formats.gltf.document import Obj
from customs.scene.layers import LAYERS, Value, layers_in_use
from customs.scene.model import Material, TextureUse

EXTENSIONS = frozenset(layer.extension for layer in LAYERS)
Use = Callable[[Obj | None, str], TextureUse | None]


def read_layers(
    obj: Obj, use: Use, unknown: set[str]
) -> tuple[dict[str, Value], dict[str, TextureUse | None]]:
    """(values that are not what they would be anyway, textures by role) of a material. Raises ReadError."""
    values: dict[str, Value] = {}
    uses: dict[str, TextureUse | None] = {}
    for layer in LAYERS:
        said = obj.extension(layer.extension)
        if said is None:
            continue
        if layer.mark:
            values[layer.mark] = 1.0
            said.raw("specVersion")
        for f in layer.factors:
            found: Value
            if isinstance(f.rest, str):
                found = said.text(f.said, f.rest)
            elif isinstance(f.rest, bool):
                found = said.flag(f.said, f.rest)
            elif isinstance(f.rest, int):
                found = said.integer(f.said, f.rest, least=int(f.least)) or 0
            elif isinstance(f.rest, tuple):
                found = said.numbers(f.said, len(f.rest), f.rest) or f.rest
                if not all(f.least <= x <= f.most for x in found):
                    raise said.fail(f.said, list(found), f"numbers from {f.least:g} on")
            else:
                found = said.number(f.said, f.rest, f.least, f.most)
            if found != f.rest:
                values[f.name] = found
        for m in layer.maps:
            uses[m.role] = use(said.child(m.said), m.strength)
        strange = set[str]()
        said.extras(frozenset(), strange)
        unknown |= {f"{name} of {layer.extension}" for name in strange}
    return values, uses


def layers_json(material: Material, infos: Mapping[str, Any]) -> dict[str, Any]:
    """The extensions of a material; `infos` are its texture infos by role."""
    out: dict[str, Any] = {}
    for layer in layers_in_use(material.layers, infos):
        table: dict[str, Any] = {"specVersion": layer.edition} if layer.edition else {}
        for f in layer.factors:
            value = material.layers.get(f.name, f.rest)
            if value != f.rest and not (isinstance(value, float) and math.isinf(value)):
                table[f.said] = list(value) if isinstance(value, tuple) else value
        table |= {m.said: infos[m.role] for m in layer.maps if m.role in infos}
        out[layer.extension] = table
    return out
