"""The stand-in destination and textures: copies, compression, levels, fixed names."""

from __future__ import annotations

import hashlib
import json
from pathlib import Path

import numpy as np
import pytest

from customs.landing.land import land
from customs.landing.log import Log
from customs.surface.files.base import Coding, recognise, texture_format
from customs.work.asset import Request, run
from customs.work.lookup import find_origin, find_sheet


def package(goods: dict[str, Path], sheet: str, out: Path) -> Path:
    """The bell lantern delivered to a sheet."""
    path = goods["bell_lantern"]
    result = run(Request(path, path.parent, find_sheet(sheet), find_origin("inch-zup"), out=out))
    assert result.folder is not None, [r.note for r in result.ledger.open()]
    return result.folder


def refusals(log: Log) -> str:
    return " | ".join(f"{line.file}: {line.text}" for line in log.lines if line.level == "refusal")


def put(folder: Path, name: str, data: bytes) -> None:
    """Exchange a file and its line in the docket, as somebody who knows what he does would."""
    docket = folder / "docket.json"
    body = json.loads(docket.read_text("utf-8"))
    (folder / name).write_bytes(data)
    for f in body["files"]:
        if f["path"] == name:
            f |= {"size": len(data), "sha256": hashlib.sha256(data).hexdigest()}
    body.pop("digest")
    text = json.dumps(body, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    docket.write_text(json.dumps(body | {"digest": hashlib.sha256(text.encode()).hexdigest()}), "utf-8")


@pytest.fixture(scope="module")
def twin(goods: dict[str, Path], tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A package of the twin-format kit."""
    return package(goods, "twin-format-kit", tmp_path_factory.mktemp("twin"))


def copy(folder: Path, to: Path) -> Path:
    import shutil

    return Path(shutil.copytree(folder, to / folder.name))


def test_every_texture_is_there_twice_with_its_levels_and_its_compression(twin: Path) -> None:
    assert land(twin, find_sheet).accepted
    files = sorted(p.name for p in (twin / "tex").iterdir())
    assert len(files) == 8 and {p.rsplit(".", 1)[1] for p in files} == {"dds", "tga"}
    for path in (twin / "tex").glob("*.dds"):
        info = recognise(path.read_bytes()).info(path.read_bytes())
        assert (
            info.block == ("bc5" if path.stem.endswith("_n") else "bc1")
            and info.levels == max(info.width, info.height).bit_length()
        )


def test_a_copy_that_is_gone_is_missed(twin: Path, tmp_path: Path) -> None:
    folder = copy(twin, tmp_path)
    next((folder / "tex").glob("*_bell_c.tga")).unlink()
    assert "is not there" in refusals(land(folder, find_sheet))


@pytest.mark.parametrize(("block", "levels", "said"), [("bc3", 1, "mip levels"), ("", 9, "plain pixels")])
def test_another_compression_or_no_levels_are_refused(
    block: str, levels: int, said: str, twin: Path, tmp_path: Path
) -> None:
    folder = copy(twin, tmp_path)
    path = next((folder / "tex").glob("*_bell_c.dds"))
    pixels = [np.zeros((max(1, 256 >> k), max(1, 256 >> k), 4), np.uint8) for k in range(levels)]
    encode = texture_format("dds").encode
    assert encode is not None
    put(folder, path.relative_to(folder).as_posix(), encode(pixels, Coding(block, "quick", "srgb")))  # type: ignore[arg-type]
    assert said in refusals(land(folder, find_sheet))


def test_packed_parameters_are_found_by_their_name(goods: dict[str, Path], tmp_path: Path) -> None:
    folder = package(goods, "packed-parameters-kit", tmp_path)
    assert sorted(p.name for p in (folder / "textures").iterdir()) == [
        "colour.png",
        "normal.png",
        "parameters.png",
    ]
    log = land(folder, find_sheet)
    assert log.accepted and any(line.file == "parameters.png" for line in log.lines)
    (folder / "textures" / "parameters.png").unlink()
    assert "packed parameters is not there" in refusals(land(folder, find_sheet))


def test_roles_apart_carry_the_sheets_suffixes(goods: dict[str, Path], tmp_path: Path) -> None:
    folder = package(goods, "split-texture-kit", tmp_path)
    names = sorted(p.stem for p in folder.glob("*.png"))
    assert names == ["bell_lantern_2_c", "bell_lantern_3_c", "bell_lantern_c", "bell_lantern_n"]
    text = (folder / "bell_lantern.mtl").read_text()
    assert all(f"{n}.png" in text for n in names)
