"""The index of a kit: which files there are, how large, with which hash."""

from __future__ import annotations

import fnmatch
import hashlib
import json
from collections.abc import Sequence
from pathlib import Path

from customs.errors import WriteError
from customs.kit.changes import Wanted
from customs.kit.hashes import Listed, listed_files
from customs.sheet.documents import IndexRules


def index_of(rules: IndexRules, kit: Path, coming: Sequence[Wanted]) -> bytes:
    """The index as it is to be once the files `coming` are there. Raises WriteError where the folder cannot be read."""
    try:
        there = listed_files(kit, rules.folder, rules.files) if (kit / rules.folder).is_dir() else []
    except OSError as problem:
        raise WriteError(
            f"{problem.filename} cannot be read ({problem.strerror})",
            "files the index can tell of",
            "Nothing was changed.",
            kit,
        ) from None
    rows = {r.path: r for r in there}
    for w in coming:
        path = _inside(rules, w.path)
        if path is None:
            continue
        rows.pop(path, None)
        if w.data is not None:
            rows[path] = Listed(path, len(w.data), hashlib.sha256(w.data).hexdigest())
    own = _inside(rules, rules.path)
    return _written(rules.form, sorted((r for r in rows.values() if r.path != own), key=lambda r: r.path))


def _inside(rules: IndexRules, path: str) -> str | None:
    """A path of the kit as the index says it, None where it does not."""
    under = f"{rules.folder}/" if rules.folder else ""
    name = path.rpartition("/")[2]
    mine = path.startswith(under) and any(fnmatch.fnmatchcase(name, n) for n in rules.files)
    return path.removeprefix(under) if mine else None


def _written(form: str, rows: Sequence[Listed]) -> bytes:
    if form == "sums":
        return "".join(f"{r.sha256}  {r.path}\n" for r in rows).encode()
    body = {"files": [{"path": r.path, "size": r.size, "sha256": r.sha256} for r in rows]}
    return (json.dumps(body, indent=1, ensure_ascii=False) + "\n").encode()
