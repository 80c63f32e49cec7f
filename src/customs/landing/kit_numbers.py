"""The version of a kit, and the numbers its things have: each once, and the asset's own where its documents list it."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

from customs.files import read_regular
from customs.landing.grammars import PARSERS, VALUES
from customs.landing.log import Log
from customs.patterns import every
from customs.sheet.form import FieldRules, TakenRules
from customs.sheet.known import written_number
from customs.sheet.model import Sheet
from customs.tolerances import FILE_BYTES


def check_version(sheet: Sheet, kit: Path, log: Log) -> None:
    """The kit says the version the sheet is for."""
    rules = sheet.kit.version
    if rules is None:
        return
    try:
        text = (read_regular(kit / rules.file, FILE_BYTES) or b"").decode(rules.codec or "utf-8-sig")
    except (OSError, ValueError) as problem:
        log.refuse(rules.file, f"the kit's version cannot be read: {problem}")
        return
    found = next(iter(every(rules.pattern, text)), "")
    log.check(
        found == rules.expected,
        rules.file,
        f"the kit is of version {found or 'unknown'}, {rules.expected} is expected",
    )


def check_numbers(sheet: Sheet, body: dict[str, Any], kit: Path, log: Log) -> None:
    """Each number of the form stands at most once wherever the kit keeps such numbers."""
    told = body.get("form")
    form: dict[str, Any] = told if isinstance(told, dict) else {}
    for field in sheet.form:
        number = written_number(sheet, field, form) if field.kind == "id" else ""
        for rules in field.taken if number else ():
            _once(field, int(number), rules, kit, log)


def _once(field: FieldRules, number: int, rules: TakenRules, kit: Path, log: Log) -> None:
    where = rules.path or "the kit"
    try:
        texts = _texts(kit, rules)
    except Exception as problem:  # noqa: BLE001 (each grammar has errors of its own)
        log.refuse(where, f"the numbers of {field.title} cannot be read: {problem}")
        return
    most = None if rules.look == "list" else 1
    count = sum(
        int(m[1]) == number
        for text in texts
        for n in every(rules.pattern, text)[:most]
        if (m := re.fullmatch(r"\s*(\d{1,15})\s*", n))
    )
    log.check(count < 2, where, f"the number {number} ({field.title}) stands {count} times")
    log.check(
        count > 0 or not _lists(rules),
        where,
        f"the number {number} ({field.title}) of the asset does not stand in it",
    )


def _lists(rules: TakenRules) -> bool:
    """True where an asset that was dispatched has to stand too: a plain list may only say what others keep."""
    return rules.look == "document"


def _texts(kit: Path, rules: TakenRules) -> list[str]:
    place = kit / rules.path
    if rules.look in ("folders", "files"):
        return [
            p.name for p in place.iterdir() if p.is_dir() == (rules.look == "folders") and p.name[0] != "."
        ]
    data = read_regular(place, FILE_BYTES) or b""
    if rules.look == "list":
        return data.decode(rules.codec or "utf-8-sig").splitlines()
    return VALUES[rules.syntax](PARSERS[rules.syntax](data, rules.codec), rules.at)
