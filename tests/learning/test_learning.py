"""A sheet from examples: rules drawn at random are found again in packages our writers never touched; what is not told stays unset."""

from __future__ import annotations

import json
import re
import shutil
import tomllib
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from customs.errors import ReadError, SheetError
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.learning.detectors.axes import stance_of
from customs.learning.examples import Example, ModelFile, find_packages, read_example, shared_start
from customs.learning.found import DETECTORS, Found
from customs.learning.judging import judged
from customs.learning.learned import learn, taken_by_default
from customs.scene.key import Key
from customs.work.asset import Request, run
from customs.work.lookup import find_origin, find_sheet
from customs.work.requests.land import LandRequest, run_land
from customs.work.requests.learn import LearnRequest, run_learn, with_taken
from tests.conftest import good
from tests.learning.made import Rules, written
from tests.work.test_cli import call

GUIDE = (Path(__file__).parents[2] / "src" / "customs" / "guide" / "pages" / "learning.md").read_text("utf-8")


def meant(rules: Rules) -> dict[str, Any]:
    """What of the rules leaves a trace, by key."""
    out: dict[str, Any] = {
        "model.format": rules.format, "model.textures": "apart" if rules.apart else "inside", "model.footing": "base-centre" if rules.centred else "as-received",
        "textures.power_of_two": rules.power, "mesh.normals": "required" if rules.normals else "forbidden", "axes.front": "ccw",
    }  # fmt: skip
    if rules.format == "glb" or rules.centred:
        out["axes.up"] = rules.up
    if rules.prefix:
        out["names.material"] = f"{rules.prefix}{{name}}"
    if rules.role:
        out["textures.suffixes"] = {"base_colour": "col", "normal": "nrm"}
    if rules.colours:
        out["mesh.vertex_colours"] = "allowed"
    if rules.apart:
        out["layout.texture"] = f"{rules.folder}{{name}}{{ending}}"
    if rules.capitals:
        out["names.lower"] = False
    if rules.picture:
        row = {
            "name": "badge",
            "width": rules.picture[0],
            "height": rules.picture[1],
            "format": "png",
            "clear": True,
            "path": "{asset}_badge{ending}",
        }
        out["pictures"] = [row]
    return out


@pytest.mark.parametrize("seed", range(24))
def test_rules_drawn_at_random_are_found_again(seed: int, tmp_path: Path) -> None:
    rules = Rules.drawn(seed)
    places = written(tmp_path / "five", rules, 5, seed)
    learned = run_learn(LearnRequest(tuple(places), "found-again"))
    found = {f.key: f for f in learned.found}
    for key, value in meant(rules).items():
        assert found[key].value == value, (key, found[key])
    assert learned.sheet is not None
    held = {n: [r.title for r in rows if r.verdict == "held"] for n, rows in learned.verdicts.items()}
    assert not any(held.values()), held
    # A sixth it has not seen.
    sixth = written(tmp_path / "six", rules, 6, seed + 100)[-1]
    rows = [r for r in judged(read_example(sixth), learned.sheet).rows if r.verdict == "held"]
    assert not rows, [(r.title, r.delivering) for r in rows]


def test_the_seventh_is_held_by_the_right_row(tmp_path: Path) -> None:
    rules = Rules("glb", "+Y", False, "", "m_", True, True, True, False, True, False, None)
    learned = run_learn(LearnRequest(tuple(written(tmp_path / "five", rules, 5, 1)), "strict"))
    assert learned.sheet is not None
    for change, row in (
        ({"power": False}, "texture-power"),
        ({"normals": False}, "normals"),
        ({"centred": False}, "footing"),
        ({"capitals": True}, "names-legal"),
    ):
        seventh = written(tmp_path / row, Rules(**{**rules.__dict__, **change}), 7, 9)[-1]
        held = {
            r.requirement for r in judged(read_example(seventh), learned.sheet).rows if r.verdict == "held"
        }
        assert row in held, (change, held)


