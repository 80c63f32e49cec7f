"""Keys: names for scene elements that survive steps, where indices do not."""

from __future__ import annotations

from dataclasses import dataclass

FILE = "file"
"""Kind of the Key of a texture that lies near an asset and is not part of it."""


@dataclass(frozen=True, order=True)
class Key:
    """File digest (first twelve hex digits), kind of element, ordinal in the file."""

    digest: str
    kind: str
    ordinal: int

    def __str__(self) -> str:
        return f"{self.digest}:{self.kind}:{self.ordinal}"

    @classmethod
    def parse(cls, text: str) -> Key:
        """The Key written as `text`. Raises ValueError when `text` is not a Key."""
        digest, kind, ordinal = text.split(":")
        return cls(digest, kind, int(ordinal))
