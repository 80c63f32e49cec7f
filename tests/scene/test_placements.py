"""What a scene repeats: rows stand where the nodes stood, whatever is done to the scene, and say what the
nodes said.
"""

from __future__ import annotations

import json
import struct
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh

from customs.changes.emptying import empties, without
from customs.changes.rows import bare_off
from customs.conventions.convert import change_convention
from customs.dispatch.variants import model_files
from customs.errors import CustomsError
from customs.formats.gltf import read as gltf_read
from customs.geometry.counts import counts
from customs.job import Job
from customs.landing.land import land, landed_scene
from customs.ledger.facts import scene_facts
from customs.ledger.ledger import judge
from customs.motion.posing.bounds import world_bounds
from customs.motion.posing.pose import posed_scene_points
from customs.motion.skeleton.bones import bones_of
from customs.planning.plan import fresh_route
from customs.route.route import array_sizes, evaluate
from customs.route.step import NOTHING, make_settings, steps
from customs.scene.convention import Convention
from customs.scene.copies import keys_apart
from customs.scene.folding import LEAST, as_nodes, fold, row_key, row_parts, row_worlds, unfolded
from customs.scene.model import Channel, Clip, Light, Node, Scene
from customs.scene.placements import table
from customs.scene.prune import prune
from customs.scene.transforms import compose
from customs.scene.tree import parents, world_matrices
from customs.scene.wishes import Wishes
from customs.work.asset import Request, run
from customs.work.lookup import find_sheet
from tests.assets import DIGEST, cube, key, letter_primitive, lettered, loaded, quaternion, saved, scene_of
from tests.sheets import model_sheets

WHOLE = 8 * LEAST


def drawn(seed: int = 0, count: int = WHOLE, plain: bool = False) -> Scene:
    """Two meshes, placed `count` times in turn under two rooms and the root; scaled, turned, mirrored, unless
    `plain`.
    """
    rng = np.random.default_rng(seed)
    scene = scene_of(letter_primitive(0, material=None), cube(0.3, 1))
    nodes = [Node(key("node", 0), "hall", (1, 2), rotation=quaternion("Y", 30)), Node(key("node", 1), "aisle", translation=np.array([4.0, 0, 1])),
             Node(key("node", 2), "nook", scale=np.full(3, 0.5))]  # fmt: skip
    below: list[list[int]] = [[1, 2], [], []]
    roots = [0]
    for k in range(count):
        turn = rng.normal(size=4)
        scale = np.ones(3) if plain else rng.uniform(0.5, 2, 3) * rng.choice([-1, 1], 3, p=[0.2, 0.8])
        node = Node(
            key("node", 3 + k),
            f"pot {k}",
            (),
            rng.normal(size=3) * 5,
            turn / np.linalg.norm(turn),
            scale,
            mesh=k % 2,
        )
        (below[k % 3] if k % 4 else roots).append(len(nodes))
        nodes.append(node)
    nodes[:3] = [replace(n, children=tuple(b)) for n, b in zip(nodes, below)]
    return replace(scene, nodes=tuple(nodes), roots=tuple(roots), meshes=scene.meshes)


def crowd(seed: int = 0, count: int = LEAST, plain: bool = False) -> Scene:
    """Things of several parts, `count` of each: a lamp whose glass hangs under its post and whose flame under
    the glass, and a stand that shows nothing itself and holds two pots. They stand in the rooms of
    `drawn`.
    """
    scene, rng = drawn(seed, 0), np.random.default_rng(seed)
    nodes, below, roots = list(scene.nodes), [[1, 2], [], []], [0]

    def put(name: str, mesh: int | None, *parts: int) -> int:
        turn, scale = (
            rng.normal(size=4),
            np.full(3, rng.uniform(0.5, 2)) * (1 if plain else rng.choice([-1, 1], 3)),
        )
        place = rng.normal(size=3) * 3
        nodes.append(
            Node(key("node", len(nodes)), name, parts, place, turn / np.linalg.norm(turn), scale, mesh=mesh)
        )
        return len(nodes) - 1

    for k in range(count):
        lamp = put(f"lamp {k}", 0, put(f"glass {k}", 1, put(f"flame {k}", 0)))
        stand = put(f"stand {k}", None, put(f"left {k}", 1), put(f"right {k}", 1))
        below[k % 3].append(lamp)
        (below[k % 3] if k % 4 else roots).append(stand)
    nodes[:3] = [replace(n, children=tuple(b)) for n, b in zip(nodes, below)]
    return replace(scene, nodes=tuple(nodes), roots=tuple(roots))


