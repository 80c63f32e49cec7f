"""The formats Customs knows, found by what their modules register: by content first, by ending second."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path

from customs.errors import UnsupportedError
from customs.formats.names import with_plain_names
from customs.formats.source import Source
from customs.registry import Registry
from customs.scene.convention import Convention
from customs.scene.folding import fold
from customs.scene.model import STANDARD_SLOTS, Scene
from customs.scene.settings import Settings

Buffer = bytes | memoryview
Parts = list[Buffer]
"""A file as buffers one after another, so big arrays are written without a copy."""


@dataclass(frozen=True)
class WriteOptions:
    """What a writer needs besides the scene: the name of the model file and how textures are found from
    it.
    """

    stem: str
    image_path: Mapping[int, str] = field(default_factory=dict)
    """Relative path of each image (by index) when textures lie apart; empty when they go inside."""
    settings: Settings = field(default_factory=Settings)
    """What the sheet says of the form of the file, as the format's own `settings`."""


@dataclass(frozen=True)
class Format:
    """One model file format. `carries` names what a scene keeps in it; `fixed` says axes and unit are the
    format's own. `settings` are what a sheet may say of the form of the file (`model.form`); `written` gives
    the endings of the files a scene is written as, the model first, where they are not the id; `share` is
    about how many bytes a file has for each byte of its arrays, which is one where they stand in it as they
    are (medians of the demo's goods, 78 deliveries).
    """

    id: str
    title: str
    endings: tuple[str, ...]
    convention: Convention
    carries: frozenset[str]
    looks_like: Callable[[bytes], bool]
    read: Callable[[Source], Scene]
    write: Callable[[Scene, WriteOptions], dict[str, Parts]] | None = None
    """Files by ending or name (`.glb`, `.obj`, `.mtl`)."""
    fixed: bool = False
    images_inside: bool = False
    image_forms: tuple[str, ...] = ("png", "jpeg", "tga", "bmp")
    texture_roles: tuple[str, ...] = STANDARD_SLOTS
    """Roles a material of this format has a place for."""
    places: bool = False
    """A texture says its UV set and its transform, and readers heed both."""
    factors: bool = False
    """A texture is multiplied by numbers beside it, and readers heed them."""
    channels: bool = False
    """A texture says which of its channels counts, and readers heed it."""
    settings: type[Settings] = Settings
    leans: Callable[[Source], None] | None = None
    """Looks for the companions a file names, as reading it would, and reads nothing else."""
    written: Callable[[Scene], tuple[str, ...]] | None = None
    share: float = 1.0
    wide: bool = False
    """Others look like it too (JSON is many things): it is asked after all of them."""

    def files(self, scene: Scene) -> tuple[str, ...]:
        """Endings of the files a scene is written as, the model first."""
        return self.written(scene) if self.written is not None else (f".{self.id}",)


FORMATS = Registry[Format]("the formats", "customs.formats")
register = FORMATS.add


def formats() -> dict[str, Format]:
    """All formats by id."""
    return FORMATS.all()


def get_format(id_: str) -> Format:
    """The format called `id_`. Raises KeyError."""
    return FORMATS[id_]


def endings() -> set[str]:
    """All endings some format reads, lower case with the dot."""
    return {e for f in formats().values() for e in f.endings}


def recognise(path: Path, head: bytes) -> Format | None:
    """The format of a file: by its first bytes, then by its ending."""
    for entry in sorted(formats().values(), key=lambda f: f.wide):
        if entry.looks_like(head):
            return entry
    for entry in formats().values():
        if path.suffix.lower() in entry.endings:
            return entry
    return None


def read_scene(source: Source) -> Scene:
    """The scene in a file, raw numbers with its convention. Raises CustomsError."""
    entry = recognise(source.path, source.data[:1024])
    if entry is None:
        known = ", ".join(sorted(endings()))
        raise UnsupportedError("file of an unknown kind", f"one of {known}", "Convert it first.", source.path)
    if not source.data:
        raise source.error("", "an empty file", f"a {entry.title} file", "Export it again.")
    scene = entry.read(source)
    return fold(with_plain_names(replace(scene, format=entry.id, remarks=(*scene.remarks, *source.remarks))))
