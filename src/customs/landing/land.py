"""Landing one package, or every package in a folder."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import numpy as np

from customs.conventions.convert import change_convention
from customs.errors import CustomsError, UnsupportedError
from customs.formats.registry import endings, get_format, read_scene
from customs.formats.source import Source
from customs.geometry.counts import counts
from customs.landing.docket_check import (
    bytes_of,
    check_files,
    check_story,
    own_files,
    read_docket,
    recount,
    same_names,
)
from customs.landing.fittings_check import check_fittings
from customs.landing.form_check import check_form
from customs.landing.kit_check import check_bundle, check_documents, check_kit
from customs.landing.level_check import check_lists, read_whole
from customs.landing.log import Log
from customs.landing.model_check import check_model
from customs.landing.motion_check import fits, names_others, play_all, whole_motion
from customs.landing.picture_check import check_pictures
from customs.landing.plot_check import check_plot
from customs.landing.references import There, there_in
from customs.landing.study_check import check_study
from customs.landing.texture_check import (
    check_copies,
    check_fixed_names,
    check_loose_textures,
    check_textures,
)
from customs.landing.told_apart import attached_of, refolded, rows_of, told_apart
from customs.landing.voxel_check import check_voxels
from customs.motion.posing.bounds import world_bounds
from customs.scene.convention import WORKING
from customs.scene.model import Scene
from customs.scene.prune import prune
from customs.sheet.known import for_asset, told_known
from customs.sheet.load import sheet_digest
from customs.sheet.model import Sheet
from customs.surface.files.base import texture_format
from customs.words import many

FindSheet = Callable[[str], Sheet]
Back = Callable[[Scene], Scene]


def packages(folder: Path) -> list[Path]:
    """The package at `folder`, or the packages directly in it."""
    if (folder / "docket.json").is_file() or not folder.is_dir():
        return [folder]
    inside = sorted(p for p in folder.iterdir() if p.is_dir() and not p.name.startswith("."))
    return [
        p for p in inside if (p / "docket.json").is_file() or any(q.suffix in endings() for q in p.iterdir())
    ]


def land(folder: Path, find_sheet: FindSheet, by: Sheet | None = None, kit: Path | None = None) -> Log:
    """Read a package as its destination would. `find_sheet` gives a sheet by id; `by` overrides the docket's; `kit` is the
    destination's own folder, which is read too where it is given.

    Never raises for what is in the package: whatever is wrong there is a refusal.
    """
    log = Log(folder)
    body = read_docket(folder, log)
    if body is None:
        return log
    files = check_files(folder, body, log)
    sheet = by or _sheet(body, find_sheet, log)
    if sheet is None:
        return log
    check_story(body, sheet, log)
    sheet = for_asset(sheet, told_known(body))
    check_form(sheet, body, log)
    if sheet.grounds.form == "study":
        check_study(body, files, sheet, log)
        return _accepted(log, body)
    models = [m for m in body["models"] if m["path"] in files]
    if not models:
        log.refuse(body["asset"], "there is no model file in the package")
        return log
    known = sheet.kit.version.expected if sheet.kit.version is not None else ""
    post = sheet.posts.name.partition("{")[0] if sheet.posts.form != "none" else ""
    there = There(str(body["asset"]), set(files), number=told_known(body).number, version=known, post=post)
    main = _land_models(models, files, body, sheet, folder, log)
    there = there_in(main, there) if main is not None else there
    check_documents(sheet, files, there, log)
    check_bundle(sheet, files, there.asset, log)
    if kit is not None:
        check_kit(sheet, body, files, kit, there, log)
    return _accepted(log, body)


def _accepted(log: Log, body: dict[str, Any]) -> Log:
    if log.accepted:
        log.note("accepts", body["asset"], f"{log.remarks} remarks")
    return log


def _land_models(
    models: list[dict[str, Any]],
    files: dict[str, Path],
    body: dict[str, Any],
    sheet: Sheet,
    folder: Path,
    log: Log,
) -> Scene | None:
    """The file with the mesh, then those of skeleton and clips, and whether they fit it; the scene of the first, where it opens."""
    scenes: dict[str, Scene] = {}
    for record in models:
        name = str(record["path"])
        scene = _open(files[name], folder, name, sheet, log)
        if scene is None:
            continue
        scenes[name] = scene
        recount(record.get("after", {}), counts(scene), name, log)
        same_names(record.get("names", {}), _names(scene, name), name, log)
        if scene.meshes:
            _same_box(scene, record.get("box", body["box"]), name, log)
    if sheet.grounds.form == "list":
        return _land_level(files, body, sheet, folder, log)
    main = scenes.get(str(models[0]["path"]))
    if main is None:
        return None
    name = str(models[0]["path"])
    # The docket's own figures are of the asset as a whole: the mesh's file, and the clips of all.
    clips = [c.name for s in scenes.values() for c in s.clips]
    recount(body["after"], counts(main) | {"clips": len(clips)}, name, log)
    same_names(
        body["names"],
        _names(main, name) | ({"clips": clips} if "clips" in _names(main, name) else {}),
        name,
        log,
    )
    _same_box(main, body["box"], name, log)
    apart = told_apart(main, sheet, str(body["asset"]))
    check_fittings(apart, sheet, files, folder, str(body["asset"]), name, log)
    _check_beside(main, apart.core, sheet, files, folder, str(body["asset"]), log)
    check_model(apart.core, sheet, name, log)
    check_textures(main, sheet, log)
    check_fixed_names(main, sheet, files, log)
    known = {Path(i.uri).name for i in main.images} | check_copies(main, sheet, files, log)
    pictures = {Path(rules.place(str(body["asset"]))).name for rules in sheet.pictures}
    if sheet.plot.form == "picture":
        pictures.add(Path(sheet.plot.place(str(body["asset"]))).name)
    hung = {str(f["path"]) for f in body["files"] if f.get("kind") in ("attached", "source")}
    loose = {k: p for k, p in files.items() if k not in hung}
    check_loose_textures(loose, known | _fixed(sheet) | pictures, log)
    parts = {k: s for k, s in scenes.items() if k != name}
    for part, scene in parts.items():
        if not scene.meshes:
            fits(main, scene, part, log)
    if sheet.rig.files == "split" and parts:
        stems = {Path(k).stem for k in scenes}
        for part, scene in scenes.items():
            names_others(scene, stems, part, log)
    play_all(whole_motion(main, list(parts.values())), sheet, name, log)
    return main


def _check_beside(
    main: Scene,
    core: Scene,
    sheet: Sheet,
    files: Mapping[str, Path],
    folder: Path,
    asset: str,
    log: Log,
) -> None:
    """What lies beside the model and tells of it: pictures, plot, cells; `core` is the scene without its fittings."""
    check_pictures(sheet, files, asset, log)
    check_plot(core, sheet, files, asset, log)
    if sheet.voxels.form == "cells":
        check_voxels(main, sheet, files, folder, asset, log)


def _land_level(
    files: dict[str, Path], body: dict[str, Any], sheet: Sheet, folder: Path, log: Log
) -> Scene | None:
    """The level its lists put together, against the docket and the sheet."""
    asset = str(body["asset"])
    scene, place = read_whole(files, sheet, asset, folder, log), sheet.grounds.list_place(asset)
    if scene is None:
        return None
    found = counts(scene)
    recount(body["after"], {k: found[k] for k in ("triangles", "meshes", "joints", "clips")}, place, log)
    same_names(body["names"], {"meshes": [m.name for m in scene.meshes]}, place, log)
    _same_box(scene, body["box"], place, log)
    check_lists(files, body, sheet, scene, log)
    check_pictures(sheet, files, asset, log)
    # What is placed is known by its number, and a thing and its light may share a name.
    names = sheet.names.model_copy(update={"unique": False})
    check_model(scene, sheet.model_copy(update={"names": names}), place, log)
    check_textures(scene, sheet, log)
    known = {Path(i.uri).name for i in scene.images}
    check_loose_textures(files, known | {Path(r.place(asset)).name for r in sheet.pictures}, log)
    return scene


def _fixed(sheet: Sheet) -> set[str]:
    """File names of textures the model cannot name."""
    stem = sheet.textures.suffixes.get("parameters", "")
    return {stem + e for f in sheet.textures.formats for e in texture_format(f).endings} if stem else set()


def _sheet(body: dict[str, object], find_sheet: FindSheet, log: Log) -> Sheet | None:
    said = body["sheet"]
    assert isinstance(said, dict)
    try:
        sheet = find_sheet(str(said.get("id")))
    except CustomsError as problem:
        log.refuse("docket.json", f"its sheet is not here: {problem}")
        return None
    if sheet_digest(sheet) != said.get("digest"):
        log.remark(
            "docket.json", f"sheet {sheet.id} has changed since the dispatch (edition {said.get('edition')})"
        )
    return sheet


def _open(path: Path, folder: Path, name: str, sheet: Sheet, log: Log) -> Scene | None:
    """The model as its file says, in the file's own numbers."""
    try:
        scene = read_scene(Source(path, folder))
    except CustomsError as problem:
        log.refuse(name, str(problem))
        return None
    log.check(
        scene.format == sheet.model.format,
        name,
        f"is {scene.format.upper()}, {sheet.model.format.upper()} is read",
    )
    used = prune(scene)
    log.note("opens", name, f"{many(len(used.meshes), 'mesh')}, {counts(used)['triangles']:,} triangles")
    return used


