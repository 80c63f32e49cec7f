"""What a COLLADA document leans on: the files its images are initialised from."""

from __future__ import annotations

import html
import re

from customs.formats.source import Source, decode_text

IMAGE = re.compile(r"<init_from[^>]*>\s*(?:<ref>)?\s*([^<]+?)\s*(?:</ref>)?\s*</init_from>")
LIBRARY = re.compile(r"<library_images.*?</library_images>", re.S)


def leans(source: Source) -> None:
    """Look for every file it names. Raises CustomsError."""
    for block in LIBRARY.findall(decode_text(source.data)):
        for name in IMAGE.findall(block):
            plain = html.unescape(name).removeprefix("file://").removeprefix("file:")
            source.companion(plain, "library_images")