MADE = pytest.mark.parametrize("made", [drawn, crowd])


def by_name(scene: Scene) -> dict[str, tuple[np.ndarray, str]]:
    """World matrix and mesh of every node that shows one."""
    whole, worlds = unfolded(scene), world_matrices(unfolded(scene))
    return {
        n.name: (worlds[i], whole.meshes[n.mesh].name)
        for i, n in enumerate(whole.nodes)
        if n.mesh is not None
    }


def above(scene: Scene) -> dict[str, str]:
    """What every node or row hangs under, by name."""
    whole, up = unfolded(scene), parents(unfolded(scene))
    return {n.name: whole.nodes[up[i]].name if up[i] >= 0 else "" for i, n in enumerate(whole.nodes)}


def points(scene: Scene) -> np.ndarray:
    """All places in the world, in an order that does not hang on nodes."""
    every = np.concatenate(posed_scene_points(unfolded(scene)) or [np.zeros((0, 3))])
    return every[np.lexsort(np.round(every, 4).T)]


def same(a: dict[str, tuple[np.ndarray, str]], b: dict[str, tuple[np.ndarray, str]]) -> None:
    assert a.keys() == b.keys()
    for name, (matrix, mesh) in a.items():
        assert mesh == b[name][1] and np.abs(matrix - b[name][0]).max() < 1e-9 * max(
            1, np.abs(matrix).max()
        ), name


@MADE
@pytest.mark.parametrize("seed", range(3))
def test_nodes_become_rows_and_nodes_again(seed: int, made: Callable[..., Scene]) -> None:
    scene = made(seed)
    rows = fold(scene)
    assert len(rows.placements) == len(scene.nodes) - 3 and len(rows.nodes) == 3 and fold(rows) is rows
    same(by_name(scene), by_name(rows))
    assert {row_key(rows, k) for k in range(len(rows.placements))} == {n.key for n in scene.nodes[3:]}
    assert above(scene) == above(unfolded(rows)), "what hangs under what"
    for name in ("matrices", "of", "parents", "above", "ordinals"):
        assert not getattr(rows.placements, name).flags.writeable
    worlds = {n: w for n, w in zip(rows.placements.names, row_worlds(rows))}
    assert all(np.abs(worlds[n] - m[:3]).max() < 1e-9 for n, (m, _) in by_name(scene).items())


@pytest.mark.parametrize("which", [4, 5, 6, 7, 8])
def test_one_part_with_more_to_say_keeps_nodes_of_what_it_hangs_under(which: int) -> None:
    """Whichever part of the first thing it is: those above it stay nodes, those below may be rows, and all
    stand where they stood.
    """
    scene = crowd(count=LEAST + 1)
    lit = replace(scene.nodes[which], holds=(Light(key("light", 0), "spark"),))
    scene = replace(scene, nodes=(*scene.nodes[:which], lit, *scene.nodes[which + 1 :]))
    rows = fold(scene)
    assert lit.name in {n.name for n in rows.nodes} and 3 < len(rows.nodes) < 7 and fold(rows) is rows
    same(by_name(scene), by_name(rows))
    assert above(scene) == above(unfolded(rows)) and rows.cameras == () and len(rows.lights) == 1


def test_part_of_the_rows_become_nodes_with_what_they_hang_under() -> None:
    rows = fold(crowd())
    flames = np.char.startswith(np.array(rows.placements.names), "flame")
    flames[: 3 * LEAST] = False
    some = as_nodes(rows, flames)
    assert (
        len(some.nodes) - 3 == 3 * flames.sum()
        and len(some.placements) + len(some.nodes) == len(rows.placements) + 3
    )
    same(by_name(rows), by_name(some))
    assert above(rows) == above(some) == above(fold(some)) and len(fold(some).nodes) == 3


def test_rows_in_a_circle_are_refused() -> None:
    with pytest.raises(ValueError, match="circle"):
        table([0, 0, 0], np.tile(np.eye(4), (3, 1, 1)), [-1] * 3, range(3), ("a", "b", "c"), [1, 2, 0])


