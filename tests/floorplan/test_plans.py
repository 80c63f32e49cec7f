"""Floor plans: storeys at heights worked by hand, pages to scale as PNG, SVG and PDF, marks where they belong, the command line."""

from __future__ import annotations

import io
import json
import re
import zlib
from dataclasses import replace
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
import pytest
import trimesh
from PIL import Image

from customs.demo.court import placed, write_court
from customs.errors import LimitError, ReadError
from customs.floorplan.compose import bar_metres, nice, sheets
from customs.floorplan.files import as_pdf, as_png, as_svg
from customs.floorplan.frame import Frame
from customs.floorplan.picture import drawn, veil_without
from customs.floorplan.signs import SIZE, outline
from customs.grounds.heights import BIN, heights_of
from customs.grounds.storeys import storeys_of
from customs.scene.arrays import frozen
from customs.scene.convention import WORKING
from customs.scene.floor_plan import FloorPlan, Mark
from customs.scene.model import Material, Node, Primitive, Scene
from customs.work.floor_plan import read_marks, scale_of
from tests.assets import key, scene_of
from tests.work.test_cli import call

WHITE = Material(key("material", 0), "white", model="unlit", metallic=0.0)
DARK = Material(key("material", 1), "dark", model="unlit", base_colour=(0.1, 0.1, 0.1, 1.0), metallic=0.0)


def house(*boxes: tuple[tuple[float, float, float], tuple[float, float, float]]) -> Scene:
    """Boxes (low corner, size) as walls and floors."""
    box = trimesh.creation.box((1, 1, 1))
    prim = Primitive(
        key("primitive", 0), frozen(np.asarray(box.triangles).reshape(-1, 3), np.float32), indices=frozen(np.arange(36), np.uint32),
        normals=frozen(np.repeat(box.face_normals, 3, axis=0), np.float32), material=0,
    )  # fmt: skip
    other = replace(prim, key=key("primitive", 1), material=1)
    base = scene_of(prim, other, materials=(WHITE, DARK), convention=WORKING)
    nodes = tuple(
        Node(key("node", k), f"wall_{k}", mesh=int(size[1] == 0.8), scale=np.array(size, float), translation=np.array(at) + np.array(size) / 2)
        for k, (at, size) in enumerate(boxes)
    )  # fmt: skip
    return replace(base, nodes=nodes, roots=tuple(range(len(nodes))))


BOXES = (
    ((0, -0.2, 0), (10, 0.2, 8)), ((0, 2.8, 0), (10, 0.2, 4)), ((0, 6.0, 0), (10, 0.2, 8)),
    ((0, 0, 0), (0.2, 6, 8)), ((9.8, 0, 0), (0.2, 6, 8)), ((2, 0, 5), (1, 0.8, 1)),
)  # fmt: skip
TWO = house(*BOXES)
"""A ground floor of 80 m² at 0, a half floor of 40 m² at 3, a roof at 6.2; a table."""


def test_storeys_are_where_people_stand() -> None:
    found = storeys_of(TWO)
    assert [s.name for s in found] == ["ground floor", "storey 2"]
    assert [s.height for s in found] == pytest.approx([0.0, 3.0], abs=1e-3)
    assert found[0].covered == pytest.approx(1.0, abs=0.05)
    heights = heights_of(TWO)
    at = {h: round(float(heights.up[np.abs(heights.mean - h).argmin()]), 3) for h in (0.0, 3.0, 6.2, 0.8)}
    assert at == {0.0: 80.0, 3.0: 40.0, 6.2: 80.0, 0.8: 1.0}
    assert heights.up.sum() == pytest.approx(
        80 + 40 + 80 + 1 + 2 * 0.2 * 8
    ) and heights.down.sum() == pytest.approx(heights.up.sum())
    assert len(heights.up) * BIN >= 6.4


def test_low_rooms_roofs_and_nothing_at_all_are_no_storeys() -> None:
    low = house(((0, -0.2, 0), (10, 0.2, 8)), ((0, 1.5, 0), (10, 0.2, 8)), ((0, 5.0, 0), (10, 0.2, 8)))
    # Under 1.5 m nobody stands: the floor is the one above it.
    assert [s.height for s in storeys_of(low)] == pytest.approx([1.7])
    assert len(storeys_of(house(((0, -0.2, 0), (10, 0.2, 8)), ((0, 3, 0), (10, 0.2, 8))))) == 1
    assert storeys_of(house(((0, 0, 0), (0.5, 0.5, 0.5)))) == ()


def test_a_place_is_where_it_is_on_the_picture_whatever_way_north_lies() -> None:
    for turn in (0.0, 30.0, -90.0, 200.0):
        frame = Frame((5.0, 4.0), 16.0, 14.0, turn, 1.2, -0.5)
        picture = drawn(house(((6.9, 0, 1.9), (0.2, 0.5, 0.2))), frame, 320, 280)
        rows, columns = np.nonzero(picture[..., 3] > 128)
        x, y = frame.place(7.0, 2.0)
        assert (columns.mean() + 0.5) / 20 == pytest.approx(x, abs=0.03) and (
            rows.mean() + 0.5
        ) / 20 == pytest.approx(y, abs=0.03)


