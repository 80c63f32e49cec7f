"""Words fit to be shown: numbers in sentences, text of others without what no page or terminal should
obey.
"""

from __future__ import annotations

import re

PLURALS = {"mesh": "meshes", "vertex": "vertices", "box": "boxes"}


def many(count: int, thing: str) -> str:
    """ "1 clip", "2 clips", "1,200 meshes"."""
    if count == 1:
        return f"1 {thing}"
    y = thing[-1:] == "y" and thing[-2:-1] not in "aeiou"
    return f"{count:,} {PLURALS.get(thing) or (thing[:-1] + 'ies' if y else thing + 's')}"


# Control characters, marks that turn the direction of what follows, halves of surrogate pairs.
_OBEYED = re.compile("[\\x00-\\x1f\\x7f-\\x9f\\u202a-\\u202e\\u2066-\\u2069\\ud800-\\udfff]")


def figure(value: float, digits: int = 4) -> str:
    """A number for a sentence: to so many digits, with thousands apart, and powers of ten only where nothing
    else can be read.
    """
    if value == 0 or not 1e-4 <= abs(value) < 1e15:
        return f"{value:.{digits}g}"
    whole = max(0, digits - 1 - int(f"{value:e}".partition("e")[2]))
    text = f"{value:,.{whole}f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


def byte_text(size: int) -> str:
    """ "12 kB", "3.4 MB": thousands, as disks count."""
    for unit, one in (("GB", 1e9), ("MB", 1e6)):
        if size >= one:
            return f"{size / one:,.1f} {unit}"
    return f"{size / 1000:,.0f} kB" if size >= 1000 else f"{size} bytes"


def plain(text: str) -> str:
    """`text` with U+FFFD for each character that a page or a terminal would obey, or could not hold."""
    return _OBEYED.sub("\ufffd", text)


def lines_plain(text: str) -> str:
    """As `plain`, with line ends and tabs kept."""
    return re.sub("[^\n\t]+", lambda part: plain(part[0]), text)