def test_a_port_to_the_learned_sheet_is_landed_by_it(tmp_path: Path, goods: dict[str, Path]) -> None:
    rules = Rules("glb", "+Y", False, "", "m_", False, True, True, False, True, False, (64, 64))
    out = tmp_path / "kit.toml"
    code, text = call("learn", *written(tmp_path / "five", rules, 5, 2), "--out", out, "--json")
    told = json.loads(text)
    assert code == 0 and {"key", "value", "support", "contradictions", "sure"} <= set(told["keys"][0])
    body = tomllib.loads(out.read_text("utf-8"))
    assert body["names"]["material"] == "m_{name}" and body["pictures"][0]["width"] == 64
    assert "# 5 of 5, sure: the models themselves\nformat = " in out.read_text("utf-8")
    path = goods["pane_wall"]
    result = run(Request(path, path.parent, find_sheet(str(out)), out=tmp_path / "o"))
    assert result.folder is not None, (
        result.error,
        [(r.title, r.note) for r in result.ledger.open() if r.verdict == "held"],
    )
    assert run_land(LandRequest(result.folder, by=find_sheet(str(out)))).log.accepted
    assert call("learn", tmp_path / "five", "--out", out)[0] == 2, "it is there already"
    assert call("learn", tmp_path / "five", "--out", out, "--replace")[0] == 0
    assert call("learn", tmp_path / "five", "--out", tmp_path / "x.txt")[0] == 2


def test_what_contradicts_is_said_by_name(tmp_path: Path) -> None:
    rules = Rules("glb", "+Y", False, "", "", False, True, True, False, True, False, None)
    places = written(tmp_path / "a", rules, 4, 1)
    places += written(tmp_path / "b", Rules(**{**rules.__dict__, "power": False, "centred": False}), 6, 2)[
        -1:
    ]
    found = {f.key: f for f in learn([read_example(p) for p in places])}
    assert found["textures.power_of_two"].value is False and "bell_jar" in found["textures.power_of_two"].why
    assert found["textures.power_of_two"].sure == "sure" and found["model.footing"].value == "as-received"
    up = Found("x", 1, 3, 5, ("a", "b", "c", "d"))
    assert up.evidence == "3 of 5; 4 differ: a, b, c …"


def test_one_example_tells_little(tmp_path: Path) -> None:
    rules = Rules("glb", "+Y", False, "", "m_", True, True, True, False, True, False, (64, 64))
    found = {f.key: f for f in learn([read_example(written(tmp_path, rules, 1, 1)[0])])}
    assert found["model.format"].value == "glb" and found["names.material"].value is None
    assert found["textures.power_of_two"].sure == "undecided" and found["model.footing"].sure == "likely"
    assert not any(found[k].sure == "sure" for k in ("axes.faces", "axes.hand")), "nothing shows them"


def test_packages_of_two_destinations_are_told_apart(tmp_path: Path) -> None:
    one = Rules("glb", "+Y", False, "", "", False, True, True, False, True, False, None)
    other = Rules("obj", "+Z", True, "", "", False, True, True, False, True, False, None)
    written(tmp_path / "x", one, 3, 1)
    for k, place in enumerate(written(tmp_path / "y", other, 2, 2)):
        shutil.move(place, tmp_path / "x" / f"other{k}")
    learned = run_learn(LearnRequest((tmp_path / "x",), "mixed"))
    assert [len(g) for g in learned.groups] == [3, 2] and not learned.text
    code, text = call("learn", tmp_path / "x", "--out", tmp_path / "m.toml")
    assert code == 2 and "2 destinations" in text and not (tmp_path / "m.toml").exists()


