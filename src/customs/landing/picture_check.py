"""Pictures of a package: there, of the exact size and format, and not empty."""

from __future__ import annotations

import io
from collections.abc import Mapping
from pathlib import Path

import numpy as np
import PIL.Image

from customs.landing.docket_check import bytes_of
from customs.landing.log import Log
from customs.sheet.fittings import PictureRules
from customs.sheet.model import Sheet


def check_pictures(sheet: Sheet, files: Mapping[str, Path], asset: str, log: Log) -> None:
    """Every picture the sheet asks for."""
    for rules in sheet.pictures:
        name = rules.place(asset)
        _picture(rules, files, name, log)


def _picture(rules: PictureRules, files: Mapping[str, Path], name: str, log: Log) -> None:
    try:
        with PIL.Image.open(io.BytesIO(bytes_of(files, name))) as opened:
            form = (opened.format or "").lower()
            size = opened.size
            if max(size) > 4 * max(rules.width, rules.height, 1):
                log.refuse(name, f"is {size[0]} × {size[1]}, {rules.width} × {rules.height} is read")
                return
            pixels = np.asarray(opened.convert("RGBA"))
    except FileNotFoundError:
        log.refuse(name, f"the {rules.name} is not there")
        return
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
