"""The command line, as a person calls it."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import pytest
from typer.testing import CliRunner

from customs.cli import app
from customs.later import later
from customs.ledger.row import requirements
from customs.route.step import steps
from customs.sheet.load import shipped_texts
from tests.assets import cube, saved, scene_of

RUN = CliRunner()


def call(*words: object) -> tuple[int, str]:
    """(exit code, output) of a call."""
    result = RUN.invoke(app, [str(w) for w in words])
    return result.exit_code, result.output


def test_lists_say_what_the_registries_hold() -> None:
    code, text = call("sheets")
    assert code == 0 and all(s in text for s in shipped_texts())
    code, text = call("sheets", "--json")
    assert set(json.loads(text)) == set(shipped_texts())
    code, text = call("steps")
    assert code == 0 and all(f"{s} " in text for s in steps())


def test_check_cleared_and_held(goods: dict[str, Path]) -> None:
    code, text = call("check", goods["fern_bed"], "--to", "metre-yup-pbr", "--from", "metre-yup")
    assert code == 0 and "0 held" in text
    code, text = call("check", goods["seed_cart"], "--to", "metre-yup-pbr", "--from", "metre-yup")
    assert code == 1 and "cart_brand" in text
    assert "✓ Bounds" not in text and "cleared: --all shows them" in text
    assert max(map(len, text.splitlines())) <= 80, "fits a terminal of the least width"
    whole = call("check", goods["seed_cart"], "--to", "metre-yup-pbr", "--from", "metre-yup", "--all")[1]
    open_rows = [line for line in text.splitlines() if line.startswith(("  ■", "  ?"))]
    assert open_rows and set(open_rows) <= set(whole.splitlines()) and whole.count("  ✓ ") > 40


def test_check_as_json_has_every_requirement(goods: dict[str, Path]) -> None:
    code, text = call(
        "check", goods["watering_stork"], "--to", "one-mesh-kit", "--from", "centimetre-zup", "--json"
    )
    body = json.loads(text)
    assert code == 0 and body[0]["verdict"] == "cleared"
    named = {r["requirement"] for r in body[0]["rows"]}
    assert named <= set(requirements()) and {requirements()[k].desk for k in named} == {
        r.desk for r in requirements().values()
    } - {"fittings", "grounds"}  # this sheet asks for nothing around the mesh, nor of levels
    assert body[0]["route"][0]["id"] == "arrive@1"


def test_port_writes_what_is_cleared_and_not_what_is_held(goods: dict[str, Path], tmp_path: Path) -> None:
    out = tmp_path / "out"
    code, text = call(
        "port",
        goods["pane_wall"],
        goods["seed_cart"],
        "--to",
        "metre-yup-pbr",
        "--from",
        "metre-zup",
        "--out",
        out,
    )
    assert code == 1 and [p.name for p in out.iterdir()] == ["pane_wall"] and "held: Missing textures" in text
    code, text = call("land", out)
    assert code == 0 and "accepts" in text


def test_unreadable_wins_over_held(goods: dict[str, Path], tmp_path: Path) -> None:
    bad = tmp_path / "bad.glb"
    bad.write_bytes(goods["watering_stork"].read_bytes()[:200])
    code, text = call("port", bad, goods["seed_cart"], "--to", "metre-yup-pbr", "--out", tmp_path / "out")
    assert code == 3 and "bad.glb" in text and "Traceback" not in text


def test_folders_are_searched_and_processes_used(tmp_path: Path) -> None:
    for k in range(3):
        saved(scene_of(cube(1 + k)), tmp_path / "in" / f"cube_{k}.glb")
    code, text = call("port", tmp_path / "in", "--to", "metre-yup-pbr", "--out", tmp_path / "out", "--json")
    body = json.loads(text)
    assert code == 0 and [b["asset"] for b in body] == ["cube_0", "cube_1", "cube_2"]
    assert all((Path(b["package"]) / "docket.json").is_file() for b in body)


@pytest.mark.parametrize(
    ("setting", "word"),
    [("resize@1.limit=8", ""), ("scale.factor=3", ""), ("rename.nonsense=1", "nonsense"), ("limit=3", "stop.field=value"),
     ("weld@7.distance=1", "weld@7"), ("scale.factor=-2", "factor")],
)  # fmt: skip
def test_settings_from_the_command_line(
    setting: str, word: str, goods: dict[str, Path], tmp_path: Path
) -> None:
    code, text = call(
        "port",
        goods["bell_lantern"],
        "--to",
        "one-mesh-kit",
        "--from",
        "inch-zup",
        "--out",
        tmp_path,
        "--set",
        setting,
        "--json",
    )
    if word:
        assert code == 2 and word in text and not list(tmp_path.iterdir()), (
            "a wrong setting is a wrong call: nothing is run"
        )
    else:
        body = json.loads(text)[0]
        assert code in (0, 1) and any(
            setting.split("=")[1] in str(s["settings"].values()) for s in body["route"]
        )


def test_files_of_one_name_keep_their_folders_apart(tmp_path: Path) -> None:
    for place in ("a/left.glb", "b/left.glb", "Left.glb", "right.glb"):
        saved(scene_of(cube()), tmp_path / "in" / place)
    code, text = call("port", tmp_path / "in", "--to", "metre-yup-pbr", "--out", tmp_path / "out", "--json")
    packages = sorted(str(Path(b["package"]).relative_to(tmp_path / "out")) for b in json.loads(text))
    assert code == 0 and packages == ["Left", "a/left", "b/left", "right"]
    assert call("land", tmp_path / "out" / "a" / "left")[0] == 0


def test_settings_of_arrive_come_before_planning(goods: dict[str, Path], tmp_path: Path) -> None:
    code, text = call(
        "check",
        goods["watering_stork"],
        "--to",
        "metre-yup-pbr",
        "--set",
        "arrive@1.metres_per_unit=0.01",
        "--json",
    )
    rows = {r["requirement"]: r for r in json.loads(text)[0]["rows"]}
    assert code == 0 and rows["size-plausible"]["verdict"] == "cleared"


@pytest.mark.parametrize(
    "words",
    [("check", "/nowhere.glb", "--to", "metre-yup-pbr"), ("check", ".", "--to", "nobodys"), ("check", ".", "--to", "metre-yup-pbr", "--from", "mars"),
     ("land", "/nowhere"), ("port", "--to", "metre-yup-pbr"), ("land", ".", "--by", "nobodys"), ("frobnicate",)],
)  # fmt: skip
def test_usage_errors_are_two(words: tuple[str, ...]) -> None:
    code, text = call(*words)
    assert code == 2 and "Traceback" not in text


def test_land_refuses_with_one(goods: dict[str, Path], tmp_path: Path) -> None:
    call("port", goods["fern_bed"], "--to", "metre-yup-pbr", "--from", "metre-yup", "--out", tmp_path)
    docket = tmp_path / "fern_bed" / "docket.json"
    docket.write_text(docket.read_text().replace('"triangles": ', '"triangles": 1'))
    code, text = call("land", tmp_path, "--json")
    body = json.loads(text)
    assert code == 1 and body[0]["accepted"] is False


def test_a_sheet_from_a_file_and_every_sheet_as_origin(tmp_path: Path) -> None:
    mine = tmp_path / "mine.toml"
    mine.write_text(
        'version = 1\nextends = "metre-yup-pbr"\nid = "mine"\ntitle = "Mine"\n[textures]\nmax_edge = 64\n'
    )
    model = saved(scene_of(cube()), tmp_path / "cube.glb")
    code, _ = call("check", model, "--to", mine, "--from", "one-mesh-kit")
    assert code == 0
    mine.write_text(
        'version = 1\nextends = "metre-yup-pbr"\nid = "mine"\ntitle = "Mine"\n[textures]\nmax_edge = "big"\n'
    )
    code, text = call("check", model, "--to", mine)
    assert code == 2 and "textures.max_edge" in text.replace("\n", "")


def test_the_module_can_be_run() -> None:
    out = subprocess.run(
        [sys.executable, "-m", "customs", "sheets"], capture_output=True, text=True, timeout=60
    )
    assert out.returncode == 0 and "metre-yup-pbr" in out.stdout


def test_missing_textures_are_looked_for_in_folders_that_are_named(
    goods: dict[str, Path], tmp_path: Path
) -> None:
    from customs.demo.textures import brass, encoded

    (tmp_path / "cart_brand.png").write_bytes(encoded(brass(64, 3)[0], "png"))
    arguments = ["check", str(goods["seed_cart"]), "--to", "metre-yup-pbr", "--from", "metre-yup", "--json"]
    assert RUN.invoke(app, arguments).exit_code == 1
    found = RUN.invoke(app, [*arguments, "--search", str(tmp_path)])
    assert found.exit_code == 0, found.output
    assert "find-textures" in found.output


@pytest.mark.parametrize(
    ("words", "idle"),
    [
        (["--help"], ("numpy", "scipy", "rich.table", "customs.work", "customs.formats")),
        (["sheets"], ("scipy.sparse", "scipy.spatial", "scipy.ndimage", "numba", "moderngl", "jinja2")),
        (
            ["check", "nowhere.glb", "--to", "one-mesh-kit"],
            ("scipy.sparse", "scipy.spatial", "numba", "moderngl"),
        ),
    ],
)
def test_a_command_loads_what_it_needs_and_no_more(words: list[str], idle: tuple[str, ...]) -> None:
    code = f"""
import sys
from customs.cli import main
sys.argv = ["customs", *{words!r}]
try:
    main()
except SystemExit:
    pass
print([m for m in {idle!r} if m in sys.modules])
"""
    out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout
    assert out.splitlines()[-1] == "[]"


def test_a_library_comes_at_its_first_use_and_says_what_it_does_not_have() -> None:
    colours = later("colorsys")
    assert colours.rgb_to_hsv(1, 0, 0) == (0.0, 1.0, 1.0) and "rgb_to_hsv" in vars(colours)
    with pytest.raises(AttributeError, match="brass"):
        colours.brass  # noqa: B018 (asking is the test)
    with pytest.raises(ImportError):
        later("no_such_library").anything  # noqa: B018
