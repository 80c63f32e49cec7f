"""Pictures a kit asks for: exact sizes and formats by Pillow, framed by the mesh, clear ground, words."""

from __future__ import annotations

import io
import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import PIL.Image
import pytest

from customs.dispatch.beside import picture_files
from customs.landing.land import land
from customs.motion.posing.pose import posed_scene_points
from customs.picture.camera import Orbit, project
from customs.picture.icon import ANGLES, BACKDROPS, drawn, encoded, frame_on, framed, outermost
from customs.picture.look import LIGHTS
from customs.scene.wishes import PictureWish
from customs.sheet.fittings import PictureRules
from customs.sheet.load import load_sheet
from customs.sheet.model import Sheet
from customs.work.lookup import find_sheet
from tests.assets import scene_of
from tests.changes.test_coarser import ball, run
from tests.landing.test_fittings import KIT, fitted
from tests.landing.test_rules import delivered, exchange_file, refusals


@pytest.mark.parametrize("angle", ANGLES)
@pytest.mark.parametrize("size", [(128, 128), (240, 180), (40, 200)])
def test_the_mesh_fills_the_frame_and_no_more(angle: str, size: tuple[int, int]) -> None:
    """Framed by its vertices, not by its box: one side of the frame is met to within two per cent, none is passed."""
    scene = scene_of(ball(3, at=(4, 1, -2)))
    orbit = framed(scene, PictureWish(angle=angle, margin=0.1), *size)  # type: ignore[arg-type]
    flat = project(np.concatenate(posed_scene_points(scene)), orbit, *size) / size
    low, high = flat.min(axis=0), flat.max(axis=0)
    assert (low > 0.08).all() and (high < 0.92).all()
    assert max((high - low).tolist()) == pytest.approx(0.8, abs=0.02)
    assert (low + high) / 2 == pytest.approx([0.5, 0.5], abs=0.02)


@pytest.mark.parametrize("size", [(1, 1), (128, 128), (240, 180), (2048, 64)])
def test_a_picture_has_its_exact_size(size: tuple[int, int]) -> None:
    pixels = drawn(scene_of(ball(2)), PictureWish(), *size)
    assert pixels.shape == (size[1], size[0], 4) and pixels[..., 3].any()
    if min(size) > 60:
        assert not pixels[0].any(axis=-1).any() or not pixels[0, :, 3].any(), "the ground is clear"


def test_on_a_backdrop_nothing_is_clear_and_the_rim_does_not_shine() -> None:
    scene = scene_of(ball(3))
    clear, dark = (drawn(scene, PictureWish(backdrop=b), 128, 128) for b in ("clear", "dark"))
    assert (dark[..., 3] == 255).all() and tuple(dark[0, 0, :3]) == BACKDROPS["dark"]
    whole = clear[..., 3] == 255
    assert np.abs(clear[whole].astype(int) - dark[whole]).max() <= 1
    jpeg = drawn(scene, PictureWish(), 128, 128, clear=False)
    assert tuple(jpeg[0, 0, :3]) == BACKDROPS["white"]


@pytest.mark.parametrize(("form", "name"), [("png", "PNG"), ("jpeg", "JPEG")])
def test_pillow_reads_it(form: str, name: str) -> None:
    pixels = drawn(scene_of(ball(2)), PictureWish(), 240, 180, clear=form == "png")
    with PIL.Image.open(io.BytesIO(encoded(pixels, form))) as opened:
        assert opened.format == name and opened.size == (240, 180)
        assert np.abs(np.asarray(opened.convert("RGBA")).astype(int) - pixels).mean() < 3


def test_words_stand_in_where_there_is_nothing_to_see() -> None:
    pixels = drawn(scene_of(), PictureWish(text="no picture"), 128, 128)
    assert pixels.shape == (128, 128, 4) and (pixels != pixels[0, 0]).any()
    assert not drawn(scene_of(), PictureWish(), 64, 64).any()


@pytest.fixture
def package(tmp_path: Path) -> Path:
    folder = delivered(run("picture", fitted(), angle="side").scene, KIT, tmp_path)
    log = land(folder, find_sheet)
    assert log.accepted, refusals(log)
    return folder


def exchanged(package: Path, data: bytes) -> None:
    exchange_file(package, "ball_icon.png", data)


