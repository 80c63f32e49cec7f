"""Origins and sheets by name, a person's own among them."""

from __future__ import annotations

from pathlib import Path

from customs.conventions.origin import Origin, kept_origins, read_origin, shipped_origins
from customs.errors import SheetError
from customs.sheet.load import load_sheet, sheet_origin, sheet_texts
from customs.sheet.model import Sheet
from customs.work.places import origins_folder, sheets_folder


def find_sheet(name: str) -> Sheet:
    """The sheet with that id or in that file. Raises SheetError."""
    return load_sheet(name, sheets_folder())


def all_sheets() -> dict[str, Sheet]:
    """Every sheet that reads, by id."""
    out = {}
    for id_ in sheet_texts(sheets_folder()):
        try:
            out[id_] = find_sheet(id_)
        except SheetError:
            continue
    return out


def broken_sheets() -> dict[str, SheetError]:
    """Those of a person's own sheets that do not read, by id, with what is wrong."""
    out = {}
    for id_ in sheet_texts(sheets_folder()):
        try:
            find_sheet(id_)
        except SheetError as problem:
            out[id_] = problem
    return out


def all_origins() -> dict[str, Origin]:
    """Those that ship, those a person kept, and every sheet as an origin."""
    out = dict(shipped_origins())
    folder = origins_folder()
    if folder.is_dir():
        out |= kept_origins(folder)
    return out | {id_: sheet_origin(s) for id_, s in all_sheets().items() if id_ not in out}


def find_origin(name: str | None) -> Origin | None:
    """The origin with that id or in that file, None for none. Raises SheetError."""
    if not name:
        return None
    if name.endswith(".toml"):
        return read_origin(Path(name))
    known = all_origins()
    if name not in known:
        raise SheetError(f"no origin {name!r}", "one of " + ", ".join(known))
    return known[name]
