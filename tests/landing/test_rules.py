"""The stand-in destination: every rule it keeps is broken once, in the package or by another sheet, and it
says so.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from customs.dispatch.dispatch import Goods, dispatch
from customs.dispatch.docket import digest_of
from customs.formats.registry import WriteOptions, get_format
from customs.landing.land import land, packages
from customs.landing.log import Log
from customs.ledger.ledger import Ledger
from customs.ledger.row import About
from customs.planning.plan import arrive_stop
from customs.route.route import At
from customs.scene.arrays import frozen
from customs.scene.model import Camera, Channel, Light, Material, Node, Scene
from customs.sheet.load import load_sheet
from customs.sheet.model import Sheet
from customs.work.lookup import find_sheet
from tests.assets import cube, key, scene_of
from tests.motion.rigs import bar

OPEN = load_sheet("metre-yup-pbr")


def sheet(**tables: dict[str, Any]) -> Sheet:
    """The open sheet with some rules changed."""
    body = OPEN.model_dump()
    for name, values in tables.items():
        body[name] |= values
    return Sheet.model_validate(body)


def standing(scene: Scene) -> Scene:
    """On the ground over the origin."""
    p = scene.meshes[0].primitives[0]
    low, high = p.positions.min(axis=0), p.positions.max(axis=0)
    shift = np.float32([-(low[0] + high[0]) / 2, -low[1], -(low[2] + high[2]) / 2])
    return changed(scene, positions=frozen(p.positions + shift))


def changed(scene: Scene, **values: Any) -> Scene:
    """Its first primitive changed."""
    mesh = scene.meshes[0]
    first = replace(mesh.primitives[0], **values)
    return replace(scene, meshes=(replace(mesh, primitives=(first, *mesh.primitives[1:])), *scene.meshes[1:]))


def block() -> Scene:
    """A cube with a material and UVs."""
    p = cube(1.0, material=0)
    uv = frozen(np.abs(p.positions[:, :2]))
    ink = Material(key("material", 0), "ink", metallic=0.0)
    return standing(replace(scene_of(replace(p, texcoords=(uv,)), materials=(ink,)), name="block"))


def delivered(scene: Scene, rules: Sheet, folder: Path) -> Path:
    """A package of a scene as it is."""
    source = {"name": "a.glb", "sha256": "0", "files": []}
    return dispatch(
        Goods(scene, [At(arrive_stop(None), scene)], Ledger(()), rules, About(), source), folder
    ).folder


def refusals(log: Log) -> str:
    """All that was refused."""
    return " | ".join(f"{line.file}: {line.text}" for line in log.lines if line.level == "refusal")


def exchange(folder: Path, change: Callable[[dict[str, Any]], object], data: bytes | None = None) -> None:
    """The docket changed, and the model exchanged with its size and hash put right, by somebody who knows
    how.
    """
    docket = folder / "docket.json"
    body = json.loads(docket.read_text("utf-8"))
    if data is not None:
        name = body["models"][0]["path"]
        (folder / name).write_bytes(data)
        for f in body["files"]:
            if f["path"] == name:
                f |= {"size": len(data), "sha256": hashlib.sha256(data).hexdigest()}
    change(body)
    body["digest"] = digest_of({k: v for k, v in body.items() if k != "digest"})
    docket.write_text(json.dumps(body), "utf-8")


def exchange_file(folder: Path, name: str, data: bytes) -> None:
    """A file beside the model exchanged, with its size and hash put right."""
    (folder / name).write_bytes(data)

    def put_right(body: dict[str, Any]) -> None:
        for f in body["files"]:
            if f["path"] == name:
                f |= {"size": len(data), "sha256": hashlib.sha256(data).hexdigest()}

    exchange(folder, put_right)


def model_bytes(scene: Scene, format_: str) -> bytes:
    """A scene as the bytes of a model file."""
    write = get_format(format_).write
    assert write is not None
    return b"".join(bytes(part) for part in write(scene, WriteOptions("block"))[f".{format_}"])


@pytest.fixture
def package(tmp_path: Path) -> Path:
    """The block delivered to the open sheet: accepted."""
    folder = delivered(block(), OPEN, tmp_path)
    log = land(folder, find_sheet)
    assert log.accepted and not log.remarks, refusals(log)
    return folder


OTHER: dict[str, tuple[Callable[[Scene], Scene], str]] = {
    "moved": (lambda s: changed(s, positions=frozen(s.meshes[0].primitives[0].positions + np.float32([0, 0.2, 0]))), "its box"),
    "a hundred times as large": (
        lambda s: changed(s, positions=frozen(s.meshes[0].primitives[0].positions * np.float32(100))), "its box",
    ),
    "turned": (
        lambda s: changed(s, positions=frozen(s.meshes[0].primitives[0].positions[:, [1, 0, 2]])), "its box",
    ),
    "a face less": (lambda s: changed(s, indices=s.meshes[0].primitives[0].indices[:-3]), "triangles"),
    "a face more": (
        lambda s: changed(s, indices=frozen(np.append(s.meshes[0].primitives[0].indices, [0, 1, 2]), np.uint32)), "triangles",
    ),
    "another name": (lambda s: replace(s, nodes=(replace(s.nodes[0], name="lump"),)), "lump"),
    "a material more": (
        lambda s: replace(s, materials=(*s.materials, Material(key("material", 1), "glue")), meshes=(replace(s.meshes[0],
            primitives=(s.meshes[0].primitives[0], replace(s.meshes[0].primitives[0], material=1))),)), "materials",
    ),
    "a light in it": (
        lambda s: replace(s, roots=(0, 1),
                          nodes=(*s.nodes, Node(key("node", 1), "lamp", holds=(Light(key("light", 0), "lamp"),)))), "nodes the docket does not name: lamp",
    ),
    "no normals": (lambda s: changed(s, normals=None), "no normals"),
}  # fmt: skip
"""What is in the package in place of what was dispatched → what is said."""


@pytest.mark.parametrize("name", OTHER)
def test_a_model_that_is_not_the_one_dispatched_is_refused(name: str, package: Path) -> None:
    change, said = OTHER[name]
    exchange(package, lambda body: None, model_bytes(change(block()), "glb"))
    assert said in refusals(land(package, find_sheet)), refusals(land(package, find_sheet))


DOCKETS: dict[str, tuple[Callable[[dict[str, Any]], object], str]] = {
    "no files": (lambda b: b.update(files=[]), "no model file"),
    "a file outside": (lambda b: b["files"][0].update(path="../../escape.glb"), "outside the package"),
    "a file of no name": (lambda b: b["files"].append(7), "missing or wrong"),
    "a file that is gone": (
        lambda b: b["files"].append({"path": "gone.png", "size": 1, "sha256": ""}),
        "it is not there",
    ),
    "no models": (lambda b: b.update(models=[]), "no model file"),
    "a model that is no table": (lambda b: b.update(models=["block.glb"]), "missing or wrong"),
    "a sheet nobody has": (lambda b: b["sheet"].update(id="moon-kit"), "its sheet is not here"),
    "figures missing": (lambda b: b["after"].pop("triangles"), "says nothing of triangles"),
    "names as a list": (lambda b: b.update(names=[]), "parts of it are missing"),
    "another box": (lambda b: b["box"].update(low=[0, 0, 0]), "its box"),
    "a name too many": (lambda b: b["names"]["nodes"].append("ghost"), "ghost"),
}


@pytest.mark.parametrize("name", DOCKETS)
def test_a_docket_that_says_otherwise_is_refused(name: str, package: Path) -> None:
    change, said = DOCKETS[name]
    exchange(package, change)
    assert said in refusals(land(package, find_sheet)), refusals(land(package, find_sheet))


@pytest.mark.parametrize(("text", "said"), [
    ("", "cannot be read"), ("{", "cannot be read"), ("[]", "parts of it are missing"), ("{}", "parts of it are missing"),
    ('{"asset": 1}', "parts of it are missing"), ("\ufeff{}", ""),
])  # fmt: skip
def test_no_docket_at_all_is_one_refusal(text: str, said: str, package: Path) -> None:
    (package / "docket.json").write_text(text, "utf-8")
    log = land(package, find_sheet)
    assert log.refusals == 1 and said in refusals(log)
    (package / "docket.json").unlink()
    assert "there is no docket" in refusals(land(package, find_sheet))


def test_a_docket_changed_by_hand_is_told_by_its_digest(package: Path) -> None:
    docket = package / "docket.json"
    docket.write_text(docket.read_text("utf-8").replace('"block"', '"blocc"'), "utf-8")
    assert "its digest of itself does not fit" in refusals(land(package, find_sheet))


def test_what_lies_beside_is_remarked_and_stops_nothing(package: Path) -> None:
    (package / "notes.txt").write_text("for the greenhouse")
    log = land(package, find_sheet)
    assert log.accepted and log.remarks == 1 and any("does not know it" in line.text for line in log.lines)


def test_an_older_edition_of_the_sheet_is_remarked(package: Path) -> None:
    newer = sheet(model={"max_size": (5, 5, 5)})
    log = land(package, lambda id_: newer)
    assert log.accepted and any(
        "has changed since the dispatch" in line.text for line in log.lines if line.level == "remark"
    )


def test_packages_are_found_where_they_are(package: Path) -> None:
    assert packages(package) == [package] and packages(package.parent) == [package]
    (package.parent / ".hidden").mkdir()
    (package.parent / "empty").mkdir()
    assert packages(package.parent) == [package]
    assert packages(package / "nowhere") == [package / "nowhere"]


def coloured(scene: Scene) -> Scene:
    """With vertex colours."""
    count = len(scene.meshes[0].primitives[0].positions)
    return changed(scene, colours=(frozen(np.ones((count, 4))),))


def with_camera(scene: Scene) -> Scene:
    """With somebody watching."""
    return replace(scene, nodes=(*scene.nodes, Node(key("node", 5), "eye", holds=(Camera(key("camera", 0), "eye"),))),
                   roots=(*scene.roots, len(scene.nodes)))  # fmt: skip


def deep(scene: Scene) -> Scene:
    """The mesh two levels down."""
    top = Node(key("node", 8), "top", children=(0,))
    return replace(scene, nodes=(*scene.nodes, top), roots=(1,))


def aside(scene: Scene) -> Scene:
    """A node that keeps a transform, the mesh where it was."""
    off = np.float32([0.5, 0, 0])
    moved = changed(scene, positions=frozen(scene.meshes[0].primitives[0].positions - off))
    return replace(moved, nodes=(replace(scene.nodes[0], translation=off.astype(float)),))


def twice(scene: Scene) -> Scene:
    """Two of one name."""
    again = replace(scene.nodes[0], key=key("node", 9))
    return replace(scene, nodes=(*scene.nodes, again), roots=(0, 1))


RULES: dict[str, tuple[Callable[[], Scene], dict[str, dict[str, Any]], str]] = {
    "one mesh": (lambda: twice(block()), {"model": {"single_mesh": True}}, "2 meshes where one is taken"),
    "depth": (lambda: deep(block()), {"model": {"mesh_under_root": True}}, "stands below level 1"),
    "settled": (lambda: aside(block()), {"model": {"settled": True}}, "keep a transform of their own: 1"),
    "cameras": (lambda: with_camera(block()), {"model": {"cameras": "forbidden"}}, "1 camera, none taken"),
    "vertices": (block, {"mesh": {"max_vertices": 4}}, "24 vertices, at most 4"),
    "vertex colours": (lambda: coloured(block()), {"mesh": {"vertex_colours": "forbidden"}}, "has vertex colours"),
    "UV sets": (lambda: more_uvs(block()), {"mesh": {"max_texcoord_sets": 1}}, "has 2 UV sets"),
    "materials": (lambda: two_inks(block()), {"materials": {"max_count": 1}}, "2 materials, at most 1"),
    "largest": (block, {"model": {"max_size": (0.5, 9, 9)}}, "is larger than"),
    "smallest": (block, {"model": {"min_size": (5, 5, 5)}}, "is smaller than"),
    "letters of names": (block, {"names": {"allowed": "[0-9]+"}}, "is not legal there"),
    "length of names": (block, {"names": {"max_length": 2}}, "is not legal there"),
    "names once": (lambda: twice(block()), {"names": {"unique": True}}, "is used twice"),
    "skins": (bar, {"rig": {"skins": "forbidden"}}, "1 skin, none taken"),
    "clips": (bar, {"rig": {"clips": "forbidden"}}, "1 clip, none taken"),
    "joints": (bar, {"rig": {"max_joints": 2}}, "4 joints in rig"),
    "influences": (bar, {"rig": {"influences": 1}}, "2 influences on a vertex"),
    "length of clips": (bar, {"rig": {"max_clip_seconds": 0.5}}, "lasts 1.00 s, at most 0.5"),
    "loops": (lambda: open_loop(), {"rig": {"loops": ["bend"]}}, "does not close"),
    "formats": (block, {"model": {"format": "gltf", "textures": "apart"}}, "is GLB, GLTF is read"),
    "base at zero": (lambda: lifted(block()), {}, "its base lies 0.3 m from zero"),
}  # fmt: skip
"""Rule → (what is delivered, what the sheet it is landed by says, what is refused)."""


def more_uvs(scene: Scene) -> Scene:
    """With a second UV set."""
    return changed(scene, texcoords=scene.meshes[0].primitives[0].texcoords * 2)


def two_inks(scene: Scene) -> Scene:
    """With a second material on a second part."""
    first = scene.meshes[0].primitives[0]
    mesh = replace(scene.meshes[0], primitives=(first, replace(first, key=key("primitive", 1), material=1)))
    return replace(scene, meshes=(mesh,), materials=(*scene.materials, Material(key("material", 1), "wash")))


def lifted(scene: Scene) -> Scene:
    """In the air."""
    return changed(scene, positions=frozen(scene.meshes[0].primitives[0].positions + np.float32([0, 0.3, 0])))


def open_loop() -> Scene:
    """A bar that stays bent."""
    scene = bar()
    c = scene.clips[0].channels[0]
    half = len(c.times) // 2
    short = Channel(c.node, c.path, frozen(c.times[:half]), frozen(c.values[:half]))
    return replace(scene, clips=(replace(scene.clips[0], channels=(short,)),))


@pytest.mark.parametrize("name", RULES)
def test_each_rule_is_kept_by_the_destination_itself(name: str, tmp_path: Path) -> None:
    make, tables, said = RULES[name]
    folder = delivered(make(), OPEN, tmp_path)
    found = refusals(land(folder, find_sheet, sheet(**tables)))
    assert said in found, found
    # The bar of the rigs has no normals, so that one is never whole.
    if name in ("vertices", "largest", "smallest", "UV sets", "materials", "formats", "letters of names"):
        assert land(folder, find_sheet, OPEN).accepted, "and by the sheet it was made for it is not"


def test_a_clip_that_tears_the_mesh_is_refused(tmp_path: Path) -> None:
    scene = bar()
    far = Channel(1, "translation", frozen([0.0, 1.0]), frozen([[0, 0.3, 0], [900, 0, 0]]))
    folder = delivered(replace(scene, clips=(replace(scene.clips[0], channels=(far,)),)), OPEN, tmp_path)
    assert "tears the mesh" in refusals(land(folder, find_sheet))


def test_weights_that_do_not_sum_to_one_are_refused(tmp_path: Path) -> None:
    scene = bar()
    weights = np.array(scene.meshes[0].primitives[0].weights)
    weights[:9] *= 0.9
    folder = delivered(changed(scene, weights=frozen(weights)), OPEN, tmp_path)
    assert "do not sum to one" in refusals(land(folder, find_sheet))


@pytest.mark.parametrize("format_", ["glb", "gltf", "obj", "ply", "stl", "fbx", "dae"])
def test_cut_anywhere_it_is_refused_and_nothing_breaks(format_: str, tmp_path: Path) -> None:
    rules = sheet(model={"format": format_, "textures": "inside" if format_ == "glb" else "apart"})
    folder = delivered(block(), rules, tmp_path)
    assert land(folder, find_sheet, rules).accepted, refusals(land(folder, find_sheet, rules))
    path = next(folder.rglob(f"*.{format_}"))
    whole = path.read_bytes()
    for share in (0.0, 0.3, 0.6, 0.9):
        path.write_bytes(whole[: int(len(whole) * share)])
        log = land(folder, find_sheet, rules)
        assert not log.accepted and "size or hash does not fit" in refusals(log)


@pytest.mark.parametrize("format_", ["ply", "stl"])
@pytest.mark.parametrize("id_", ["pane_wall", "fern_bed", "seed_cart"])
def test_a_shape_alone_is_delivered_by_formats_that_know_nothing_else(
    id_: str, format_: str, goods: dict[str, Path], tmp_path: Path
) -> None:
    """Materials and textures stay behind, and the ledger says so before a person agrees."""
    from customs.work.asset import Request, run

    rules = sheet(model={"format": format_, "textures": "apart"}, textures={"missing": "query"})
    result = run(Request(goods[id_], goods[id_].parent, rules, out=tmp_path))
    assert result.folder is not None, [(r.requirement, r.note) for r in result.ledger.open()]
    lost = next(r for r in result.ledger.rows if r.requirement == "materials-carried")
    assert lost.verdict == "query" and "no place for materials" in lost.note
    log = land(result.folder, find_sheet, rules)
    assert log.accepted, refusals(log)
    body = json.loads((result.folder / "docket.json").read_text())
    assert body["after"]["materials"] == body["after"]["textures"] == 0 and body["after"]["meshes"] == 1
