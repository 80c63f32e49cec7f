"""What hangs at posts of a package: copies are there, can be read, and find what they lean on."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from customs.errors import CustomsError
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.landing.log import Log
from customs.landing.texture_check import check_textures
from customs.landing.told_apart import attached_of, rows_of
from customs.scene.model import Scene
from customs.scene.prune import prune
from customs.sheet.model import Sheet

Json = Mapping[str, Any]


def check_attached(
    sheet: Sheet, facts: Json | None, files: Mapping[str, Path], folder: Path, log: Log
) -> None:
    """Every copy a post of the document names, each once."""
    if facts is None or sheet.posts.form == "none" or sheet.posts.attached != "copy":
        return
    rows, doc = rows_of(facts, "posts"), str(facts[""])
    beginning = sheet.posts.folder.partition("{")[0]
    for path in dict.fromkeys(p for r in rows if (p := attached_of(r))):
        name = next(str(r.get("name")) for r in rows if attached_of(r) == path)
        if path not in files:
            # Elsewhere it is what the kit has already.
            log.check(
                not beginning or not path.startswith(beginning),
                doc,
                f"the copy of what hangs at post {name} is not there: {path}",
            )
            continue
        thing = _opened(files[path], folder, path, sheet, log)
        if thing is not None:
            log.check(bool(thing.meshes), path, f"what hangs at post {name} shows nothing")
            check_textures(thing, sheet, log, f"{path.rpartition('/')[0]}/")
            log.note("opens", path, f"hangs at post {name}")


def _opened(path: Path, folder: Path, name: str, sheet: Sheet, log: Log) -> Scene | None:
    try:
        scene = prune(read_scene(Source(path, folder)))
    except CustomsError as problem:
        log.refuse(name, f"what hangs at a post cannot be read: {problem}")
        return None
    log.check(
        scene.format == sheet.model.format,
        name,
        f"is {scene.format.upper()}, {sheet.model.format.upper()} is read",
    )
    return scene
