"""Words fit to be shown: numbers in sentences, text of others without what no page or terminal should obey."""

from __future__ import annotations

import re

PLURALS = {"mesh": "meshes", "body": "bodies", "vertex": "vertices"}


def many(count: int, thing: str) -> str:
    """ "1 clip", "2 clips", "1,200 meshes"."""
    return f"{count:,} {thing if count == 1 else PLURALS.get(thing, thing + 's')}"


# Control characters, marks that turn the direction of what follows, halves of surrogate pairs.
_OBEYED = re.compile("[\\x00-\\x1f\\x7f-\\x9f\\u202a-\\u202e\\u2066-\\u2069\\ud800-\\udfff]")


def plain(text: str) -> str:
    """`text` with U+FFFD for each character that a page or a terminal would obey, or could not hold."""
    return _OBEYED.sub("\ufffd", text)


def lines_plain(text: str) -> str:
    """As `plain`, with line ends and tabs kept."""
    return re.sub("[^\n\t]+", lambda part: plain(part[0]), text)
