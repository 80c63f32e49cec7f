"""What hangs at posts: seen in place, copied with all it leans on where a sheet asks, and found again by landing."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh

from customs.changes.hanging import with_hanging
from customs.changes.posts import posts_of
from customs.changes.snapshot import make_snapshot
from customs.dispatch.attached import attached_paths
from customs.dispatch.beside import planned_files
from customs.errors import StepError
from customs.job import Job
from customs.landing.land import land, landed_scene
from customs.ledger.joined import joined
from customs.ledger.row import About, Case, requirements
from customs.motion.posing.bounds import world_bounds
from customs.route.route import At, Stop
from customs.route.step import get_step, make_settings
from customs.scene.model import Scene
from customs.sheet.load import load_sheet
from customs.sheet.model import Sheet
from tests.assets import scene_of
from tests.changes.test_coarser import ball
from tests.landing.test_rules import delivered, exchange, exchange_file, refusals
from tests.picture.test_surface_picture import image
from tests.picture.test_surface_picture import scene as coated

TURNED = ("hook", (0.0, 3.0, 0.0), (1.0, 0.0, 0.0), "", "")
BESIDE = ("shelf", (2.0, 0.0, 0.0), (0.0, 0.0, 1.0), "", "kit/pot.glb")


def kit(name: str = "metre-yup-pbr", **model: object) -> Sheet:
    """A sheet that wants copies of what hangs."""
    sheet = load_sheet(name)
    posts = sheet.posts.model_copy(update={"form": "nodes", "attached": "copy", "name": "post_{name}"})
    return sheet.model_copy(
        update={
            "posts": posts,
            "model": sheet.model.model_copy(update=model),
            "layout": sheet.layout.model_copy(update={"facts": "{asset}.json"}),
        }
    )


def thing() -> Scene:
    """A lantern with a texture, beside its own middle."""
    pixels = np.arange(8 * 8 * 3, dtype=np.uint8).reshape(8, 8, 3)
    scene = coated({"base_colour": image(0, pixels)})
    nodes = (replace(scene.nodes[0], translation=(1.0, 0.5, 0.25)), *scene.nodes[1:])
    return replace(scene, nodes=nodes, name="Lantern of brass")


def holding(*things: Scene, sheet: str = "") -> Scene:
    """A ball with a post for each thing."""
    bare = replace(ball(2, at=(0, 1, 0)), targets=(), colours=())
    scene = replace(scene_of(bare), name="ball")
    kept, said = {}, []
    for post, one in zip((TURNED, BESIDE, ("third", (0.0, 0.0, 2.0), (0.0, 0.0, 1.0), "", "")), things):
        name, data, _ = make_snapshot(one)
        kept[name] = data
        said.append((post[0], name, one.name, "A. Smith", "CC0", "deliver"))
    posts = [TURNED, BESIDE, ("third", (0.0, 0.0, 2.0), (0.0, 0.0, 1.0), "", "")][: max(len(things), 1)]
    step = get_step("posts")
    return step.apply(scene, make_settings(step, {"posts": posts, "things": said}), kept, Job()).scene


def test_it_stands_as_its_post_does() -> None:
    """Its own +Z along the post's direction, its middle at the post: by trimesh's transforms of its box."""
    scene = holding(thing())
    (at, post), (low, high) = posts_of(scene)[0], world_bounds(thing()) or ((), ())
    seen = with_hanging(scene)
    assert with_hanging(scene) is seen and with_hanging(scene_of(ball(1))).meshes and post.thing is not None
    new = replace(seen, roots=tuple(range(len(scene.nodes), len(seen.nodes))))
    corners = trimesh.bounds.corners([low, high])
    # Looking along +X with Y up: local X is −Z, local Z is +X.
    turn = np.array([[0, 0, 1, 0], [0, 1, 0, 3], [-1, 0, 0, 0], [0, 0, 0, 1.0]])
    expected = trimesh.transform_points(corners, turn)
    found = world_bounds(new)
    assert found is not None and np.allclose(found, [expected.min(axis=0), expected.max(axis=0)], atol=1e-5)
    assert len(scene.meshes) == 1 and at == 1


@pytest.mark.parametrize(("name", "textures"), [("metre-yup-pbr", "inside"), ("centimetre-zup-lh", "apart")])
def test_a_copy_goes_along_with_all_it_leans_on(name: str, textures: str, tmp_path: Path) -> None:
    sheet, scene = kit(name), holding(thing(), thing())
    folder = delivered(scene, sheet, tmp_path)
    log = land(folder, lambda _: sheet)
    assert not [x for x in refusals(log).splitlines() if "attached" in x or "post" in x], refusals(log)
    ending = {"inside": ".glb", "apart": ".fbx"}[textures]
    stem = "Lantern of brass" if textures == "inside" else "lantern_of_brass"
    place = f"attached/lantern_of_brass/{stem}{ending}"
    files = sorted(p.relative_to(folder).as_posix() for p in folder.rglob("attached/**/*") if p.is_file())
    assert place in files and (len(files) > 1) is (textures == "apart")
    assert set(files) <= {path for path, _ in planned_files(scene, sheet)}
    facts = json.loads((folder / "ball.json").read_text("utf-8"))
    assert [r["attached"]["path"] for r in facts["posts"]] == [place, place]
    seen = landed_scene(folder, sheet)
    boxes = [world_bounds(p.thing) for _, p in posts_of(seen)]
    wanted = world_bounds(thing())
    assert wanted is not None
    for box in boxes:
        assert box is not None and np.allclose(box, wanted, atol=2e-3)
    whole = world_bounds(with_hanging(seen)), world_bounds(with_hanging(scene))
    assert whole[0] is not None and whole[1] is not None and np.allclose(whole[0], whole[1], atol=2e-3)


def test_two_things_of_one_name_have_a_folder_each() -> None:
    other = replace(thing(), nodes=tuple(replace(n, translation=(5, 0, 0)) for n in thing().nodes))
    paths = attached_paths(holding(thing(), other, thing()), kit())
    assert [p.split("/")[1] for p in paths.values()] == [
        "lantern_of_brass",
        "lantern_of_brass_2",
        "lantern_of_brass",
    ]


def test_where_no_copy_is_asked_the_path_of_the_kit_is_written(tmp_path: Path) -> None:
    sheet = load_sheet("metre-yup-pbr")
    folder = delivered(holding(thing(), thing()), sheet, tmp_path)
    facts = json.loads((folder / "ball.json").read_text("utf-8"))
    assert [r.get("attached", {}).get("path") for r in facts["posts"]] == [None, "kit/pot.glb"]
    assert not (folder / "attached").exists() and land(folder, lambda _: sheet).accepted
    rule, scene = requirements()["posts"], holding(thing(), thing())
    rows = list(rule.judge(rule, Case(scene, scene, scene, sheet, About())))
    assert [r.verdict for r in rows] == ["query", "cleared"] and "no path in the kit" in rows[0].note


def _lost(folder: Path) -> None:
    shutil.rmtree(folder / "attached")
    exchange(
        folder, lambda b: b.update(files=[f for f in b["files"] if not f["path"].startswith("attached")])
    )


def _broken(folder: Path) -> None:
    path = next(folder.rglob("attached/*/*.glb"))
    exchange_file(folder, path.relative_to(folder).as_posix(), b"glTF\x02\x00\x00\x00")


def _out(folder: Path) -> None:
    facts = json.loads((folder / "ball.json").read_text("utf-8"))
    facts["posts"][0]["attached"]["path"] = "../elsewhere.glb"
    exchange_file(folder, "ball.json", json.dumps(facts).encode())


@pytest.mark.parametrize(
    ("mistake", "told"),
    [(_lost, "the copy of what hangs at post hook is not there"), (_broken, "cannot be read"), (_out, "no path inside the kit")],
)  # fmt: skip
def test_a_copy_that_is_not_right_is_named(
    mistake: Callable[[Path], None], told: str, tmp_path: Path
) -> None:
    sheet = kit()
    folder = delivered(holding(thing()), sheet, tmp_path)
    assert land(folder, lambda _: sheet).accepted
    mistake(folder)
    assert told in refusals(land(folder, lambda _: sheet))
    landed_scene(folder, sheet)


def test_what_is_gone_or_damaged_is_said() -> None:
    step = get_step("posts")
    name = "rows:" + "0" * 32
    wish = make_settings(step, {"posts": [TURNED], "things": [("hook", name, "Lantern", "", "", "")]})
    for kept, told in (({}, "no longer there"), ({name: b"glTF?"}, "damaged")):
        with pytest.raises(StepError, match=told):
            step.apply(scene_of(ball(1)), wish, kept, Job())


def test_its_rights_go_along() -> None:
    said = (("posts", (TURNED,)), ("things", (("hook", "rows:x", "Lantern", "A. Smith", "CC0", "study"),)))
    at = At(Stop("posts", "posts", said), scene_of(ball(1)))
    assert [(j.name, j.licence, j.use) for j in joined([at])] == [("Lantern", "CC0", "study")]
