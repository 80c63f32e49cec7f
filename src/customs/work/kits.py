"""Kit folders as a person sees them before and after a dispatch: documents as they will be, what stands there of ours."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from customs.dispatch.deliver import destination_scene
from customs.dispatch.documents import facts_before
from customs.dispatch.into_kit import edited_document, edits_of, new_document
from customs.documents.edit import Pair, difference, side_by_side
from customs.errors import CustomsError
from customs.kit.journal import journals
from customs.scene.model import Scene
from customs.sheet.known import for_asset, known_of
from customs.sheet.model import Sheet


@dataclass(frozen=True)
class Preview:
    """A document of the kit as a dispatch would change it: its lines side by side, none where it stays as it is, or the `problem`
    that is in the way.
    """

    path: str
    lines: tuple[Pair, ...] = ()
    problem: str = ""
    new: bool = False
    difference: str = ""


def document_previews(
    scene: Scene, sheet: Sheet, kit: Path | None, form: Mapping[str, Any], source: str
) -> tuple[Preview, ...]:
    """Every document of a sheet, for an asset at the end of its route that came from the path `source`; nothing is written. Those of
    the kit need its folder.
    """
    known = known_of(sheet, form, source)
    sheet = for_asset(sheet, known)
    final = destination_scene(scene, sheet)
    facts, out = facts_before(scene, sheet, final, form, known), list[Preview]()
    for rules in sheet.documents:
        path = rules.place(final.name)
        try:
            if rules.new:
                before, after = b"", new_document(sheet, rules, final.name, facts)
            elif kit is None:
                out.append(
                    Preview(
                        path,
                        problem="Choose the kit folder: it is read there, and shown here as it would become.",
                    )
                )
                continue
            else:
                before, after = edited_document(kit, rules, edits_of(sheet, rules, final.name, facts))
            lines = tuple(side_by_side(before, after, rules.codec)) if before != after else ()
            told = difference(before, after, path, rules.codec) if lines and not rules.new else ""
            out.append(Preview(path, lines, new=bool(rules.new), difference=told))
        except CustomsError as problem:
            out.append(Preview(path, problem=str(problem)))
    return tuple(out)


def stands_in(package: Path, kit: Path | None) -> bool:
    """True where the dispatch of a package stands in a kit: it went there, and was not withdrawn."""
    if kit is None:
        return False
    try:
        told: Mapping[str, Any] = json.loads((package / "docket.json").read_text("utf-8"))["kit"]
        return told["dispatch"] in {j.id for j in journals(kit)}
    except (OSError, ValueError, KeyError, TypeError, CustomsError):
        return False
