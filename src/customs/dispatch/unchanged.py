"""A package that stands already, made of the same: then nothing is written."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from customs.dispatch.docket import digest_of
from customs.dispatch.index import index_of
from customs.dispatch.standing import DOCKETS, MOST, listed, others
from customs.dispatch.writer import Written
from customs.documents.edit import Edit, edited
from customs.errors import CustomsError
from customs.files import open_regular, read_regular
from customs.kit.changes import digest_at
from customs.kit.journal import Journal, journals
from customs.sheet.model import Sheet
from customs.tolerances import FILE_BYTES

Json = dict[str, Any]


def standing_package(target: Path, made_of: str) -> Written | None:
    """The package at `target` where it was made of the same, and is as it was written, byte for byte; None where it is not."""
    try:
        body = json.loads(read_regular(target / DOCKETS[0], MOST) or b"")
        if body.get("made_of") != made_of or digest_of(body) != body["digest"]:
            return None
        page = hashlib.sha256(read_regular(target / DOCKETS[1], MOST) or b"").hexdigest()
        if page != body["page"] or others(target, listed(target)):
            return None
        whole = all(_as_written(target / f["path"], f) for f in body["files"])
        return Written(target, tuple(body["files"]), body) if whole else None
    except (OSError, ValueError, KeyError, TypeError, AttributeError, RecursionError, CustomsError):
        return None


def _as_written(place: Path, row: Mapping[str, Any]) -> bool:
    with open_regular(place) as f:
        return bool(hashlib.file_digest(f, "sha256").hexdigest() == row["sha256"])


def stands_in_kit(written: Written, sheet: Sheet, kit: Path) -> bool:
    """True where a package's dispatch stands in a kit as it was carried out, and another would change nothing there."""
    try:
        mine = [j for j in journals(kit) if j.about.get("digest") == written.docket["digest"] and j.done]
        if not mine:
            return False
        documents = {r.path: r for r in sheet.documents if not r.new}
        rules = sheet.kit.index
        index = rules.path if rules is not None else ""
        own = [c for c in mine[-1].changes if c.path not in documents and c.path != index]
        if any(digest_at(kit / c.path) != c.after for c in own):
            return False
        if rules is not None and read_regular(kit / index, FILE_BYTES) != index_of(rules, kit, []):
            return False
        return all(_says_it_already(mine[-1], kit, path, r.syntax, r.codec) for path, r in documents.items())
    except (OSError, KeyError, TypeError, CustomsError):
        return False


def _says_it_already(journal: Journal, kit: Path, path: str, syntax: str, codec: str) -> bool:
    data = read_regular(kit / path, FILE_BYTES)
    edits = [Edit(**e) for e in journal.about["edits"][path]]
    return data is not None and edited(data, edits, syntax, path, codec) == data
