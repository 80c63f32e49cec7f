"""A package on its way into the destination's own folder: its files or its bundle, and what changes in the kit's documents."""

from __future__ import annotations

import fnmatch
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from customs.dispatch.bundle import bundled, compressed
from customs.dispatch.index import index_of
from customs.dispatch.told import names_of
from customs.documents.edit import Edit, difference, edited
from customs.documents.templates import filled_in
from customs.errors import ReadError, WriteError
from customs.files import read_regular
from customs.geometry.counts import counts
from customs.kit.changes import Change, Wanted, check_places
from customs.kit.journal import journals
from customs.scene.model import Scene
from customs.scene.numbers import ORDER
from customs.scene.tree import mesh_nodes
from customs.sheet.documents import DocumentRules
from customs.sheet.known import Known
from customs.sheet.model import Sheet
from customs.tolerances import FILE_BYTES

Json = dict[str, Any]
Facts = Mapping[str, Any]


@dataclass(frozen=True, eq=False)
class KitPlan:
    """What a dispatch will do to a kit, before it does: the files wanted, those of them that may be replaced, what changes,
    documents as differences, the edits that make them.
    """

    kit: Path
    id: str
    wanted: tuple[Wanted, ...]
    may: tuple[str, ...]
    changes: tuple[Change, ...]
    differences: Mapping[str, str]
    edits: Mapping[str, Sequence[Edit]]

    def as_dict(self) -> Json:
        """As it stands in the docket."""
        return {
            "dispatch": self.id,
            "files": [{"path": w.path, "before": b, "after": a} for w, b, a in self._rows()],
            "documents": [{"path": p, "difference": d} for p, d in self.differences.items()],
        }

    def _rows(self) -> list[tuple[Wanted, str | None, str | None]]:
        changed = {c.path: c for c in self.changes}
        return [(w, c.before, c.after) for w in self.wanted if (c := changed.get(w.path)) is not None]


def plan_for_kit(
    sheet: Sheet, kit: Path, asset: str, files: Mapping[str, Path], facts: Facts, replace: bool
) -> KitPlan:
    """What delivering `files` (by their paths in the package) will change in a kit; nothing is written.

    `facts` is what templates may use. Files of an earlier dispatch of the same asset may be replaced where `replace` says so.
    Raises WriteError, SheetError and ReadError, each with the document and the place.
    """
    if not kit.is_dir():
        raise WriteError("is no folder", "the kit's folder", "Choose it.", kit)
    wanted = _placed(sheet, asset, files)
    differences, documents, edits = dict[str, str](), list[str](), dict[str, Sequence[Edit]]()
    for document in (r for r in sheet.documents if not r.new):
        edits[document.path] = edits_of(sheet, document, asset, facts)
        before, after = edited_document(kit, document, edits[document.path])
        wanted.append(Wanted(document.path, after))
        documents.append(document.path)
        if before != after:
            differences[document.path] = difference(before, after, document.path, document.codec)
    own = [w.path for w in wanted if w.path not in documents]
    earlier = {c.path for j in journals(kit) if j.about.get("asset") == asset for c in j.changes if c.after}
    may = (*documents, *({*earlier, *(own if sheet.kit.replaces else ())} if replace else ()))
    if (rules := sheet.kit.index) is not None:
        check_places(kit, wanted, may)
        wanted.append(Wanted(rules.path, index_of(rules, kit, wanted)))
        may = (*may, rules.path)
    changes = tuple(check_places(kit, wanted, may))
    return KitPlan(kit, _id(kit, asset), tuple(wanted), may, changes, differences, edits)


def _placed(sheet: Sheet, asset: str, files: Mapping[str, Path]) -> list[Wanted]:
    """The package's own files where the kit has them, or the one bundle they are in."""
    if not sheet.kit.place:
        return []
    own = sheet.layout.bundle_place(asset)
    data = {path: _read(place) for path, place in files.items() if path != own}
    target = sheet.kit.target(asset)
    if sheet.kit.bundle == "none":
        return [
            Wanted(f"{target}/{path}{'.gz' if packed else ''}", compressed(body) if packed else body)
            for path, body in data.items()
            for packed in [is_packed(sheet, path)]
        ]
    return [Wanted(target, bundled(data, sheet.kit.bundle))]


def is_packed(sheet: Sheet, path: str) -> bool:
    """True for a file of a package that is compressed alone in the kit."""
    return any(fnmatch.fnmatchcase(path.rpartition("/")[2], p) for p in sheet.kit.packed)


