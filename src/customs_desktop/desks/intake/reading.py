"""What a file of the heap holds, read for the preview. No interface here: it runs on the worker."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

import numpy as np

from customs.errors import CustomsError
from customs.files import read_regular
from customs.formats.registry import read_scene
from customs.formats.source import Source, decode_text
from customs.intake.heap import Entry, Heap
from customs.intake.kinds import MODEL
from customs.intake.through import HeapTree
from customs.job import Job
from customs.picture.received import as_seen
from customs.scene.content import Encoded
from customs.scene.key import Key
from customs.scene.model import Image
from customs.surface.pixels import image_pixels
from customs.words import byte_text, lines_plain, many
from customs.work.measure import measure
from customs_desktop.desks.intake.preview import Shown

MOST_TEXT = 1 << 16
MOST_SIDE = 2048


def shown_file(heap: Heap, entry: Entry, given: Mapping[str, str], job: Job) -> Shown:
    """What is in an entry, with files that are meant by names it says; or why it cannot be shown."""
    said = f"{entry.shown} · {byte_text(entry.size)}"
    if entry.problem:
        return Shown(entry.place, said, problem=f"{entry.problem}.")
    try:
        if entry.kind.startswith(MODEL):
            return _model(heap, entry, given, said)
        file = heap.on_disk(entry.place, job)
        if entry.kind == "texture":
            return _texture(entry, said, Encoded(file))
        data = (
            file.open("rb").read(MOST_TEXT)
            if entry.size > MOST_TEXT
            else read_regular(file, MOST_TEXT) or b""
        )
    except CustomsError as problem:
        return Shown(entry.place, said, problem=str(problem))
    except OSError as problem:
        return Shown(entry.place, said, problem=f"cannot be read ({problem.strerror})")
    if b"\0" in data[:1024] and data[:2] not in (b"\xff\xfe", b"\xfe\xff"):
        return Shown(entry.place, said, problem=f"{entry.kind}: there is nothing to show of it.")
    more = "\n…" if entry.size > MOST_TEXT else ""
    return Shown(entry.place, said, text=lines_plain(decode_text(data)) + more)


def _model(heap: Heap, entry: Entry, given: Mapping[str, str], said: str) -> Shown:
    heap.unpack(given.values())
    chosen = {name: heap.on_disk(place) for name, place in given.items()}
    scene = read_scene(Source(entry.path, tree=HeapTree(heap, Path(entry.root)), given=chosen))
    scene = as_seen(scene, scene.convention)
    parts = (
        (scene.meshes, "mesh"),
        (scene.materials, "material"),
        (scene.images, "texture"),
        (scene.clips, "clip"),
    )
    counts = ", ".join(many(len(x), thing) for x, thing in parts if x)
    return Shown(entry.place, f"{said} · {counts or 'empty'}", scene, measure(scene).box)


def _texture(entry: Entry, said: str, content: Encoded) -> Shown:
    image = Image(Key(entry.place, "image", 0), entry.path.stem, content)
    pixels = image_pixels(image)
    height, width, count = pixels.shape
    shown = (pixels >> 8).astype(np.uint8) if pixels.dtype == np.uint16 else pixels
    step = max(1, -(-max(height, width) // MOST_SIDE))
    names = {1: "grey", 2: "grey and alpha", 3: "RGB", 4: "RGBA"}
    return Shown(
        entry.place,
        f"{said} · {width} × {height} {names.get(count, '')}",
        pixels=np.ascontiguousarray(shown[::step, ::step]),
    )
