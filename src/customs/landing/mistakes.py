"""Faults planted in a copy of a package, to see that they are caught."""

from __future__ import annotations

import json
from pathlib import Path

MISTAKES = (
    ("texture", "Remove a texture"),
    ("name", "Change a name"),
    ("number", "Alter a number"),
    ("cut", "Cut the model off"),
)


def plant(folder: Path, kind: str) -> bool:
    """Plant the fault `kind` in the package at `folder` (a copy!). False when there is nothing of the kind in
    it.
    """
    docket = folder / "docket.json"
    body = json.loads(docket.read_text("utf-8"))
    model = next(folder / f["path"] for f in body["files"] if f["kind"] == "model")
    if kind == "texture":
        return _remove_texture(folder, body, model)
    if kind == "name":
        return _change_name(body, model)
    if kind == "number":
        body["after"]["triangles"] += 1
        docket.write_text(json.dumps(body), "utf-8")
        return True
    data = model.read_bytes()
    model.write_bytes(data[: len(data) * 2 // 3])
    return True


def _remove_texture(folder: Path, body: dict[str, object], model: Path) -> bool:
    """A texture file goes; where textures lie inside the model, its image is left without a name in the
    file.
    """
    files = body["files"]
    assert isinstance(files, list)
    for f in files:
        if f["kind"] == "texture":
            (folder / f["path"]).unlink()
            return True
    data = model.read_bytes()
    at = data.find(b'"images":')
    if at < 0:
        return False
    spot = data.find(b'"bufferView"', at)
    model.write_bytes(data[:spot] + b'"bufferVieX"' + data[spot + 12 :])
    return spot > 0


def _change_name(body: dict[str, object], model: Path) -> bool:
    """One name in the model becomes another of the same length."""
    names = body["names"]
    assert isinstance(names, dict)
    data = model.read_bytes()
    for kind in ("nodes", "materials"):
        for name in names.get(kind, []):
            old = str(name).encode("utf-8")
            for frame in (b'"name":"%s"', b"o %s\n", b"usemtl %s\n", b"%s\0\x01Model", b"%s\0\x01Material"):
                if frame % old in data and len(old) > 1:
                    new = b"z" + old[1:] if old[:1] != b"z" else b"y" + old[1:]
                    model.write_bytes(data.replace(frame % old, frame % new))
                    return True
    return False
