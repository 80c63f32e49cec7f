"""What a syntax must answer so that documents in it can be changed at single places."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Literal, Protocol

from customs.registry import Registry

Where = Literal["first", "last", "before", "after"]


@dataclass(frozen=True)
class Span:
    """A value in a document: the bytes from `start` to `end`, and what they stand for."""

    start: int
    end: int
    value: str


@dataclass(frozen=True)
class Gap:
    """Where a block goes: in the place of the bytes from `start` to `end`, behind `lead` and before `tail`, its further lines behind
    `indent`. `there` is what has its identity already.
    """

    start: int
    end: int
    lead: bytes
    tail: bytes
    indent: bytes
    there: Span | None = None


class Syntax(Protocol):
    """Bodies are UTF-8 bytes. All of these raise ReadError for a document that is not well formed, with its line."""

    id: str
    references: bool
    """True where a character can be written by its number."""

    def check(self, body: bytes, file: str | Path) -> None:
        """Nothing where it is well formed: brackets and quotes balance, names stand once where they must."""

    def values(self, body: bytes, path: str, file: str | Path) -> Sequence[Span]:
        """The values a path leads to, in order. Raises ReadError for a path that is none."""

    def gap(
        self, body: bytes, path: str, where: Where, block: bytes, same: str, newline: bytes, file: str | Path
    ) -> Gap | None:
        """Where a `block` goes inside (first, last), before or after what a path leads to; None where it leads nowhere. `same`
        says by what one that is there already is told.
        """

    def block(self, body: bytes, path: str, file: str | Path) -> Span | None:
        """All of the first thing a path leads to, as it is written; None where it leads nowhere."""

    def every(self, body: bytes, name: str, file: str | Path) -> Sequence[Span]:
        """Every value that is exactly `name`."""

    def written(self, value: str, span: Span, body: bytes) -> bytes:
        """A value as it is written in the place of `span`, quotes and escapes as it needs them."""


syntaxes: Registry[Syntax] = Registry("syntax", "customs.documents.syntaxes")
"""By id; a new one is a file in `syntaxes/`."""
