"""A file that changed is taken again: what was decided about its parts stays with those parts."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from customs.demo.textures import encoded
from customs.errors import CustomsError
from customs.formats import source as formats_source
from customs.intake.again import elements, matched
from customs.route.route import evaluate
from customs.scene.folding import fold
from customs.scene.model import Material, Mesh, Node, Scene
from customs.scene.renumber import Renumbering, numbers_of, renumbered
from customs.shipment.state import Asset
from customs.work.goods import search_for, take_again, take_in
from customs.work.requests.take import kept_copy
from tests.assets import DIGEST, cube, key, saved, scene_of
from tests.scene.test_placements import crowd

PARTS = ("lid", "body", "foot")


def pot(*names: str, digest: str = DIGEST) -> Scene:
    """A pot whose parts are meshes of a node and a material each, in that order; sizes tell them apart."""
    nodes = tuple(Node(key("node", i), n, mesh=i) for i, n in enumerate(names))
    meshes = tuple(
        Mesh(key("mesh", i), n, (cube(0.1 * (len(n) + 1), i, material=i),)) for i, n in enumerate(names)
    )
    materials = tuple(Material(key("material", i), f"{n} clay") for i, n in enumerate(names))
    return replace(
        scene_of(cube()), nodes=nodes, roots=tuple(range(len(names))), meshes=meshes, materials=materials
    )


def keys(scene: Scene) -> dict[str, str]:
    """Key of every node, mesh and material by name; of a primitive by its mesh."""
    out = {f"{k}/{x.name}": str(x.key) for k in ("nodes", "meshes", "materials") for x in getattr(scene, k)}
    return out | {f"primitive/{m.name}": str(m.primitives[0].key) for m in scene.meshes}


@pytest.mark.parametrize(
    ("now", "gone", "new"),
    [
        (PARTS, {}, {}),
        (("foot", "lid", "body"), {}, {}),
        (("handle", *PARTS), {}, {"material": 1, "mesh": 1, "node": 1, "primitive": 1}),
        (("lid", "foot"), {"material": ("body clay",), "mesh": ("body",), "node": ("body",), "primitive": ("body/0",)}, {}),
        (("foot", "spout", "lid"), {}, {}),
    ],
)  # fmt: skip
def test_parts_are_matched_by_name_then_by_number(
    now: tuple[str, ...], gone: dict[str, tuple[str, ...]], new: dict[str, int]
) -> None:
    before, after = pot(*PARTS), pot(*now)
    again = matched(before, after, {})
    assert again.gone == gone and again.new == new
    then, later = keys(before), keys(renumbered(after, before.digest, again.numbering))
    shared = [k for k in then if k in later]
    assert len(shared) >= 8 and all(then[k] == later[k] for k in shared)
    assert len(set(later.values())) == len(later) and (set(later.values()) <= set(then.values())) is not bool(
        new
    )


def test_what_has_gone_leaves_its_number_to_nobody() -> None:
    first, second, third = pot(*PARTS), pot("lid", "body"), pot("lid", "body", "handle")
    once = matched(first, second, {})
    kept = renumbered(second, DIGEST, once.numbering)
    twice = matched(kept, third, once.numbering)
    handle = keys(renumbered(third, DIGEST, twice.numbering))["nodes/handle"]
    assert handle == f"{DIGEST}:node:3" and twice.new["node"] == 1


def test_several_of_one_name_are_matched_in_their_order_and_rows_too() -> None:
    grid = [Node(key("node", k), "tile", mesh=0, translation=np.array([k, 0.0, 0])) for k in range(40)]
    before = replace(scene_of(cube()), nodes=tuple(grid), roots=tuple(range(40)))
    more = [Node(key("node", 0), "sign"), *(replace(n, key=key("node", k + 1)) for k, n in enumerate(grid))]
    after = replace(before, nodes=tuple(more), roots=tuple(range(41)))
    again = matched(before, after, {})
    assert [str(n.key) for n in renumbered(after, DIGEST, again.numbering).nodes[1:]] == [
        str(n.key) for n in before.nodes
    ]
    assert again.numbering["node"].runs == ((0, 40, 1), (1, 0, 40))


def test_rows_have_the_name_paths_of_the_nodes_they_were() -> None:
    scene = crowd(1)
    nodes, rows = (elements(s)["node"] for s in (scene, fold(scene)))
    assert dict(zip(nodes.numbers.tolist(), nodes.paths.tolist())) == dict(
        zip(rows.numbers.tolist(), rows.paths.tolist())
    )


@pytest.mark.parametrize("seed", range(4))
def test_numbers_are_kept_as_runs(seed: int) -> None:
    rng = np.random.default_rng(seed)
    ordinals = np.sort(rng.permutation(200)[:120]).astype(np.int64)
    mine = rng.permutation(300)[:120].astype(np.int64) if seed else ordinals + 5
    numbers = Renumbering.from_list(numbers_of(ordinals, mine, 7).as_list())
    assert (numbers.of(ordinals) == mine).all() and numbers.next == max(7, mine.max() + 1)
    assert numbers.of([10_000]).tolist() == [10_000] and Renumbering((), 0).of([3]).tolist() == [3]


def taken(place: Path, *parts: str) -> Asset:
    """An asset in a store."""
    path = saved(pot(*parts), place / "goods" / "pot.glb")
    return take_in(path, path.parent, place / "store", "pot", None)


def test_a_stop_for_one_part_is_still_for_that_part(tmp_path: Path) -> None:
    (tmp_path / "goods").mkdir()
    asset = taken(tmp_path, *PARTS)
    first = kept_copy(asset, tmp_path / "store").run()
    foot = next(m for m in first.scene.meshes if m.name == "foot")
    asset = replace(
        asset,
        stops=asset.route.added("normals", {"only": "all", "targets": (str(foot.key),)}, by="person").stops,
    )
    saved(pot("handle", "foot", "body"), tmp_path / "goods" / "pot.glb")
    now, words = take_again(asset, tmp_path / "store")
    assert now.digest != asset.digest and now.prefix == asset.prefix and Asset.from_dict(now.as_dict()) == now
    assert len(words) == 0 or all("lid" in w for w in words if "no longer" in w)
    again = kept_copy(now, tmp_path / "store").run()
    passed = evaluate(again.scene, again.digest, now.route)
    changed = [b.name for a, b in zip(passed[-2].scene.meshes, passed[-1].scene.meshes) if a is not b]
    assert changed == ["foot"] and not passed[-1].remarks


def test_a_file_that_cannot_be_read_changes_nothing(tmp_path: Path) -> None:
    (tmp_path / "goods").mkdir()
    asset = taken(tmp_path, *PARTS)
    (tmp_path / "goods" / "pot.glb").write_bytes(b"glTF and no more")
    with pytest.raises(CustomsError, match=r"pot\.glb"):
        take_again(asset, tmp_path / "store")
    assert kept_copy(asset, tmp_path / "store").run().scene.meshes


def test_one_that_could_not_be_read_is_taken_again_once_it_can(tmp_path: Path) -> None:
    (tmp_path / "goods").mkdir()
    path = tmp_path / "goods" / "pot.glb"
    path.write_bytes(b"glTF and no more")
    asset = take_in(path, path.parent, tmp_path / "store", "pot", None)
    saved(pot(*PARTS), path)
    now, words = take_again(asset, tmp_path / "store")
    scene = kept_copy(now, tmp_path / "store").run().scene
    assert (
        asset.kind == "unreadable" and now.kind != "unreadable" and words == () and now.prefix == scene.digest
    )
    assert [m.key.ordinal for m in scene.meshes] == [0, 1, 2]


def test_what_was_found_far_off_is_found_again_and_nothing_between_is_looked_through(tmp_path: Path) -> None:
    goods, far, between = tmp_path / "a" / "b" / "c" / "goods", tmp_path / "far", tmp_path / "a"
    for folder in (goods, far):
        folder.mkdir(parents=True)
    (goods / "pot.obj").write_text("mtllib pot.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl clay\nf 1 2 3\n")
    (goods / "pot.mtl").write_text("newmtl clay\nmap_Kd clay_c.png\n")
    picture = encoded(np.full((4, 4, 3), 90, np.uint8), "png")
    (far / "clay_c.png").write_bytes(picture)
    asset = search_for(
        take_in(goods / "pot.obj", goods, tmp_path / "store", "pot", None), tmp_path / "store", [far]
    )
    assert str(far / "clay_c.png") in asset.files
    (between / "clay_n.png").write_bytes(picture)
    (goods / "pot.mtl").write_text("newmtl clay\nKd 1 1 1\nmap_Kd clay_c.png\n")
    now, words = take_again(asset, tmp_path / "store")
    assert set(now.files) == set(asset.files) and now.digest != asset.digest and not words
    assert any(im.there for im in kept_copy(now, tmp_path / "store").run().scene.images)


def test_files_with_the_same_samples_are_told_apart_only_where_they_meet(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(formats_source, "quick_digest", lambda data: "abcdefabcdef")
    (tmp_path / "goods").mkdir()
    one = taken(tmp_path, *PARTS)
    path = saved(pot("bowl"), tmp_path / "goods" / "bowl.glb")
    alone, beside = (
        take_in(path, path.parent, tmp_path / "store", "bowl", None, others) for others in ((), (one,))
    )
    assert one.prefix == alone.prefix == "abcdefabcdef" and beside.prefix == beside.digest[:12]
    assert {m.key.digest for m in kept_copy(beside, tmp_path / "store").run().scene.meshes} == {beside.prefix}
    assert (
        take_in(tmp_path / "goods" / "pot.glb", path.parent, tmp_path / "store", "pot_2", None, (one,)).prefix
        == one.prefix
    )