def test_what_is_above_the_cut_or_chosen_is_not_there_and_tiles_meet() -> None:
    frame = Frame((5.0, 4.0), 10.0, 8.0, 0.0, 1.2, -0.5)
    whole = drawn(TWO, frame, 400, 320)
    assert (whole[..., 3] > 0).mean() > 0.95
    roof = drawn(TWO, replace(frame, cut=7.0), 400, 320)
    table = (slice(204, 236), slice(84, 116))
    assert np.abs(whole[table].astype(int) - roof[table].astype(int)).max() > 5
    without = drawn(TWO, frame, 400, 320, veil=veil_without(TWO, [str(key("node", 5)), "no key at all"]))
    changed = np.abs(whole.astype(int) - without.astype(int)).max(axis=2) > 5
    assert changed[table].mean() > 0.9 and not changed[:190].any()
    # As one picture and as tiles: the same but for what lies on the edges of tiles.
    large = drawn(TWO, frame, 2500, 2000)
    near = np.asarray(Image.fromarray(large).resize((400, 320), Image.Resampling.BOX)).astype(int)
    assert np.abs(near - whole.astype(int)).mean() < 2
    dark = drawn(TWO, frame, 100, 80, brightness=0.5)
    assert dark[..., :3].mean() <= drawn(TWO, frame, 100, 80)[..., :3].mean()
    with pytest.raises(LimitError):
        drawn(TWO, frame, 40_000, 10)


PLAN = FloorPlan(
    scale=50,
    marks=(
        Mark(sign="entry", at=(1, 0, 7), text="Gate <a> & b"),
        Mark(sign="find", at=(5, 3.1, 2), text="Key"),
    ),
)


def page(every: bool = True) -> list:  # type: ignore[type-arg]
    return sheets(TWO, PLAN, "House", every)


def test_the_scale_is_right_on_the_picture_in_the_svg_and_in_the_pdf() -> None:
    ground, upper = page()
    assert ground.frame.cut == pytest.approx(1.2) and upper.frame.cut == pytest.approx(4.2, abs=2e-3)
    mm = ground.page.picture[2]
    assert mm == pytest.approx(11.0 * 1000 / 50)
    dots = 8.0
    picture = drawn(TWO, ground.frame, round(mm * dots), round(ground.page.picture[3] * dots))
    # The ten metres of the floor, measured on the picture: 200 mm of 8 pixels.
    wide = np.flatnonzero((picture[..., 3] > 128).any(axis=0))
    assert (wide[-1] - wide[0] + 1) / dots * 50 / 1000 == pytest.approx(10.0, abs=0.02)
    png = Image.open(io.BytesIO(as_png(ground.page, picture)))
    assert png.info["dpi"][0] == pytest.approx(dots * 25.4, rel=1e-3)
    # The scale bar on the PNG: the longest dark run in the foot.
    foot = np.asarray(png.convert("L"))[
        round((ground.page.picture[1] + ground.page.picture[3] + 16) * dots) :
    ]
    dark = max(int((row < 90).sum()) for row in foot[: round(4 * dots)])
    metres = bar_metres(50)
    assert dark / dots * 50 / 1000 == pytest.approx(metres, rel=0.02) and metres == 2.0
    svg = ElementTree.fromstring(as_svg(ground.page, picture))
    ns = {"s": "http://www.w3.org/2000/svg"}
    assert float(svg.get("width", "").removesuffix("mm")) == pytest.approx(ground.page.width, abs=1e-3)
    bar = [x for x in svg.findall("s:line", ns) if x.get("stroke-width") == "0.5"]
    assert (float(bar[0].get("x2")) - float(bar[0].get("x1"))) * 50 / 1000 == pytest.approx(metres)
    image = svg.find("s:image", ns)
    assert float(image.get("width")) == pytest.approx(mm, abs=1e-3)
    assert any("Gate <a> & b" in (t.text or "") for t in svg.findall("s:text", ns))
    pdf = as_pdf(ground.page, picture)
    box = [float(v) for v in re.search(rb"/MediaBox \[([^\]]*)\]", pdf).group(1).split()]
    # ISO 32000-1, 8.3.2.3: a unit of user space is 1/72 inch.
    assert box[2] == pytest.approx(ground.page.width / 25.4 * 72, abs=0.02)
    streams = [
        zlib.decompress(s)
        for s in re.findall(rb"stream\r?\n(.*?)\r?\nendstream", pdf, re.DOTALL)
        if s[:1] == b"x"
    ]
    drawing = next(s for s in streams if b" re f" in s or b" re\nf" in s)
    placed_at = re.search(rb"([\d.]+) 0 0 ([\d.]+) [\d.]+ [\d.]+ cm", drawing)
    assert float(placed_at.group(1)) / 72 * 25.4 * 50 / 1000 == pytest.approx(11.0, abs=0.01)