def _with(scene: Scene, **changes: Any) -> Scene:
    """The last node changed."""
    return replace(scene, nodes=(*scene.nodes[:-1], replace(scene.nodes[-1], **changes)))


STAYS: dict[str, Callable[[Scene], Scene]] = {
    "a light": lambda s: _with(s, holds=(Light(key("light", 0), "lamp"),)),
    "what it says beside": lambda s: _with(s, extras={"note": "do not water"}),
    "what it was made from": lambda s: _with(s, made_from=(key("node", 99),)),
    "a Key of its own kind": lambda s: _with(s, key=key("node.twice", 1)),
    "morph weights": lambda s: _with(s, weights=np.zeros(1, np.float32)),
    "a movement": lambda s: replace(s, clips=(Clip(key("clip", 0), "sway", (Channel(len(s.nodes) - 1, "translation",
        np.array([0, 1], np.float32), np.zeros((2, 3), np.float32)),)),)),
}  # fmt: skip


@pytest.mark.parametrize("what", STAYS)
def test_a_node_with_more_to_say_stays_a_node(what: str) -> None:
    scene = STAYS[what](drawn())
    rows = fold(scene)
    assert len(rows.placements) == WHOLE - 1 and [n.name for n in rows.nodes if n.mesh is not None] == [
        scene.nodes[-1].name
    ]
    same(by_name(scene), by_name(rows))


def test_what_hangs_under_a_mover_stays_and_so_do_a_few() -> None:
    scene = drawn()
    moved = Channel(
        1, "rotation", np.array([0, 1], np.float32), np.tile([0, 0, 0, 1], (2, 1)).astype(np.float32)
    )
    rows = fold(replace(scene, clips=(Clip(key("clip", 0), "turn", (moved,)),)))
    assert len(rows.placements) == WHOLE - len(scene.nodes[1].children)
    assert fold(drawn(0, 2 * LEAST - 2)).placements.of.size == 0, "one fewer of each than make a table"


@pytest.mark.parametrize(
    "target",
    [
        Convention("+Z", "-Y", "right", 0.01),
        Convention("+Y", "+Z", "left", 1.0, "cw"),
        Convention("-X", "+Y", "left", 0.0254),
    ],
)
@MADE
def test_other_axes_and_units_move_rows_as_nodes(target: Convention, made: Callable[..., Scene]) -> None:
    scene = made()
    nodes, rows = (change_convention(s, target, Convention()) for s in (scene, fold(scene)))
    same(by_name(nodes), by_name(rows))
    assert np.abs(points(nodes) - points(rows)).max() < 1e-4


@MADE
def test_bounds_counts_and_facts_are_those_of_the_nodes(made: Callable[..., Scene]) -> None:
    for seed in range(4):
        scene = made(seed)
        rows = fold(scene)
        assert counts(rows) == counts(scene) and scene_facts(rows).triangles == scene_facts(scene).triangles
        assert np.allclose(world_bounds(rows), world_bounds(scene)), "boxes of turned meshes are exact"
        assert prune(rows) is rows, "what changes nothing gives back what it got"
        every = points(scene)
        assert np.allclose(world_bounds(rows), (every.min(axis=0), every.max(axis=0)), atol=1e-5)


@pytest.mark.breadth(2)
@pytest.mark.parametrize("step", sorted(s.id for s in steps().values()))
@MADE
def test_every_step_does_to_rows_what_it_does_to_nodes(step: str, made: Callable[..., Scene]) -> None:
    entry = steps()[step]
    scene = made(1)
    try:
        settings = make_settings(
            entry, {"common-root": {"name": "root"}, "voxels": {"side": 24}}.get(step, {})
        )
        want = entry.apply(scene, settings, NOTHING, Job())
    except CustomsError as problem:
        with pytest.raises(CustomsError, match=str(problem)[:20].replace("(", ".").replace("[", ".")):
            entry.run(fold(scene), settings, NOTHING, Job())
        return
    got = entry.run(fold(scene), settings, NOTHING, Job())
    assert counts(got.scene)["triangles"] == counts(want.scene)["triangles"]
    a, b = points(want.scene), points(got.scene)
    assert np.abs(np.unique(np.round(a, 3), axis=0) - np.unique(np.round(b, 3), axis=0)).max() < 2e-3
    assert sorted(n for n in by_name(want.scene)) == sorted(n for n in by_name(got.scene))


