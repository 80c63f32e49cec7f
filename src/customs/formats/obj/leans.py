"""What an OBJ leans on: its material libraries, and the textures these name."""

from __future__ import annotations

import re

from customs.formats.obj.mtl import split_options
from customs.formats.source import Source, decode_text

LIBRARY = re.compile(rb"^[ \t]*mtllib[ \t]+(.+?)[ \t\r]*$", re.M)
TEXTURE = re.compile(r"^[ \t]*(?:map_\w+|bump|disp|decal|norm|refl)[ \t]+(.+?)[ \t\r]*$", re.M | re.I)


def leans(source: Source) -> None:
    """Look for every file it names; the libraries alone are read. Raises CustomsError."""
    for found in LIBRARY.findall(source.data):
        name = decode_text(found)
        parts = name.split() if " " in name and not source.has(name) else [name]
        for part in parts:
            place = source.companion(part, "mtllib")
            if place is None:
                continue
            library = source.at(place)
            for text in TEXTURE.findall(decode_text(library.data)):
                if wanted := split_options(text)[0]:
                    library.companion(wanted, "texture")
            source.touched += library.touched
            source.absent += library.absent
