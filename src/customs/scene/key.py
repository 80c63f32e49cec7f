"""Keys: names for scene elements that survive steps, where indices do not."""

from __future__ import annotations

from dataclasses import dataclass, field

KINDS = ("nodes", "meshes", "materials", "images", "skins", "clips")
"""Fields of a scene whose elements have Keys; primitives and what nodes hold have them besides."""
FILE = "file"
"""Kind of the Key of a texture that lies near an asset and is not part of it."""


@dataclass(frozen=True, order=True)
class Key:
    """Where an element of a file came from: file digest (first twelve hex digits), kind, ordinal in the file.
    What a step makes has a `path` besides, `step.part` for each step it came through:
    `digest:kind:ordinal/settle.12/join`.

    `old` is what an earlier edition called it, "" for a file's own: decisions kept by then speak of it so.
    """

    digest: str
    kind: str
    ordinal: int
    path: str = ""
    old: str = field(default="", compare=False, repr=False)

    def __str__(self) -> str:
        plain = f"{self.digest}:{self.kind}:{self.ordinal}"
        return f"{plain}/{self.path}" if self.path else plain

    @property
    def part(self) -> str:
        """The element within its file and kind, as a part of another's path."""
        return f"{self.ordinal}~{self.path.replace('/', '~')}" if self.path else str(self.ordinal)

    @property
    def was(self) -> Key:
        """The Key as an earlier edition made it."""
        return Key.parse(self.old) if self.old else self

    @classmethod
    def parse(cls, text: str) -> Key:
        """The Key written as `text`, of this edition or an earlier one. Raises ValueError when `text` is no
        Key.
        """
        digest, kind, rest = text.split(":", 2)
        ordinal, _, path = rest.partition("/")
        return cls(digest, kind, int(ordinal), path)


def made_key(source: Key, step: str, part: object = "", old: Key | None = None) -> Key:
    """The Key of what `step` makes from `source`: the same every time. `part` tells apart several made from
    one.

    `old` is the Key an earlier edition made; without it, the one it made for textures and materials.
    """
    said = f"{step}.{part}" if str(part) else step
    was = source.was
    before = old if old is not None else Key(was.digest, f"{was.kind}.{said}", was.ordinal)
    return Key(
        source.digest,
        source.kind,
        source.ordinal,
        f"{source.path}/{said}" if source.path else said,
        str(before),
    )