# -- files


def gltf(
    scene: Scene, path: Path, change: Callable[[dict[str, Any]], object] = lambda document: None
) -> Path:
    """A scene as .gltf, its JSON changed."""
    saved(scene, path)
    document = json.loads(path.read_text())
    change(document)
    path.write_text(json.dumps(document))
    return path


@MADE
def test_rows_are_read_straight_from_the_file_and_one_by_one_alike(
    made: Callable[..., Scene], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    scene = made(2)
    path = gltf(scene, tmp_path / "hall.gltf")
    quick = loaded(path)
    assert len(quick.placements) == len(scene.nodes) - 3 and len(quick.nodes) == 3
    assert above(quick) == above(scene)
    monkeypatch.setattr(gltf_read, "read_rows", lambda root, meshes: None)
    slow = loaded(path)
    same(by_name(slow), by_name(quick))
    assert above(slow) == above(scene)
    for name in ("of", "above", "ordinals", "names"):
        assert np.array_equal(getattr(slow.placements, name), getattr(quick.placements, name)), name


@pytest.mark.parametrize(("name", "value"), [
    ("rotation", [0, 0, 0, 9]), ("scale", [1, 1]), ("translation", ["1", 0, 0]), ("translation", [1e999, 0, 0]), ("mesh", 77), ("mesh", -1), ("mesh", True),
    ("translation", [10**400, 0, 0]), ("name", 7), ("scale", None),
])  # fmt: skip
def test_one_wrong_row_among_many_is_named(name: str, value: Any, tmp_path: Path) -> None:
    path = gltf(drawn(), tmp_path / "hall.gltf", lambda d: d["nodes"][40].update({name: value}))
    with pytest.raises(CustomsError, match=f"nodes/40/{name}"):
        loaded(path)


def test_rows_nothing_leads_to_are_not_shown(tmp_path: Path) -> None:
    def cut(document: dict[str, Any]) -> None:
        document["nodes"][0]["children"] = [c for c in document["nodes"][0]["children"] if c > 2]

    full, part = (
        loaded(gltf(drawn(), tmp_path / f"{k}.gltf", change))
        for k, change in (("a", lambda d: None), ("b", cut))
    )
    assert 0 < len(part.placements) < len(full.placements) and set(part.placements.names) < set(
        full.placements.names
    )


def instanced(
    tmp_path: Path, change: Callable[[dict[str, Any]], object] = lambda table: None, count: int = 5
) -> Path:
    """A cube that its node repeats `count` times on the graphics card, along X, turned about Y, ever
    larger.
    """
    path = saved(scene_of(cube()), tmp_path / "row.gltf")
    document = json.loads(path.read_text())
    angle = np.arange(count) * 0.3
    columns = {
        "TRANSLATION": np.stack([np.arange(count) * 2.0, 0 * angle, 0 * angle], axis=1),
        "ROTATION": np.stack([0 * angle, np.sin(angle / 2), 0 * angle, np.cos(angle / 2)], axis=1),
        "SCALE": np.repeat(1 + np.arange(count)[:, None] * 0.1, 3, axis=1),
    }
    blob, table = b"", {}
    for name, values in columns.items():
        document["bufferViews"].append({"buffer": 1, "byteOffset": len(blob), "byteLength": values.size * 4})
        document["accessors"].append({"bufferView": len(document["bufferViews"]) - 1, "componentType": 5126, "count": count,
                                      "type": f"VEC{values.shape[1]}"})  # fmt: skip
        table[name] = len(document["accessors"]) - 1
        blob += values.astype("<f4").tobytes()
    (tmp_path / "row2.bin").write_bytes(blob)
    document["buffers"].append({"byteLength": len(blob), "uri": "row2.bin"})
    node = next(n for n in document["nodes"] if "mesh" in n)
    node |= {"translation": [0, 10, 0], "extensions": {"EXT_mesh_gpu_instancing": {"attributes": table}}}
    document |= {
        "extensionsUsed": ["EXT_mesh_gpu_instancing"],
        "extensionsRequired": ["EXT_mesh_gpu_instancing"],
    }
    change(document)
    path.write_text(json.dumps(document))
    return path


def test_instances_stand_where_the_extension_says(tmp_path: Path) -> None:
    """By hand, from the extension's text: the node's transform, then each instance's translation · rotation ·
    scale.
    """
    few = loaded(instanced(tmp_path))
    assert len(few.placements) == 0 and sum(n.mesh is not None for n in few.nodes) == 5, (
        "a few are quicker one by one"
    )
    scene = loaded(instanced(tmp_path, count=LEAST))
    assert len(scene.placements) == LEAST and all(n.mesh is None for n in scene.nodes) and scene.unknown == ()
    assert (
        np.abs(
            points(few) - points(replace(scene, placements=scene.placements.at(np.arange(LEAST) < 5)))
        ).max()
        < 1e-5
    )
    for k, world in enumerate(row_worlds(scene)):
        angle, size = 0.3 * k, 1 + 0.1 * k
        turn = np.array([[np.cos(angle), 0, np.sin(angle)], [0, 1, 0], [-np.sin(angle), 0, np.cos(angle)]])
        assert np.abs(world - np.c_[turn * size, [2.0 * k, 10, 0]]).max() < 1e-6
    again = loaded(saved(scene, tmp_path / "again.glb"))
    assert np.abs(points(scene) - points(again)).max() < 1e-5 and len(again.meshes) == 1


@pytest.mark.parametrize("change", [
    lambda d: d["accessors"][-1].update(count=4), lambda d: d["nodes"][-1]["extensions"]["EXT_mesh_gpu_instancing"].update(attributes={}),
    lambda d: d["nodes"][-1]["extensions"]["EXT_mesh_gpu_instancing"]["attributes"].update(SCALE=999),
    lambda d: d["nodes"][-1]["extensions"]["EXT_mesh_gpu_instancing"]["attributes"].update(ROTATION=0),
    lambda d: d["nodes"][-1]["extensions"].update(EXT_mesh_gpu_instancing=7),
], ids=["as many", "none", "not there", "another width", "no object"])  # fmt: skip
def test_instances_that_cannot_be_are_refused_in_one_line(
    change: Callable[[dict[str, Any]], object], tmp_path: Path
) -> None:
    with pytest.raises(CustomsError, match=r"row\.gltf"):
        loaded(instanced(tmp_path, change))


def test_instances_with_broken_numbers_are_refused(tmp_path: Path) -> None:
    path = instanced(tmp_path)
    data = bytearray((tmp_path / "row2.bin").read_bytes())
    data[:4] = struct.pack("<f", np.nan)
    (tmp_path / "row2.bin").write_bytes(data)
    with pytest.raises(CustomsError, match="not finite"):
        loaded(path)


def test_a_sheared_row_is_written_as_a_matrix(tmp_path: Path) -> None:
    scene = fold(drawn())
    matrices = scene.placements.matrices.copy()
    matrices[7, 0, 1] += 0.5
    sheared = replace(scene, placements=scene.placements.moved(matrices))
    assert np.flatnonzero(row_parts(sheared.placements)[3]).tolist() == [7]
    again = loaded(saved(sheared, tmp_path / "hall.glb"))
    assert len(again.placements) == WHOLE - 1 and np.abs(points(again) - points(sheared)).max() < 1e-4


def test_settling_copies_only_what_must_differ() -> None:
    """Under a room with an uneven scale turned rows stand sheared: those get meshes of their own; mirrored
    ones share a mirrored mesh.
    """
    scene = drawn(4)
    uneven = fold(
        replace(
            scene,
            nodes=(scene.nodes[0], replace(scene.nodes[1], scale=np.array([1.0, 1, 3])), *scene.nodes[2:]),
        )
    )
    under = int(np.count_nonzero(uneven.placements.parents == 1))
    done = steps()["settle"].run(uneven, make_settings(steps()["settle"], {}), NOTHING, Job())
    rows = done.scene.placements
    alone = sum(n.mesh is not None for n in done.scene.nodes)
    assert len(rows) + alone == WHOLE and alone >= under and np.bincount(rows.of).max() < WHOLE
    assert min(np.unique(rows.of, return_counts=True)[1]) >= LEAST
    assert len(np.unique(rows.of)) + alone == len(prune(done.scene).meshes)
    assert (np.linalg.det(rows.matrices[:, :, :3]) > 0).all() and not row_parts(rows)[3].any()
    assert np.abs(points(done.scene) - points(uneven)).max() < 1e-3
    assert any("mirrored" in r.text for r in done.remarks) and any("copies" in r.text for r in done.remarks)
    keys = [p.key for m in done.scene.meshes for p in m.primitives]
    assert len(keys) == len(set(keys))


def test_what_only_leads_to_others_gives_up_its_transform_when_it_is_settled() -> None:
    """A stand that shows nothing is no place: as a node it would be settled too."""
    scene = fold(crowd(5, plain=True))
    assert bare_off(scene.placements).sum() == LEAST
    done = steps()["settle"].run(scene, make_settings(steps()["settle"], {}), NOTHING, Job()).scene
    assert not bare_off(done.placements).any() and len(done.placements) == len(scene.placements)
    assert np.abs(points(done) - points(scene)).max() < 1e-3
    same(by_name(scene), by_name(done))
    sheet = find_sheet("metre-yup-pbr")
    assert sheet.model.settled
    for settled, verdict in ((scene, "held"), (done, "cleared")):
        passed = evaluate(settled, DIGEST, fresh_route(None))
        rows = [r for r in judge(settled, passed, sheet).rows if r.requirement == "settled"]
        placed = [r for r in rows if r.subject == "placements"]
        assert bool(placed) == (verdict == "held") and all(r.verdict == "held" for r in placed)


def rigged_hall() -> Scene:
    """The lettered rig with its clips among rivets, which hang under a node of its tree and under none."""
    scene = lettered()
    mesh = replace(scene_of(cube(0.02)).meshes[0], key=key("mesh", 90), name="rivet")
    mesh = replace(
        mesh, primitives=tuple(replace(p, key=key("primitive", 90), material=None) for p in mesh.primitives)
    )
    first, at = len(scene.nodes), np.random.default_rng(1).normal(size=(2 * LEAST, 3))
    rivets = tuple(
        Node(key("node", 500 + k), f"rivet {k}", (), at[k], mesh=len(scene.meshes)) for k in range(2 * LEAST)
    )
    return replace(
        scene,
        nodes=scene.nodes + rivets,
        roots=(*scene.roots, *range(first, first + 2 * LEAST)),
        meshes=(*scene.meshes, mesh),
    )


@pytest.mark.parametrize("how", ["each", "only", "first-with-mesh"])
def test_files_of_clips_alone_hold_no_placements(how: str) -> None:
    scene = fold(rigged_hall())
    assert (
        len(scene.placements) == 2 * LEAST
        and len(bones_of(scene).placements) == 0
        and bones_of(scene).meshes == ()
    )
    sheet = find_sheet("clips-apart-kit")
    for file in model_files(replace(scene, wishes=Wishes(clips=how)), sheet):
        assert len(file.scene.placements) == (0 if file.kind == "clip" else 2 * LEAST), file.kind


def test_a_mesh_that_only_rows_show_keeps_its_key_before_a_copy() -> None:
    scene = fold(drawn())
    first = scene.meshes[0]
    twice = replace(
        scene,
        nodes=(replace(scene.nodes[0], mesh=2), *scene.nodes[1:]),
        meshes=(*scene.meshes, replace(first, key=key("mesh", 9))),
    )
    apart = keys_apart(twice)
    assert apart.meshes[0] is first and apart.meshes[2].primitives[0].key != first.primitives[0].key


def test_what_bends_is_not_repeated_and_what_else_instances_say_is_said(tmp_path: Path) -> None:
    def bent(document: dict[str, Any]) -> None:
        node = next(n for n in document["nodes"] if "mesh" in n)
        node["weights"] = [0.0]
        node["extensions"]["EXT_mesh_gpu_instancing"]["attributes"]["_MOSS"] = 0

    scene = loaded(instanced(tmp_path, bent, count=LEAST))
    said = " ".join(r.text for r in scene.remarks)
    assert len(scene.placements) == 0 and sum(n.mesh is not None for n in scene.nodes) == 1
    assert f"stand {LEAST} times over" in said and "_MOSS" in said


# -- through the sheets, and other people's readers


@pytest.mark.breadth(5)
@pytest.mark.parametrize("sheet", sorted(model_sheets()))
@MADE
def test_a_small_level_is_delivered_as_it_stands_or_held(
    sheet: str, made: Callable[..., Scene], tmp_path: Path
) -> None:
    scene = made(3, plain=True)
    path = saved(scene, tmp_path / "goods" / "hall.glb")
    result = run(Request(path, path.parent, find_sheet(sheet), out=tmp_path / "out"))
    if result.folder is None:
        assert {r.requirement for r in result.ledger.open() if r.verdict == "held"}
        return
    assert result.accepted
    docket = json.loads((result.folder / "docket.json").read_text("utf-8"))
    # Where a kit takes levels and shapes, they are beside the mesh.
    alone = counts(landed_scene(result.folder, find_sheet(sheet)))["triangles"]
    levels = find_sheet(sheet).levels.form != "none"
    assert (alone if levels else docket["after"]["triangles"]) == counts(scene)["triangles"]


def test_delivered_meshes_are_shared_as_another_reader_sees_them(tmp_path: Path) -> None:
    """Outside: trimesh reads the delivery; its graph shows each placement, its geometry each mesh once."""
    path = saved(drawn(5), tmp_path / "goods" / "hall.glb")
    result = run(Request(path, path.parent, find_sheet("metre-yup-pbr"), out=tmp_path / "out"))
    folder = result.folder
    assert folder is not None, [(r.requirement, r.verdict) for r in result.ledger.open()]
    theirs = trimesh.load(next(folder.glob("*.glb")))
    assert len(theirs.geometry) == 4, "each mesh, and its mirror image"
    assert len(theirs.graph.nodes_geometry) == WHOLE
    want = points(drawn(5))
    size = want.max(axis=0) - want.min(axis=0)
    assert np.allclose(theirs.bounds[1] - theirs.bounds[0], size, rtol=1e-4)


def test_landing_misses_one_placement_and_a_name_that_was_changed(tmp_path: Path) -> None:
    path = saved(drawn(6, plain=True), tmp_path / "goods" / "hall.glb")
    sheet = find_sheet("metre-yup-pbr")
    folder = run(Request(path, path.parent, sheet, out=tmp_path / "out")).folder
    assert folder is not None and land(folder, find_sheet).accepted
    model = next(folder.glob("*.glb"))
    whole = model.read_bytes()
    assert whole.count(b'"name":"pot 77"') == 1
    model.write_bytes(whole.replace(b'"name":"pot 77"', b'"name":"pan 77"'))
    assert any("pot 77" in line.text for line in land(folder, find_sheet).lines)
    at = whole.index(b'"name":"pot 77","mesh":') + len(b'"name":"pot 77","mes')
    model.write_bytes(whole[:at] + b"x" + whole[at + 1 :])
    assert any("pot" in line.text or "triangles" in line.text for line in land(folder, find_sheet).lines)


def test_what_is_kept_of_a_scene_counts_its_rows() -> None:
    scene = fold(drawn())
    sizes = array_sizes(scene)
    rows = scene.placements
    assert {id(a) for a in (rows.of, rows.matrices, rows.parents, rows.ordinals)} <= set(sizes)
    assert {id(p.positions) for m in scene.meshes for p in m.primitives} <= set(sizes)


@MADE
def test_rows_follow_what_is_above_them_when_it_goes(made: Callable[..., Scene]) -> None:
    scene = fold(made())
    assert len(empties(scene)) == 3, "as it would be of nodes that placements stood for"
    gone = without(scene, [1, 2])
    assert len(gone.nodes) == 1
    same(by_name(scene), by_name(gone))


def test_a_million_rows_are_columns() -> None:
    scene = fold(drawn())
    rows, many = scene.placements, np.resize(np.arange(WHOLE), 1_000_000)
    names = tuple(rows.names[k] for k in many.tolist())
    big = replace(
        scene,
        placements=table(rows.of[many], rows.matrices[many], rows.parents[many], rows.ordinals[many], names),
    )
    assert len(big.placements) == 1_000_000 and np.allclose(world_bounds(big), world_bounds(scene))
    assert counts(big)["nodes"] == 1_000_003
    turned = change_convention(big, Convention("+Z", "-Y"), Convention())
    assert turned.placements.matrices.shape == (1_000_000, 3, 4) and big.digest == DIGEST
    assert np.allclose(
        compose(*row_parts(big.placements)[:3])[:WHOLE, :3], scene.placements.matrices, atol=1e-9
    )