def test_marks_stand_on_their_storey_and_in_its_legend() -> None:
    ground, upper = page()

    def said(sheet) -> list[str]:  # type: ignore[no-untyped-def]
        return [i.text for i in sheet.page.items if hasattr(i, "text")]

    assert "Entry: Gate <a> & b" in said(ground) and "Find: Key" not in said(ground)
    assert "Find: Key" in said(upper) and said(upper).count("2") >= 2
    # The sign is at its place: metres from the corner of the picture, to scale.
    x, y = ground.frame.place(1, 7)
    at = (10 + x * 20, 10 + y * 20)
    shapes = [i.points for i in ground.page.items if hasattr(i, "points")]
    assert outline("entry", at) in shapes and outline("entry", at, SIZE * 1.2) in shapes
    assert len({outline(s, (0, 0)) for s in ("entry", "exit", "find", "note")}) == 4
    bare = sheets(
        TWO, FloorPlan(scale=50, grid=False, names=False, legend=False, marks=PLAN.marks), "House", False
    )[0]
    assert "Entry: Gate <a> & b" not in said(bare) and len(bare.page.items) < len(ground.page.items)


def test_cuts_scales_and_what_cannot_be_drawn() -> None:
    assert sheets(TWO, FloorPlan(cut=3.9), "House", False)[0].name == "storey 2"
    assert sheets(TWO, FloorPlan(cut=0.5), "House", False)[0].frame.cut == 0.5
    assert [nice(v) for v in (0.9, 1.0, 1.1, 3, 7, 0.03)] == pytest.approx([1, 1, 2, 5, 10, 0.05])
    with pytest.raises(ReadError, match="nothing that could be drawn"):
        sheets(scene_of(), FloorPlan(), "House", False)
    with pytest.raises(Exception, match="at most 10 m"):
        sheets(TWO, FloorPlan(scale=0.5), "House", False)
    assert scale_of("1:200") == 200 and scale_of("50") == 50 and scale_of("2:1") == 0.5
    for text in ("1:0", "x", "0:1", "-3", "nan"):
        with pytest.raises(ReadError, match="scale"):
            scale_of(text)


def test_marks_from_a_file(tmp_path: Path) -> None:
    path = tmp_path / "marks.json"
    path.write_text('{"marks": [{"sign": "exit", "at": [1, 2, 3]}]}', "utf-8")
    assert read_marks(path) == (Mark(sign="exit", at=(1, 2, 3)),)
    for text, said in (
        ("[{", "well-formed"),
        ('[{"sign": "door", "at": [0, 0, 0]}]', "0.sign"),
        ('[{"at": [0, 1e999, 0]}]', "0.at.1"),
        ('[{"at": [0, 0]}]', "0.at"),
    ):
        path.write_text(text, "utf-8")
        with pytest.raises(ReadError, match=re.escape(said)):
            read_marks(path)


def test_the_palm_court_from_the_command_line(tmp_path: Path) -> None:
    listed, mapping, library = write_court(tmp_path / "court")
    (tmp_path / "marks.json").write_text('[{"sign": "entry", "at": [0, 0, 5], "text": "Door"}]', "utf-8")
    words = (
        "plan",
        listed,
        "--mapping",
        mapping,
        "--library",
        library,
        "--out",
        tmp_path / "plans",
        "--storeys",
        "--dots",
        50,
    )
    code, text = call(*words, "--marks", tmp_path / "marks.json", "--json")
    told = json.loads(text)
    assert code == 0 and [t["storey"] for t in told] == ["ground floor", "storey 2"]
    assert told[0]["cut"] == pytest.approx(1.2, abs=0.01) and told[1]["cut"] == pytest.approx(4.4, abs=0.01)
    wide = max(abs(p.x) for p in placed() if p.name == "mosaic_tile") * 2
    with Image.open(told[0]["files"][0]) as picture:
        size = picture.size
    assert all(Path(f).is_file() for t in told for f in t["files"]) and size[0] > wide * 10 / 25.4 * 50
    assert b"Entry: Door" in Path(told[0]["files"][1]).read_bytes()
    code, text = call(*words)
    assert code == 3 and "there is a file already" in text
    assert call(*words, "--form", "gif")[0] == 2 and call(*words, "--scale", "0")[0] == 2


def test_what_is_cut_open_is_solid_and_what_lies_below_is_paper() -> None:
    """A wall from the ground through both storeys is of one dark colour on each; from the upper one nothing of the ground floor is seen."""
    ink, paper = np.array([51, 69, 77]), np.array([243, 239, 228])
    half = ((0.2, 2.8, 0), (9.6, 0.2, 4))
    level = house(BOXES[0], half, *BOXES[2:])
    for cut, bottom in ((1.2, -0.2), (4.2, 2.5)):
        picture = drawn(level, Frame((5.0, 4.0), 10.0, 8.0, 0.0, cut, bottom), 400, 320)
        wall = picture[40:280, 3:5, :3].reshape(-1, 3)
        assert np.abs(wall.astype(int) - ink).max() <= 2, cut
        room = picture[200:300, 40:360, :3].reshape(-1, 3).astype(int)
        assert (np.abs(room - paper).max() <= 2) == (bottom > 0)
