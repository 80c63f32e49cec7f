"""A level that comes as lists of placements: every list read as the destination reads it, every mesh where it says."""

from __future__ import annotations

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.errors import CustomsError
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.geometry.counts import counts
from customs.grounds.things import LEVEL, things_of
from customs.landing.log import Log
from customs.scene.model import Scene
from customs.scene.prune import prune
from customs.scene.transforms import flat
from customs.sheet.model import Sheet
from customs.words import many

Json = dict[str, Any]
SHOWN = 3
OFF = 1e-3
"""Metres a thing may stand beyond its tile by the rounding of its box."""


def read_whole(files: Mapping[str, Path], sheet: Sheet, asset: str, folder: Path, log: Log) -> Scene | None:
    """The level that the lists of a package put together, in the destination's numbers; what cannot be read is refused."""
    place = sheet.grounds.list_place(asset)
    if place not in files:
        log.refuse(place, "the list of placements is not there")
        return None
    try:
        scene = prune(read_scene(Source(files[place], folder)))
    except CustomsError as problem:
        log.refuse(place, str(problem))
        return None
    for remark in scene.remarks:
        log.refuse(place, remark.text)
    return scene


def check_lists(files: Mapping[str, Path], body: Json, sheet: Sheet, scene: Scene, log: Log) -> None:
    """What the lists say, against the files that are there and the sheet's rules for levels."""
    asset, rules = str(body["asset"]), sheet.grounds
    place = rules.list_place(asset)
    whole = _parsed(files, place, log)
    if whole is None:
        return
    lists = {place: whole}
    log.check(
        not rules.tile or "lists" in whole,
        place,
        f"one list, where there is one for each tile of {rules.tile:g} m",
    )
    if "lists" in whole:
        base = place.rpartition("/")[0]
        names = [f"{base}/{n}" if base else str(n) for n in whole.get("lists", [])]
        lists = {n: found for n in names if (found := _parsed(files, n, log)) is not None}
        log.check(
            len(lists) == len(names),
            place,
            f"{many(len(names) - len(lists), 'list')} it names cannot be read",
        )
    known = {str(m["path"]) for m in body["models"]}
    used, count = set[str](), 0
    for name, one in lists.items():
        used |= _check_list(name, one, known, sheet, log)
        count += len(one.get("placements", []))
    idle = sorted(known - used)
    log.check(not idle, place, f"no list places {', '.join(idle[:SHOWN])}")
    lights = whole.get("lights", [])
    dark = rules.light == "required" and not lights and len(things_of(scene)) >= LEVEL
    log.check(not dark, place, "there is no light")
    log.check(
        len(lights) == len(scene.lights),
        place,
        f"{many(len(lights), 'light')} in the list, {len(scene.lights)} of them can be set",
    )
    log.note("assembles", place, f"{many(count, 'placement')}, {counts(scene)['triangles']:,} triangles")


def _parsed(files: Mapping[str, Path], place: str, log: Log) -> Json | None:
    if place not in files:
        log.refuse(place, "the list is not there")
        return None
    try:
        body = json.loads(files[place].read_bytes().decode("utf-8"))
    except (OSError, ValueError, RecursionError) as problem:
        log.refuse(place, f"not well-formed JSON: {problem}")
        return None
    if not isinstance(body, dict):
        log.refuse(place, "no object with placements")
        return None
    return body


def _check_list(place: str, body: Json, known: set[str], sheet: Sheet, log: Log) -> set[str]:
    """Names, matrices and kinds of one list; the files it places."""
    rows = [r for r in body.get("placements", []) if isinstance(r, dict)]
    base = place.rpartition("/")[0]
    names = [f"{base}/{r.get('name')}" if base else str(r.get("name")) for r in rows]
    lost = sorted(set(names) - known)
    log.check(not lost, place, f"names that no file of the package has: {', '.join(lost[:SHOWN])}")
    kinds = sorted({str(r.get("kind", "")) for r in rows} & set(sheet.grounds.leave_out))
    log.check(not kinds, place, f"kinds that are not taken: {', '.join(kinds)}")
    try:
        numbers = np.array([r.get("matrix") for r in rows], dtype=np.float64).reshape(-1, 4, 4)
    except (ValueError, TypeError):
        log.refuse(place, "a matrix is not sixteen numbers")
        return set(names)
    bad: npt.NDArray[np.bool_] = np.asarray(~np.isfinite(numbers).all(axis=(1, 2)))
    squeezed = ~bad & flat(np.where(bad[:, None, None], np.eye(4), numbers).transpose(0, 2, 1))
    log.check(not bad.any(), place, f"{many(int(bad.sum()), 'matrix')} with numbers that are none")
    log.check(not squeezed.any(), place, f"{many(int(squeezed.sum()), 'placement')} squeezed flat")
    ids = [r.get("id") for r in rows]
    log.check(len(set(map(str, ids))) == len(ids), place, "an id is there twice")
    return set(names)
