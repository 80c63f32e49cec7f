"""The plot of a package: read by its form, held against the footprint of the mesh as it landed."""

from __future__ import annotations

import io
import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
import PIL.Image

from customs.changes.plot import Footprint, footprint_of, plotted
from customs.conventions.convert import change_convention
from customs.formats.registry import get_format
from customs.landing.docket_check import bytes_of
from customs.landing.log import Log
from customs.scene.convention import WORKING
from customs.scene.model import Scene
from customs.sheet.model import Sheet
from customs.words import many

LARGEST = 4096
"""Pixels along a side of a picture of cells that is still looked at."""


def check_plot(core: Scene, sheet: Sheet, files: Mapping[str, Path], asset: str, log: Log) -> None:
    """The plot, where the sheet asks for one."""
    if sheet.plot.form == "none":
        return
    name = sheet.plot.place(asset)
    source = sheet.axes.convention(get_format(sheet.model.format).convention.v)
    ground = footprint_of(change_convention(core, WORKING, source), sheet.plot.cell)
    if ground is None:
        log.remark(name, "the mesh has no footprint to hold it against")
        return
    try:
        rows = rows_in(bytes_of(files, name), sheet, asset)
    except FileNotFoundError:
        log.refuse(name, "the plot is not there")
        return
    except Exception as problem:  # noqa: BLE001 (whatever a library says of damage)
        log.refuse(name, f"cannot be read as a plot: {problem}")
        return
    _held(rows, ground, sheet, name, log)


def rows_in(data: bytes, sheet: Sheet, asset: str) -> list[str]:
    """The rows of letters of a plot's file. Raises ValueError and what libraries raise."""
    if sheet.plot.form == "picture":
        with PIL.Image.open(io.BytesIO(data)) as opened:
            if max(opened.size) > LARGEST:
                raise ValueError(f"{opened.size[0]} × {opened.size[1]} cells")
            grey = np.asarray(opened.convert("L"))
        tones = {round(255 * (k + 1) / len(sheet.plot.areas)): a for k, a in enumerate(sheet.plot.areas)} | {
            0: "."
        }
        return ["".join(tones.get(int(v), "?") for v in row) for row in grey]
    text = data.decode("utf-8")
    if sheet.plot.form == "rows":
        return text.splitlines()
    body: Any = json.loads(text)
    rows = body["rows"]
    if body.get("asset") != asset:
        raise ValueError(f"it is of {body.get('asset')!r}")
    if body.get("cell") != sheet.plot.cell:
        raise ValueError(f"cells of {body.get('cell')} m, {sheet.plot.cell:g} m are read")
    if not isinstance(rows, list) or not all(isinstance(r, str) for r in rows):
        raise ValueError("rows that are no text")
    return rows


def _held(rows: list[str], ground: Footprint, sheet: Sheet, name: str, log: Log) -> None:
    rules, shape = sheet.plot, ground.inside.shape
    same = len(rows) == shape[0] and all(len(r) == shape[1] for r in rows)
    log.check(
        same,
        name,
        f"has {len(rows)} rows of {max((len(r) for r in rows), default=0)} cells, the footprint {shape[0]} of {shape[1]}",
    )
    found = plotted(rows, ground, tuple(rules.areas))
    log.check(not found.strange, name, f"areas {', '.join(found.strange)} are not known here")
    log.check(not found.outside, name, f"{many(found.outside, 'cell')} outside the footprint")
    for area, least in rules.least.items():
        log.check(
            found.counts[area] >= least,
            name,
            f"{found.counts[area]} cells of {rules.areas[area]}, at least {least}",
        )
    if found.left_over:
        log.remark(name, f"{many(found.left_over, 'cell')} given to nobody")
    if rules.symmetric and found.uneven:
        log.remark(name, f"{many(found.uneven, 'cell')} unlike on the other side")
    log.note("shows", name, ", ".join(f"{rules.areas[a]} {n}" for a, n in found.counts.items()))
