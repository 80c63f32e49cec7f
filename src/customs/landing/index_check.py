"""The index of a kit: every file it lists is there with its size and hash, and none is left out."""

from __future__ import annotations

import fnmatch
import hashlib
import json
import re
from pathlib import Path

from customs.files import open_regular, read_regular
from customs.landing.log import Log
from customs.sheet.documents import IndexRules
from customs.sheet.model import Sheet
from customs.tolerances import FILE_BYTES

SUM = re.compile(r"([0-9a-f]{64})  (.+)")
Rows = dict[str, tuple[int | None, str]]


def check_index(sheet: Sheet, kit: Path, log: Log) -> None:
    """The index by itself, then each file it lists."""
    rules = sheet.kit.index
    if rules is None:
        return
    rows = _rows(rules, kit, log)
    if rows is None:
        return
    folder = kit / rules.folder
    there = {
        p.relative_to(folder).as_posix(): p
        for p in sorted(folder.rglob("*"))
        if p.is_file()
        and any(fnmatch.fnmatchcase(p.name, n) for n in rules.files)
        and not p.relative_to(kit).parts[0].startswith(".customs")
        and p != kit / rules.path
    }
    for path in sorted(set(there) - set(rows)):
        log.refuse(rules.path, f"does not list {path}: it was not made anew")
    for path, (size, digest) in rows.items():
        if path not in there:
            log.refuse(rules.path, f"lists {path}, which is not in the kit")
            continue
        _file(rules.path, path, there[path], size, digest, log)
    log.note("reads", rules.path, f"index of {len(rows):,} files")


def _rows(rules: IndexRules, kit: Path, log: Log) -> Rows | None:
    """Size and hash by path, None after a refusal."""
    pairs = list[tuple[str, tuple[int | None, str]]]()
    try:
        data = read_regular(kit / rules.path, FILE_BYTES) or b""
        if rules.form == "sums":
            found = [SUM.fullmatch(line) for line in data.decode("utf-8").splitlines()]
            if bad := next((k for k, m in enumerate(found, 1) if m is None), 0):
                raise ValueError(f"line {bad} is no hash and path")
            pairs += [(m[2], (None, m[1])) for m in found if m is not None]
        else:
            pairs += [(str(f["path"]), (int(f["size"]), str(f["sha256"]))) for f in json.loads(data)["files"]]
    except (OSError, ValueError, KeyError, TypeError, RecursionError) as problem:
        log.refuse(rules.path, f"the index cannot be read: {problem}")
        return None
    rows: Rows = dict(pairs)
    log.check(len(rows) == len(pairs), rules.path, "lists a file twice")
    return rows


def _file(index: str, path: str, place: Path, size: int | None, digest: str, log: Log) -> None:
    try:
        with open_regular(place) as f:
            found = hashlib.file_digest(f, "sha256").hexdigest()
    except OSError as problem:
        log.refuse(path, f"cannot be read ({problem.strerror})")
        return
    log.check(
        size in (None, place.stat().st_size),
        index,
        f"says {size} bytes of {path}, it has {place.stat().st_size}",
    )
    log.check(found == digest, index, f"says another hash of {path} than it has")
