"""Where files lie in a package."""

from __future__ import annotations

import posixpath
from collections import Counter
from collections.abc import Iterator, Sequence

from customs.learning.examples import Example, ModelFile
from customs.learning.found import Detector, Found, register


def _find(examples: Sequence[Example]) -> Iterator[Found]:
    yield _most("layout.model", [(e.name, _named(e, e.models[0], "")) for e in examples])
    textures = list[tuple[str, str]]()
    for e in examples:
        files = {f.rpartition("/")[2].casefold(): f for f in e.files}
        for image, _ in e.textures:
            path = (
                files.get(image.uri.replace("\\", "/").rpartition("/")[2].casefold()) if image.uri else None
            )
            if path is not None:
                textures.append((e.name, _folder(e, path) + "{name}{ending}"))
    yield _most("layout.texture", textures)
    clips = [
        (e.name, _named(e, m, m.scene.clips[0].name))
        for e in examples
        for m in e.models[1:]
        if len(m.scene.clips) == 1
    ]
    yield _most("layout.clip", clips)
    bones = [
        (e.name, _named(e, m, ""))
        for e in examples
        for m in e.models[1:]
        if not m.scene.clips and not m.scene.meshes
    ]
    yield _most("layout.skeleton", bones)
    facts = [
        (e.name, f.replace(e.name, "{asset}"))
        for e in examples
        for f in e.files
        if f.endswith(".json") and e.name in f
    ]
    yield _most("layout.facts", facts)


def _folder(e: Example, path: str) -> str:
    """The folder of a file as a pattern."""
    folder = posixpath.dirname(path)
    return "/".join("{asset}" if p == e.name else p for p in folder.split("/")) + "/" if folder else ""


def _named(e: Example, m: ModelFile, clip: str) -> str:
    """The path of a further model as a pattern."""
    stem = posixpath.splitext(posixpath.basename(m.path))[0]
    if stem.startswith(e.name):
        stem = "{asset}" + stem[len(e.name) :]
    if clip and stem.endswith(clip):
        stem = stem[: -len(clip)] + "{name}"
    return f"{_folder(e, m.path)}{stem}{{ending}}"


def _most(key: str, rows: Sequence[tuple[str, str]]) -> Found:
    if not rows:
        return Found(key, None, 0, 0, sure="undecided", why="there is no such file")
    value, count = Counter(v for _, v in rows).most_common(1)[0]
    bad = tuple(dict.fromkeys(n for n, v in rows if v != value))
    if count * 2 <= len(rows):
        return Found(key, None, count, len(rows), bad, "undecided", "each lies elsewhere")
    return Found(key, value, count, len(rows), bad, "likely", "where the files lie")


register(
    Detector(
        "layout",
        ("layout.model", "layout.texture", "layout.clip", "layout.skeleton", "layout.facts"),
        "the paths of the files, with the asset's name in them",
        _find,
    )
)
