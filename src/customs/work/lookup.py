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


def read_sheets() -> tuple[dict[str, Sheet], dict[str, SheetError]]:
    """(every sheet that reads, what is wrong with each of a person's own that does not), by id."""
    good, broken = dict[str, Sheet](), dict[str, SheetError]()
    for id_ in sheet_texts(sheets_folder()):
        try:
            good[id_] = find_sheet(id_)
        except SheetError as problem:
            broken[id_] = problem
    return good, broken


def all_sheets() -> dict[str, Sheet]:
    """Every sheet that reads, by id."""
    return read_sheets()[0]


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
