"""Words fit to be shown: numbers in sentences, text of others without what no page or terminal should
obey.
"""

from __future__ import annotations

import re
import unicodedata

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


_LIKE = str.maketrans(
    "\u0430\u0435\u043e\u0440\u0441\u0443\u0445\u0456\u0458\u0455\u04bb\u0501\u051b\u051d\u0261\u03bf\u03b1\u03bd\u03c1\u0131\u043a\u043c\u0442\u0432\u043d01",
    "aeopcyxijshdqwgoavpikmtbhol",
)
"""Letters of other scripts, and two figures, that look like Latin letters: a small part of the table of Unicode Technical Standard 39
(confusables), from memory.
"""


def look(text: str) -> str:
    """What a text looks like: two names of one look are hard to tell apart, whatever their case, width and script."""
    return unicodedata.normalize("NFKC", text).casefold().translate(_LIKE)


def foreign(text: str) -> str:
    """The first character of `text` that only looks like a Latin letter, by its code point; "" where there is none."""
    found = next((c for c in text if c.casefold() != c.casefold().translate(_LIKE) and not c.isascii()), "")
    return f"U+{ord(found):04X}" if found else ""
