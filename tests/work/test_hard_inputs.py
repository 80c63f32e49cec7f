"""What reaches out, dies, or is obeyed: pipes and links, names of any bytes, processes that end, text with
orders in it.
"""

from __future__ import annotations

import json
import os
from dataclasses import replace
from pathlib import Path

import numpy as np
import PIL.Image
import pytest
from typer.testing import CliRunner

from customs.cli import app
from customs.errors import CustomsError, LimitError, ReadError
from customs.files import is_file, memory_left, open_regular, read_regular, why_no_part
from customs.formats.source import Source
from customs.intake.nearby import texture_files
from customs.json_text import loads
from customs.patterns import fits, problem_of
from customs.picture.received import as_seen
from customs.picture.uv_map import Window, island_at, uv_picture, window_of
from customs.scene.content import Encoded
from customs.scene.convention import Convention
from customs.scene.model import Primitive
from customs.surface import room
from customs.surface.pixels import content_info
from customs.surface.resize import resize
from customs.words import byte_text, figure, lines_plain, plain
from customs.work import batch
from customs.work.asset import Request, run
from customs.work.lookup import find_sheet
from tests.assets import frozen_grid, letter_primitive, lettered, saved, scene_of

SHEET = find_sheet("metre-yup-pbr")
TRIANGLE = "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"


def test_only_regular_files_are_opened(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "pipe.obj")
    (tmp_path / "folder.obj").mkdir()
    (tmp_path / "loop.obj").symlink_to(tmp_path / "loop.obj")
    (tmp_path / "good.obj").write_text(TRIANGLE)
    (tmp_path / "link.obj").symlink_to(tmp_path / "good.obj")
    for name in ("pipe.obj", "folder.obj", "loop.obj", "gone.obj", "x" * 300, "a\0b"):
        with pytest.raises(OSError, match=r".+"):
            open_regular(tmp_path / name)
        with pytest.raises(ReadError):
            Source(tmp_path / "good.obj").read(tmp_path / name)
        assert not is_file(tmp_path / name)
    for device in ("/dev/zero", "/dev/null", "/dev/stdin"):
        with pytest.raises(ReadError, match="not a regular file"):
            Source(Path(device)).read(Path(device))
    assert read_regular(tmp_path / "link.obj", 1000) == TRIANGLE.encode()
    assert read_regular(tmp_path / "good.obj", 10) is None, "never more than the limit"


def test_what_lies_near_or_is_spelt_otherwise_stays_in_the_folder(tmp_path: Path) -> None:
    (tmp_path / "far").mkdir()
    PIL.Image.new("RGB", (4, 4)).save(tmp_path / "far" / "secret.png")
    near = tmp_path / "near"
    near.mkdir()
    for name in ("Skin.PNG", "skin_normal.png"):
        (near / name).symlink_to(tmp_path / "far" / "secret.png")
    source = Source(near / "a.obj")
    assert source.companion("skin.png", "texture") is None and source.absent == ["skin.png"]
    assert texture_files(near) == []


@pytest.mark.parametrize(
    "name", [b"\xff\xe9.obj", b"a\x1b[31mred.obj", b"line\nend.obj", "weiß ☂.obj".encode()]
)
def test_names_of_any_bytes_are_ported_and_printed_as_they_can_be(name: bytes, tmp_path: Path) -> None:
    path = Path(os.fsdecode(os.fsencode(tmp_path) + b"/" + name))
    path.write_text("o \x07bell\x1b[2J\u202egnp\n" + TRIANGLE)
    done = CliRunner().invoke(app, ["port", str(path), "--to", SHEET.id, "--out", str(tmp_path / "out")])
    assert done.exit_code == 0 and not set(done.output) & {"\x1b", "\x07", "\u202e"}, done.output
    told = CliRunner().invoke(app, ["check", str(path), "--to", SHEET.id, "--json"])
    assert json.loads(told.output)[0]["verdict"] in ("cleared", "query")
    body = json.loads(next((tmp_path / "out").glob("*/docket.json")).read_text("utf-8"))
    assert all(plain(n) == n for n in body["names"]["nodes"])


def test_json_of_others_is_read_whatever_it_holds() -> None:
    value = loads('{"a\\ud800": ["\\u0000b", ' + "9" * 5000 + ', -12, 1e400, "\\ud83d\\ude00"]}')
    assert value == {"a\ufffd": ["\ufffdb", float("inf"), -12, float("inf"), "\U0001f600"]}


def test_patterns_are_matched_in_one_pass() -> None:
    assert problem_of("(a+)+b") == "" and not fits("(a+)+b", "a" * 20_000)
    assert "looking" in problem_of(r"(?<=a)b") and problem_of("[a-") and problem_of("a" * 300)


