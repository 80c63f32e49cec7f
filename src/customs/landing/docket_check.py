"""What the docket says, held against itself and against the files."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from customs.files import is_file, read_regular
from customs.landing.docket_form import form_problem
from customs.landing.log import Log
from customs.sheet.model import Sheet
from customs.tolerances import FILE_BYTES
from customs.words import many

Json = dict[str, Any]


def read_docket(folder: Path, log: Log) -> Json | None:
    """The docket of a package whose digest of itself is right, or None after a refusal."""
    path = folder / "docket.json"
    try:
        body = json.loads(_bytes(path).decode("utf-8"))
    except FileNotFoundError:
        log.refuse("docket.json", "there is no docket: is this a package?")
        return None
    except (OSError, ValueError, RecursionError) as problem:
        log.refuse("docket.json", f"cannot be read: {problem}")
        return None
    wrong = form_problem(body)
    if wrong:
        log.refuse("docket.json", f"is no docket: parts of it are missing or wrong ({wrong})")
        return None
    rest = {k: v for k, v in body.items() if k != "digest"}
    text = json.dumps(rest, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    if hashlib.sha256(text.encode("utf-8", "replace")).hexdigest() != body["digest"]:
        log.refuse("docket.json", "was changed after it was written: its digest of itself does not fit")
    else:
        log.note("reads", "docket.json", f"{many(len(body['files']), 'file')}, digest fits")
    return body


def _bytes(path: Path) -> bytes:
    data = read_regular(path, FILE_BYTES)
    if data is None:
        raise ValueError("larger than any file that is read")
    return data


def own_files(folder: Path, body: Json) -> dict[str, Path]:
    """The files a docket lists that lie inside the package, by their path in it."""
    listed = {str(f["path"]): folder / str(f["path"]) for f in body["files"]}
    return {k: p for k, p in listed.items() if folder.resolve() in p.resolve().parents}


def bytes_of(files: Mapping[str, Path], name: str) -> bytes:
    """The bytes of one of the package's own files, those the docket lists and that lie inside it. Raises FileNotFoundError for
    any other name, OSError and ValueError.
    """
    if name not in files:
        raise FileNotFoundError(name)
    return _bytes(files[name])


def check_story(body: Json, sheet: Sheet, log: Log) -> None:
    """What the docket says of itself, as far as it can be counted again: its unit, its requirements, its
    rows.
    """
    box, asked = body["box"], body.get("requirements", {})
    unit, metres = box.get("unit"), box.get("metres_per_unit")
    log.check(
        unit == sheet.axes.unit_name,
        "docket.json",
        f"says lengths are in {unit}, its sheet takes {sheet.axes.unit_name}",
    )
    same = (
        isinstance(metres, int | float)
        and abs(metres - sheet.axes.metres_per_unit) <= 1e-9 * sheet.axes.metres_per_unit
    )
    log.check(
        same, "docket.json", f"says a unit is {metres} m, its sheet takes {sheet.axes.metres_per_unit:g} m"
    )
    log.check(
        not asked.get("held"),
        "docket.json",
        f"says {asked.get('held')} requirements were held: nothing held leaves",
    )
    queries = sum(r.get("verdict") == "query" and not r.get("waived") for r in body.get("ledger", ()))
    log.check(
        asked.get("query", 0) == queries,
        "docket.json",
        f"says {asked.get('query')} queries and lists {queries}",
    )


def check_files(folder: Path, body: Json, log: Log) -> dict[str, Path]:
    """Files of the docket that are there and whole, by path inside the package."""
    out: dict[str, Path] = {}
    root = folder.resolve()
    for entry in body["files"]:
        name = entry["path"]
        path = folder / name
        if not name or "\0" in name or root not in path.resolve().parents:
            log.refuse(name or "docket.json", "the docket names a file outside the package")
        elif not is_file(path):
            log.refuse(name, "the docket names it and it is not there")
        else:
            data = _bytes(path)
            whole = len(data) == entry["size"] and hashlib.sha256(data).hexdigest() == entry["sha256"]
            log.check(whole, name, "differs from what was dispatched: size or hash does not fit")
            out[name] = path
    _check_page(folder, body, log)
    known = {"docket.json", "docket.html", *(e["path"] for e in body["files"])}
    for path in sorted(folder.rglob("*")):
        name = path.relative_to(folder).as_posix()
        if path.is_file() and name not in known:
            log.remark(name, "is in the package and the docket does not know it")
        elif path.is_dir() and not any(path.iterdir()):
            log.remark(f"{name}/", "is an empty folder, which no dispatch makes")
    return out


def _check_page(folder: Path, body: Json, log: Log) -> None:
    """The page a person reads says what the docket says: it is the one that was written with it."""
    path = folder / "docket.html"
    if not is_file(path):
        log.refuse("docket.html", "is not there: the docket cannot be read by a person")
    elif body.get("page"):
        same = hashlib.sha256(_bytes(path)).hexdigest() == body["page"]
        log.check(same, "docket.html", "was changed after it was written: it is not the page of this docket")


def recount(after: Json, found: dict[str, int], file: str, log: Log) -> None:
    """Every figure of the docket against what the file holds."""
    for key, value in found.items():
        if key in after:
            log.check(
                after[key] == value, file, f"the docket says {after[key]:,} {key}, the file holds {value:,}"
            )
    missing = sorted(set(found) - set(after))
    log.check(not missing, "docket.json", f"says nothing of {', '.join(missing)}")


def same_names(wanted: Json, found: dict[str, list[str]], file: str, log: Log) -> None:
    """Names of the docket against those in the file."""
    for kind, names in found.items():
        said = wanted.get(kind, [])
        lost, new = sorted(set(said) - set(names)), sorted(set(names) - set(said))
        log.check(not lost, file, f"{kind} the docket names are not found: {', '.join(lost[:3])}")
        log.check(not new, file, f"{kind} the docket does not name: {', '.join(new[:3])}")