def _read(place: Path) -> bytes:
    data = read_regular(place, FILE_BYTES)
    if data is None:
        raise WriteError(f"larger than {FILE_BYTES / 1e9:.0f} GB", "a smaller file", "Leave it out.", place)
    return data


def edits_of(sheet: Sheet, rules: DocumentRules, asset: str, facts: Facts) -> list[Edit]:
    """The edits of a document with the facts filled in. Raises SheetError."""
    told, where = _told(sheet, asset, facts), f"documents, {rules.path}"
    return [_edit(e, told, rules.syntax, f"{where}, edit {n}") for n, e in enumerate(rules.edits, 1)]


def edited_document(kit: Path, rules: DocumentRules, edits: Sequence[Edit]) -> tuple[bytes, bytes]:
    """(a document of a kit as it is, as it is to be). Raises WriteError and ReadError."""
    path = rules.path
    try:
        before = _read(kit / path)
    except OSError as problem:
        raise WriteError(
            f"the kit's document {path} cannot be read ({problem.strerror})",
            "the kit this sheet is for",
            "Choose its folder.",
            kit,
        ) from None
    return before, edited(before, edits, rules.syntax, path, rules.codec)


def new_document(sheet: Sheet, rules: DocumentRules, asset: str, facts: Facts) -> bytes:
    """A document that a delivery brings itself. Raises SheetError, and WriteError where it would not be well formed."""
    path = rules.place(asset)
    text = filled_in(rules.new, _told(sheet, asset, facts), rules.syntax, f"documents, {path}")
    try:
        data = text.encode(rules.codec or "utf-8")
        edited(data, [], rules.syntax, path, rules.codec)
    except (UnicodeEncodeError, ReadError) as problem:
        raise WriteError(
            f"it would not be well formed ({getattr(problem, 'found', problem)})",
            f"{rules.syntax} its destination can read",
            "Mend its text in the sheet, or what stands in its form.",
            path,
        ) from None
    return data


def _told(sheet: Sheet, asset: str, facts: Facts) -> Facts:
    """The facts, with where the package goes and what version of the kit is expected."""
    version = sheet.kit.version.expected if sheet.kit.version is not None else ""
    return {**facts, "place": sheet.kit.target(asset) if sheet.kit.place else "", "version": version}


def _edit(rules: Any, facts: Facts, syntax: str, where: str) -> Edit:
    # A value that is set is escaped where it is written; a block is escaped as it is filled in.
    whole = rules.do == "insert"
    text = filled_in(rules.text, facts, syntax if whole else "", where)
    swap = [[filled_in(x, facts, "", where) for x in pair] for pair in rules.swap]
    return Edit(rules.do, filled_in(rules.at, facts, "", where), text, rules.where, rules.same, swap)


def _id(kit: Path, asset: str) -> str:
    """A name for the dispatch that none there has."""
    plain = f"{datetime.now(UTC):%Y%m%dT%H%M%SZ}-{asset}"
    taken, number, out = {j.id for j in journals(kit)}, 1, plain
    while out in taken:
        number += 1
        out = f"{plain}-{number}"
    return out


def facts_for(
    final: Scene,
    document: Mapping[str, Any],
    files: Sequence[Mapping[str, Any]],
    form: Mapping[str, Any],
    known: Known,
) -> Json:
    """What templates may use of a scene as it is delivered: its name, what its document says (unit, levels, shapes, posts), its
    counts, its files, the main model among them, its names by kind, its meshes with their order numbers, its form, what is known.
    """
    rows = [{"path": f["path"], "kind": f["kind"], "size": f["size"], "sha256": f["sha256"]} for f in files]
    model = next((f["path"] for f in rows if f["kind"] == "model"), "")
    empty: Json = {"levels": [], "shapes": [], "posts": []}
    return {
        **empty,
        **document,
        "asset": final.name,
        "counts": counts(final),
        "names": names_of(final),
        "parts": parts_of(final),
        "number": known.number,
        "original": known.original,
        "mirror": known.mirror,
        "files": rows,
        "model": model,
        "form": dict(form),
    }


def parts_of(final: Scene) -> list[Json]:
    """Nodes with meshes as templates tell of them: name, name of the mesh, order number, where the scene has one."""
    shown = [final.nodes[n] for n in mesh_nodes(final)]
    rows = [
        {"node": n.name, "mesh": final.meshes[n.mesh or 0].name, "order": str(n.extras.get(ORDER, ""))}
        for n in shown
    ]
    return sorted(rows, key=lambda r: (len(r["order"]), r["order"]))
