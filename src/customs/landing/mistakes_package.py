"""Faults in the files of a package."""

from __future__ import annotations

import io
import json

from customs.landing.planting import Copy, Mistake, last_bit


def _alter_number(copy: Copy) -> bool:
    body = copy.body
    body["after"]["triangles"] += 1
    (copy.folder / "docket.json").write_text(json.dumps(body), "utf-8")
    return True


def _another_count(copy: Copy) -> bool:
    """Somebody who knows how has changed a figure. What is only studied has no file that could say otherwise."""
    if not copy.body["models"]:
        return False
    copy.tell(lambda body: body["after"].update(triangles=body["after"]["triangles"] + 1))
    return True


def _cut(copy: Copy) -> bool:
    data = copy.model.read_bytes()
    copy.model.write_bytes(data[: len(data) * 2 // 3])
    return True


def _one_byte(copy: Copy) -> bool:
    """The last byte of a file is another."""
    for path in copy.files("texture", "picture", "facts", "document", "model", "floor plan"):
        place = copy.folder / path
        place.write_bytes(last_bit(place.read_bytes()))
        return True
    return False


def _file_gone(copy: Copy) -> bool:
    for path in copy.files(
        "facts", "picture", "plot", "document", "skeleton", "clip", "bundle", "model", "floor plan"
    ):
        (copy.folder / path).unlink()
        return True
    return False


def _other_case(copy: Copy) -> bool:
    """The model's file is called in other case than it is listed."""
    name = copy.model.name
    copy.model.rename(copy.model.with_name(name.upper() if name != name.upper() else name.lower()))
    return True


def _moved(copy: Copy) -> bool:
    if not copy.body["models"]:
        return False

    def change(body: dict[str, dict[str, list[float]]]) -> None:
        body["box"]["high"][0] += 1.0
        for m in body["models"]:
            m.get("box", body["box"])["high"][0] += 1.0  # type: ignore[attr-defined]

    copy.tell(change)
    return True


def _form_empty(copy: Copy) -> bool:
    sheet = copy.sheet
    asked = [f.id for f in sheet.form if f.required] if sheet is not None else []
    if not asked:
        return False
    copy.tell(lambda body: body.get("form", {}).pop(asked[0], None))
    return True


def _picture_size(copy: Copy) -> bool:
    from PIL import Image

    for path in copy.files("picture"):
        place = copy.folder / path
        with Image.open(place) as picture:
            form, smaller = picture.format or "PNG", picture.resize((picture.width - 1, picture.height))
        out = io.BytesIO()
        smaller.save(out, form)
        copy.write(place, out.getvalue())
        return True
    return False


def _remove_texture(copy: Copy) -> bool:
    """A texture file goes; where textures lie inside the model, its image is left without a name in the
    file.
    """
    model = copy.model
    for path in copy.files("texture"):
        (copy.folder / path).unlink()
        return True
    data = model.read_bytes()
    at = data.find(b'"images":')
    if at < 0:
        return False
    spot = data.find(b'"bufferView"', at)
    model.write_bytes(data[:spot] + b'"bufferVieX"' + data[spot + 12 :])
    return spot > 0


def _change_name(copy: Copy) -> bool:
    """One name in the model becomes another of the same length."""
    names, model = copy.body["names"], copy.model
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


MISTAKES = (
    Mistake("texture", "Remove a texture", _remove_texture),
    Mistake("name", "Change a name", _change_name),
    Mistake("number", "Alter a number", _alter_number),
    Mistake("count", "Tell another count", _another_count),
    Mistake("cut", "Cut the model off", _cut),
    Mistake("byte", "Change one byte", _one_byte),
    Mistake("gone", "Take a file away", _file_gone),
    Mistake("case", "Capitals in a file's name", _other_case),
    Mistake("box", "Tell another box", _moved),
    Mistake("form", "Empty a field of the form", _form_empty),
    Mistake("picture", "A picture too small", _picture_size),
)