def test_landing_names_a_picture_that_is_wrong(package: Path) -> None:
    pixels = drawn(scene_of(ball(2)), PictureWish(), 64, 64)
    for data, said in (
        (encoded(pixels, "png"), "is 64 × 64, 128 × 128 is read"),
        (encoded(drawn(scene_of(ball(2)), PictureWish(), 128, 128, False), "jpeg"), "is JPEG, PNG is read"),
        (b"no picture", "cannot be read as a picture"),
    ):
        exchanged(package, data)
        assert said in refusals(land(package, find_sheet)), said
    exchanged(package, encoded(np.zeros((128, 128, 4), np.uint8), "png"))
    log = land(package, find_sheet)
    assert log.accepted and any("of one colour" in line.text for line in log.lines if line.level == "remark")
    (package / "ball_icon.png").unlink()
    assert "the icon is not there" in refusals(land(package, find_sheet))


def test_several_at_once_and_what_cannot_be(tmp_path: Path) -> None:
    body = KIT.model_dump()
    body["pictures"] = [
        *body["pictures"],
        {
            "name": "card",
            "width": 240,
            "height": 180,
            "format": "jpeg",
            "clear": False,
            "path": "{asset}_{name}{ending}",
        },
    ]
    rules = Sheet.model_validate(body)
    folder = delivered(fitted(), rules, tmp_path)
    assert land(folder, find_sheet, rules).accepted
    with PIL.Image.open(folder / "ball_card.jpg") as opened:
        assert opened.size == (240, 180)
    listed = [
        f["path"]
        for f in json.loads((folder / "docket.json").read_text("utf-8"))["files"]
        if f["kind"] == "picture"
    ]
    assert listed == ["ball_icon.png", "ball_card.jpg"]
    for wrong in ({"format": "jpeg"}, {"width": 0}, {"height": 9000}, {"path": "../icon.png"}):
        with pytest.raises(ValueError):
            Sheet.model_validate(KIT.model_dump() | {"pictures": [wrong]})
    assert replace(PictureWish(), text="x").text == "x"


def test_the_frame_over_a_view_is_the_frame_of_the_picture() -> None:
    """Seen by the picture's own camera its frame is the whole picture, by the outermost vertices alone."""
    scene = scene_of(ball(4))
    for size in ((128, 128), (240, 180), (90, 300)):
        wish = PictureWish(turn=(20.0, 30.0), margin=0.1)
        orbit = framed(scene, wish, *size)
        x, y, w, h = frame_on(outermost(scene), orbit, size, size, wish.margin)
        assert (x, y, w, h) == pytest.approx((0, 0, *size), abs=0.01 * max(size))
    assert len(outermost(scene)) <= 400 < len(scene.meshes[0].primitives[0].positions)
    assert np.isnan(frame_on(outermost(scene_of()), Orbit(), (9, 9), (1, 1), 0)).all()


def test_each_light_makes_another_picture() -> None:
    """From the side one half is darker; from the viewer both are alike; evenly lit the least varies."""
    scene = scene_of(replace(ball(4), colours=()))
    found = {
        k: drawn(scene, PictureWish(angle="front", light=k), 96, 96)[..., :3].astype(int) for k in LIGHTS
    }  # type: ignore[arg-type]
    left = {k: p[20:76, 20:48].mean() for k, p in found.items()}
    right = {k: p[20:76, 48:76].mean() for k, p in found.items()}
    assert right["side"] > 1.3 * left["side"] and abs(right["viewer"] - left["viewer"]) < 12
    assert found["even"][30:66, 30:66].std() < found["side"][30:66, 30:66].std()


def test_a_picture_is_lit_as_the_sheet_says_unless_a_person_says() -> None:
    scene = replace(scene_of(replace(ball(3), colours=())), name="ball")
    sheet = load_sheet("plan-plot-kit").model_copy(update={"pictures": (PictureRules(light="side"),)})

    def made(light: str | None) -> bytes:
        wish = PictureWish(light=light)  # type: ignore[arg-type]
        (file,) = picture_files(replace(scene, wishes=replace(scene.wishes, picture=wish)), sheet)
        return b"".join(bytes(part) for part in file.make(lambda share: None))

    assert made(None) == made("side") != made("sky")
