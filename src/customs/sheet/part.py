"""The base of every table of a sheet, and checks of patterns."""

from __future__ import annotations

import re
from typing import Annotated

from pydantic import AfterValidator, BaseModel, ConfigDict

TOKENS = ("asset", "name", "index", "later", "material", "role", "ending", "part", "side", "place", "order", "number", "original",
          "mirror")  # fmt: skip


class Part(BaseModel):
    """Base of every table: frozen, and unknown keys are errors."""

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)


def check_pattern(value: str) -> str:
    """`value` when all its {tokens} are known. Raises ValueError."""
    rest = re.sub(r"\{(" + "|".join(TOKENS) + r")\}", "", value)
    if "{" in rest or "}" in rest:
        raise ValueError("only the tokens " + " ".join("{" + t + "}" for t in TOKENS))
    if not value.strip():
        raise ValueError("a pattern that is not empty")
    return value


def inside_package(value: str) -> str:
    """`value` when it is a pattern for a path inside the package. Raises ValueError."""
    check_pattern(value)
    if value.startswith("/") or ".." in value.split("/") or "\\" in value or ":" in value:
        raise ValueError("a relative path inside the package with forward slashes")
    return value


InPackage = Annotated[str, AfterValidator(inside_package)]
"""A pattern for a path inside the package."""


def filled(pattern: str, asset: str, name: str = "", ending: str = "") -> str:
    """A pattern with what a file has of its tokens; those of names alone are left empty."""
    known = dict.fromkeys(TOKENS, "") | {"asset": asset, "name": name or asset, "ending": ending}
    return pattern.format(**known)
