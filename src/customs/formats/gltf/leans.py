"""What a glTF leans on: the files its buffers and images name."""

from __future__ import annotations

from customs.formats.gltf.buffers import DATA_URI, open_document
from customs.formats.source import Source


def leans(source: Source) -> None:
    """Look for every file it names, without reading any of them. Raises CustomsError."""
    document, _ = open_document(source)
    for kind in ("buffers", "images"):
        listed = document.get(kind) if isinstance(document, dict) else None
        for number, entry in enumerate(listed if isinstance(listed, list) else ()):
            uri = entry.get("uri") if isinstance(entry, dict) else None
            if isinstance(uri, str) and uri and not DATA_URI.match(uri[:200]):
                source.companion(uri, f"/{kind}/{number}/uri")
