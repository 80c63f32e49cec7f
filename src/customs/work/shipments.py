"""Shipments as files of a person: those opened last, copies, one file to hand on; their goods renamed, duplicated, told as text."""

from __future__ import annotations

import itertools
import json
from collections.abc import Iterable, Sequence
from contextlib import suppress
from dataclasses import replace
from pathlib import Path

from customs.conventions.origin import read_toml
from customs.errors import CustomsError, ShipmentError
from customs.files import why_no_part
from customs.job import Job
from customs.parts import write_whole
from customs.sheet.load import parse_sheet, sheet_texts
from customs.shipment.copies import PACKED, Unpacked, pack, unpack
from customs.shipment.file import Shipment
from customs.shipment.state import Asset, State
from customs.work.places import config_folder, sheets_folder

RECENT, MOST = "recent.json", 12
LONGEST = 120
"""Characters of a name."""


def recent() -> list[Path]:
    """Shipments opened last that are still there, the last one first."""
    try:
        told = json.loads((config_folder() / RECENT).read_text("utf-8"))
        paths = [Path(p) for p in told if isinstance(p, str)]
    except (OSError, ValueError, TypeError):
        return []
    return [p for p in paths[:MOST] if p.is_file()]


def keep_recent(path: Path) -> None:
    """`path` was opened just now; nothing is kept where nothing can be."""
    kept = [str(path), *(str(p) for p in recent() if p != path)][:MOST]
    _write_recent(kept)


def forget_recent() -> None:
    """None was opened as far as anybody is told."""
    _write_recent([])


def _write_recent(paths: Sequence[str]) -> None:
    with suppress(OSError, UnicodeError):
        write_whole(config_folder() / RECENT, json.dumps(paths).encode())


def pack_up(shipment: Shipment, target: Path, job: Job | None = None) -> int:
    """The shipment with its sources and its destination's sheet, where that is a person's own, as one file; its bytes.
    Raises ShipmentError.
    """
    return pack(shipment, target, _own_sheets(shipment.state.sheet), job)


def _own_sheets(id_: str) -> dict[str, str]:
    """Texts of a sheet and those it extends, the shipped ones left out."""
    texts, out = sheet_texts(sheets_folder()), dict[str, str]()
    while id_ in texts and texts[id_][1] is not None and id_ not in out:
        out[id_] = texts[id_][0]
        with suppress(CustomsError):
            id_ = str(read_toml(Path(f"{id_}.toml"), out[id_]).get("extends", ""))
    return out


def unpack_here(packed: Path, target: Path, job: Job | None = None) -> tuple[Unpacked, str]:
    """(what came, in words what a person is to know of it): sheets that came along are kept where there is none of that
    name, and are left where there is another. Raises ShipmentError.
    """
    came = unpack(packed, target, job)
    kept, others, folder = list[str](), list[str](), sheets_folder()
    there = sheet_texts(folder)
    for id_, text in came.sheets.items():
        if id_ in there:
            others += [] if there[id_][0] == text else [id_]
            continue
        try:
            if why_no_part(id_):
                raise ShipmentError(f"{id_!r} is no name of a sheet", file=packed)
            write_whole(folder / f"{id_}.toml", text.encode())
            kept.append(id_)
        except (CustomsError, OSError) as problem:
            others.append(f"{id_} ({problem})")
    for id_ in list(kept):
        try:
            parse_sheet(came.sheets[id_], f"{id_}.toml", folder)
        except CustomsError as problem:
            others.append(f"{id_} ({problem})")
    told = [f"Sheets that came along: {', '.join(kept)}."] if kept else []
    told += [f"There is another sheet of that name here, or it cannot be used: {', '.join(others)}."] if others else []  # fmt: skip
    told += [f"The shipment in it was damaged: {came.lost}."] if came.lost else []
    return came, " ".join(told)


def is_packed(path: Path) -> bool:
    """Whether a file is called like a shipment in one file."""
    return path.name.lower().endswith(PACKED)


def renamed(state: State, id_: str, name: str) -> State:
    """An asset called otherwise in the shipment; what it is delivered as stays. Raises ShipmentError."""
    asset, text = state.asset(id_), " ".join(name.split())
    if not text or len(text) > LONGEST:
        raise ShipmentError(f"{name[:40]!r} is no name", f"1 to {LONGEST} characters")
    return state if asset is None or asset.name == text else state.with_asset(replace(asset, name=text))


def duplicated(state: State, ids: Iterable[str]) -> tuple[State, tuple[str, ...]]:
    """(the state with each of some assets twice, the second behind the first; the ids of the second ones): all that was
    decided about it goes along, and its sources are not copied again.
    """
    wanted, new, goods = set(ids), list[str](), list[Asset]()
    names, taken = {a.name for a in state.goods}, {a.id for a in state.goods}
    for asset in state.goods:
        goods.append(asset)
        if asset.id in wanted:
            id_, name = _free(f"{asset.id}_", taken), _free(f"{asset.name} ", names)
            second = replace(asset, id=id_, name=name)
            new.append(id_)
            goods.append(second)
    return replace(state, goods=tuple(goods)), tuple(new)


def _free(stem: str, taken: set[str]) -> str:
    """The stem with the first number from 2 on that nobody has; it is taken from then on."""
    found = next(f"{stem}{n}" for n in itertools.count(2) if f"{stem}{n}" not in taken)
    taken.add(found)
    return found


def goods_text(goods: Iterable[tuple[Asset, str]]) -> str:
    """(asset, its verdict) as lines of a table, cells apart by tabs: for a mail or a spreadsheet."""
    lines = [("name", "kind", "verdict", "steps", "author", "licence", "source")]
    for a, verdict in goods:
        steps = ", ".join(s.step for s in a.stops if s.on)
        lines.append((a.name, a.kind, verdict or "not judged yet", steps, a.author, a.licence, a.source))
    return "\n".join("\t".join(" ".join(c.split()) for c in line) for line in lines) + "\n"
