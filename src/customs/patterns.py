"""Patterns people write, matched in time that grows with the text alone: by a library that cannot
backtrack.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import re2

SHORT = 128
"""Characters of a text whose answer is kept."""
LONGEST = 200
"""Characters of a pattern."""


def problem_of(pattern: str) -> str:
    """Why `pattern` cannot be used, or ""."""
    if len(pattern) > LONGEST:
        return f"a regular expression of at most {LONGEST} characters"
    try:
        _compiled(pattern)
    except re2.error as problem:
        said = problem.args[0] if problem.args else problem
        text = said.decode("utf-8", "replace") if isinstance(said, bytes) else str(said)
        return (
            f"not a regular expression that can be matched in one pass, without looking ahead or back: {text}"
        )
    return ""


def fits(pattern: str, text: str) -> bool:
    """True when the whole of `text` is what `pattern` says. Raises re2.error for what `problem_of` finds."""
    return _fits(pattern, text) if len(text) <= SHORT else _compiled(pattern).fullmatch(text) is not None


def search(pattern: str, text: str) -> str:
    """What the first group of `pattern` finds in `text`, or all of it where it has none; "" where it finds
    nothing.
    """
    found = _compiled(pattern).search(text)
    if found is None:
        return ""
    return str(found.group(1) or "") if found.re.groups else str(found.group())


def every(pattern: str, text: str) -> list[str]:
    """What the first group of `pattern` finds, or all of it where it has none, at each place of `text`."""
    compiled = _compiled(pattern)
    return [str(m.group(1) or "") if compiled.groups else str(m.group()) for m in compiled.finditer(text)]


def groups_of(pattern: str) -> list[str]:
    """The names of a pattern's groups."""
    return list(_compiled(pattern).groupindex)


def found_in(pattern: str, text: str) -> dict[str, str] | None:
    """What each named group of `pattern` finds in `text`, None where it does not fit anywhere."""
    match = _compiled(pattern).search(text)
    return {k: str(v or "") for k, v in match.groupdict().items()} if match is not None else None


@lru_cache(maxsize=1 << 18)
def _fits(pattern: str, text: str) -> bool:
    """Names are asked for again and again: by the ledger at every stop, by the step, by landing."""
    return _compiled(pattern).fullmatch(text) is not None


@lru_cache(maxsize=256)
def _compiled(pattern: str) -> Any:
    options = re2.Options()
    options.log_errors = False
    options.max_mem = 1 << 24
    return re2.compile(pattern, options=options)
