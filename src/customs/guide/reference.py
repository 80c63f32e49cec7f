"""Pages made from what the program knows of itself: stops, rows and the keys of sheets. `python -m customs.guide.reference` writes them
anew; a test holds them against what is there.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any, Literal, get_args, get_origin

from customs.ledger.row import requirements
from customs.route.step import Step, steps
from customs.sheet.schema import sheet_keys, to_toml

DESKS = ("intake", "fit", "surface", "motion", "fittings", "grounds", "dispatch")
HIDDEN = ("targets", "stated")
"""Settings that name parts of one asset, or say where they are from."""


def made_pages() -> dict[str, str]:
    """Each page by its id, as Markdown."""
    return {"stops": stops_page(), "rows": rows_page(), "sheet-keys": keys_page()}


def stops_page() -> str:
    """Every step with its settings."""
    out = [
        "# Stops",
        "",
        "Every step that can stand on a route, by desk, with its settings. On the command line a setting is `--set step.setting=value`.",
    ]
    for desk in DESKS:
        mine = [s for s in steps().values() if s.desk == desk]
        if mine:
            out += ["", f"## {desk.capitalize()}"]
        for step in mine:
            out += ["", f"### {step.name}: `{step.id}`", "", step.about.strip(), *_settings(step)]
    return "\n".join(out) + "\n"


def _settings(step: Step) -> Iterator[str]:
    rows = [(n, f) for n, f in step.settings.model_fields.items() if n not in HIDDEN]
    if rows:
        yield ""
    for name, info in rows:
        usual = "" if info.is_required() else to_toml(info.get_default(call_default_factory=True))
        words = [
            info.description or "",
            _options(info.annotation),
            f"usually {_code(usual)}" if usual else "",
        ]
        yield f"* `{name}`: {'; '.join(_escaped(w) for w in words if w) or 'as it is called'}"


def _options(kind: Any) -> str:
    options = get_args(kind) if get_origin(kind) is Literal else ()
    return "one of " + ", ".join(f"`{o}`" for o in options) if options else ""


def rows_page() -> str:
    """Every requirement: what it asks, and the step that puts it right."""
    known = steps()
    out = [
        "# Rows of the ledger",
        "",
        "What a destination may ask of an asset, by desk. A row is *cleared*, a *query* a person decides, or *held*: the destination would "
        "refuse it or break. A remedy is a step, ready with its settings; what no remedy stands beside is put right in its source.",
    ]
    for desk in DESKS:
        out += ["", f"## {desk.capitalize()}"]
        for r in (r for r in requirements().values() if r.desk == desk):
            out += ["", f"### {r.title}: `{r.id}`", "", r.about]
            if r.step in known:
                out += ["", f"Put right by [{known[r.step].name}](stops.md#{r.step})."]
    return "\n".join(out) + "\n"


def keys_page() -> str:
    """Every key of a sheet."""
    out = [
        "# Keys of a sheet",
        "",
        "Every key a destination sheet may hold, by its table: what it takes, what it is where nothing is said, what it means. "
        "How sheets are made: [sheets](sheets.md).",
    ]
    table: str | None = None
    for key in sheet_keys():
        if key.table != table:
            table = key.table
            out += ["", f"## [{table}]" if table else "## At the top", ""]
        unit = f" ({key.unit})" if key.unit else ""
        usual = f"; {_code(key.default)} where nothing is said" if key.default else ""
        out.append(f"* `{key.path}`{unit}: {_escaped(key.meaning)}. {_escaped(key.takes[:1].upper() + key.takes[1:])}{usual}.")  # fmt: skip
    return "\n".join(out) + "\n"


def _code(text: str) -> str:
    return f"`{text}`" if len(text) < 60 else "a table of its own"


def _escaped(text: str) -> str:
    """Text that Markdown leaves as it is."""
    plain = " ".join(text.split())
    return re.sub(r"([*_<])", r"\\\1", plain) if "`" not in plain else plain


def main() -> None:
    """Write the pages anew, beside the others."""
    for id_, text in made_pages().items():
        (Path(__file__).parent / "pages" / f"{id_}.md").write_text(text, "utf-8")


if __name__ == "__main__":
    main()
