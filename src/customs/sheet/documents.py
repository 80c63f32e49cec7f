"""What a sheet asks of the destination's own folder: where a package goes in it, and what changes in its documents."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from customs.sheet.part import InPackage, Part, filled

LONGEST = 20_000
"""Characters of a template."""
Template = Annotated[str, Field(max_length=LONGEST)]
SyntaxName = Literal["xml", "json", "ini", "bracketed"]


def inside_kit(value: str) -> str:
    """`value` when it is a plain path inside the kit. Raises ValueError."""
    parts = value.split("/")
    if value.startswith("/") or ".." in parts or "" in parts or "\\" in value or ":" in value or "{" in value:
        raise ValueError("a relative path inside the kit with forward slashes")
    return value


class EditRules(Part):
    """One change to a document; `at`, `text` and `same` as `documents.edit.Edit` has them. `text` is a template over what is
    delivered, `at` too.
    """

    do: Literal["insert", "set", "replace", "blank"]
    at: Template
    text: Template = ""
    where: Literal["first", "last", "before", "after"] = "last"
    same: str = ""


class ReferenceRules(Part):
    """Values of a document that name something: files of the kit below `under`, by an XPath, a JSON Pointer, `section/key`, or
    expressions as the document's edits have them; `names` says of what kind.
    """

    at: str = Field(min_length=1)
    names: Literal["file", "unique"] = "file"
    under: str = ""


class DocumentRules(Part):
    """A document of the kit: its path, its syntax, the encoding it has where it does not say, what is changed in it, and what of it
    is followed at landing. `new` is one that a delivery brings itself, from its text; its path is then a pattern.
    """

    path: str = Field(min_length=1)
    syntax: SyntaxName
    codec: str = ""
    edits: tuple[EditRules, ...] = ()
    new: Template = ""
    references: tuple[ReferenceRules, ...] = ()

    def place(self, asset: str) -> str:
        """Its path in the kit."""
        return filled(self.path, asset) if self.new else self.path

    @model_validator(mode="after")
    def _one_or_the_other(self) -> DocumentRules:
        if bool(self.new) == bool(self.edits):
            raise ValueError("either edits of a document that is there, or the text of a new one")
        if not self.new:
            inside_kit(self.path)
        return self


class KitRules(Part):
    """How a package goes into the kit folder: `place` is where, "" for not at all; as its files, or as one `bundle`."""

    place: InPackage | Literal[""] = ""
    bundle: Literal["none", "zip", "tar.gz", "7z"] = "none"
    name: str = "{asset}"

    def target(self, asset: str) -> str:
        """The folder, or the bundle's path, in the kit."""
        if self.bundle == "none":
            return filled(self.place, asset)
        return f"{filled(self.place, asset)}/{filled(self.name, asset)}.{self.bundle}"