def test_an_image_that_would_take_all_memory_is_refused_before_it_is_decoded(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    import io

    out = io.BytesIO()
    PIL.Image.new("L", (9000, 9000)).save(out, "PNG")
    assert memory_left() > 1 << 28
    monkeypatch.setattr(room, "SMALL", 1 << 20)
    monkeypatch.setattr(room, "memory_left", lambda: 1 << 28)
    with pytest.raises(LimitError, match="decoding it takes"):
        content_info(Encoded(out.getvalue()))
    with pytest.raises(LimitError, match="resizing"):
        resize(np.zeros((4096, 4096, 3), np.uint8), 2048, 2048, True)


def dies(request: Request, job: object = None) -> object:
    """In place of `run`: the asset called bad ends its process, the one called odd fails in a way of Python's
    own.
    """
    if request.path.stem == "bad":
        os._exit(9)
    return run(request)


def test_a_process_that_dies_takes_no_other_along(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    paths = []
    for name in ("one", "bad", "two", "three", "four"):
        (tmp_path / f"{name}.obj").write_text(TRIANGLE)
        paths.append(tmp_path / f"{name}.obj")
    monkeypatch.setattr(batch, "run", dies)
    found = dict(batch.run_all([Request(p, tmp_path, SHEET) for p in paths], workers=2))
    assert len(found) == 5
    assert [found[k].error is None for k in range(5)] == [True, False, True, True, True]
    assert "its process ended" in str(found[1].error) and found[1].code == 3


def test_what_nobody_foresaw_is_an_assets_own_error(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from customs.work import asset

    def breaks(*_: object) -> None:
        raise ZeroDivisionError("by nobody")

    (tmp_path / "a.obj").write_text(TRIANGLE)
    monkeypatch.setattr(asset, "prepare", breaks)
    result = run(Request(tmp_path / "a.obj", tmp_path, SHEET))
    assert isinstance(result.error, CustomsError) and "ZeroDivisionError: by nobody" in str(result.error)
    assert result.error.todo and result.ledger.verdict == "held"


def test_words_for_pages_and_terminals() -> None:
    assert plain("a\x1b[1m\n\u202e\ud800é☂") == "a\ufffd[1m\ufffd\ufffd\ufffdé☂"
    assert lines_plain("a\tb\n\x07c") == "a\tb\n\ufffdc"
    assert [figure(v) for v in (0, 0.12345, 19341.2, 1.5, 2e6, 1e20, 12)] == [
        "0",
        "0.1235",
        "19,341",
        "1.5",
        "2,000,000",
        "1e+20",
        "12",
    ]
    assert [byte_text(n) for n in (7, 1500, 2_500_000, 3 * 10**9)] == ["7 bytes", "2 kB", "2.5 MB", "3.0 GB"]
    assert why_no_part("con.png") and why_no_part("..") and why_no_part("a/b") and not why_no_part("Ärmel 2")


# -- pictures of what was received, and of texture space


def test_an_asset_as_received_is_drawn_with_its_own_v_and_green() -> None:
    scene = scene_of(letter_primitive(0))
    assert as_seen(scene, Convention()) is scene
    seen = as_seen(scene, Convention(v="up", green="down"))
    was, now = (s.meshes[0].primitives[0] for s in (scene, seen))
    assert np.allclose(now.texcoords[0][:, 1], 1 - was.texcoords[0][:, 1]) and np.array_equal(
        now.positions, was.positions
    )
    assert seen.convention.green == "down" and as_seen(scene, Convention(v="up", green="down")) is seen


def test_texture_space_is_shown_with_its_tiles_and_islands_are_picked() -> None:
    here, there = frozen_grid(0, (0.1, 0.1)), frozen_grid(1, (1.2, -0.7))
    assert window_of([here]).edge == pytest.approx(1.12)
    window = window_of([here, there])
    assert window.edge == pytest.approx(2 * 1.12) and window.places(np.array([0.0, 0.0]), 100)[0] > 0
    u, v = window.uv(*window.places(np.array([1.5, -0.4]), 300), 300)
    assert (u, v) == pytest.approx((1.5, -0.4))
    assert (
        set(island_at([here, there], 0, 1.5, -0.4)) == {1} and island_at([here, there], 0, 0.95, 0.95) == {}
    )
    whole = island_at([here, there], 0, 0.3, 0.3)[0]
    assert whole.all(), "faces that share a place in texture space are one island"
    plain_, gold = (
        uv_picture([here, there], 200, window=window),
        uv_picture([here, there], 200, window=window, picked={0: whole}),
    )
    assert (plain_ != gold).any() and (plain_ == gold).mean() > 0.8
    assert isinstance(window, Window) and uv_picture([Primitive(here.key, here.positions)], 32).shape == (
        32,
        32,
        3,
    )


def test_a_name_is_a_part_of_a_path_only_where_a_file_is_named_by_it(tmp_path: Path) -> None:
    scene = lettered()
    clips = tuple(replace(c, name=f"Frame|{c.name}") for c in scene.clips)
    path = saved(replace(scene, name="letter", clips=clips), tmp_path / "goods" / "letter.glb")
    for sheet, kept in (("metre-yup-pbr", True), ("clips-apart-kit", False)):
        found = find_sheet(sheet)
        open_to_all = found.model_copy(update={"names": found.names.model_copy(update={"allowed": ".+"})})
        result = run(Request(path, path.parent, open_to_all, out=tmp_path / sheet))
        assert result.folder is not None, [r.requirement for r in result.ledger.open()]
        names = json.loads((result.folder / "docket.json").read_text("utf-8"))["names"]["clips"]
        assert names and all(("|" in n) == kept for n in names), (sheet, names)
