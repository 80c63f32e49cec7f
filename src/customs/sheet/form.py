"""The form of an asset: fields a destination wants filled in, each checked as it is typed."""

from __future__ import annotations

import math
import re
from typing import Any, Literal

from pydantic import Field, model_validator

from customs.patterns import problem_of as pattern_problem
from customs.sheet.documents import SyntaxName, inside_kit
from customs.sheet.part import Part

Kind = Literal[
    "text", "number", "id", "existing", "choice", "choices", "decades", "region", "email", "licence", "colour"
]
Value = str | float | int | list[str] | list[int]
LARGEST_ID = 10**15
"""Whole numbers up to here are exact everywhere, in JSON too (RFC 8259, 6)."""
MAIL = re.compile(r"[A-Za-z0-9.!#$%&'*+/=?^_`{|}~-]+@[A-Za-z0-9-]+(?:\.[A-Za-z0-9-]+)+")
"""An e-mail address as HTML's input takes it (HTML Living Standard, 4.10.5.1.5)."""
LICENCE = re.compile(r"[A-Za-z0-9.+:-]+(?: (?:AND|OR|WITH) [A-Za-z0-9.+:-]+)*")
"""A licence expression in a line (SPDX 2.3, annex D, without brackets)."""
COLOUR = re.compile(r"#[0-9a-fA-F]{6}")
DECADE = re.compile(r"(-?\d{1,4})0s?")


class TakenRules(Part):
    """Where numbers that are taken stand in the kit: names of `folders` or `files` in `path`, values of a `document` (`at`, in
    `syntax`), or the lines of a `list`. `pattern` finds the number in each: its first group, or all of it.
    """

    look: Literal["folders", "files", "document", "list"]
    path: str = ""
    syntax: SyntaxName = "bracketed"
    at: str = ""
    codec: str = ""
    pattern: str = r"\d+"

    @model_validator(mode="after")
    def _whole(self) -> TakenRules:
        if self.path:
            inside_kit(self.path)
        if problem := pattern_problem(self.pattern):
            raise ValueError(f"pattern {self.pattern!r}: {problem}")
        if self.look == "document" and not self.at:
            raise ValueError("at: where the numbers stand in the document")
        return self


class FieldRules(Part):
    """One field. `least` and `most` bound numbers and decades, `longest` texts; `options` are what is chosen from; `about` helps.

    An `id` is a whole number nobody else may have: those `taken` are read from the kit; written with `digits` places, behind the
    number of the field `after` where it has two parts. `existing` is the name of something the kit has; `taken` says where those stand.
    """

    id: str = Field(pattern=r"^[a-z][a-z0-9_]*$", max_length=32)
    title: str = Field(min_length=1, max_length=60)
    kind: Kind = "text"
    required: bool = False
    options: tuple[str, ...] = ()
    unit: str = ""
    least: float | None = None
    most: float | None = None
    longest: int = Field(default=200, ge=1, le=20_000)
    about: str = ""
    digits: int = Field(default=0, ge=0, le=12)
    after: str = ""
    taken: tuple[TakenRules, ...] = ()

    @model_validator(mode="after")
    def _has_options(self) -> FieldRules:
        if self.kind in ("choice", "choices", "region") and not self.options:
            raise ValueError("options: something to choose from")
        return self


def value_of(field: FieldRules, text: str) -> Value:
    """What a person typed as the field holds it. Raises ValueError with what is wrong, in words that stand beside the field."""
    text = text.strip()
    if field.kind == "number":
        return _number(field, text)
    if field.kind == "id":
        if not re.fullmatch(r"[0-9]{1,15}", text):
            raise ValueError("a whole number")
        whole = int(text)
        if problem := problem_of(field, whole):
            raise ValueError(problem)
        return whole
    if field.kind in ("choices", "decades"):
        parts = [p.strip() for p in re.split(r"[,;]", text) if p.strip()]
        value: Any = parts if field.kind == "choices" else [_decade(p) for p in parts]
        if problem := problem_of(field, value):
            raise ValueError(problem)
        return value
    if problem := problem_of(field, text):
        raise ValueError(problem)
    return text


def _number(field: FieldRules, text: str) -> float:
    try:
        value = float(text.removesuffix(field.unit).strip().replace(",", ".")) if text else math.nan
    except ValueError:
        raise ValueError(f"a number{f' in {field.unit}' if field.unit else ''}") from None
    if problem := problem_of(field, value):
        raise ValueError(problem)
    return value


def _decade(text: str) -> int:
    match = DECADE.fullmatch(text)
    if match is None:
        raise ValueError(f"decades like 1890 or 1890s; {text} is none")
    return int(match[1]) * 10


def text_of(value: Any) -> str:
    """A value as it is typed."""
    if isinstance(value, list):
        return ", ".join(str(v) for v in value)
    return f"{value:g}" if isinstance(value, float) else str(value)


def problem_of(field: FieldRules, value: Any) -> str:
    """What is wrong with a value, "" for nothing; whatever is in a file may be asked about."""
    if field.kind == "number":
        if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
            return f"a number{f' in {field.unit}' if field.unit else ''}"
        return _bounds(field, value)
    if field.kind == "id":
        whole = isinstance(value, int) and not isinstance(value, bool) and 0 <= value <= LARGEST_ID
        return _id_problem(field, value) if whole else "a whole number"
    if field.kind in ("choices", "decades"):
        return _several(field, value)
    if not isinstance(value, str):
        return "a text"
    if not value.strip():
        return "something" if field.required else ""
    return _single(field, value)


def _id_problem(field: FieldRules, value: int) -> str:
    if field.digits and value >= 10**field.digits:
        return f"at most {field.digits} digits"
    return _bounds(field, value)


def _bounds(field: FieldRules, value: float) -> str:
    unit = f" {field.unit}" if field.unit else ""
    if field.least is not None and value < field.least:
        return f"at least {field.least:g}{unit}"
    if field.most is not None and value > field.most:
        return f"at most {field.most:g}{unit}"
    return ""


def _several(field: FieldRules, value: Any) -> str:
    if not isinstance(value, list | tuple):
        return "several, with commas between them"
    if not value and field.required:
        return "at least one"
    if len(set(map(str, value))) < len(value):
        return "each once"
    if field.kind == "choices":
        strange = [v for v in value if v not in field.options]
        return f"of {', '.join(field.options)}; {strange[0]} is none" if strange else ""
    for v in value:
        if isinstance(v, bool) or not isinstance(v, int) or v % 10:
            return f"decades like 1890; {v} is none"
        if problem := _bounds(field, v):
            return problem
    return ""


def _single(field: FieldRules, value: str) -> str:
    if len(value) > field.longest:
        return f"at most {field.longest} characters; it has {len(value)}"
    if any(ord(c) < 32 and c != "\n" for c in value):
        return "no control characters"
    if field.kind in ("choice", "region") and value not in field.options:
        return f"one of {', '.join(field.options)}"
    shapes = {
        "email": (MAIL, "an e-mail address"),
        "licence": (LICENCE, "a licence like CC-BY-4.0"),
        "colour": (COLOUR, "a colour like #3f7f6a"),
    }
    if field.kind in shapes and not shapes[field.kind][0].fullmatch(value):
        return shapes[field.kind][1]
    return ""
