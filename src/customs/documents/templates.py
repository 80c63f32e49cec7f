"""Texts made from templates (Jinja2, sandboxed): what is not there is an error, what would run on is stopped."""

from __future__ import annotations

import time
from collections.abc import Mapping
from functools import lru_cache
from typing import Any

from customs.errors import SheetError

MOST = 4_000_000
"""Characters that come of one template at most."""
SECONDS = 5.0
LARGEST_POWER = 64
"""Seconds one template may take."""


def quoted(value: Any) -> str:
    """A value as it stands between double quotes: a quote and a backslash behind a backslash, a new line as a blank."""
    return " ".join(str(value).splitlines()).replace("\\", "\\\\").replace('"', '\\"')


@lru_cache(maxsize=2)
def _environment(escaped: bool) -> Any:
    # Loaded where a template is filled: lists of sheets need none.
    from jinja2 import StrictUndefined
    from jinja2.sandbox import ImmutableSandboxedEnvironment

    class Careful(ImmutableSandboxedEnvironment):
        """Multiplying makes much of nothing: what would not fit is not begun."""

        intercepted_binops = frozenset(["*", "**", "%"])

        def call_binop(self, context: Any, operator: str, left: Any, right: Any) -> Any:
            numbers = all(isinstance(x, int | float) for x in (left, right))
            if not numbers or (operator == "**" and abs(right) > LARGEST_POWER):
                raise ValueError(f"{operator} is for numbers that are not large")
            return super().call_binop(context, operator, left, right)

    made = Careful(
        undefined=StrictUndefined,
        autoescape=escaped,
        trim_blocks=True,
        lstrip_blocks=True,
        keep_trailing_newline=True,
    )
    # Nothing that makes much of nothing.
    made.globals.clear()
    for name in ("center", "indent", "format", "wordwrap", "slice", "batch"):
        made.filters.pop(name, None)
    made.filters["quoted"] = quoted
    return made


def filled_in(template: str, facts: Mapping[str, Any], syntax: str, where: str) -> str:
    """A template with the facts; values are escaped where the syntax is XML. Raises SheetError, which says `where`."""
    from jinja2 import TemplateError

    until, out, length = time.monotonic() + SECONDS, list[str](), 0
    try:
        for part in _environment(syntax == "xml").from_string(template).generate(**facts):
            out.append(part)
            length += len(part)
            if length > MOST or time.monotonic() > until:
                raise SheetError(
                    "a template that runs on", f"at most {MOST:,} characters", "Mend it.", where=where
                )
    except TemplateError as problem:
        raise SheetError(
            f"a template that cannot be filled: {problem}", "facts there are", "Mend it.", where=where
        ) from None
    except (TypeError, ValueError, ArithmeticError, MemoryError, RecursionError) as problem:
        raise SheetError(
            f"a template that fails ({problem})", "facts as they are", "Mend it.", where=where
        ) from None
    return "".join(out)
