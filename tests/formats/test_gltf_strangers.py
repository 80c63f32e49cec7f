"""Extensions nobody knows: back where they stood while what they may point to stands, and never with a number that
points elsewhere. glTF 2.0, 3.12: names in extensionsUsed, objects in `extensions`.
"""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import pytest

from customs.ledger.used import extensions_used
from customs.scene.key import Key
from customs.scene.model import Node
from customs.scene.strangers import strangers, without_strangers
from customs.work.asset import Request, run
from customs.work.lookup import find_sheet
from tests.assets import loaded, saved
from tests.formats.test_gltf import plain


def strange(folder: Path, value: object) -> Path:
    """A file with an extension nobody knows, on its node and on the whole."""
    doc = plain(extensionsUsed=["MADE_up"], extensions={"MADE_up": value})
    doc["nodes"][0]["extensions"] = {"MADE_up": {"tone": "deep"}}
    folder.mkdir()
    (folder / "strange.gltf").write_text(json.dumps(doc))
    return folder / "strange.gltf"


@pytest.mark.parametrize(
    ("value", "goes", "moved"),
    [
        ({"words": ["a", True, 0.5, -1]}, True, True),
        ({"nodes": [0], "deep": {"weight": 1}}, True, False),
        ({"maskTexture": {"index": 0}}, False, False),
        ({"sampler": 0}, False, False),
    ],
)
def test_strange_extensions_go_back_while_what_they_may_point_to_stands(
    value: object, goes: bool, moved: bool, tmp_path: Path
) -> None:
    scene = loaded(strange(tmp_path / "in", value))
    more = Node(Key(scene.digest, "node", 0, "settle.0"), "more", children=(0,))
    other = replace(scene, nodes=(*scene.nodes, more), roots=(len(scene.nodes),))
    for which, expected in ((scene, goes), (other, moved)):
        path = saved(which, tmp_path / "out.glb")
        said = json.loads(path.read_bytes()[20 : 20 + int.from_bytes(path.read_bytes()[12:16], "little")])
        assert (
            ("MADE_up" in said.get("extensionsUsed", [])) == expected == ("MADE_up" in extensions_used(which))
        )
        assert said.get("extensions", {}).get("MADE_up") == (value if expected else None)
        node = said["nodes"][0]
        assert node.get("extensions", {}).get("MADE_up") == ({"tone": "deep"} if expected else None)
        assert "kept" not in node.get("extras", {}), "a number that points elsewhere now is nowhere"
        assert not strangers(without_strangers(which))


def test_what_has_no_place_to_be_kept_is_said_to_be_left_out(tmp_path: Path) -> None:
    """Strange things on what the scene keeps no extras of: samplers, textures, the metallic-roughness part, a layer."""
    doc = plain(extensionsUsed=["MADE_up", "KHR_materials_ior"])
    mark = {"extensions": {"MADE_up": {}}}
    doc["samplers"], doc["images"] = [{**mark}], [{"uri": "nowhere.png"}]
    doc["textures"] = [{"source": 0, "sampler": 0, **mark}]
    doc["materials"] = [{
        "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}, "novelty": 1, **mark},
        "extensions": {"KHR_materials_ior": {"ior": 1.4, "novelty": 2}},
    }]  # fmt: skip
    doc["meshes"][0]["primitives"][0]["material"] = 0
    (tmp_path / "thing.gltf").write_text(json.dumps(doc))
    scene = loaded(tmp_path / "thing.gltf")
    assert set(scene.unknown) >= {
        "MADE_up of samplers/0", "MADE_up of textures/0", "MADE_up of materials/0/pbrMetallicRoughness",
        "property novelty of materials/0/pbrMetallicRoughness", "property novelty of KHR_materials_ior",
    }  # fmt: skip
    result = run(Request(tmp_path / "thing.gltf", tmp_path, find_sheet("metre-yup-pbr")))
    rows = {r.subject: r.delivering for r in result.ledger.rows if r.requirement == "extensions"}
    assert {rows[name] for name in scene.unknown if " of " in name} == {"left out"}


def test_a_strange_extension_is_said_asked_about_and_left_out_with_one_press(tmp_path: Path) -> None:
    path = strange(tmp_path / "in", {"words": ["a"]})
    for sheet, has in (("metre-yup-pbr", "kept as it is"), ("centimetre-zup-lh", "left out")):
        result = run(Request(path, path.parent, find_sheet(sheet), out=tmp_path / sheet))
        assert result.accepted
        assert [str(r.delivering) for r in result.ledger.rows if r.requirement == "extensions"] == [has]
    sheet = find_sheet("metre-yup-pbr")
    narrow = sheet.model_copy(update={"model": sheet.model.model_copy(update={"extensions": ()})})
    result = run(Request(path, path.parent, narrow, out=tmp_path / "narrow"))
    assert result.accepted and any("MADE_up left out" in x for x in result.remarks)
    assert b"MADE_up" not in next(result.folder.rglob("*.glb")).read_bytes()  # type: ignore[union-attr]
