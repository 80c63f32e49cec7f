"""Textures of a brush level: files by their names in a folder of textures, sizes from them or, where they are missing, from a table."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np
import numpy.typing as npt

from customs.errors import CustomsError
from customs.formats.source import Source, decode_text
from customs.levels.library import Resolved, resolve
from customs.levels.mapping import Library
from customs.scene.key import Key
from customs.scene.model import Image, Material, TextureUse
from customs.surface.pixels import content_info, probe
from customs.words import many

FOLDERS = ("textures", "materials")
"""Folders textures lie in, beside the level or one above it (common practice)."""
TABLE = "texture-sizes.csv"
"""Sizes of textures whose files are missing: columns name, width, height."""
ENDINGS = (".png", ".jpg", ".jpeg", ".tga", ".bmp", ".dds", ".webp")
USUAL = 64.0
"""Pixels a side where nothing says how large a texture is (ours; told)."""
LARGEST = 65_536


def materials_of(
    source: Source, names: Sequence[str], digest: str
) -> tuple[list[Material], list[Image], npt.NDArray[np.float64]]:
    """(a material for each name, images, sizes (N, 2) in pixels); what is missing, unclear or of no size is told."""
    table = _sizes(source)
    materials: list[Material] = []
    images: list[Image] = []
    sizes = np.full((len(names), 2), USUAL)
    unknown: list[str] = []
    for k, found in enumerate(_resolved(source, names)):
        image = _image(source, found, Key(digest, "image", k))
        size = _pixels(image) or table.get(found.name.casefold())
        if size is None:
            unknown.append(found.name)
        else:
            sizes[k] = size
        images.append(image)
        materials.append(
            Material(
                Key(digest, "material", k), found.name, metallic=0.0, textures={"base_colour": TextureUse(k)}
            )
        )
    if unknown:
        source.remark(
            f"{many(len(unknown), 'texture')} of unknown size ({', '.join(unknown[:5])}{', …' if len(unknown) > 5 else ''}): UVs as for "
            f"{USUAL:g} × {USUAL:g} pixels. Find the files, or write their sizes into {TABLE} beside the level"
        )
    return materials, images, sizes


def _resolved(source: Source, names: Sequence[str]) -> list[Resolved]:
    """Every name looked up once, in the folders of textures inside the source's tree."""
    here = source.path.parent
    folders = [p / name for p in (here, here.parent) for name in FOLDERS if source.tree.holds(p / name)]
    known = [f for f in folders if source.tree.listing(f)] or [here]

    def walk(root: Path) -> Iterator[tuple[str, list[str]]]:
        # Without a folder of textures only what lies beside the level is looked at.
        return source.walk(root, root != here)

    return resolve([(n, 1) for n in names], known, Library(endings=ENDINGS), walk, source.given)


def _image(source: Source, found: Resolved, key: Key) -> Image:
    name = found.name
    short = name.replace("\\", "/").rsplit("/", 1)[-1]
    if found.file is None:
        source.absent.append(name)
        problem = (
            f"{len(found.files)} files may be meant by {name}" if found.files else f"{name} is not there"
        )
        return Image(key, short, uri=name, problem=problem)
    source.touched.append(found.file)
    image = Image(key, short, source.encoded(found.file), uri=name)
    trouble = probe(image)
    return replace(image, problem=trouble) if trouble else image


def _pixels(image: Image) -> tuple[float, float] | None:
    if image.content is None or image.problem:
        return None
    try:
        info = content_info(image.content)
    except CustomsError:
        return None
    return float(info.width), float(info.height)


def _sizes(source: Source) -> dict[str, tuple[float, float]]:
    """Sizes by name from the table beside the level or in a folder of textures; rows that say none are told."""
    place = next((n for n in (TABLE, *(f"{f}/{TABLE}" for f in FOLDERS)) if source.has(n)), None)
    path = source.companion(place, "sizes of textures") if place is not None else None
    out: dict[str, tuple[float, float]] = {}
    if path is None:
        return out
    bad: list[int] = []
    for number, row in enumerate(csv.reader(io.StringIO(decode_text(source.read(path)))), 1):
        if not row or not row[0].strip() or (number == 1 and row[0].strip().lower() == "name"):
            continue
        try:
            width, height = (float(x) for x in row[1:3])
        except ValueError:
            width = height = 0.0
        if 0 < width <= LARGEST and 0 < height <= LARGEST:
            out[row[0].strip().casefold()] = (width, height)
        else:
            bad.append(number)
    if bad:
        lines = ", ".join(map(str, bad[:5])) + (", …" if len(bad) > 5 else "")
        source.remark(f"{TABLE} line {lines}: no size (name, width, height in pixels) and passed over")
    return out
