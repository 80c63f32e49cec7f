"""The palm court once more, as a brush level in inches: what is a plain box in the list is a brush here, volumes for tools and lights are
entities.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np

from customs.demo.court import INCH, placed
from customs.demo.textures import encoded, glass, noise, ramp, stone, wood

Box = tuple[np.ndarray, np.ndarray]
BOXES = {
    "mosaic_tile": ("court/mosaic", [((-0.5, -0.1, -0.5), (0.5, 0.0, 0.5))]),
    "roof_pane": ("court/old_glass", [((-1.0, 0.0, -1.0), (1.0, 0.06, 1.0))]),
    "gallery_slab": ("court/stone", [((-1.0, -0.16, -0.8), (1.0, 0.0, 0.8))]),
    "stair": (
        "court/stone",
        [((-0.5, 0.17 * k, 0.28 * k - 0.15), (0.5, 0.17 * (k + 1), 0.28 * k + 0.15)) for k in range(18)],
    ),
    "door_leaf": ("court/door_wood", [((-0.46, 0.0, -0.025), (0.46, 2.04, 0.025))]),
}
"""Pieces of the library that are boxes: their texture, and low and high corners in metres, Y up."""
TRIGGER = ((-1.0, 0.0, -1.0), (1.0, 2.0, 1.0))
LANTERNS = [(-6.0, 2.8, -4.0), (-2.0, 2.8, 4.0), (2.0, 2.8, -4.0), (6.0, 2.8, 4.0)]


def _boxes() -> Iterator[tuple[str, str, Box]]:
    """(piece, texture, corners in metres) of every box; what is turned is left to the list."""
    for put in placed():
        texture, boxes = BOXES.get(put.name, ("", []))
        at = np.array([put.x, put.y, put.z])
        for low, high in boxes:
            yield put.name, texture, (at + low, at + high)


def volume(piece: str) -> float:
    """Cubic metres of all boxes of a piece."""
    return sum(float(np.prod(high - low)) for name, _, (low, high) in _boxes() if name == piece)


def brush(box: Box, texture: str, axes: bool = False) -> str:
    """A box in metres, Y up, as a brush in inches, Z up."""
    (a, b, c), (d, e, f) = _inches(box)
    own = "[ 1 0 0 0 ] [ 0 -1 0 0 ] 0 0.5 0.5" if axes else "0 0 0 0.5 0.5"
    faces = (
        ((a, b, c), (a, b + 1, c), (a, b, c + 1)), ((a, b, c), (a, b, c + 1), (a + 1, b, c)),
        ((a, b, c), (a + 1, b, c), (a, b + 1, c)), ((d, e, f), (d, e + 1, f), (d + 1, e, f)),
        ((d, e, f), (d + 1, e, f), (d, e, f + 1)), ((d, e, f), (d, e, f + 1), (d, e + 1, f)),
    )  # fmt: skip
    lines = (
        " ".join("( " + " ".join(f"{v:.9g}" for v in p) + " )" for p in face) + f" {texture} {own}"
        for face in faces
    )
    return "{\n" + "\n".join(lines) + "\n}\n"


def _inches(box: Box) -> tuple[tuple[float, ...], tuple[float, ...]]:
    low, high = (np.asarray(p, dtype=np.float64) / INCH for p in box)
    return (low[0], -high[2], low[1]), (high[0], -low[2], high[1])


def entity(name: str, keys: dict[str, str], brushes: str = "") -> str:
    """An entity with its keys and its brushes, as text."""
    told = "".join(f'"{k}" "{v}"\n' for k, v in {"classname": name, **keys}.items())
    return "{\n" + told + brushes + "}\n"


def court_text() -> str:
    """The level as text."""
    world = "".join(brush(box, texture, name == "door_leaf") for name, texture, box in _boxes())
    lamps = "".join(brush((np.array(p) - 0.1, np.array(p) + 0.1), "court/lamp_glow") for p in LANTERNS)
    out = [
        "// The palm court of the glasshouse\n",
        entity("world", {"message": "Palm court"}, world + lamps),
    ]
    for put in placed():
        if put.name == "trigger_box":
            at = np.array([put.x, put.y, put.z])
            out.append(
                entity("trigger_volume", {}, brush((at + TRIGGER[0], at + TRIGGER[1]), "tools/trigger"))
            )
    for x, y, z in LANTERNS:
        place = " ".join(f"{v / INCH:.4f}" for v in (x, -z, y - 0.3))
        out.append(entity("light", {"origin": place, "light": "180", "_color": "1 0.8 0.5"}))
    out.append(entity("start", {"origin": f"0 {-4 / INCH:.4f} 40", "angle": "90"}))
    return "".join(out)


def write_brushes(folder: Path) -> Path:
    """The level with its textures in `folder`; what is there is left as it is."""
    path = folder / "palm_court.map"
    if not path.is_file():
        pictures = {
            "mosaic": stone(128, 25), "old_glass": glass(64, 7), "stone": stone(128, 3), "door_wood": wood(64, 128, 27),
            "lamp_glow": ramp(noise((64, 64), 4, 37), [(255, 190, 110), (255, 224, 170)]),
        }  # fmt: skip
        textures = folder / "textures" / "court"
        textures.mkdir(parents=True, exist_ok=True)
        for name, pixels in pictures.items():
            (textures / f"{name}.png").write_bytes(encoded(pixels, "png"))
        (folder / "textures" / "texture-sizes.csv").write_text(
            "name,width,height\ntools/trigger,64,64\n", "utf-8"
        )
        path.write_text(court_text(), "utf-8")
    return path
