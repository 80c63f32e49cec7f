"""Textures found around an asset."""

from __future__ import annotations

import time
from pathlib import Path

import numpy as np
import pytest

from customs.conventions.origin import Origin, keep_origin, parse_origin, read_origin
from customs.demo.textures import encoded
from customs.errors import SheetError
from customs.intake.nearby import FILE, texture_files
from customs.intake.take import take
from customs.surface.guess import guess_role
from customs.surface.suffixes import family, role_of_name

OBJ = "mtllib x.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl oak\nf 1/1 2/2 3/3\n"


def png(seed: int) -> bytes:
    return encoded(np.random.default_rng(seed).integers(0, 255, (8, 8, 3), dtype=np.uint8), "png")


def asset(folder: Path, texture: str = "oak_c.png") -> Path:
    """An OBJ whose material names a texture that is not beside it."""
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "x.obj").write_text(OBJ)
    (folder / "x.mtl").write_text(f"newmtl oak\nKd 1 1 1\nmap_Kd {texture}\n")
    return folder / "x.obj"


def found(path: Path, *search: Path) -> list[str]:
    """Paths of the files found, from the model."""
    return [im.uri for im in take(path, None, search).scene.images if im.key.kind == FILE]


def test_missing_names_relatives_and_misspellings_are_found_and_strangers_are_not(tmp_path: Path) -> None:
    path = asset(tmp_path / "a")
    for k, name in enumerate(
        ("maps/oak_c.tga.png", "maps/oak_n.png", "maps/pine_c.png", "maps/OAK_C.png", ".hidden/oak_c.png")
    ):
        target = tmp_path / "a" / name
        target.parent.mkdir(exist_ok=True)
        target.write_bytes(png(k))
    assert found(path) == [
        "maps/OAK_C.png",
        "maps/oak_c.tga.png",
        "maps/oak_n.png",
    ] or "maps/OAK_C.png" in found(path)
    assert "maps/pine_c.png" not in found(path) and all(".hidden" not in f for f in found(path))
    other = asset(tmp_path / "b", "walnut_color.png")
    (tmp_path / "b" / "walnut_colour.png").write_bytes(png(9))
    assert found(other) == ["walnut_colour.png"]


def test_folders_a_person_names_are_searched_and_a_copy_is_no_second_choice(tmp_path: Path) -> None:
    path = asset(tmp_path / "a")
    store = tmp_path / "elsewhere"
    for place in ("one", "two"):
        (store / place).mkdir(parents=True)
        (store / place / "oak_c.png").write_bytes(png(1))
    assert found(path) == []
    assert found(path, store) == ["../elsewhere/one/oak_c.png"]
    (store / "two" / "oak_c.png").write_bytes(png(2))
    assert len(found(path, store)) == 2


def test_keys_stay_the_same_wherever_the_files_lie(tmp_path: Path) -> None:
    keys = []
    for place in ("a", "b/deeper"):
        path = asset(tmp_path / place)
        (path.parent / "maps").mkdir()
        (path.parent / "maps" / "oak_c.png").write_bytes(png(4))
        keys.append([im.key for im in take(path).scene.images])
    assert keys[0] == keys[1]


def test_a_folder_of_ten_thousand_textures_is_gone_through_at_once(tmp_path: Path) -> None:
    path = asset(tmp_path / "a")
    data = png(1)
    for k in range(10_000):
        (tmp_path / "a" / f"t{k:05}.png").write_bytes(data)
    (tmp_path / "a" / "deep").mkdir()
    (tmp_path / "a" / "deep" / "oak_c.png").write_bytes(data)
    started = time.perf_counter()
    assert found(path) == ["deep/oak_c.png"]
    assert time.perf_counter() - started < 20 and len(texture_files((tmp_path / "a").resolve())) == 10_001


def test_a_broken_file_nearby_is_no_trouble(tmp_path: Path) -> None:
    path = asset(tmp_path / "a")
    (tmp_path / "a" / "sub").mkdir()
    (tmp_path / "a" / "sub" / "oak_c.png").write_bytes(b"\x89PNG\r\n\x1a\nbroken")
    image = next(im for im in take(path).scene.images if im.key.kind == FILE)
    assert image.problem


# Common practice: `_c _n _g _s _m _e _op`; `D N S`; ALB NRM AO; `_b` base, `_n` normal, `_r` roughness; there
# is no universal table, so an origin's own words come first.
@pytest.mark.parametrize(
    ("name", "role"),
    [("wall_c", "base_colour"), ("wall_n", "normal"), ("wall_g", "glossiness"), ("wall_s", "specular"), ("wall_m", "metallic"),
     ("wall_e", "emissive"), ("wall_op", "opacity"), ("WallNormal", "normal"), ("wall-ALB", "base_colour"), ("wall_NRM", "normal"),
     ("wall_AO", "occlusion"), ("wall_roughness_2k", "roughness"), ("wall_orm", "metallic_roughness"), ("N_wall", None)],
)  # fmt: skip
def test_usual_suffixes(name: str, role: str | None) -> None:
    found_ = role_of_name(name)
    assert (found_.role if found_ else None) == role


def test_an_origins_own_words_come_first_and_are_kept(tmp_path: Path) -> None:
    origin = parse_origin(
        {"id": "mill", "title": "Mill", "suffixes": {"roughness": ["dull"], "normal": ["c"]}}, "mill.toml"
    )
    assert role_of_name("wall_c", origin.suffixes).role == "normal"  # type: ignore[union-attr]
    assert family("wall_dull", origin.suffixes) == "wall"
    assert read_origin(keep_origin(origin, tmp_path)) == origin
    assert isinstance(origin, Origin)
    with pytest.raises(SheetError, match="roughess"):
        parse_origin({"id": "mill", "title": "Mill", "suffixes": {"roughess": ["r"]}}, "mill.toml")


def test_a_guess_says_why(tmp_path: Path) -> None:
    path = asset(tmp_path / "a", "oak_n.png")
    (tmp_path / "a" / "oak_n.png").write_bytes(png(1))
    image = take(path).scene.images[0]
    guess = guess_role(image)
    assert (
        "its name says normal" in guess.reason
        and "its pixels look like colour" in guess.reason
        and guess.sure < 0.75
    )
