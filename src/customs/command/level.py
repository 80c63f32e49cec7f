"""What a list of placements says, and which files its names mean."""

from __future__ import annotations

from collections import Counter
from pathlib import Path
from typing import Any

from customs.command.printing import MARKS, say, say_folded, say_json
from customs.errors import CustomsError, UsageError
from customs.levels.library import Resolved
from customs.levels.mapping import OWN, read_mapping
from customs.levels.read import Listed, read_list
from customs.words import many

SHOWN = 12


def told(
    paths: list[Path], mapping: Path | None, libraries: list[Path], as_json: bool, out: Path | None = None
) -> int:
    """Read lists and resolve their names, and write the level as one GLB where `out` is named; 0 where each name means one file and
    every entry is used, else 1. Raises UsageError.
    """
    if out is not None and (out.suffix.lower() != ".glb" or out.exists() or not libraries):
        raise UsageError(f"{out}: a new file that ends in .glb, and a --library to make it of")
    try:
        rules = read_mapping(mapping) if mapping is not None else OWN
        if not libraries:
            return _told([read_list(p, rules) for p in paths], [], {}, (), as_json, None)
        # Formats are loaded where files are looked into: lists alone need none.
        from customs.work.levels import composed, kinds_of, written_level

        level = composed(paths, rules, libraries)
        scene = level.scene()
        if out is not None:
            written_level(scene, out)
    except CustomsError as problem:
        raise UsageError(str(problem)) from None
    except OSError as problem:
        raise UsageError(f"{out} cannot be written ({problem.strerror})") from None
    remarks = tuple(r.text for r in scene.remarks)
    return _told(list(level.lists), list(level.names), kinds_of(scene), remarks, as_json, out)


def _told(
    lists: list[Listed],
    names: list[Resolved],
    kinds: dict[str, dict[str, int]],
    remarks: tuple[str, ...],
    as_json: bool,
    out: Path | None,
) -> int:
    missing = [r for r in names if not r.files]
    unclear = [r for r in names if r.ambiguous]
    if as_json:
        body = _table(lists, names) | {"kinds": kinds, "remarks": list(remarks)}
        say_json(body | ({"level": str(out)} if out is not None else {}))
    else:
        _say(lists, names, missing, unclear)
        for kind, found in kinds.items():
            say(f"  {kind}: {found['count']:,} things, {found['triangles']:,} triangles")
        for remark in remarks:
            say_folded(remark, 2, 4)
        if out is not None:
            say_folded(f"{out} written", 0, 4)
    return 1 if missing or unclear or any(x.problems for x in lists) else 0


def _table(lists: list[Listed], names: list[Resolved]) -> dict[str, Any]:
    return {
        "lists": [
            {
                "list": str(x.path),
                "entries": x.of,
                "placements": len(x),
                "hidden": int((~x.visible).sum()),
                "kinds": dict(Counter(k or "not said" for k in x.kinds)),
                "problems": list(x.problems),
            }
            for x in lists
        ],
        "names": told_names(names),
    }


def told_names(names: list[Resolved]) -> list[dict[str, Any]]:
    """What came of each name, for `--json`."""
    return [
        {
            "name": r.name,
            "count": r.count,
            "file": str(r.file) if r.file else None,
            "candidates": [str(f) for f in r.files[:SHOWN]],
            "state": "missing" if not r.files else "ambiguous" if r.ambiguous else "resolved",
        }
        for r in names
    ]


def _say(
    lists: list[Listed], names: list[Resolved], missing: list[Resolved], unclear: list[Resolved]
) -> None:
    for x in lists:
        kinds = ", ".join(f"{n:,} {k or 'not said'}" for k, n in Counter(x.kinds).most_common(6))
        hidden = int((~x.visible).sum())
        say(
            f"{MARKS['query' if x.problems else 'cleared']} {x.path.name}: {many(len(x), 'placement')} of {many(x.of, 'entry')}, {hidden:,} hidden; kinds: {kinds}"
        )
        for problem in x.problems:
            say_folded(problem, 2, 4)
    if names:
        known = len(names) - len(missing) - len(unclear)
        say(
            f"{many(len(names), 'name')}: {known:,} resolved, {len(missing):,} missing, {len(unclear):,} ambiguous"
        )
    for r in missing[:SHOWN]:
        say_folded(f"{MARKS['held']} {r.name} ({many(r.count, 'placement')}): no file of that name", 2, 4)
    for r in unclear[:SHOWN]:
        say_folded(
            f"{MARKS['query']} {r.name} ({many(r.count, 'placement')}): {', '.join(str(f) for f in r.files[:3])}",
            2,
            4,
        )
