"""What an FBX leans on: the files its textures name, found in the raw records without reading the whole."""

from __future__ import annotations

import re
import struct

from customs.formats.source import Source, decode_text

BINARY = re.compile(rb"\x10RelativeFilenameS(....)", re.S)
TEXT = re.compile(rb'RelativeFilename:\s*"([^"\r\n]*)"')
HELD = re.compile(rb"\x07ContentR(....)", re.S)
LONGEST, NEAR = 4096, 64
"""Bytes of a name, and bytes between it and the picture itself where that is held in the file."""


def leans(source: Source) -> None:
    """Look for every file it names and does not hold. Raises CustomsError."""
    data, names, inside = source.data, dict[str, None](), set[str]()
    for found in BINARY.finditer(data):
        (size,) = struct.unpack("<I", found.group(1))
        if size <= LONGEST:
            end = found.end() + size
            name = decode_text(data[found.end() : end])
            names[name] = None
            content = HELD.search(data, end, end + NEAR)
            if content is not None and content.group(1) != b"\0\0\0\0":
                inside.add(name)
    names |= dict.fromkeys(decode_text(n) for n in TEXT.findall(data))
    for name in (n for n in names if n and n not in inside):
        short = name.replace("\\", "/").rsplit("/", 1)[-1]
        # As the reader does: a path of the author's own machine leads nowhere here, its last part may.
        source.companion(name if source.has(name) or not source.has(short) else short, "texture")
