"""The plot as a file: JSON, text rows, or a picture with a pixel a cell."""

from __future__ import annotations

import io
import json

import numpy as np
from PIL import Image

from customs.changes.plot import NONE, Footprint, letters_of, rows_of
from customs.scene.wishes import PlotWish
from customs.sheet.fittings import PlotRules


def plot_bytes(wish: PlotWish, ground: Footprint, rules: PlotRules, asset: str) -> bytes:
    """The file of a plot on its footprint; rows from the back to the front, each from −X to +X."""
    letters, _ = letters_of(wish.rows, ground.inside.shape)
    if rules.form == "rows":
        return ("\n".join(rows_of(letters)) + "\n").encode()
    if rules.form == "picture":
        tones = {a: round(255 * (k + 1) / len(rules.areas)) for k, a in enumerate(rules.areas)}
        grey = np.zeros(letters.shape, np.uint8)
        for area, tone in tones.items():
            grey[letters == area] = tone
        out = io.BytesIO()
        Image.fromarray(grey).save(out, "PNG", optimize=True)
        return out.getvalue()
    body = {
        "asset": asset, "cell": rules.cell, "corner": [round(v, 6) + 0.0 for v in ground.low], "areas": dict(rules.areas),
        "none": NONE, "rows": list(rows_of(letters)),
    }  # fmt: skip
    return (json.dumps(body, indent=1, ensure_ascii=False) + "\n").encode()
