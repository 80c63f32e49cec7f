"""Documents a delivery brings itself, made from the sheet's texts and what is known of the asset."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from customs.dispatch.beside import planned_files, told_facts
from customs.dispatch.deliver import Deliverable, Tick
from customs.dispatch.into_kit import facts_for, new_document
from customs.formats.registry import Parts
from customs.scene.model import Scene
from customs.sheet.known import Known
from customs.sheet.model import Sheet

Json = dict[str, Any]
KIND = "document"


def form_facts(sheet: Sheet, form: Mapping[str, Any]) -> Json:
    """Every field of a sheet's form, empty where it is not filled in."""
    return {f.id: form.get(f.id, [] if f.kind in ("choices", "decades") else "") for f in sheet.form}


def facts_before(scene: Scene, sheet: Sheet, final: Scene, form: Mapping[str, Any], known: Known) -> Json:
    """What is known of a delivery before it is written: sizes and hashes are not, they stand as 0 and "…". `scene` is in the working
    frame, `final` it as it is delivered.
    """
    told = told_facts(scene, sheet, final)
    files = [{"path": p, "kind": k, "size": 0, "sha256": "…"} for p, k in all_planned(scene, sheet)]
    return facts_for(final, told, files, form_facts(sheet, form), known)


def all_planned(scene: Scene, sheet: Sheet) -> tuple[tuple[str, str], ...]:
    """(path, kind) of every file a delivery would write, its documents among them."""
    return (*planned_files(scene, sheet), *((r.place(scene.name), KIND) for r in sheet.documents if r.new))


def document_files(
    scene: Scene, sheet: Sheet, final: Scene, form: Mapping[str, Any], known: Known
) -> tuple[Deliverable, ...]:
    """The documents of a delivery."""
    mine = [r for r in sheet.documents if r.new]
    if not mine:
        return ()
    facts = facts_before(scene, sheet, final, form, known)

    def made(number: int) -> Deliverable:
        rules = mine[number]

        def make(tick: Tick) -> Parts:
            return [new_document(sheet, rules, final.name, facts)]

        return Deliverable(rules.place(final.name), KIND, make, final.name)

    return tuple(made(k) for k in range(len(mine)))
