"""Columns of a list: every value of one kind, for all entries at once."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Sequence
from functools import reduce
from operator import methodcaller
from pathlib import Path
from typing import Any

from customs.errors import ReadError
from customs.files import read_regular
from customs.json_text import loads

LARGEST = 1 << 31
"""Bytes of the largest list that is read."""
Column = list[Any]
MARKS = ((b"\xef\xbb\xbf", "utf-8-sig"), (b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16"))


class Entries:
    """The entries of one list; `column` gives the values at a place, None where an entry has none."""

    def __init__(self, rows: Sequence[Any], get: Callable[[Any, str], Any]) -> None:
        self.rows, self._get = rows, get
        self._plain = set(map(type, rows)) == {dict}

    def __len__(self) -> int:
        return len(self.rows)

    def column(self, place: str) -> Column:
        """Values at a place, for each entry."""
        name = place.removeprefix("/")
        if "/" not in name and self._plain:
            return list(map(methodcaller("get", name), self.rows))
        return list(map(self._get, self.rows, [place] * len(self.rows)))


def first_of(data: bytes) -> bytes:
    """The first character of a text, whatever mark and zeros an encoding puts around it."""
    return data[:256].replace(b"\0", b"").lstrip(b"\xef\xbb\xbf\xff\xfe \t\r\n")[:1]


def bytes_of_list(path: Path) -> bytes:
    """All of a list on the disk. Raises ReadError."""
    try:
        data = read_regular(path, LARGEST)
    except OSError as problem:
        raise ReadError(f"cannot be read ({problem.strerror})", "a list of placements", file=path) from None
    if data is None:
        raise ReadError(f"larger than {LARGEST / 1e9:.0f} GB", "a smaller list", "Split it.", path)
    return data


def read_entries(data: bytes, at: str, path: Path) -> Entries:
    """The entries of a list in JSON, CSV or XML, by its ending or, where that says nothing, its first character. Raises ReadError."""
    kind = (
        path.suffix.lower()
        if path.suffix.lower() in READERS
        else {b"{": ".json", b"[": ".json", b"<": ".xml"}.get(first_of(data), ".csv")
    )
    return READERS[kind](data, at, path)


def text_of(data: bytes, path: Path) -> str:
    """A list as text, in UTF-8 or UTF-16 with its mark. Raises ReadError."""
    codec = next((c for m, c in MARKS if data.startswith(m)), "utf-8")
    try:
        return data.decode(codec)
    except UnicodeDecodeError as problem:
        raise ReadError(
            f"byte {problem.start} is no {codec.upper()}",
            "UTF-8 or UTF-16 with its mark",
            "Write it again.",
            path,
        ) from None


def _json(data: bytes, at: str, path: Path) -> Entries:
    try:
        body = loads(text_of(data, path))
    except (ValueError, RecursionError) as problem:
        raise ReadError(
            f"not well-formed JSON: {problem}", "a whole list", "It may be cut off.", path
        ) from None
    found, parts = [body], at.split("/")[1:] if at else []
    for k, part in enumerate(parts):
        if part == "*":
            if k == len(parts) - 1 and any(isinstance(x, dict | list) for x in found) and not any(found):
                # A list that is there and holds nothing.
                return Entries([], pointed)
            found = [
                v
                for x in found
                if isinstance(x, dict | list)
                for v in (x.values() if isinstance(x, dict) else x)
            ]
        else:
            found = [x[part] for x in found if isinstance(x, dict) and part in x]
    if not found:
        raise ReadError(f"nothing at {at}", "entries there", "Mend the mapping.", path)
    return Entries(found, pointed)


def pointed(row: Any, place: str) -> Any:
    """What a JSON Pointer leads to in an entry."""
    try:
        parts = place.split("/")[1:] if place.startswith("/") else [place]
        return reduce(lambda x, part: x[int(part)] if isinstance(x, list) else x[part], parts, row)
    except (KeyError, IndexError, ValueError, TypeError):
        return None


def _csv(data: bytes, at: str, path: Path) -> Entries:
    text = text_of(data, path)
    try:
        dialect: Any = csv.Sniffer().sniff(text[:4096], ",;\t|")
    except csv.Error:
        dialect = csv.excel
    try:
        rows = list(csv.DictReader(io.StringIO(text), dialect=dialect))
    except csv.Error as problem:
        raise ReadError(f"not CSV: {problem}", "a table with a head", "Mend it.", path) from None
    if not rows:
        raise ReadError("no row", "a table with a head", "It may be cut off.", path)
    return Entries(rows, lambda row, place: row.get(place))


def _xml(data: bytes, at: str, path: Path) -> Entries:
    # Loaded where a list is in XML.
    from lxml import etree

    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False)
    try:
        root = etree.fromstring(data, parser)
        found = root.xpath(at or "/*/*")
    except (etree.XMLSyntaxError, etree.XPathError, ValueError) as problem:
        raise ReadError(
            f"cannot be read as XML: {problem}", "a whole list, and an XPath", "Mend it.", path
        ) from None
    rows = [x for x in found if isinstance(x, etree._Element)] if isinstance(found, list) else []
    if not rows:
        raise ReadError(f"nothing at {at}", "entries there", "Mend the mapping.", path)
    return Entries(rows, _in_element)


def _in_element(row: Any, place: str) -> Any:
    child, _, attribute = place.rpartition("@")
    inner = row.find(child.strip("/")) if child.strip("/") else row
    if inner is None:
        return None
    return inner.get(attribute) if "@" in place else (row.findtext(place) or None)


READERS: dict[str, Callable[[bytes, str, Path], Entries]] = {
    ".json": _json,
    ".csv": _csv,
    ".tsv": _csv,
    ".xml": _xml,
}
