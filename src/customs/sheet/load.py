"""Finding, merging and checking sheets."""

from __future__ import annotations

import functools
import hashlib
import json
from collections.abc import Mapping
from importlib import resources
from pathlib import Path
from typing import TYPE_CHECKING, Any

from pydantic import ValidationError

from customs.conventions.origin import MOST, Origin, explain, read_toml
from customs.errors import SheetError
from customs.files import read_regular
from customs.later import later
from customs.scene.kept import kept
from customs.sheet.model import Sheet

if TYPE_CHECKING:
    from customs.formats.registry import Format

# A sheet that ships asks none of the formats, and a list of sheets is to be there at once.
registry, textures = later("customs.formats.registry"), later("customs.surface.files.base")
Tables = dict[str, Any]
MAX_EXTENDS = 8


def merge(base: Mapping[str, Any], own: Mapping[str, Any]) -> Tables:
    """Tables merge key by key, anything else is replaced."""
    out = dict(base)
    for key, value in own.items():
        both = isinstance(value, Mapping) and isinstance(out.get(key), Mapping)
        out[key] = merge(out[key], value) if both else value
    return out


@functools.cache
def shipped_texts() -> dict[str, str]:
    """TOML text of each sheet that ships, by id."""
    folder = resources.files("customs.sheet") / "sheets"
    return {e.name[:-5]: e.read_text("utf-8") for e in folder.iterdir() if e.name.endswith(".toml")}


def sheet_texts(folder: Path | None = None) -> dict[str, tuple[str, Path | None]]:
    """(TOML text, file or None for one that ships) by id; a person's own in `folder` win."""
    out: dict[str, tuple[str, Path | None]] = {k: (v, None) for k, v in sorted(shipped_texts().items())}
    if folder is not None and folder.is_dir():
        for path in sorted(folder.glob("*.toml")):
            try:
                data = read_regular(path, MOST)
            except OSError:
                data = None
            # What cannot be read is told where it is asked for: an empty text is no sheet.
            out[path.stem] = ("" if data is None else data.decode("utf-8", "replace"), path)
    return out


def resolve(
    tables: Tables, texts: Mapping[str, tuple[str, Path | None]], file: str | Path, depth: int = 0
) -> Tables:
    """`tables` merged over the sheet it extends, and that over its own. Raises SheetError."""
    parent = tables.get("extends", "")
    if not parent:
        return tables
    if depth >= MAX_EXTENDS:
        raise SheetError(
            "sheets extend each other in a circle", f"at most {MAX_EXTENDS} deep", file=file, where="extends"
        )
    if not isinstance(parent, str) or parent not in texts:
        raise SheetError(f"no sheet {parent!r}", "one of " + ", ".join(texts), file=file, where="extends")
    text, path = texts[parent]
    base = resolve(read_toml(path or Path(f"{parent}.toml"), text), texts, path or parent, depth + 1)
    return merge(base, tables)


def parse_sheet(text: str, file: str | Path = "sheet", folder: Path | None = None) -> Sheet:
    """A checked sheet from TOML text. Raises SheetError with file, key and what is allowed."""
    return _check_across(_parsed(text, file, folder), file)


def _parsed(text: str, file: str | Path, folder: Path | None) -> Sheet:
    """A sheet each of whose tables is right by itself."""
    tables = resolve(read_toml(Path(file), text), sheet_texts(folder), file)
    try:
        return Sheet.model_validate(tables)
    except ValidationError as problem:
        raise explain(problem, file, Sheet) from None


def _check_across(sheet: Sheet, file: str | Path) -> Sheet:
    """Rules that span tables."""
    known = registry.formats()
    entry = known.get(sheet.model.format)
    if entry is None or entry.write is None:
        able = ", ".join(k for k, f in known.items() if f.write)
        raise SheetError(f"{sheet.model.format!r}", f"one of {able}", file=file, where="model.format")
    _check_form(sheet, entry, file)
    own = sheet.axes.convention("down")
    usual = entry.convention
    differs = (own.up, own.faces, own.hand, own.metres_per_unit) != (
        usual.up,
        usual.faces,
        usual.hand,
        usual.metres_per_unit,
    )
    if entry.fixed and differs and not sheet.model.own_axes_note:
        raise SheetError(
            f"{entry.title} fixes metres, Y up and +Z, this sheet asks for others",
            "the reason in words in model.own_axes_note",
            "Say why, or take the format's own axes.",
            file,
            "axes",
        )
    if sheet.model.textures == "inside" and not entry.images_inside:
        raise SheetError(f"{entry.title} keeps textures apart", '"apart"', file=file, where="model.textures")
    _check_textures(sheet, entry, file)
    _check_contradictions(sheet, file)
    low, high = sheet.model.min_size, sheet.model.max_size
    if low and high and any(a > b for a, b in zip(low, high)):
        raise SheetError(
            "a least size over the greatest", "min_size below max_size", file=file, where="model.min_size"
        )
    return sheet


def _check_form(sheet: Sheet, entry: Format, file: str | Path) -> None:
    """What the sheet says of the form of the file is what the format's writer takes."""
    try:
        entry.settings(**sheet.model.form)
    except ValidationError as problem:
        first = problem.errors()[0]
        known = ", ".join(entry.settings.model_fields) or f"nothing: {entry.title} has one form"
        where = ".".join(("model.form", *map(str, first["loc"])))
        raise SheetError(
            f"{first.get('input')!r:.60} ({first['msg']})", known, file=file, where=where
        ) from None


