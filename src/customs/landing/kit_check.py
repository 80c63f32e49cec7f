"""The kit folder as the destination would read it: what was dispatched is there, its documents are well formed by their own grammar,
what they name is there too.
"""

from __future__ import annotations

import fnmatch
import gzip
import hashlib
import io
import tarfile
import zipfile
import zlib
from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

from customs.files import read_regular
from customs.landing.docket_check import bytes_of
from customs.landing.grammars import parsed, values
from customs.landing.index_check import check_index
from customs.landing.kit_numbers import check_numbers, check_version
from customs.landing.log import Log
from customs.landing.references import There, follow
from customs.sheet.documents import DocumentRules
from customs.sheet.model import Sheet
from customs.tolerances import FILE_BYTES

Json = dict[str, Any]


def check_kit(sheet: Sheet, body: Json, files: Mapping[str, Path], kit: Path, there: There, log: Log) -> None:
    """All that a docket says of a kit, and what the sheet says of its documents."""
    told = body.get("kit")
    if not isinstance(told, dict):
        log.refuse("docket.json", "says of no kit that it was dispatched into one")
        return
    asset, documents = str(body["asset"]), {r.path: r for r in sheet.documents if not r.new}
    goes_on = {*documents, *([sheet.kit.index.path] if sheet.kit.index is not None else [])}
    rows = [r for r in told.get("files", []) if isinstance(r, dict)]
    for row in rows:
        _file(kit, str(row.get("path")), row.get("after"), str(row.get("path")) in goes_on, log)
    target = sheet.kit.target(asset) if sheet.kit.place else ""
    if target:
        own = {str(f["path"]) for f in body["files"] if f.get("kind") in ("source", "bundle")}
        _placed(sheet, kit, target, {k: p for k, p in files.items() if k not in own}, log)
    there = replace(there, kit=kit, target=target)
    for path, rules in documents.items():
        _document(kit, path, rules, there, log)
    check_version(sheet, kit, log)
    check_numbers(sheet, body, kit, log)
    check_index(sheet, kit, log)


def _file(kit: Path, path: str, after: Any, document: bool, log: Log) -> None:
    """A file as it was dispatched; a document may have gone on since."""
    data = _read(kit, path)
    if data is None:
        log.check(after is None, path, "was dispatched into the kit and is not there")
    elif after is None:
        log.refuse(path, "was taken away by the dispatch and is there again")
    elif hashlib.sha256(data).hexdigest() != after:
        if document:
            log.remark(path, "has changed since the dispatch")
        else:
            log.refuse(path, "differs from what was dispatched: its hash does not fit")


def _read(kit: Path, path: str) -> bytes | None:
    place = kit / path
    if kit.resolve() not in place.resolve().parents:
        return None
    try:
        return read_regular(place, FILE_BYTES)
    except OSError:
        return None


def check_bundle(sheet: Sheet, files: Mapping[str, Path], asset: str, log: Log) -> None:
    """The archive a package brings beside its files holds them all, and nothing else."""
    path = sheet.layout.bundle_place(asset)
    if not path:
        return
    if path not in files:
        log.refuse(path, "the bundle is not there")
        return
    inside = _opened(bytes_of(files, path), sheet.layout.bundle, path, log)
    if inside is not None:
        _same(inside, {k: p for k, p in files.items() if k != path}, path, log)


def _placed(sheet: Sheet, kit: Path, target: str, files: Mapping[str, Path], log: Log) -> None:
    """The package's own files in the kit, or in the bundle there."""
    inside: dict[str, bytes | None] | None
    if sheet.kit.bundle == "none":
        inside = {f: _single(sheet, kit, f"{target}/{f}", log) for f in files}
    else:
        data = _read(kit, target)
        if data is None:
            log.refuse(target, "the bundle is not there")
            return
        inside = _opened(data, sheet.kit.bundle, target, log)
    if inside is not None:
        _same(inside, files, target, log)


def _opened(data: bytes, form: str, path: str, log: Log) -> dict[str, bytes | None] | None:
    """The files of a bundle, None after a refusal."""
    try:
        return _unpacked(data, form)
    except Exception as problem:  # noqa: BLE001 (whatever a library says of damage)
        log.refuse(path, f"cannot be opened as {form}: {problem}")
        return None


def _same(inside: Mapping[str, bytes | None], files: Mapping[str, Path], target: str, log: Log) -> None:
    more = sorted(set(inside) - set(files))
    log.check(not more, target, f"holds {', '.join(more[:3])}, which the docket does not list")
    for name in files:
        same = inside.get(name) == bytes_of(files, name)
        log.check(
            same,
            target,
            f"{name} in it {'differs from the package' if inside.get(name) is not None else 'is missing'}",
        )
    log.note("finds", target, f"{len(inside)} files")


def _single(sheet: Sheet, kit: Path, path: str, log: Log) -> bytes | None:
    """A file of the package in the kit, unpacked where it is compressed alone there."""
    if not any(fnmatch.fnmatchcase(path.rpartition("/")[2], p) for p in sheet.kit.packed):
        return _read(kit, path)
    data = _read(kit, f"{path}.gz")
    if data is None:
        return None
    try:
        return gzip.decompress(data)
    except (OSError, EOFError, zlib.error) as problem:
        log.refuse(f"{path}.gz", f"cannot be opened as gz: {problem}")
        return None


def _unpacked(data: bytes, form: str) -> dict[str, bytes | None]:
    if form == "zip":
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            return {n: archive.read(n) for n in archive.namelist()}
    if form == "tar.gz":
        with tarfile.open(fileobj=io.BytesIO(data), mode="r:gz") as packed:
            return {m.name: (f.read() if (f := packed.extractfile(m)) is not None else None) for m in packed}
    import py7zr

    with py7zr.SevenZipFile(io.BytesIO(data)) as seven:
        factory = py7zr.io.BytesIOFactory(FILE_BYTES)
        seven.extractall(factory=factory)
        return {n: p.read() for n, p in factory.products.items()}


def check_documents(sheet: Sheet, files: Mapping[str, Path], there: There, log: Log) -> None:
    """Documents a package brings itself: there, well formed by their own grammar, and what they name is there."""
    for rules in sheet.documents:
        if not rules.new:
            continue
        path = rules.place(there.asset)
        try:
            data = bytes_of(files, path)
        except OSError:
            log.refuse(path, "the document is not there")
            continue
        document = parsed(data, path, rules, log)
        for reference in rules.references if document is not None else ():
            found = values(document, path, rules.syntax, reference.where(there.asset), log)
            follow(path, reference, found, there, log)


def _document(kit: Path, path: str, rules: DocumentRules, there: There, log: Log) -> None:
    """A document of the kit by its own grammar, and what it names."""
    data = _read(kit, path)
    if data is None:
        log.refuse(path, "the document is not there")
        return
    document = parsed(data, path, rules, log)
    for reference in rules.references if document is not None else ():
        found = values(document, path, rules.syntax, reference.where(there.asset), log)
        follow(path, reference, found, there, log)
