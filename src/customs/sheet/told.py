"""How the lines of a log that a destination itself writes are read."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from customs.patterns import groups_of, problem_of
from customs.sheet.part import Part


class LogRules(Part):
    """Lines like `pattern`: what they say (group `text`, or the whole line) of which thing (group `file`: a file's name or path, or
    any name of the model), how grave it is, and which requirement it concerns. The first that fits a line counts.
    """

    pattern: str = Field(min_length=1)
    level: Literal["note", "remark", "refusal"] = "refusal"
    requirement: str = ""

    @model_validator(mode="after")
    def _readable(self) -> LogRules:
        if problem := problem_of(self.pattern):
            raise ValueError(f"pattern {self.pattern!r}: {problem}")
        if not set(groups_of(self.pattern)) <= {"file", "text"}:
            raise ValueError(f"pattern {self.pattern!r}: the groups file and text")
        return self