def _check_contradictions(sheet: Sheet, file: str | Path) -> None:
    """Limits no asset could keep, and files that would stand where the docket does."""
    t, m = sheet.textures, sheet.model
    if t.max_edge < t.min_edge:
        raise SheetError(
            f"a longest edge of {t.max_edge} under the shortest, {t.min_edge}",
            "max_edge at least min_edge",
            file=file,
            where="textures.max_edge",
        )
    if not t.bits or not set(t.bits) <= {8, 16}:
        raise SheetError(f"bits {list(t.bits)}", "8, 16 or both", file=file, where="textures.bits")
    if t.density is not None and not 0 <= t.density[0] <= t.density[1]:
        raise SheetError(
            f"a density of {list(t.density)}",
            "two numbers, the least first",
            file=file,
            where="textures.density",
        )
    for name in ("min_size", "max_size"):
        size = getattr(m, name)
        if size is not None and not all(0 <= v < 1e30 for v in size):
            raise SheetError(
                f"a size of {list(size)}", "lengths of 0 and more", file=file, where="model." + name
            )
    if m.max_size is not None and not all(v > 0 for v in m.max_size):
        raise SheetError(
            f"a greatest size of {list(m.max_size)}", "lengths above 0", file=file, where="model.max_size"
        )
    for name, pattern in sheet.layout.model_dump().items():
        if pattern.lower().split("/")[0].split(".")[0].strip() == "docket":
            raise SheetError(
                f"a file called {pattern}",
                "another name: the docket stands there",
                file=file,
                where=f"layout.{name}",
            )


def _check_textures(sheet: Sheet, entry: Format, file: str | Path) -> None:
    """Texture formats, compression and roles that the model format and the texture formats can hold."""
    rules = sheet.textures
    bad = (
        [f for f in (*rules.formats[:1], *rules.also) if f not in entry.image_forms]
        if entry.image_forms
        else []
    )
    if bad:
        able = ", ".join(entry.image_forms)
        raise SheetError(
            f"{entry.title} with textures in {bad[0]}", f"one of {able}", file=file, where="textures.formats"
        )
    if rules.also and sheet.model.textures != "apart":
        raise SheetError(
            "further copies of textures inside the model",
            'textures "apart"',
            file=file,
            where="textures.also",
        )
    able_blocks = textures.texture_format(rules.formats[0]).blocks
    for kind, block in rules.blocks.model_dump().items():
        if block and block not in able_blocks:
            known = ", ".join(able_blocks) or "none"
            raise SheetError(
                f"{block} in {rules.formats[0]}",
                f"one of {known}",
                file=file,
                where=f"textures.blocks.{kind}",
            )
    for role in rules.roles or ():
        if role not in (*entry.texture_roles, "parameters"):
            able = ", ".join((*entry.texture_roles, "parameters"))
            raise SheetError(
                f"role {role} in {entry.title}", f"one of {able}", file=file, where="textures.roles"
            )


def load_sheet(id_or_path: str, folder: Path | None = None) -> Sheet:
    """The sheet with that id, or in that TOML file. Raises SheetError."""
    if id_or_path.endswith(".toml"):
        path = Path(id_or_path)
        try:
            data = read_regular(path, MOST)
        except FileNotFoundError:
            raise SheetError("there is no such file", file=path) from None
        except OSError as problem:
            raise SheetError(f"cannot be read ({problem.strerror})", "a sheet in TOML", file=path) from None
        if data is None:
            raise SheetError(f"more than {MOST:,} bytes", "a sheet in TOML", file=path)
        return parse_sheet(data.decode("utf-8", "replace"), path, folder)
    texts = sheet_texts(folder)
    if id_or_path not in texts:
        raise SheetError(
            f"no sheet {id_or_path!r}", "one of " + ", ".join(texts), "List them with: customs sheets."
        )
    text, source = texts[id_or_path]
    if all(path is None for _, path in texts.values()):
        # What ships was held against all formats before it was shipped (`tests/sheet`): none is loaded for it.
        return _shipped(id_or_path)
    return parse_sheet(text, source or f"{id_or_path}.toml", folder)


@functools.cache
def _shipped(id_: str) -> Sheet:
    """One that ships, read once: nobody changes it."""
    return _parsed(shipped_texts()[id_], f"{id_}.toml", None)


def sheet_digest(sheet: Sheet) -> str:
    """Sixteen hex digits over the resolved sheet."""
    return kept("digest", sheet, lambda: _digest(sheet))


def _digest(sheet: Sheet) -> str:
    text = json.dumps(sheet.model_dump(mode="json"), sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()[:16]


def sheet_origin(sheet: Sheet) -> Origin:
    """The sheet's convention as an origin: goods that come from where others go."""
    a = sheet.axes
    return Origin(
        id=sheet.id,
        title=sheet.title,
        up=a.up,
        faces=a.faces,
        hand=a.hand,
        metres_per_unit=a.metres_per_unit,
        front=a.front,
        green=a.green,
    )


def copy_text(id_: str, new_id: str, title: str, folder: Path | None = None) -> str:
    """TOML of a new sheet that extends `id_`, for a person to edit."""
    load_sheet(id_, folder)
    return (
        f'version = 1\nextends = "{id_}"\nid = "{new_id}"\ntitle = "{title}"\nedition = 1\n\n'
        "# Only what differs needs to stand here. Tables: axes, model, mesh, materials,\n"
        "# textures, rig, names, layout, rights.\n\n[textures]\nmax_edge = 2048\n"
    )
