"""What is known of one asset that a sheet's patterns may name: its number, the name its file came by, the folders it came from."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from pathlib import PurePath
from typing import Any

from customs.scene.kept import kept
from customs.sheet.form import FieldRules
from customs.sheet.load import sheet_digest
from customs.sheet.model import Sheet

MIRROR = "mirror"
"""The form's field that says the folders where the source's own path does not."""
TOKENS = ("number", "original", "mirror")


@dataclass(frozen=True)
class Known:
    """Texts for the tokens {number} {original} {mirror}; "" where nothing is known."""

    number: str = ""
    original: str = ""
    mirror: str = ""

    def as_dict(self) -> dict[str, str]:
        """For the docket: those that are known."""
        return {k: v for k, v in asdict(self).items() if v}


def known_of(sheet: Sheet, form: Mapping[str, Any], source: str) -> Known:
    """What is known of an asset by its form and the path its file came from."""
    path = PurePath(source)
    mirror = mirrored(sheet, form, source) or ""
    return Known(number_of(sheet, form), _plain(path.stem), _plain(mirror))


def told_known(body: Mapping[str, Any]) -> Known:
    """What a docket says is known; whatever stands there may be asked."""
    told = body.get("known")
    texts = (
        {k: v for k, v in told.items() if k in TOKENS and isinstance(v, str)}
        if isinstance(told, dict)
        else {}
    )
    return Known(**texts)


def number_of(sheet: Sheet, form: Mapping[str, Any]) -> str:
    """The number of an asset as it is written: that of the first field of kind id with what stands in front of it; "" where it is
    not filled in.
    """
    in_front = {f.after for f in sheet.form}
    first = next((f for f in sheet.form if f.kind == "id" and f.id not in in_front), None)
    return written_number(sheet, first, form) if first is not None else ""


def written_number(sheet: Sheet, field: FieldRules, form: Mapping[str, Any]) -> str:
    """The number of a field as it is written, with that of the field it stands behind; "" where either is not filled in."""
    in_front = [f for f in sheet.form if f.id == field.after]
    told = [_digits(f, form.get(f.id)) for f in (*in_front, field)]
    return "".join(told) if all(told) else ""


def _digits(field: FieldRules, value: Any) -> str:
    return f"{value:0{field.digits}d}" if isinstance(value, int) and not isinstance(value, bool) else ""


def mirrored(sheet: Sheet, form: Mapping[str, Any], source: str) -> str | None:
    """The folders of a source from the sheet's named folder down, as a path; what the form says instead where it does. None where
    neither says it.
    """
    said = str(form.get(MIRROR, "")).strip().strip("/")
    if said:
        return said
    folders = PurePath(source).parent.parts
    for k in range(len(folders) - 1, -1, -1):
        if sheet.kit.mirror_from and folders[k].casefold() == sheet.kit.mirror_from.casefold():
            return "/".join(folders[k + 1 :])
    return None


def _plain(text: str) -> str:
    # Braces are tokens of patterns.
    return re.sub(r"[{}]", "_", text)


def for_asset(sheet: Sheet, known: Known) -> Sheet:
    """The sheet with its patterns filled as far as they hang on what is known of one asset; it stays the same sheet, by its digest
    too.
    """
    if not _names_any(sheet):
        return sheet
    return kept(("for asset", known), sheet, lambda: _filled(sheet, known))


def _names_any(sheet: Sheet) -> bool:
    return kept("names of one asset", sheet, lambda: bool(_changes(sheet, Known("0", "o", "m"))))


def _filled(sheet: Sheet, known: Known) -> Sheet:
    new = sheet.model_copy(update=_changes(sheet, known))
    digest = sheet_digest(sheet)
    kept("digest", new, lambda: digest)
    return new


def _changes(sheet: Sheet, known: Known) -> dict[str, Any]:
    """The tables of a sheet that change."""
    out: dict[str, Any] = {}
    for name in ("names", "layout", "kit", "plot"):
        if (new := _table(getattr(sheet, name), known)) is not None:
            out[name] = new
    for name in ("documents", "pictures"):
        rows = getattr(sheet, name)
        changed = [_table(r, known) for r in rows]
        if any(c is not None for c in changed):
            out[name] = tuple(r if c is None else c for r, c in zip(rows, changed))
    return out


PATTERNS = ("asset", "node", "mesh", "material", "image", "skin", "clip", "model", "texture", "skeleton", "licence", "facts", "source",
            "bundle", "place", "name", "path")  # fmt: skip
"""Fields that are patterns."""


def _table(part: Any, known: Known) -> Any:
    new = {
        k: filled
        for k in PATTERNS
        if isinstance(text := getattr(part, k, None), str) and (filled := _text(text, known)) != text
    }
    return part.model_copy(update=new) if new else None


def _text(text: str, known: Known) -> str:
    out = text
    for token in TOKENS:
        out = out.replace(f"{{{token}}}", getattr(known, token))
    # Folders nobody named leave no gap.
    return re.sub(r"/{2,}", "/", out).strip("/") if out != text and "/" in out else out
