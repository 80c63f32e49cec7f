"""Errors a person can act on: which file, where in it, what was found, what was expected, what to do."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path


@dataclass(eq=False)
class CustomsError(Exception):
    """Base of all errors of our own. `str()` is one line fit for a person."""

    found: str
    expected: str = ""
    todo: str = ""
    file: str | Path = ""
    where: str = ""
    line: int = 0
    kind: str = field(default="problem", init=False)

    def __post_init__(self) -> None:
        # What stands at a place may be nothing at all, and a line must say so.
        self.found = self.found.strip() or "nothing"
        super().__init__(self.found)

    def __str__(self) -> str:
        head = ": ".join(str(part) for part in (self.file, self.where) if str(part))
        text = f"{head}: {self.found}" if head else self.found
        if self.expected:
            text += f"; expected {self.expected}"
        if self.todo:
            text += f". {self.todo}"
        return text

    def __reduce__(self) -> tuple[object, ...]:
        return (type(self), (self.found, self.expected, self.todo, str(self.file), self.where, self.line))

    def as_dict(self) -> dict[str, str]:
        """The parts as text, for `--json` and the docket."""
        return {
            "kind": type(self).__name__,
            "file": str(self.file),
            "where": self.where,
            "found": self.found,
            "expected": self.expected,
            "todo": self.todo,
        }


class ReadError(CustomsError):
    """A file says something that cannot be true."""


class UnsupportedError(CustomsError):
    """A file is sound, but needs something Customs does not have."""


class OtherGoodsError(CustomsError):
    """An asset is none of those that were meant."""


class UsageError(CustomsError):
    """What a command line asks for cannot be asked for."""


class ClusterError(CustomsError):
    """A cluster cannot be reached, or cannot be trusted with the work."""


class LimitError(CustomsError):
    """Something is larger than a stated limit."""


class SheetError(CustomsError):
    """A destination sheet or an origin is not well formed."""


class StepError(CustomsError):
    """A step on the route cannot do its work with these settings."""


class SettingError(StepError):
    """A setting a person wrote (`stop.field=value`) names no stop, no field, or no value the field takes."""


class WriteError(CustomsError):
    """A package or a file could not be written."""


class ShipmentError(CustomsError):
    """A shipment file cannot be opened or changed."""


class ToolError(CustomsError):
    """An outside program or driver failed."""


class UnforeseenError(CustomsError):
    """What nobody foresaw: ours to mend. The others of its company go on."""


class Cancelled(Exception):  # noqa: N818 (not an error: a person's wish)
    """Raised inside a job when its person asked for it to stop."""


def unforeseen(problem: BaseException, file: str | Path) -> UnforeseenError:
    """The error of an asset that failed in a way nobody foresaw."""
    return UnforeseenError(
        f"something unforeseen went wrong ({type(problem).__name__}: {problem})",
        "",
        "Please report it, with the file.",
        file,
    )
