"""The textures of a package by the sheet: there, readable, of the kind, size, compression and number it
takes.
"""

from __future__ import annotations

from pathlib import Path

from customs.errors import CustomsError
from customs.landing.log import Log
from customs.scene.model import Image, Scene
from customs.sheet.blocks import compressed, wanted_block
from customs.sheet.model import Sheet
from customs.surface.files.base import ImageInfo, recognise, texture_format, texture_formats
from customs.surface.files.mips import full_chain
from customs.surface.pixels import image_info, pixels_or_none

ENDINGS = {e for f in texture_formats().values() for e in f.endings}


def check_textures(scene: Scene, sheet: Sheet, log: Log, under: str = "") -> None:
    """Every texture a material names; `under` is the folder inside the package that its paths begin at."""
    users: dict[int, set[str]] = {}
    names: dict[int, str] = {}
    for m in scene.materials:
        _roles(m.name, set(m.textures), sheet, log)
        for slot, u in m.textures.items():
            users.setdefault(u.image, set()).add(slot)
            names.setdefault(u.image, m.name)
    for i, slots in sorted(users.items()):
        image = scene.images[i]
        shown = f"{under}{image.uri}" if image.uri else image.name
        if image.content is None:
            log.refuse(shown, f"material {names[i]} names it and it is not there")
            continue
        info = image_info(image)
        if info is None or pixels_or_none(image) is None:
            log.refuse(shown, f"cannot be read: {image.problem or 'its data is broken'}")
            continue
        _one(image, info, slots, sheet, shown, log)
        words = ", ".join(sorted(s.replace("_", " ") for s in slots))
        log.note("finds", shown, f"named by material {names[i]}, {words}, {info.width} × {info.height}")


def _roles(material: str, roles: set[str], sheet: Sheet, log: Log) -> None:
    rules = sheet.textures
    # What the model format has no place for lies beside it under a fixed name and is looked for there.
    lacking = [r for r in rules.required if r not in roles and r != "parameters"]
    log.check(not lacking, material, f"has no texture for {', '.join(lacking)}")
    extra = sorted(roles - set(rules.roles)) if rules.roles is not None else []
    log.check(not extra, material, f"has textures for {', '.join(extra)}, which are not taken")


def _one(image: Image, info: ImageInfo, slots: set[str], sheet: Sheet, shown: str, log: Log) -> None:
    rules = sheet.textures
    log.check(info.form in rules.formats, shown, f"{info.form.upper()} is not read there")
    log.check(info.bits in rules.bits, shown, f"{info.bits} bits a channel are not read there")
    edge = max(info.width, info.height)
    size = f"{info.width} × {info.height}"
    log.check(
        rules.min_edge <= edge <= rules.max_edge, shown, f"{size}, from {rules.min_edge} to {rules.max_edge}"
    )
    powers = all(v & (v - 1) == 0 for v in (info.width, info.height))
    log.check(powers or not rules.power_of_two, shown, f"{size} is no power of two")
    log.check(info.width == info.height or not rules.square, shown, f"{size} is not square")
    if not texture_format(info.form).mips:
        return
    if compressed(rules.blocks):
        wanted = {wanted_block(rules.blocks, slots, alpha) for alpha in (False, True)}
        words = " or ".join(sorted(b.upper() or "plain pixels" for b in wanted))
        log.check(
            info.block in wanted, shown, f"holds {info.block.upper() or 'plain pixels'}, {words} is read"
        )
    want = full_chain(info.width, info.height) if rules.mips else 1
    log.check(not rules.mips or info.levels == want, shown, f"{info.levels} mip levels, {want} are read")


def check_copies(scene: Scene, sheet: Sheet, files: dict[str, Path], log: Log) -> set[str]:
    """Further copies of each texture in the formats the sheet asks for. Names of those found."""
    found: set[str] = set()
    by_name = {Path(name).name: path for name, path in files.items()}
    for image in scene.images:
        info = image_info(image)
        for form in sheet.textures.also if info is not None else ():
            name = Path(image.uri).stem + texture_format(form).endings[0]
            path = by_name.get(name)
            if path is None:
                log.refuse(name, f"the {form.upper()} copy of {image.uri} is not there")
                continue
            found.add(name)
            copy = _info(path)
            same = (
                info is not None
                and copy is not None
                and (copy.width, copy.height) == (info.width, info.height)
            )
            log.check(same, name, f"is no {form.upper()} of the size of {image.uri}")
    return found


def check_fixed_names(scene: Scene, sheet: Sheet, files: dict[str, Path], log: Log) -> None:
    """Textures a model cannot name, found by the name the sheet gives their role."""
    rules = sheet.textures
    if not scene.materials or "parameters" not in rules.required or "parameters" not in rules.suffixes:
        return
    wanted = rules.suffixes["parameters"]
    path = next(
        (p for n, p in files.items() if Path(n).stem == wanted or Path(n).stem.endswith(f"_{wanted}")), None
    )
    if path is None:
        log.refuse(wanted, "the texture of packed parameters is not there")
        return
    info = _info(path)
    log.check(info is not None and info.form in rules.formats, path.name, "cannot be read there")
    if info is not None:
        log.note("finds", path.name, f"by its name, parameters, {info.width} × {info.height}")


def _info(path: Path) -> ImageInfo | None:
    try:
        data = path.read_bytes()
        return recognise(data).info(data)
    except (CustomsError, OSError):
        return None


def check_loose_textures(files: dict[str, Path], wanted: set[str], log: Log) -> None:
    """Texture files nothing names."""
    for name, path in files.items():
        if path.suffix.lower() in ENDINGS and path.name not in wanted:
            info = _info(path)
            size = f"{info.width} × {info.height}" if info is not None else "unreadable"
            log.remark(name, f"no material names it ({size})")
