"""A package before it is written: its files with what they will take, and its docket as it will be."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from customs.dispatch.beside import told_facts
from customs.dispatch.deliver import destination_scene
from customs.dispatch.dispatch import Goods
from customs.dispatch.docket import docket_before, docket_page
from customs.dispatch.documents import all_planned, facts_before
from customs.dispatch.fittings import facts_bytes, has_facts
from customs.dispatch.into_kit import new_document
from customs.dispatch.sizes import planned_sizes
from customs.dispatch.source import SOURCE, source_files
from customs.errors import CustomsError
from customs.scene.model import Scene
from customs.sheet.known import for_asset, known_of
from customs.sheet.model import Sheet
from customs.work.kits import document_previews
from customs.work.requests.evaluate import Evaluated


@dataclass(frozen=True)
class Expected:
    """A file to be: its path in the package, what it is, its bytes (None where they are not known before it is made), whether that
    figure is exact.
    """

    path: str
    kind: str
    size: int | None = None
    exact: bool = False


def expected_files(done: Evaluated, sheet: Sheet) -> tuple[Expected, ...]:
    """Every file a dispatch would write but the docket; nothing is encoded for it."""
    scene, known = done.passed[-1].scene, known_of(sheet, done.asset.form, done.asset.source)
    sheet = for_asset(sheet, known)
    textures, models = planned_sizes(scene, sheet)
    texts = _texts(done, scene, sheet)
    out, first = list[Expected](), True
    for path, kind in all_planned(scene, sheet):
        if path in textures:
            out.append(Expected(path, kind, textures[path]))
        elif kind == "model" and first:
            out.append(Expected(path, kind, models))
            first = False
        else:
            out.append(Expected(path, kind, texts.get(path), path in texts))
    taken = done.taken.files if done.taken is not None else ()
    sources = source_files(sheet, scene.name, taken)
    out += [Expected(d.path, SOURCE, _size(f), True) for d, f in zip(sources, taken)]
    if bundle := sheet.layout.bundle_place(scene.name):
        out.append(Expected(bundle, "bundle"))
    return tuple(out)


def _size(file: Path) -> int | None:
    try:
        return file.stat().st_size
    except OSError:
        return None


def _texts(done: Evaluated, scene: Scene, sheet: Sheet) -> dict[str, int]:
    """Bytes of what is written as text, which is quickly made; what cannot be made is said elsewhere."""
    final, out = destination_scene(scene, sheet), dict[str, int]()
    facts = facts_before(
        scene, sheet, final, done.asset.form, known_of(sheet, done.asset.form, done.asset.source)
    )
    for rules in (r for r in sheet.documents if r.new):
        try:
            out[rules.place(scene.name)] = len(new_document(sheet, rules, scene.name, facts))
        except CustomsError:
            continue
    if has_facts(scene, sheet):
        out[sheet.layout.facts_place(scene.name)] = len(facts_bytes(told_facts(scene, sheet, final)))
    return out


def expected_docket(done: Evaluated, sheet: Sheet, kit: Path | None) -> str:
    """The docket's page as it will be, with what is going to change in the documents of a `kit`. Raises CustomsError."""
    assert done.taken is not None
    own = for_asset(sheet, known_of(sheet, done.asset.form, done.asset.source))
    scene = done.passed[-1].scene
    source = {**done.taken.source(), "name": Path(done.asset.source).name}
    goods = Goods(done.taken.scene, done.passed, done.ledger, own, done.about, source)
    files = [
        {"path": f.path, "kind": f.kind, "size": f.size, "sha256": "\u2026"}
        for f in expected_files(done, sheet)
    ]
    told = _kit_told(done, sheet, kit, scene.name) if kit is not None and own.goes_into_kit else None
    body = docket_before(goods.told(destination_scene(scene, own), files, "\u2026", told))
    return docket_page(body).decode("utf-8")


def _kit_told(done: Evaluated, sheet: Sheet, kit: Path, asset: str) -> dict[str, object]:
    own = for_asset(sheet, known_of(sheet, done.asset.form, done.asset.source))
    previews = document_previews(done.passed[-1].scene, sheet, kit, done.asset.form, done.asset.source)
    changed = [p for p in previews if not p.new and (p.lines or p.problem)]
    paths = [*([own.kit.target(asset)] if own.kit.place else []), *(p.path for p in changed)]
    if own.kit.index is not None:
        paths.append(own.kit.index.path)
    there = {p: (kit / p).exists() for p in paths}
    return {
        "dispatch": "",
        "files": [{"path": p, "before": "\u2026" if there[p] else None, "after": "\u2026"} for p in paths],
        "documents": [{"path": p.path, "difference": p.problem or p.difference} for p in changed],
    }
