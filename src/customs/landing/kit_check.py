"""The kit folder as the destination would read it: what was dispatched is there, its documents are well formed by their own grammar,
what they name is there too.
"""

from __future__ import annotations

import configparser
import hashlib
import io
import json
import re
import tarfile
import zipfile
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from customs.files import read_regular
from customs.landing.docket_check import bytes_of
from customs.landing.log import Log
from customs.patterns import search
from customs.sheet.documents import DocumentRules, ReferenceRules
from customs.sheet.model import Sheet
from customs.tolerances import FILE_BYTES

Json = dict[str, Any]


def check_kit(sheet: Sheet, body: Json, files: Mapping[str, Path], kit: Path, log: Log) -> None:
    """All that a docket says of a kit, and what the sheet says of its documents."""
    told = body.get("kit")
    if not isinstance(told, dict):
        log.refuse("docket.json", "says of no kit that it was dispatched into one")
        return
    asset, documents = str(body["asset"]), {r.path: r for r in sheet.documents if not r.new}
    rows = [r for r in told.get("files", []) if isinstance(r, dict)]
    for row in rows:
        _file(kit, str(row.get("path")), row.get("after"), str(row.get("path")) in documents, log)
    target = sheet.kit.target(asset) if sheet.kit.place else ""
    if target:
        _placed(sheet, kit, target, files, log)
    for path, rules in documents.items():
        _document(kit, path, rules, target, log)


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


def _placed(sheet: Sheet, kit: Path, target: str, files: Mapping[str, Path], log: Log) -> None:
    """The package's own files in the kit, or in the bundle there."""
    if sheet.kit.bundle == "none":
        inside = {f: _read(kit, f"{target}/{f}") for f in files}
    else:
        data = _read(kit, target)
        if data is None:
            log.refuse(target, "the bundle is not there")
            return
        try:
            inside = _unpacked(data, sheet.kit.bundle)
        except Exception as problem:  # noqa: BLE001 (whatever a library says of damage)
            log.refuse(target, f"cannot be opened as {sheet.kit.bundle}: {problem}")
            return
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


def check_documents(sheet: Sheet, files: Mapping[str, Path], asset: str, log: Log) -> None:
    """Documents a package brings itself: there, and well formed by their own grammar."""
    for rules in sheet.documents:
        if not rules.new:
            continue
        path = rules.place(asset)
        try:
            data = bytes_of(files, path)
        except OSError:
            log.refuse(path, "the document is not there")
            continue
        parsed = _parsed(data, path, rules, log)
        for reference in rules.references if parsed is not None else ():
            for value in _values(parsed, path, rules, reference, log):
                log.check(
                    reference.names != "file" or value in files,
                    path,
                    f"names {value}, which is not in the package",
                )


def _document(kit: Path, path: str, rules: DocumentRules, target: str, log: Log) -> None:
    """A document of the kit by its own grammar, and what it names."""
    data = _read(kit, path)
    if data is None:
        log.refuse(path, "the document is not there")
        return
    parsed = _parsed(data, path, rules, log)
    for reference in rules.references if parsed is not None else ():
        _followed(kit, path, reference, _values(parsed, path, rules, reference, log), target, log)


def _parsed(data: bytes, path: str, rules: DocumentRules, log: Log) -> Any:
    """What a grammar makes of a document, None after a refusal."""
    try:
        parsed = PARSERS[rules.syntax](data, rules.codec)
    except Exception as problem:  # noqa: BLE001 (each grammar has errors of its own)
        log.refuse(path, f"cannot be read as {rules.syntax}: {problem}")
        return None
    log.note("reads", path, f"{rules.syntax}, {len(data):,} bytes")
    return parsed


def _values(parsed: Any, path: str, rules: DocumentRules, reference: ReferenceRules, log: Log) -> list[str]:
    try:
        return VALUES[rules.syntax](parsed, reference.at)
    except Exception as problem:  # noqa: BLE001 (each grammar has errors of its own)
        log.refuse(path, f"{reference.at} cannot be followed: {problem}")
        return []


def _followed(
    kit: Path, path: str, reference: ReferenceRules, values: Sequence[str], target: str, log: Log
) -> None:
    if reference.names == "unique":
        twice = sorted({v for v in values if values.count(v) > 1})
        log.check(not twice, path, f"{', '.join(twice[:3])} stands twice at {reference.at}")
        return
    under = f"{reference.under}/" if reference.under else ""
    for value in dict.fromkeys(values):
        place = kit / f"{under}{value}"
        inside = kit.resolve() in place.resolve().parents
        log.check(inside and place.exists(), path, f"names {value}, which is not in the kit")
    if target:
        named = any(f"{under}{v}" == target or f"{under}{v}".startswith(f"{target}/") for v in values)
        log.check(named, path, f"does not name {target}")


def _xml(data: bytes, codec: str) -> Any:
    # Loaded where a kit is read: lists and plain packages need none.
    from lxml import etree

    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False)
    return etree.fromstring(data, parser)


def _json(data: bytes, codec: str) -> Any:
    def once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
        if len({k for k, _ in pairs}) < len(pairs):
            raise ValueError("a name stands twice in one object")
        return dict(pairs)

    return json.loads(data.decode(codec or "utf-8-sig"), object_pairs_hook=once)


def _ini(data: bytes, codec: str) -> Any:
    read = configparser.RawConfigParser(strict=True)
    read.optionxform = str  # type: ignore[assignment,method-assign]
    read.read_string("[\x00]\n" + data.decode(codec or "utf-8-sig"))
    return read


def _bracketed(data: bytes, codec: str) -> str:
    """The text, its brackets and quotes counted: by each character, which is not how they were counted before."""
    text = data.decode(codec or "utf-8-sig")
    bare = re.sub(r'"(?:[^"\\\n]|\\.)*"|//[^\n]*|/\*[\s\S]*?\*/|(?m:^|(?<=\s))#[^\n]*', "", text)
    if '"' in bare:
        raise ValueError("a quote is not closed")
    while (less := re.sub(r"\{[^][(){}]*\}|\[[^][(){}]*\]|\([^][(){}]*\)", "", bare)) != bare:
        bare = less
    if left := re.search(r"[][(){}]", bare):
        raise ValueError(f"the bracket {left[0]} has no other half")
    return text


def _of_xml(parsed: Any, at: str) -> list[str]:
    return [str(x if isinstance(x, str) else x.text or "") for x in parsed.xpath(at)]


def _of_json(parsed: Any, at: str) -> list[str]:
    """A pointer in which * stands for every member."""
    found = [parsed]
    for part in at.split("/")[1:]:
        name = part.replace("~1", "/").replace("~0", "~")
        members = [x.values() if isinstance(x, dict) else x for x in found if isinstance(x, dict | list)]
        if name == "*":
            found = [v for m in members for v in m]
        else:
            found = [
                x[name] if isinstance(x, dict) else x[int(name)]
                for x in found
                if name in x or isinstance(x, list)
            ]
    return [str(x) for x in found]


def _of_ini(parsed: Any, at: str) -> list[str]:
    section, _, key = at.rpartition("/")
    names = parsed.sections() if section == "*" else [section or "\x00"]
    return [parsed.get(n, key) for n in names if parsed.has_option(n, key)]


def _of_text(parsed: str, at: str) -> list[str]:
    return [m for line in parsed.splitlines() if (m := search(at, line.strip()))]


PARSERS = {"xml": _xml, "json": _json, "ini": _ini, "bracketed": _bracketed}
VALUES = {"xml": _of_xml, "json": _of_json, "ini": _of_ini, "bracketed": _of_text}
