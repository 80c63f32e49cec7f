"""What has a name, and how the sheet would have it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Literal

from customs.job import Job
from customs.ledger.row import Remedy, remedy
from customs.route.step import NOTHING, get_step, make_settings
from customs.scene.folding import RowName, row_key, row_names
from customs.scene.kept import latest
from customs.scene.model import Scene
from customs.scene.prune import prune
from customs.sheet.model import Sheet

KINDS = (
    ("node", "nodes"),
    ("mesh", "meshes"),
    ("material", "materials"),
    ("image", "images"),
    ("clip", "clips"),
)


def named(scene: Scene, rows: Literal["each", "once", "none"] = "each") -> Iterator[tuple[Any, Any]]:
    """(kind, element) of all that is used and has a name; of what is placed each, the first of each name, or none."""
    used = prune(scene)
    for kind, attribute in KINDS:
        for item in getattr(used, attribute):
            yield kind, item
    if rows == "each":
        yield from (("node", row) for row in row_names(used))
    elif rows == "once":
        names = used.placements.names
        first = dict(zip(reversed(names), reversed(range(len(names)))))
        yield from (("node", RowName(row_key(used, k), name)) for name, k in first.items())


def file_kinds(sheet: Sheet) -> tuple[str, ...]:
    """Kinds of elements that files of their own are named by, where a sheet takes those: their names are
    parts of paths.
    """
    apart = sheet.rig.files == "split" or any(how != "together" for how in sheet.rig.clip_files)
    return (*(("image",) if sheet.model.textures == "apart" else ()), *(("clip",) if apart else ()))


def name_values(sheet: Sheet) -> dict[str, Any]:
    """The sheet's naming rules as settings of the step Names."""
    kinds = file_kinds(sheet)
    return {
        **sheet.names.model_dump(),
        "suffixes": dict(sheet.textures.suffixes),
        **({"files": kinds} if kinds else {}),
    }


def name_fix(sheet: Sheet) -> Remedy | None:
    """Rename by the sheet's patterns."""
    return remedy("rename", "Rename by pattern", **name_values(sheet))


def by_pattern(scene: Scene, sheet: Sheet) -> list[tuple[str, str]]:
    """(name, name by pattern) of each element the sheet would call otherwise. Kept while the scene lives."""
    used = prune(scene)
    return latest("names by pattern", used, name_values(sheet), lambda: _by_pattern(used, sheet))


def _by_pattern(used: Scene, sheet: Sheet) -> list[tuple[str, str]]:
    step = get_step("rename")
    new = step.apply(used, make_settings(step, name_values(sheet)), NOTHING, Job()).scene
    pairs = [(used.name, new.name)]
    for _, attribute in KINDS:
        pairs += [(a.name, b.name) for a, b in zip(getattr(used, attribute), getattr(new, attribute))]
    pairs += zip(used.placements.names, new.placements.names)
    return [(a, b) for a, b in pairs if a != b]
