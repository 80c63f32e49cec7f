"""Selections of a shipment, kept in its store by digest."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import lru_cache
from pathlib import Path

from customs.errors import ShipmentError
from customs.files import read_regular
from customs.parts import write_whole
from customs.route.route import Stop
from customs.route.step import Content
from customs.scene.selection import PREFIX, names_in, packed_rows
from customs.tolerances import FILE_BYTES

FOLDER = "selections"


def keep_selection(store: Path, ranges: Sequence[tuple[int, int]]) -> str:
    """Keep ranges once; what a stop calls them. Raises ShipmentError."""
    return keep_packed(store, *packed_rows(ranges))


def keep_packed(store: Path, name: str, body: bytes) -> str:
    """Keep a selection that is packed already. Raises ShipmentError."""
    if not (place := _place(store, name)).is_file():
        put_whole(place, body)
    return name


def put_whole(place: Path, body: bytes) -> None:
    """Write a file of the store, whole or not at all. Raises ShipmentError."""
    try:
        write_whole(place, body, sweeps=False)
    except OSError as problem:
        raise ShipmentError(
            f"cannot be kept ({problem.strerror})", "room and permission", file=place
        ) from None


def kept_selections(store: Path, stops: Iterable[Stop]) -> Content:
    """The bytes of what stops name; what has gone is left out, and the stop says so."""
    out: dict[str, bytes] = {}
    for name in {n for stop in stops for n in names_in(tuple(v for _, v in stop.values))}:
        try:
            out[name] = _body(_place(store, name))
        except OSError:
            continue
    return out


@lru_cache(maxsize=16)
def _body(place: Path) -> bytes:
    """The bytes under a digest, which never change: what joins may be large, and every look asks for it. Raises OSError."""
    body = read_regular(place, FILE_BYTES)
    if body is None:
        raise FileNotFoundError(place)
    return body


def _place(store: Path, name: str) -> Path:
    return store / FOLDER / name.removeprefix(PREFIX)