def _names(scene: Scene, model: str) -> dict[str, list[str]]:
    """Names a file of this format keeps: OBJ, for one, has one name for node and mesh."""
    kinds = ("nodes", "meshes", "materials", "images", "clips")
    out = {k: [item.name for item in getattr(scene, k)] for k in kinds}
    out["nodes"] += scene.placements.names
    if "skins" not in get_format(scene.format).carries:
        out = {k: out[k] for k in ("nodes", "materials", "images")}
    return out


def _same_box(scene: Scene, box: dict[str, object], file: str, log: Log) -> None:
    found = world_bounds(scene)
    if found is None:
        return
    if box.get("low") is None or box.get("high") is None:
        log.refuse(file, "the docket says no box for it")
        return
    low, high = np.array(box["low"], dtype=float), np.array(box["high"], dtype=float)
    reach = max(float(np.linalg.norm(high - low)), 1e-9)
    off = max(float(np.abs(found[0] - low).max()), float(np.abs(found[1] - high).max()))
    # The docket's numbers have six decimals.
    log.check(
        off <= max(1e-4 * reach, 1e-6), file, "its box is not the docket's: it was moved, turned or scaled"
    )


def _facts(folder: Path, body: dict[str, Any], sheet: Sheet) -> dict[str, Any] | None:
    """The asset's document as it is, one of the files of the docket; whatever is wrong with it has been said."""
    name = sheet.layout.facts_place(str(body["asset"]))
    try:
        facts = json.loads(bytes_of(own_files(folder, body), name).decode("utf-8"))
    except (OSError, ValueError, RecursionError):
        return None
    return facts if isinstance(facts, dict) else None


