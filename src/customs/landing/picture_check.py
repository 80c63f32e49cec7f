"""Pictures of a package: there, of the exact size and format, and not empty."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import PIL.Image

from customs.landing.log import Log
from customs.sheet.fittings import PictureRules
from customs.sheet.model import Sheet


def check_pictures(sheet: Sheet, folder: Path, asset: str, log: Log) -> None:
    """Every picture the sheet asks for."""
    for rules in sheet.pictures:
        name = rules.place(asset)
        _picture(rules, folder / name, name, log)


def _picture(rules: PictureRules, path: Path, name: str, log: Log) -> None:
    if not path.is_file():
        log.refuse(name, f"the {rules.name} is not there")
        return
    try:
        with PIL.Image.open(path) as opened:
            form = (opened.format or "").lower()
            size = opened.size
            if max(size) > 4 * max(rules.width, rules.height, 1):
                log.refuse(name, f"is {size[0]} × {size[1]}, {rules.width} × {rules.height} is read")
                return
            pixels = np.asarray(opened.convert("RGBA"))
    except Exception as problem:  # noqa: BLE001 (whatever a library says of damage)
        log.refuse(name, f"cannot be read as a picture: {problem}")
        return
    log.check(form == rules.format, name, f"is {form.upper()}, {rules.format.upper()} is read")
    log.check(
        size == (rules.width, rules.height),
        name,
        f"is {size[0]} × {size[1]}, {rules.width} × {rules.height} is read",
    )
    if not (pixels != pixels[0, 0]).any():
        log.remark(name, "is of one colour: nothing is seen on it")
    if rules.clear and not (pixels[..., 3] < 255).any():
        log.remark(name, "has no clear ground, where one is taken")
    log.note("shows", name, f"{rules.name}, {size[0]} × {size[1]} {form.upper()}")
