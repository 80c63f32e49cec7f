"""Lines and tables on a terminal."""

from __future__ import annotations

import json
import re
import sys
import textwrap
from typing import Any

from rich.console import Console

from customs.words import lines_plain

console, errors = Console(), Console(stderr=True)
MARKS = {"cleared": "✓", "query": "?", "held": "■"}


def say(text: str, to: Console | None = None) -> None:
    """A line as it is: nothing in it is markup, and nothing in it is obeyed."""
    (to or console).print(lines_plain(text), markup=False, highlight=False, soft_wrap=True)


def say_folded(text: str, first: int, rest: int, to: Console | None = None) -> None:
    """A paragraph folded to the width of the terminal, its first line and the others so far from the edge. Words
    stay whole: a path may be wanted again.
    """
    place = to or console
    fold = textwrap.TextWrapper(
        max(place.width, 40),
        initial_indent=" " * first,
        subsequent_indent=" " * rest,
        break_long_words=False,
        break_on_hyphens=False,
    )
    for line in fold.wrap(lines_plain(text)):
        say(line, place)


def say_json(value: Any) -> None:
    """A value as JSON."""
    text = json.dumps(value, indent=1, ensure_ascii=False, default=str) + "\n"
    # A name of bytes that are no text would end the printing: half of a pair is written as JSON writes it.
    sys.stdout.write(re.sub("[\ud800-\udfff]", lambda half: f"\\u{ord(half[0]):04x}", text))
