"""A package that is only for study: floor plans that open and agree on their size, and no model at all."""

from __future__ import annotations

import io
import re
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import PIL.Image
from lxml import etree

from customs.landing.docket_check import bytes_of
from customs.landing.log import Log
from customs.sheet.model import Sheet
from customs.words import many

Size = tuple[float, float]
INCH, POINT = 25.4, 25.4 / 72
OFF = 0.5
"""Millimetres by which pages of one storey may differ: a pixel, a point."""
KIND = "floor plan"


def check_study(body: dict[str, Any], files: Mapping[str, Path], sheet: Sheet, log: Log) -> None:
    """Every plan the docket lists, and that each storey has one in each of the sheet's forms."""
    asset = str(body["asset"])
    log.check(not body["models"], asset, "there is a model in a package that is only for study")
    plans = [str(f["path"]) for f in body["files"] if f.get("kind") == KIND]
    if not plans:
        log.refuse(asset, "there is no floor plan in the package")
        return
    storeys: dict[str, dict[str, Size]] = {}
    for path in plans:
        stem, _, form = path.rpartition(".")
        size = _size(files, path, form, log)
        if size is not None:
            storeys.setdefault(stem, {})[form] = size
    for stem, sizes in storeys.items():
        missing = [f for f in sheet.grounds.plan_forms if f not in sizes]
        log.check(not missing, stem, f"is not there as {', '.join(missing).upper()}")
        wide, high = (max(s[k] for s in sizes.values()) - min(s[k] for s in sizes.values()) for k in (0, 1))
        log.check(
            max(wide, high) <= OFF, stem, "its files are of different sizes: one of them is not to scale"
        )
    log.note("shows", asset, f"{many(len(storeys), 'floor plan')}, nothing to load")


def _size(files: Mapping[str, Path], path: str, form: str, log: Log) -> Size | None:
    """Millimetres (wide, high) a plan says it has, None after a refusal."""
    reader = READERS.get(form)
    if reader is None:
        log.refuse(path, "no form floor plans have")
        return None
    try:
        size = reader(bytes_of(files, path))
    except FileNotFoundError:
        log.refuse(path, "the floor plan is not there")
        return None
    except Exception as problem:  # noqa: BLE001 (whatever a library says of damage)
        log.refuse(path, f"cannot be read as {form.upper()}: {problem}")
        return None
    log.note("opens", path, f"{size[0]:.0f} × {size[1]:.0f} mm")
    return size


def _png(data: bytes) -> Size:
    with PIL.Image.open(io.BytesIO(data), formats=["PNG"]) as opened:
        opened.load()
        dots = opened.info["dpi"]
        return opened.width / dots[0] * INCH, opened.height / dots[1] * INCH


def _svg(data: bytes) -> Size:
    root = etree.fromstring(
        data, etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=True)
    )
    wide, high = (re.fullmatch(r"([\d.]+)mm", root.get(side, "")) for side in ("width", "height"))
    if wide is None or high is None:
        raise ValueError("it does not say its size in millimetres")
    size = float(wide[1]), float(high[1])
    box = [float(v) for v in root.get("viewBox", "").split()]
    if len(box) != 4 or max(abs(box[2] - size[0]), abs(box[3] - size[1])) > 1e-3:
        raise ValueError("its unit is not a millimetre")
    return size


def _pdf(data: bytes) -> Size:
    box = re.search(rb"/MediaBox\s*\[\s*0\s+0\s+([\d.]+)\s+([\d.]+)\s*\]", data)
    if not data.startswith(b"%PDF-") or b"%%EOF" not in data[-64:] or box is None:
        raise ValueError("no whole page of a PDF")
    return float(box[1]) * POINT, float(box[2]) * POINT


READERS: Mapping[str, Callable[[bytes], Size]] = {"png": _png, "svg": _svg, "pdf": _pdf}
