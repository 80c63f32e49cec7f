"""Two regions of the glasshouse that meet at a doorway, as brush levels in inches: the fern walk and the seed vault. Each has a piece of the
other behind its door, as one sees it through there.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

from customs.demo.court import INCH
from customs.demo.court_brushes import brush, entity
from customs.demo.textures import encoded, noise, ramp, stone, wood

Solid = tuple[str, tuple[float, float, float], tuple[float, float, float]]
WIDE, HIGH, THICK = 1.2, 2.2, 0.3
"""Metres of the doorway, and of the wall it is in."""
DOOR = ((-12.0 - THICK, 0.0, 0.0), (-1.0, 0.0, 0.0))
"""Sill of the walk's doorway at the outer face of its wall, and the way out of it, in the working frame, in which the files face the other
way round: what is (x, y, z) here is (−z, y, x) there.
"""
VAULT_DOOR = ((-2.5, 0.4, -THICK), (0.0, 0.0, -1.0))
"""The same of the vault."""


def walk() -> list[Solid]:
    """A way 12 m long and 3 m wide, a door in its end wall, and 1.5 m of floor, walls and ceiling of what lies behind."""
    d, w = THICK, WIDE / 2
    end, past = 12.0, 12.0 + THICK + 1.5
    return [
        ("glass/paving", (-1.5, -0.2, 0), (1.5, 0, end)),
        ("glass/wall", (-1.5 - d, -0.2, 0), (-1.5, 3, end)),
        ("glass/wall", (1.5, -0.2, 0), (1.5 + d, 3, end)),
        ("glass/wall", (-1.5, -0.2, -d), (1.5, 3, 0)),
        ("glass/ceiling", (-1.5 - d, 3, -d), (1.5 + d, 3.2, end + d)),
        ("glass/wall", (-1.5 - d, -0.2, end), (-w, 3, end + d)),
        ("glass/wall", (w, -0.2, end), (1.5 + d, 3, end + d)),
        ("glass/wall", (-w, HIGH, end), (w, 3, end + d)),
        ("glass/paving", (-w, -0.2, end), (w, 0, end + d)),
        # What is seen through the door.
        ("glass/boards", (-w - 0.1, -0.2, end + d), (w + 0.1, 0, past)),
        ("glass/wall", (-w - 0.15, 0, end + d), (-w - 0.1, HIGH, past)),
        ("glass/wall", (w + 0.1, 0, end + d), (w + 0.15, HIGH, past)),
        ("glass/ceiling", (-w - 0.1, HIGH, end + d), (w + 0.1, HIGH + 0.05, past)),
    ]


def vault() -> list[Solid]:
    """A room 6 × 5 m whose door is in its −X wall, 40 cm above its file's zero, shelves, and 1 m of the walk behind the door."""
    d, w, x, z, y = THICK, WIDE / 2, 6.0, 5.0, 0.4
    m = -VAULT_DOOR[0][0]
    return [
        ("glass/boards", (0, y - 0.2, 0), (x, y, z)),
        ("glass/wall", (0, y - 0.2, -d), (x, y + 3, 0)),
        ("glass/wall", (0, y - 0.2, z), (x, y + 3, z + d)),
        ("glass/wall", (x, y - 0.2, -d), (x + d, y + 3, z + d)),
        ("glass/ceiling", (-d, y + 3, -d), (x + d, y + 3.2, z + d)),
        ("glass/wall", (-d, y - 0.2, -d), (0, y + 3, m - w)),
        ("glass/wall", (-d, y - 0.2, m + w), (0, y + 3, z + d)),
        ("glass/wall", (-d, y + HIGH, m - w), (0, y + 3, m + w)),
        ("glass/boards", (-d, y - 0.2, m - w), (0, y, m + w)),
        *(
            ("glass/shelf", (x - 0.4, y + 0.5 * k, 0.4), (x, y + 0.5 * k + 0.04, z - 0.4))
            for k in range(1, 5)
        ),
        # What is seen through the door.
        ("glass/paving", (-d - 1, y - 0.2, m - w - 0.1), (-d, y, m + w + 0.1)),
        ("glass/wall", (-d - 1, y, m - w - 0.15), (-d, y + HIGH, m - w - 0.1)),
    ]


def text_of(solids: list[Solid], title: str, lamp: tuple[float, float, float]) -> str:
    """A region as brush text, with a lamp."""
    world = "".join(brush((np.array(low), np.array(high)), texture) for texture, low, high in solids)
    place = " ".join(f"{v / INCH:.4f}" for v in (lamp[0], -lamp[2], lamp[1]))
    light = entity("light", {"origin": place, "light": "200", "_color": "1 0.85 0.6"})
    return f"// {title}\n" + entity("world", {"message": title}, world) + light


def write_regions(folder: Path) -> tuple[Path, Path]:
    """The walk and the vault with their textures in `folder`; what is there is left as it is."""
    walk_path, vault_path = folder / "fern_walk.map", folder / "seed_vault.map"
    if not vault_path.is_file():
        pictures = {
            "paving": stone(128, 41), "wall": ramp(noise((128, 128), 30, 42), [(150, 166, 152), (206, 214, 196)]),
            "ceiling": ramp(noise((64, 64), 12, 43), [(120, 150, 140), (168, 196, 184)]),
            "boards": wood(64, 128, 44), "shelf": wood(64, 64, 45),
        }  # fmt: skip
        textures = folder / "textures" / "glass"
        textures.mkdir(parents=True, exist_ok=True)
        for name, pixels in pictures.items():
            (textures / f"{name}.png").write_bytes(encoded(pixels, "png"))
        walk_path.write_text(text_of(walk(), "Fern walk", (0, 2.6, 6)), "utf-8")
        vault_path.write_text(text_of(vault(), "Seed vault", (3, 3, 2.5)), "utf-8")
    return walk_path, vault_path
