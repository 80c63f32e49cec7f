"""Keys: what steps make is told apart whatever the size of the asset, and what an earlier edition called it
is answered.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from customs.ledger.ledger import judge
from customs.ledger.waiver import Waiver, spoken
from customs.route.keys import speaks_old
from customs.route.route import Route, Stop, evaluate
from customs.scene.key import KINDS, Key, made_key
from customs.scene.model import Image, Material, Node, Scene, TextureUse
from customs.scene.old_keys import old_key
from customs.sheet.load import load_sheet
from tests.assets import DIGEST, cube, key, quaternion, scene_of


@pytest.mark.parametrize(
    "text",
    [
        "0abc12345678:node:0",
        "0abc12345678:mesh:3/settle.17",
        "0abc12345678:clip:1/cut.2/join",
        "0abc12345678:material.pack:3",
    ],
)
def test_a_key_reads_as_it_is_written(text: str) -> None:
    assert str(Key.parse(text)) == text


@pytest.mark.parametrize("text", ["", "node", "a:b", "a:b:c", "a:b:/settle"])
def test_what_is_no_key_is_refused(text: str) -> None:
    with pytest.raises(ValueError):
        Key.parse(text)


def test_a_made_key_names_its_source_and_way_and_answers_to_what_it_was_called() -> None:
    image = made_key(made_key(key("material", 3), "pack"), "lay", "normal")
    assert (
        str(image) == f"{DIGEST}:material:3/pack/lay.normal"
        and image.old == f"{DIGEST}:material.pack.lay.normal:3"
    )
    mesh = made_key(key("mesh", 1), "settle", key("node", 9).part, old_key(DIGEST, "mesh", "settle", 9))
    assert (str(mesh), mesh.old) == (f"{DIGEST}:mesh:1/settle.9", f"{DIGEST}:mesh:5000009")
    assert (
        made_key(mesh, "copy").part == "1~settle.9~copy" and made_key(mesh, "copy").was.ordinal == 5_000_009
    )


@pytest.mark.parametrize(
    ("said", "old"),
    [
        (f"{DIGEST}:node:5000009", True), (f"{DIGEST}:image.pack:3", True), ((("x", f"{DIGEST}:mesh:6000000"),), True),
        ({"of": f"{DIGEST}:node:3500100"}, True), (f"{DIGEST}:node:99999", False), (f"{DIGEST}:mesh:1/settle.9", False), ("*lid*", False), (3.5, False),
    ],
)  # fmt: skip
def test_what_earlier_editions_counted_on_is_known_by_its_form(said: object, old: bool) -> None:
    assert speaks_old(said) is old


def many_turned(count: int) -> Scene:
    """A cube shown by `count` nodes, each turned its own way about a moving root, so that settling copies the
    mesh for each.
    """
    nodes = [Node(key("node", 0), "top", tuple(range(1, count + 1)), translation=np.array([0, 0.1, 0]))]
    nodes += [
        Node(key("node", n + 1), f"n{n}", mesh=0, rotation=quaternion("Y", n * 0.05 + 1))
        for n in range(count)
    ]
    return replace(scene_of(cube()), nodes=tuple(nodes), roots=(0,))


def test_no_two_have_one_key_however_many_there_are() -> None:
    # An earlier edition's numbers for split meshes ran into those of the next maker from 1,562 nodes on.
    scene = many_turned(1_700)
    route = (
        Route((Stop("arrive@1", "arrive"),))
        .added("settle", {})
        .added("split-material", {})
        .added("flatten", {})
    )
    out = evaluate(scene, DIGEST, route)[-1].scene
    for kind in KINDS:
        keys = [x.key for x in getattr(out, kind)]
        assert len(set(keys)) == len(keys)
    assert sum(bool(m.key.path) for m in out.meshes) > 1_000


def two_packs() -> tuple[Scene, Route]:
    """A material whose channels two stops pack, each by its own pattern."""
    pixels = np.full((8, 8, 3), 100, np.uint8)
    roles = ("occlusion", "roughness", "metallic", "height")
    images = tuple(Image(key("image", i), r, pixels=pixels + i * 10) for i, r in enumerate(roles))
    material = Material(key("material", 0), "bark", textures={r: TextureUse(i) for i, r in enumerate(roles)})
    scene = replace(scene_of(cube(material=0)), materials=(material,), images=images)
    route = Route((Stop("arrive@1", "arrive"),)).added(
        "pack", {"pattern": "R=occlusion G=roughness B=metallic"}
    )
    return scene, Route((*route.stops, Stop("pack@2", "pack").with_values(pattern="R=height")))


def test_two_stops_that_make_from_one_source_make_two() -> None:
    scene, route = two_packs()
    first, second = (at.scene for at in evaluate(scene, DIGEST, route)[1:])
    packed = next(im for im in first.images if im.key.path)
    made = [im for im in second.images if im.key.path]
    assert packed in made and [str(im.key) for im in made] == [
        f"{DIGEST}:material:0/pack",
        f"{DIGEST}:material:0/pack.pack@2",
    ]
    assert second.images[second.materials[0].textures["metallic_roughness"].image] is packed


def old_shipment() -> tuple[Scene, Route]:
    """A route as an earlier edition kept it: a step is for the mesh that settling made for the second
    node.
    """
    scene = many_turned(3)
    settled = Route((Stop("arrive@1", "arrive"),)).added("settle", {})
    target = f"{DIGEST}:mesh:{5_000_002}"
    return scene, settled.added("normals", {"only": "all", "targets": (target,)}, by="person")


def test_a_stop_of_an_earlier_edition_finds_what_it_meant_and_is_kept_in_todays_terms() -> None:
    scene, route = old_shipment()
    passed = evaluate(scene, DIGEST, route)
    meant = dict(passed[-1].stop.values)["targets"]
    assert meant == (f"{DIGEST}:mesh:0/settle.2",) and not [
        r for r in passed[-1].remarks if "no longer" in r.text
    ]
    before, after = passed[-2].scene.meshes, passed[-1].scene.meshes
    assert [str(b.key) for a, b in zip(before, after) if a is not b] == list(meant)


def test_a_key_that_leads_nowhere_is_said_and_left_as_it_is() -> None:
    scene, route = old_shipment()
    gone = route.changed(route.stops[-1].id, targets=(f"{DIGEST}:mesh:5000900",))
    at = evaluate(scene, DIGEST, gone)[-1]
    assert at.stop is gone.stops[-1] and [r.text for r in at.remarks] == [
        f"{DIGEST}:mesh:5000900: no longer there"
    ]


def test_a_waiver_of_an_earlier_edition_covers_what_it_meant() -> None:
    scene, route = old_shipment()
    passed, sheet = evaluate(scene, DIGEST, route), load_sheet("metre-yup-pbr")
    rows = [r for r in judge(scene, passed, sheet).rows]
    mesh = next(m for m in passed[-1].scene.meshes if m.key.old)
    row = replace(rows[0], requirement="uv-overlap", subject=str(mesh.key), verdict="query")
    kept = {f"uv-overlap/{mesh.key.old}": Waiver("seen", {"of": mesh.key.old})}
    now = spoken(kept, passed[-1].scene)
    assert list(now) == [row.id] and now[row.id].values == {"of": str(mesh.key)}
    assert spoken(now, passed[-1].scene) is now
