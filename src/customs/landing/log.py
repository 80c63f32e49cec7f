"""The landing log."""

from __future__ import annotations

import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal

Level = Literal["note", "remark", "refusal"]


@dataclass(frozen=True)
class Line:
    """One line: seconds since the start, what the destination does, on which file, what it says."""

    seconds: float
    verb: str
    file: str
    text: str
    level: Level = "note"
    row: str = ""
    """The requirement it concerns, where the destination's own log says so."""

    def as_dict(self) -> dict[str, Any]:
        """For `--json`."""
        return {
            "seconds": round(self.seconds, 3),
            "verb": self.verb,
            "file": self.file,
            "text": self.text,
            "level": self.level,
            **({"row": self.row} if self.row else {}),
        }


@dataclass
class Log:
    """Lines in order, and the verdict."""

    folder: Path
    lines: list[Line] = field(default_factory=list)
    started: float = field(default_factory=time.perf_counter)

    def _add(self, verb: str, file: str, text: str, level: Level, row: str = "") -> None:
        self.lines.append(Line(time.perf_counter() - self.started, verb, file, text, level, row))

    def said(self, file: str, text: str, level: Level, row: str) -> None:
        """Something the destination itself said, and the requirement it concerns."""
        self._add("said", file, text, level, row)

    def note(self, verb: str, file: str, text: str) -> None:
        """Something that went well."""
        self._add(verb, file, text, "note")

    def remark(self, file: str, text: str) -> None:
        """Something odd that stops nothing."""
        self._add("remarks", file, text, "remark")

    def refuse(self, file: str, text: str) -> None:
        """Something the destination does not take."""
        self._add("refuses", file, text, "refusal")

    def check(self, good: bool, file: str, text: str) -> None:
        """A refusal unless `good`."""
        if not good:
            self.refuse(file, text)

    @property
    def refusals(self) -> int:
        """How many refusals."""
        return sum(line.level == "refusal" for line in self.lines)

    @property
    def remarks(self) -> int:
        """How many remarks."""
        return sum(line.level == "remark" for line in self.lines)

    @property
    def accepted(self) -> bool:
        """True without any refusal."""
        return self.refusals == 0
