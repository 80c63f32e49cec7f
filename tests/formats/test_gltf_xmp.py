"""XMP in glTF: the worked example of KHR_xmp_json_ld (its text, "Full example"), in other words, and its neighbours."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from customs.errors import CustomsError
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.ledger.used import extensions_used
from customs.scene.model import Scene
from customs.work.goods import take_in
from tests.assets import cube, saved, scene_of

PACKET: dict[str, Any] = {
    "@context": {"dc": "http://purl.org/dc/elements/1.1/", "xmpRights": "https://example.org/rights/"},
    "@id": "",
    "dc:creator": {"@list": ["A keeper", "Another"]},
    "dc:title": {"@type": "rdf:Alt", "rdf:_1": {"@language": "de", "@value": "Möwe"}, "rdf:_2": {"@language": "x-default", "@value": "Gull"}},
    "dc:rights": "Glasshouse, 2026",
    "xmpRights:UsageTerms": {"@type": "rdf:Alt", "rdf:_1": {"@language": "en", "@value": "May be shown"}},
    "xmpRights:WebStatement": "https://example.org/terms",
}  # fmt: skip


def said(path: Path, packet: object, number: int = 0) -> Path:
    made = saved(scene_of(cube()), path)
    body = json.loads(made.read_text())
    body["extensions"] = {"KHR_xmp_json_ld": {"packets": [packet]}}
    body["asset"]["extensions"] = {"KHR_xmp_json_ld": {"packet": number}}
    body["extensionsUsed"] = ["KHR_xmp_json_ld"]
    made.write_text(json.dumps(body))
    return made


def read(path: Path) -> Scene:
    return read_scene(Source(path))


def test_what_a_packet_says_is_on_the_rights_slip_and_goes_out_again(tmp_path: Path) -> None:
    path = said(tmp_path / "in" / "gull.gltf", PACKET)
    scene = read(path)
    rights = {k: v for k, v in scene.rights.items() if k != "xmp"}
    assert rights == {
        "title": "Gull", "author": "A keeper, Another", "licence": "https://example.org/terms",
        "copyright": "Glasshouse, 2026", "terms": "May be shown",
    }  # fmt: skip
    assert not scene.unknown and extensions_used(scene) == ["KHR_xmp_json_ld"]
    again = json.loads(saved(scene, tmp_path / "out" / "gull.gltf").read_text())
    assert again["extensions"]["KHR_xmp_json_ld"]["packets"] == [PACKET]
    assert again["asset"]["extensions"] == {"KHR_xmp_json_ld": {"packet": 0}}
    asset = take_in(path, path.parent, tmp_path / "store", "gull", None)
    assert asset.author == "A keeper, Another" and asset.licence == "https://example.org/terms"


@pytest.mark.parametrize(("packet", "number"), [(PACKET, 3), ("text", 0), ([1], 0)])
def test_a_packet_that_is_none_is_said(packet: object, number: int, tmp_path: Path) -> None:
    with pytest.raises(CustomsError, match="KHR_xmp_json_ld"):
        read(said(tmp_path / "gull.gltf", packet, number))