def _things(folder: Path, body: dict[str, Any], facts: dict[str, Any] | None, back: Back) -> dict[str, Scene]:
    """Copies of what hangs at posts, by their paths, those that can be read."""
    out, own = dict[str, Scene](), own_files(folder, body)
    for path in {attached_of(row) for row in rows_of(facts, "posts")} & set(own):
        try:
            out[path] = back(read_scene(Source(own[path], folder)))
        except CustomsError:
            continue
    return out


def landed_scene(folder: Path, sheet: Sheet) -> Scene:
    """The package's model in the working frame, for the picture of Landing. Raises CustomsError."""
    body = json.loads((folder / "docket.json").read_text("utf-8"))
    sheet = for_asset(sheet, told_known(body))
    if sheet.grounds.form == "study":
        raise UnsupportedError(
            "a package that is only for study", "a model", "Look at its floor plans.", folder
        )
    if sheet.grounds.form == "list":
        place = folder / sheet.grounds.list_place(str(body["asset"]))
        return change_convention(
            prune(read_scene(Source(place, folder))), WORKING, sheet.axes.convention("down")
        )
    scenes = [read_scene(Source(folder / m["path"], folder)) for m in body["models"]]
    whole = whole_motion(scenes[0], scenes[1:])
    source = sheet.axes.convention(get_format(sheet.model.format).convention.v)

    def back(one: Scene) -> Scene:
        return change_convention(one, WORKING, source)

    facts = _facts(folder, body, sheet)
    return back(refolded(whole, sheet, str(body["asset"]), facts, _things(folder, body, facts, back)))
