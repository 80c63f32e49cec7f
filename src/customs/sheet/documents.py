"""What a sheet asks of the destination's own folder: where a package goes in it, and what changes in its documents."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, Field, model_validator

from customs.patterns import problem_of
from customs.sheet.part import InPackage, Part, check_pattern, filled

LONGEST = 20_000
"""Characters of a template."""
Template = Annotated[str, Field(max_length=LONGEST)]
SyntaxName = Literal["xml", "json", "ini", "bracketed"]
NamesWhat = Literal[
    "file",
    "unique",
    "order",
    "number",
    "version",
    "node",
    "mesh",
    "material",
    "texture",
    "clip",
    "index-path",
]


def inside_kit(value: str) -> str:
    """`value` when it is a plain path inside the kit. Raises ValueError."""
    parts = value.split("/")
    if value.startswith("/") or ".." in parts or "" in parts or "\\" in value or ":" in value or "{" in value:
        raise ValueError("a relative path inside the kit with forward slashes")
    return value


InKit = Annotated[str, AfterValidator(inside_kit)]
"""A path inside the kit."""
Bundle = Literal["none", "zip", "tar.gz", "7z"]


class EditRules(Part):
    """One change to a document; `at`, `text`, `same` and `swap` as `documents.edit.Edit` has them. `text`, `at` and `swap` are
    templates over what is delivered.
    """

    do: Literal["insert", "set", "replace", "blank", "copy"]
    at: Template
    text: Template = ""
    where: Literal["first", "last", "before", "after"] = "last"
    same: str = ""
    swap: tuple[tuple[Template, Template], ...] = ()


class ReferenceRules(Part):
    """Values of a document that name something, by an XPath, a JSON Pointer, `section/key`, or expressions as the document's edits
    have them; {asset} in it is the asset's name. `names` says what: files of the kit below `under` (or of the package), values that
    stand once (`unique`) or count 1, 2, 3, … (`order`), the asset's number, the kit's version, things of the model by name, an index
    path from its root.
    """

    at: str = Field(min_length=1)
    names: NamesWhat = "file"
    under: str = ""

    def where(self, asset: str) -> str:
        """Where the values stand, for one asset."""
        return self.at.replace("{asset}", asset)


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


class IndexRules(Part):
    """A file that lists the files of a `folder` of the kit whose names are like one of `files`, with sizes and hashes: as JSON, or as
    `sums`, the lines that sha256sum writes (GNU coreutils). It is made anew by every dispatch, and not listed itself.
    """

    path: InKit
    folder: InKit | Literal[""] = ""
    files: tuple[str, ...] = Field(default=("*",), min_length=1)
    form: Literal["json", "sums"] = "json"


class VersionRules(Part):
    """The kit's own version, read by `pattern` (its first group, or all of it) from one of its files; what is `expected`."""

    file: InKit
    pattern: str = Field(min_length=1)
    expected: str = Field(min_length=1)
    codec: str = ""

    @model_validator(mode="after")
    def _readable(self) -> VersionRules:
        if problem := problem_of(self.pattern):
            raise ValueError(f"pattern {self.pattern!r}: {problem}")
        return self


class KitRules(Part):
    """How a package goes into the kit folder: `place` is where, "" for not at all; as its files, or as one `bundle` called `name`.

    Files like one of `packed` are compressed alone there (gzip, RFC 1952). `replaces` says that it takes the place of what is there
    by the same name. {mirror} are the folders of the source from the one called `mirror_from` down.
    """

    place: InPackage | Literal[""] = ""
    bundle: Bundle = "none"
    name: Annotated[str, AfterValidator(check_pattern)] = "{asset}"
    packed: tuple[str, ...] = ()
    replaces: bool = False
    mirror_from: str = ""
    index: IndexRules | None = None
    version: VersionRules | None = None

    def target(self, asset: str) -> str:
        """The folder, or the bundle's path, in the kit."""
        if self.bundle == "none":
            return filled(self.place, asset)
        return f"{filled(self.place, asset)}/{filled(self.name, asset)}.{self.bundle}"
