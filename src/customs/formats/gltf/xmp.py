"""What a glTF says of itself in XMP: title, author, terms; the packet goes out again as it came.

Sources: KHR_xmp_json_ld, an extension of glTF 2.0; ISO 16684-1 (XMP) for dc and xmpRights.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from customs.formats.gltf.document import Obj

XMP = "KHR_xmp_json_ld"
SAYS = {
    "title": ("dc:title",),
    "author": ("dc:creator",),
    "licence": ("xmpRights:WebStatement", "dc:license"),
    "copyright": ("dc:rights",),
    "terms": ("xmpRights:UsageTerms",),
}
"""Properties by the part of a rights slip they are."""
PACKET = "xmp"
"""Part of the rights that holds the whole packet, as JSON text."""


def read_xmp(root: Obj, asset: Obj) -> dict[str, str]:
    """What the packet of the whole asset says of its rights, and the packet. Raises ReadError."""
    held, said = root.extension(XMP), asset.extension(XMP)
    if held is None or said is None:
        return {}
    packets = held.children("packets")
    packet = packets[said.need_integer("packet", below=len(packets))]
    if not isinstance(packet.value, dict):
        raise packet.fail("", packet.value, "an object")
    out = {
        part: _text(next((packet.value[n] for n in names if n in packet.value), ""))
        for part, names in SAYS.items()
    }
    return {k: v for k, v in out.items() if v} | {PACKET: json.dumps(packet.value, ensure_ascii=False)}


def _text(value: Any) -> str:
    """A property as text: lists joined, of several languages the default one (JSON-LD 1.1; XMP, Language alternative)."""
    if isinstance(value, str | int | float):
        return str(value)
    if isinstance(value, list):
        return ", ".join(filter(None, map(_text, value)))
    if not isinstance(value, dict):
        return ""
    for name in ("@list", "@set"):
        if name in value:
            return _text(value[name])
    entries = [v for k, v in sorted(value.items()) if not k.startswith("@")]
    chosen = next((v for v in entries if isinstance(v, dict) and v.get("@language") == "x-default"), None)
    if chosen is not None:
        return _text(chosen.get("@value", ""))
    return _text(value["@value"]) if "@value" in value else ", ".join(filter(None, map(_text, entries)))


def xmp_json(rights: Mapping[str, str]) -> dict[str, Any] | None:
    """The packet that came with an asset, or None."""
    packet: dict[str, Any] | None = json.loads(rights[PACKET]) if PACKET in rights else None
    return packet