def test_broken_ones_are_left_out_and_said(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    rules = Rules("glb", "+Y", False, "", "", False, True, True, False, True, False, None)
    places = written(tmp_path / "x", rules, 3, 1)
    model = next(places[0].glob("*.glb"))
    model.write_bytes(model.read_bytes()[:200])
    learned = run_learn(LearnRequest((tmp_path / "x",), "broken"))
    assert len(learned.verdicts) == 2 and "cut off" in learned.examples[0].problem
    for place in places:
        for file in place.glob("*.glb"):
            file.write_bytes(b"glTF")
    with pytest.raises(SheetError, match="no example can be read"):
        run_learn(LearnRequest((tmp_path / "x",), "broken"))
    for bad in (tmp_path / "nowhere", tmp_path / "empty"):
        (tmp_path / "empty").mkdir(exist_ok=True)
        with pytest.raises(ReadError):
            find_packages([bad])
    monkeypatch.setattr("customs.learning.examples.MOST_FILES", 20)
    crowd = tmp_path / "crowd"
    crowd.mkdir()
    for n in range(40):
        (crowd / f"{n}.glb").write_bytes(b"glTF")
    assert "more than 20 files" in read_example(crowd).problem


def test_packages_in_archives_are_read_too(tmp_path: Path) -> None:
    """As kits keep them: by Python's own zip and tar."""
    rules = Rules("glb", "+Y", True, "tex/", "m_", True, True, True, False, True, False, (64, 64))
    places = written(tmp_path / "plain", rules, 4, 3)
    packs = tmp_path / "packs"
    for k, place in enumerate(places):
        shutil.make_archive(str(packs / place.name), ("zip", "gztar")[k % 2], place)
    (packs / "readme.zip").write_bytes(b"PK\x03\x04 cut off")
    for named in ([packs], sorted(packs.glob("*.zip"))[:2]):
        learned = run_learn(LearnRequest(tuple(p for p in named if p.name != "readme.zip"), "packed"))
        assert {e.name for e in learned.examples} <= {p.name for p in places} and len(learned.examples) in (
            1,
            2,
            4,
        )
    whole = run_learn(LearnRequest((packs,), "packed"))
    plain = run_learn(LearnRequest(tuple(places), "packed"))
    assert [f.as_dict() for f in whole.found] == [f.as_dict() for f in plain.found]


def test_keys_are_taken_and_left(tmp_path: Path) -> None:
    rules = Rules("glb", "+Y", False, "", "m_", True, True, True, False, True, False, (64, 64))
    learned = run_learn(LearnRequest(tuple(written(tmp_path, rules, 5, 1)), "taken"))
    body = tomllib.loads(learned.text)
    assert "max_vertices" not in body["mesh"] and re.search(r"# max_vertices = \d+", learned.text)
    more = with_taken(
        learned, {*learned.taken, "mesh.max_vertices"} - {"names.material", "pictures"}, "taken"
    )
    body = tomllib.loads(more.text)
    assert body["mesh"]["max_vertices"] == 24 and "material" not in body["names"] and "pictures" not in body
    assert more.sheet is not None and not any(
        r.verdict == "held" for rows in more.verdicts.values() for r in rows
    )
    none = with_taken(learned, (), "none")
    assert none.sheet is not None and none.sheet.mesh.max_vertices is None


def test_every_key_that_can_be_told_is_in_the_guide() -> None:
    keys = {k for d in DETECTORS.all().values() for k in d.keys}
    told = set(re.findall(r"`([a-z_]+(?:\.[a-z_*]+)?)`", GUIDE.partition("## Keys")[2]))
    assert keys <= told, keys - told
    assert all(d.told for d in DETECTORS.all().values())


@pytest.mark.parametrize("asset", ["watering_stork", "gardener", "lamplighter", "moss_keeper"])
def test_skeletons_show_up_facing_and_hand(asset: str, goods: dict[str, Path]) -> None:
    """Heads over feet, toes before ankles, names of sides: what they show is what each asset was made in."""
    scene, origin = read_scene(Source(goods[asset], goods[asset].parent)), find_origin(good(asset).origin)
    stance = stance_of(scene)
    assert stance is not None and stance.forward is not None and origin is not None
    up, forward = (np.zeros(3) for _ in range(2))
    up["XYZ".index(origin.up[1])] = forward["XYZ".index(origin.faces[1])] = 1.0
    up, forward = (
        v * (1 if axis[0] == "+" else -1) for v, axis in ((up, origin.up), (forward, origin.faces))
    )
    for shown, meant in ((stance.up, up), (stance.forward, forward)):
        assert shown @ meant > 0.9 * np.linalg.norm(shown)
    turn = np.cross(stance.up, stance.forward) @ stance.left
    assert (turn > 0) == (origin.hand == "right")


def test_what_names_begin_with() -> None:
    assert shared_start(["m_a", "m_b", "m_"]) == "m_" and shared_start(["a", "b"]) == "" == shared_start([])
    assert taken_by_default(
        [Found("a.b", None, 0, 0), Found("a.c", 1, 1, 1, sure="undecided"), Found("a.d", 1, 1, 1)]
    ) == ["a.d"]


def scene_with(images: int, uses: list[dict[str, int]]) -> Any:
    """Cubes, each with a material of these textures."""
    from dataclasses import replace

    from customs.scene.arrays import frozen
    from customs.scene.model import Image, Material, Mesh, Node, TextureUse
    from tests.assets import cube, key, scene_of

    grey = frozen(np.zeros((8, 8, 3)), np.uint8)
    base, part = scene_of(cube()), cube()
    count = range(len(uses))
    return replace(
        base,
        images=tuple(Image(key("image", i), f"t{i}", pixels=grey) for i in range(images)),
        materials=tuple(
            Material(key("material", i), f"m{i}", textures={r: TextureUse(k) for r, k in u.items()})
            for i, u in enumerate(uses)
        ),
        meshes=tuple(Mesh(key("mesh", i), f"p{i}", (replace(part, material=i),)) for i in count),
        nodes=tuple(Node(key("node", i), f"n{i}", mesh=i) for i in count),
        roots=tuple(count),
    )


def test_values_that_share_a_texture(tmp_path: Path) -> None:
    both = {"occlusion": 0, "metallic_roughness": 0}
    detector = DETECTORS["maps"]
    for uses, told in (
        ([both] * 3, "R=occlusion G=roughness B=metallic"),
        ([both] * 2, None),
        ([both, both, {**both, "occlusion": 1}], None),
    ):
        example = Example(tmp_path, (), (ModelFile("a.glb", scene_with(2, uses)),))
        found = {f.key: f for f in detector.find([example])}
        assert found["textures.pack"].value == told and found["axes.green"].value is None


def test_skeletons_in_files_of_their_own(tmp_path: Path) -> None:
    from dataclasses import replace

    from tests.assets import lettered

    scene = lettered()
    bones = replace(
        scene,
        meshes=(),
        skins=(),
        clips=(),
        nodes=tuple(replace(n, mesh=None, skin=None) for n in scene.nodes),
    )
    whole = Example(tmp_path / "a", (), (ModelFile("a.glb", scene),))
    split = Example(tmp_path / "b", (), (ModelFile("b.glb", scene), ModelFile("b_bones.glb", bones)))
    for examples, value, sure in (
        ([whole, whole], "together", "sure"),
        ([split, split], "split", "sure"),
        ([whole, split], "split", "likely"),
    ):
        found = {f.key: f for f in DETECTORS["rig"].find(examples)}
        assert (found["rig.files"].value, found["rig.files"].sure) == (value, sure)


def test_what_sheets_ask_by_themselves_gives_way_to_what_is_accepted(tmp_path: Path) -> None:
    """Points, strips and bare faces in what a destination has; a name longer than any sheet takes unasked."""
    from tests.assets import cube, saved, scene_of

    part = cube()
    for k in range(2):
        points = replace(part, key=Key("d", "primitive", 7), mode="points", indices=None, material=None)
        scene = scene_of(replace(part, material=None), points)
        scene = replace(scene, nodes=tuple(replace(n, name=f"{'n' * 80}_{k}") for n in scene.nodes))
        (tmp_path / f"p{k}").mkdir()
        saved(scene, tmp_path / f"p{k}" / f"p{k}.glb")
    learned = run_learn(LearnRequest((tmp_path,), "loose"))
    assert learned.sheet is not None
    assert learned.sheet.mesh.loose_points_lines == "allowed" and not learned.sheet.materials.every_face
    assert learned.sheet.names.max_length >= 82
    held = {
        n: [(r.title, r.delivering) for r in rows if r.verdict == "held"]
        for n, rows in learned.verdicts.items()
    }
    assert not any(held.values()), held
