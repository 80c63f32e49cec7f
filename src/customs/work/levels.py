"""Levels put together from lists, a mapping and libraries, so that they are taken in as any asset is."""

from __future__ import annotations

import hashlib
import os
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from customs.conventions.convert import change_convention
from customs.errors import WriteError
from customs.formats.figure.mapping import ENDING as FIGURE
from customs.formats.figure.mapping import FigureFile, FigureMapping, body_of
from customs.formats.registry import WriteOptions, get_format, read_scene
from customs.formats.source import Source, cleaned
from customs.grounds.kinds import kinds_of as sorted_kinds
from customs.levels.entries import bytes_of_list, pointed
from customs.levels.file import ENDING, LevelFile, level_of
from customs.levels.library import Resolved, resolve
from customs.levels.mapping import Mapping as ListMapping
from customs.levels.read import Listed, name_counts, read_list
from customs.parts import part_file, put, write_whole
from customs.preferences import config_folder
from customs.scene.convention import WORKING
from customs.scene.model import Scene
from customs.scene.prune import prune
from customs.shipment.state import Asset


@dataclass(frozen=True, eq=False)
class Composed:
    """A level put together: its level file, the files its names mean, what the lists say, what came of each name."""

    path: Path
    given: Mapping[str, str]
    lists: tuple[Listed, ...] = ()
    names: tuple[Resolved, ...] = field(default=())

    def scene(self) -> Scene:
        """The level as received. Raises CustomsError."""
        given = {name: Path(place) for name, place in self.given.items()}
        return read_scene(Source(self.path, given=given))


def composed(lists: Sequence[Path], mapping: ListMapping, libraries: Sequence[Path]) -> Composed:
    """A level file for lists, kept among a person's own, with the file each name means. Raises CustomsError."""
    paths = [Path(os.path.abspath(p)) for p in lists]
    own = _names_of(paths)
    read = tuple(read_list(p, mapping) for p in paths)
    names = tuple(resolve(name_counts(read), [Path(os.path.abspath(p)) for p in libraries], mapping.library))
    given = dict(zip(own, map(str, paths))) | {r.name: str(r.file) for r in names if r.file is not None}
    looked_in = tuple(os.path.abspath(p) for p in libraries)
    unclear = {r.name: len(r.files) for r in names if r.ambiguous}
    told = LevelFile(lists=tuple(own), mapping=mapping, unclear=unclear, looked_in=looked_in)
    return Composed(_kept(told.text(), paths, ENDING), given, read, names)


def composed_figure(path: Path, mapping: FigureMapping) -> Composed:
    """A figure file for a JSON of parts and boxes, kept among a person's own, with the file itself. Raises CustomsError."""
    whole = Path(os.path.abspath(path))
    body, own = body_of(bytes_of_list(whole), whole), _names_of([whole])[0]
    name = pointed(body, mapping.texture) if mapping.texture else None
    given = {own: str(whole)}
    if isinstance(name, str) and (beside := whole.parent / Path(name).name).is_file():
        given[cleaned(name)] = str(beside)
    return Composed(_kept(FigureFile(source=own, mapping=mapping).text(), [whole], FIGURE), given)


def _kept(text: str, paths: Sequence[Path], ending: str) -> Path:
    """A file of a person's own that says how others are read. Raises WriteError."""
    known = hashlib.sha256("\n".join([text, *map(str, paths)]).encode()).hexdigest()[:12]
    path = config_folder() / "levels" / known / f"{paths[0].name.partition('.')[0]}{ending}"
    try:
        write_whole(path, text.encode())
    except OSError as problem:
        raise WriteError(
            f"cannot be written ({problem.strerror})", "room and permission", file=path
        ) from None
    return path


def _names_of(paths: Sequence[Path]) -> list[str]:
    """A name for each list, told apart by number where several lists have one; without signs that mean something in a name that is
    looked for.
    """
    out = list[str]()
    for path in paths:
        stem = re.sub(r"[%\\\s]", "_", path.stem)
        name, k = f"{stem}{path.suffix}", 2
        while name in out:
            name, k = f"{stem}_{k}{path.suffix}", k + 1
        out.append(name)
    return out


def written_level(scene: Scene, out: Path) -> None:
    """A level as received as one GLB. Raises OSError."""
    scene = prune(change_convention(scene, get_format("glb").convention, scene.convention))
    write = get_format("glb").write
    assert write is not None
    with part_file(out) as part:
        with part.open("wb") as f:
            for piece in write(scene, WriteOptions(out.stem))[".glb"]:
                f.write(piece)
        put(part, out)


def kinds_of(scene: Scene) -> dict[str, dict[str, int]]:
    """Things and triangles of each kind in a level as received."""
    arrived = change_convention(scene, WORKING, scene.convention)
    return {k: {"count": n, "triangles": t} for k, (n, t) in sorted_kinds(arrived).counts().items()}


def candidates(asset: Asset, name: str) -> tuple[Path, ...]:
    """Files a name of a level may mean, the likeliest first, where its level file says names were looked up. Raises CustomsError."""
    path = Path(asset.source)
    told = level_of(bytes_of_list(path), path)
    folders = [Path(f) for f in told.looked_in] + [path.parent / f for f in told.libraries]
    there = [f for f in folders if (f / told.mapping.library.folder).is_dir()]
    return resolve([(name, 1)], there, told.mapping.library)[0].files


def with_choice(asset: Asset, name: str, file: Path) -> Asset:
    """The asset with the file a person says a name means; it is to be taken again."""
    return replace(asset, given={**asset.given, name: str(file)})
