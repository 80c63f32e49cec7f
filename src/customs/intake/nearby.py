"""Texture files around an asset that it may be meant to have: those of a missing name, and those of its
families.
"""

from __future__ import annotations

import difflib
import os
import time
import zlib
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from pathlib import Path

from customs.files import is_file, open_regular
from customs.intake.through import disk_file, heap_of, outer
from customs.scene.content import Encoded
from customs.scene.key import FILE, Key
from customs.scene.model import Image, Scene
from customs.surface.files.base import texture_formats
from customs.surface.pixels import probe
from customs.surface.suffixes import words

MOST_LISTED, MOST_FOUND, MOST_FUZZY = 50_000, 200, 20
LIKE = 0.84
"""Least likeness of a misspelt name (ratio of difflib)."""
LISTING_SECONDS = 10.0
HEAD = 1 << 16
"""Bytes of a file that tell it from others of its name and size."""
_listings: dict[Path, tuple[float, list[Path]]] = {}


def texture_files(folder: Path) -> list[Path]:
    """Texture files in `folder` and below, hidden ones passed over; kept for a few seconds, as many assets
    ask alike. Those of an archive, where it is one.
    """
    if (archive := outer(folder)) is not None:
        begin = f"{folder}/"
        entries = heap_of(archive).entries
        return [
            e.path for e in entries if e.kind == "texture" and not e.problem and e.place.startswith(begin)
        ]
    now = time.monotonic()
    known = _listings.get(folder)
    if known is None or now - known[0] > LISTING_SECONDS:
        _listings.clear()
        known = _listings[folder] = (now, list(_listed(folder)))
    return known[1]


def _listed(folder: Path) -> Iterator[Path]:
    endings = {e for f in texture_formats().values() for e in f.endings}
    count = 0
    for place, names, files in os.walk(folder):
        names[:] = sorted(n for n in names if not n.startswith("."))
        for name in sorted(files):
            if os.path.splitext(name)[1].lower() in endings and not name.startswith("."):
                path = Path(place, name)
                # A link out of the folder, or a name that is no file, is not the asset's.
                if (path.is_symlink() and not path.resolve().is_relative_to(folder)) or not is_file(path):
                    continue
                yield path
                count += 1
                if count >= MOST_LISTED:
                    return


def missing_names(scene: Scene) -> list[str]:
    """Stems of textures that are named and not there."""
    return [stem(im.uri or im.name) for im in scene.images if not im.there]


def stem(name: str) -> str:
    """The file name without folder and ending, small letters."""
    return os.path.splitext(name.replace("\\", "/").rsplit("/", 1)[-1])[0].lower()


def _families(scene: Scene, own: str) -> list[tuple[str, ...]]:
    """Words a texture of this asset would begin with: its materials' names, its own, those of its
    textures.
    """
    names = {own, *(m.name for m in scene.materials)}
    for image in scene.images:
        said = words(image.name)
        if len(said) > 1:
            names.add("_".join(said[:-1]))
    return sorted({w for n in names if (w := tuple(words(n)))})


def alike(a: str, b: str) -> bool:
    """True for a name and its likely misspelling."""
    return difflib.SequenceMatcher(None, a, b).ratio() >= LIKE


def nearby(scene: Scene, model: Path, folders: Iterable[Path], touched: Iterable[Path] = ()) -> list[Path]:
    """Files near `model` its scene does not name but may be meant to: at most MOST_FOUND, those of missing
    names first. `touched` are files it has been read from.
    """
    have = {*touched} | {
        im.content.path.resolve()
        for im in scene.images
        if im.content is not None and im.content.path is not None
    }
    files: dict[Path, str] = {}
    for folder in folders:
        for path in texture_files(folder.resolve()):
            if path not in have:
                files.setdefault(path, path.stem.lower())
    lost = missing_names(scene)
    named = {p for p, s in files.items() if s in set(lost)}
    alone = [n for n in lost if all(files[p] != n for p in named)][:MOST_FUZZY]
    for name in alone:
        close = set(difflib.get_close_matches(name, set(files.values()), 4, LIKE))
        named |= {p for p, s in files.items() if s in close}
    families = _families(scene, model.stem)
    first = {f[0] for f in families}
    kin = (
        {p for p, s in files.items() if p not in named and _is_kin(p.stem, families, first)}
        if scene.materials
        else set()
    )
    return [*_sorted(named, model)[:MOST_FOUND], *_sorted(kin, model)][:MOST_FOUND]


def _is_kin(stem: str, families: Sequence[tuple[str, ...]], first: set[str]) -> bool:
    said = words(stem)
    return bool(said) and said[0] in first and any(tuple(said[: len(f)]) == f for f in families)


def _sorted(paths: set[Path], model: Path) -> list[Path]:
    """Nearest first, then by path, so that the order is the same for a copy of them all."""
    folder = model.resolve().parent
    shown = {p: os.path.relpath(p, folder) for p in paths}
    return sorted(paths, key=lambda p: (shown[p].count("/"), shown[p]))


def with_nearby(scene: Scene, model: Path, found: Sequence[Path]) -> Scene:
    """The scene with the files found as images nothing uses yet; their uri is the path from the model."""
    folder = model.resolve().parent
    images: dict[Key, Image] = {}
    for path in found:
        shown = Path(os.path.relpath(path, folder)).as_posix()
        # By name and content: the same file has the same Key wherever it lies, and a copy of it is no second
        # choice.
        key = Key(scene.digest, FILE, _mark(path))
        image = Image(key, path.stem, Encoded(disk_file(path)), uri=shown)
        images.setdefault(key, replace(image, problem=probe(image)))
    return replace(scene, images=(*scene.images, *images.values())) if images else scene


def _mark(path: Path) -> int:
    """A number for a file by its name, its size and its first bytes."""
    with open_regular(disk_file(path)) as f:
        size = os.fstat(f.fileno()).st_size
        return zlib.crc32(os.fsencode(f"{path.name.lower()} {size}") + f.read(HEAD))
