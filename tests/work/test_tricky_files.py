"""Files that were ported wrong once, made anew by code where it is short: each does what its line says, and
is landed.
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import PIL.Image
import pytest
import trimesh

from customs.landing.land import landed_scene
from customs.motion.posing.pose import posed_scene_points
from customs.scene.arrays import frozen
from customs.scene.model import Channel, Clip, Image, Material, Node, Primitive, Scene, TextureUse
from customs.surface.lay import lay_of, sampled
from customs.surface.pixels import image_pixels
from customs.work.asset import Request, Result, run
from customs.work.lookup import find_sheet
from tests.assets import key, letter_primitive, quaternion, saved, scene_of

SHEETS = (
    "metre-yup-pbr",
    "one-mesh-kit",
    "split-texture-kit",
    "twin-format-kit",
    "packed-parameters-kit",
    "centimetre-zup-lh",
)


def ported(scene: Scene, sheet: str, folder: Path) -> Result:
    """A scene through a file to a package."""
    path = saved(scene, folder / "goods" / f"{scene.name}.glb")
    return run(Request(path, path.parent, find_sheet(sheet), out=folder / "out"))


def open_rows(result: Result) -> dict[str, str]:
    """Requirements that are not cleared."""
    return {r.requirement: r.verdict for r in result.ledger.open()}


def ramp(*channels: np.ndarray | float, size: int = 32) -> np.ndarray:
    """A texture (size, size, 3) from channels 0..1: pictures or numbers."""
    return (
        np.stack([np.broadcast_to(np.asarray(c) * 255, (size, size)) for c in channels], axis=-1)
        .round()
        .astype(np.uint8)
    )


def round_about(turns: int) -> tuple[np.ndarray, np.ndarray]:
    """Two waves (96, 96) that meet themselves at the edges."""
    at = (np.arange(96) + 0.5) / 96 * 2 * np.pi * turns
    return 0.5 + 0.3 * np.sin(at)[None, :] * np.ones((96, 1)), 0.5 + 0.3 * np.cos(at)[:, None] * np.ones(
        (1, 96)
    )


U, V = np.meshgrid((np.arange(32) + 0.5) / 32, (np.arange(32) + 0.5) / 32)


def textured(
    uses: dict[str, tuple[int, TextureUse]], pictures: list[np.ndarray], prim: Primitive, **more: object
) -> Scene:
    """One mesh with a material of textures; `uses` are (picture, how) by role."""
    images = tuple(Image(key("image", k), f"t{k}", pixels=p) for k, p in enumerate(pictures))
    material = Material(
        key("material", 0), "skin", textures={r: replace(u, image=i) for r, (i, u) in uses.items()}, **more
    )  # type: ignore[arg-type]
    return replace(scene_of(replace(prim, material=0)), name="thing", materials=(material,), images=images)


# -- a mesh shared by nodes that settle and nodes that do not


@pytest.mark.parametrize("first", ["moving", "still"])
def test_a_wheel_that_turns_and_a_wheel_that_stands_keep_their_size(first: str, tmp_path: Path) -> None:
    still = Node(
        key("node", 0), "still", mesh=0, scale=np.array([5.0, 5, 5]), translation=np.array([10.0, 0, 0])
    )
    mover = Node(key("node", 1), "mover", mesh=0)
    nodes = (mover, still) if first == "moving" else (still, mover)
    at = nodes.index(mover)
    turns = np.stack([quaternion("Z", d) for d in (0, 90, 180)])
    clip = Clip(key("clip", 0), "spin", (Channel(at, "rotation", frozen([0.0, 0.5, 1.0]), frozen(turns)),))
    scene = replace(
        scene_of(letter_primitive(0, material=None)), nodes=nodes, roots=(0, 1), clips=(clip,), name="wheels"
    )
    result = ported(scene, "metre-yup-pbr", tmp_path)
    assert result.folder is not None and result.accepted
    found = landed_scene(result.folder, find_sheet("metre-yup-pbr"))
    for t in (0.0, 0.3, 1.0):
        a, b = (np.concatenate(posed_scene_points(s, s.clips[0], t)) for s in (scene, found))
        a, b = (p[np.lexsort(np.round(p - p.mean(axis=0), 3).T)] for p in (a, b))
        assert np.abs((a - a.mean(axis=0)) - (b - b.mean(axis=0))).max() < 1e-3


# -- delivered invisible


@pytest.mark.parametrize(
    ("line", "alpha"), [("Tr 1.0", 1.0), ("d 0", 1.0), ("d 0.5", 0.5), ("Tr 0.25", 0.75), ("", 1.0)]
)
def test_what_an_exporter_wrote_clear_is_seen(line: str, alpha: float, tmp_path: Path) -> None:
    (tmp_path / "a.mtl").write_text(f"newmtl m\nKd 0.5 0.2 0.1\n{line}\n")
    block = "".join(f"v {x} {y} {z}\n" for x in (0, 1) for y in (0, 1) for z in (0, 1))
    faces = "f 1 2 4 3\nf 5 7 8 6\nf 1 5 6 2\nf 3 4 8 7\nf 1 3 7 5\nf 2 6 8 4\n"
    (tmp_path / "a.obj").write_text(f"mtllib a.mtl\n{block}usemtl m\n{faces}")
    for sheet in ("metre-yup-pbr", "centimetre-zup-lh"):
        result = run(Request(tmp_path / "a.obj", tmp_path, find_sheet(sheet), out=tmp_path / "out" / sheet))
        assert result.folder is not None and (
            alpha != 1.0 or line == "" or any("fully clear" in t for t in result.remarks)
        )
        found = landed_scene(result.folder, find_sheet(sheet)).materials[0]
        assert abs(found.base_colour[3] - alpha) < 0.01 and found.alpha_mode == (
            "blend" if alpha < 1 else "opaque"
        )


@pytest.mark.parametrize("way", ["factor", "texture", "scale", "flat"])
def test_what_shows_nothing_is_held(way: str, tmp_path: Path) -> None:
    prim = letter_primitive(0)
    if way == "flat":
        prim = replace(
            prim,
            positions=frozen(prim.positions * np.array([1, 0, 0], np.float32)),
            normals=None,
            tangents=None,
        )
    clear = np.zeros((8, 8, 4), np.uint8)
    more = (
        {"alpha_mode": "blend", "base_colour": (1, 1, 1, 0.0)} if way == "factor" else {"alpha_mode": "blend"}
    )
    scene = textured({"base_colour": (0, TextureUse(0))} if way == "texture" else {}, [clear], prim, **more)
    if way == "scale":
        node = replace(scene.nodes[0], scale=np.zeros(3))
        scene = replace(scene, nodes=(node,), materials=(replace(scene.materials[0], alpha_mode="opaque"),))
    result = ported(scene, "metre-yup-pbr", tmp_path)
    assert "held" in open_rows(result).values() and result.folder is None
    assert way == "flat" or open_rows(result).get("shows-nothing") == "held", open_rows(result)


# -- packed textures in formats that cannot say which channel counts


def test_metal_and_occlusion_arrive_alone_in_fbx(tmp_path: Path) -> None:
    orm = ramp(U, V, 1 - U)
    scene = textured(
        {"metallic_roughness": (0, TextureUse(0)), "occlusion": (0, TextureUse(0, strength=0.5)), "base_colour": (1, TextureUse(0))},
        [orm, ramp(0.5, 0.5, U)], letter_primitive(0), metallic=0.5, roughness=0.5, base_colour=(0.5, 1.0, 1.0, 1.0),
    )  # fmt: skip
    result = ported(scene, "centimetre-zup-lh", tmp_path)
    assert result.folder is not None
    found = landed_scene(result.folder, find_sheet("centimetre-zup-lh"))
    m = found.materials[0]
    pictures = {r: image_pixels(found.images[u.image]).astype(int) for r, u in m.textures.items()}
    assert np.abs(pictures["metallic"][..., 0] - orm[..., 2] * 0.5).max() <= 1
    assert np.abs(pictures["glossiness"][..., 0] - (255 - orm[..., 1] * 0.5)).max() <= 1
    # 1 + strength · (occlusion − 1), glTF 2.0, 3.9.3.
    assert np.abs(pictures["occlusion"][..., 0] - (255 + (orm[..., 0].astype(int) - 255) * 0.5)).max() <= 1
    assert np.ptp(pictures["occlusion"], axis=2).max() == 0
    assert pictures["base_colour"][..., 0].mean() < 100, "the factor is in the picture"


# -- leaves of two sides


@pytest.mark.parametrize("sheet", SHEETS)
def test_a_leaf_keeps_its_back(sheet: str, tmp_path: Path) -> None:
    points = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], np.float32)
    front = np.array([[0, 1, 2], [0, 2, 3]])
    both = np.concatenate([front, front[:, ::-1] + 4])
    normals = np.repeat([[0, 0, 1], [0, 0, -1]], 4, axis=0)
    prim = Primitive(
        key("primitive", 0), frozen(np.concatenate([points, points])), indices=frozen(both.reshape(-1), np.uint32),
        normals=frozen(normals), texcoords=(frozen(np.concatenate([points, points])[:, :2]),),
    )  # fmt: skip
    result = ported(
        textured({"base_colour": (0, TextureUse(0))}, [ramp(U, V, 0.2)], prim, metallic=0.0), sheet, tmp_path
    )
    assert result.folder is not None, open_rows(result)
    found = landed_scene(result.folder, find_sheet(sheet))
    assert sum(len(p.indices) // 3 for m in found.meshes for p in m.primitives if p.indices is not None) == 4


# -- textures that do not lie at one place


def shown(scene: Scene, role: str, spots: np.ndarray) -> np.ndarray:
    """What a texture shows (N, 3) at places of the surface, given as (face, two weights), by its own set and
    transform.
    """
    prim = scene.meshes[0].primitives[0]
    use = scene.materials[0].textures[role]
    lay = lay_of(use)
    uv = lay.apply(prim.texcoords[lay.texcoord])[prim.indices.reshape(-1, 3)][spots[:, 0].astype(int)]
    weights = np.c_[1 - spots[:, 1] - spots[:, 2], spots[:, 1:]]
    return sampled(
        image_pixels(scene.images[use.image]), np.einsum("nk,nkd->nd", weights, uv), use.sampler, "data"
    )


@pytest.mark.breadth(2)
@pytest.mark.parametrize("sheet", SHEETS[1:])
@pytest.mark.parametrize("case", ["transform", "second set", "both"])
def test_textures_show_the_same_spot_everywhere(case: str, sheet: str, tmp_path: Path) -> None:
    grid = np.stack(np.meshgrid(np.linspace(0, 1, 9), np.linspace(0, 1, 9), indexing="ij"), axis=-1).reshape(
        -1, 2
    )
    quads = (np.arange(8)[:, None] * 9 + np.arange(8)).ravel()
    faces = np.concatenate([np.c_[quads, quads + 9, quads + 10], np.c_[quads, quads + 10, quads + 1]])
    points = np.c_[grid, 0.1 * np.sin(grid[:, 0] * 3)].astype(np.float32)
    sets = (frozen(grid), frozen(0.1 + 0.6 * grid[:, ::-1]))
    prim = Primitive(
        key("primitive", 0), frozen(points), indices=frozen(faces.reshape(-1), np.uint32), texcoords=sets
    )
    moved = TextureUse(0, offset=(0.2, 0.1), scale=(0.5, 0.75), rotation=0.3)
    base = moved if case != "second set" else TextureUse(0)
    over = TextureUse(0, texcoord=1) if case != "transform" else TextureUse(0)
    uses = {"base_colour": (0, base), "emissive": (1, over)}
    scene = textured(
        uses,
        [ramp(*round_about(1), 0.3, size=96), ramp(*round_about(2), 0.5, size=96)],
        prim,
        metallic=0.0,
        emissive=(1.0, 1.0, 1.0),
    )
    path = saved(scene, tmp_path / "goods" / "thing.glb")
    from customs.work.asset import prepare

    done = prepare(Request(path, path.parent, find_sheet(sheet)))
    final = done.passed[-1].scene
    assert "texture-places" not in {r.requirement for r in done.ledger.open()}
    rng = np.random.default_rng(3)
    spots = np.c_[rng.integers(0, len(faces), 400), rng.dirichlet((4, 4, 4), 400)[:, 1:]]
    after = final.meshes[0].primitives[0]
    if sheet in ("one-mesh-kit",):
        assert all(u.texcoord == 0 for u in final.materials[0].textures.values())
    elif sheet != "packed-parameters-kit":
        assert all(not u.transformed and u.texcoord == 0 for u in final.materials[0].textures.values())
    if len(after.indices) != len(prim.indices) or "base_colour" not in final.materials[0].textures:
        return
    for role in ("base_colour", "emissive"):
        if role in final.materials[0].textures:
            a, b = shown(scene, role, spots), shown(final, role, spots)
            assert np.quantile(np.abs(a[:, :3] - b[:, :3]).max(axis=1), 0.98) < 0.06, (role, sheet)


# -- what a file says


def test_a_texture_a_file_calls_roughness_stays_roughness(tmp_path: Path) -> None:
    PIL.Image.fromarray(ramp(U, V, 1 - U)).save(tmp_path / "spec.png")
    (tmp_path / "a.mtl").write_text("newmtl m\nKd 0.5 0.5 0.5\nmap_Pr spec.png\n")
    box = trimesh.creation.box()
    uv = "vt 0 0\nvt 1 0\nvt 1 1\n"
    lines = "".join(f"v {x} {y} {z}\n" for x, y, z in box.vertices) + uv
    lines += "usemtl m\n" + "".join(
        "f " + " ".join(f"{v + 1}/{k + 1}" for k, v in enumerate(f)) + "\n" for f in box.faces
    )
    (tmp_path / "a.obj").write_text("mtllib a.mtl\n" + lines)
    result = run(Request(tmp_path / "a.obj", tmp_path, find_sheet("metre-yup-pbr"), out=tmp_path / "out"))
    assert result.folder is not None and result.route is not None
    assert "roles" not in [s.step for s in result.route.stops]
    assert set(landed_scene(result.folder, find_sheet("metre-yup-pbr")).materials[0].textures) == {
        "metallic_roughness"
    }


# -- nothing lost without a word


def test_broken_vertices_are_asked_about_with_their_place(tmp_path: Path) -> None:
    box = trimesh.creation.box()
    head = f"ply\nformat ascii 1.0\nelement vertex {len(box.vertices)}\n" + "".join(
        f"property float {c}\n" for c in "xyz"
    )
    head += f"element face {len(box.faces)}\nproperty list uchar int vertex_indices\nend_header\n"
    lines = "".join(f"{'nan' if k == 3 else x} {y} {z}\n" for k, (x, y, z) in enumerate(box.vertices))
    (tmp_path / "a.ply").write_text(
        head + lines + "".join("3 " + " ".join(map(str, f)) + "\n" for f in box.faces)
    )
    result = run(Request(tmp_path / "a.ply", tmp_path, find_sheet("metre-yup-pbr")))
    row = next(r for r in result.ledger.rows if r.requirement == "left-behind" and r.subject == "faces")
    assert row.verdict == "query" and row.place is not None and "broken numbers" in row.note
    assert any("broken numbers" in t for t in result.left)


def test_every_loss_is_counted_in_ledger_and_docket(tmp_path: Path) -> None:
    import json

    from tests.assets import lettered

    scene = lettered()
    nodes = tuple(replace(n, extras={"note": 1}) if i == 0 else n for i, n in enumerate(scene.nodes))
    result = ported(replace(scene, nodes=nodes), "one-mesh-kit", tmp_path)
    kinds = {r.subject for r in result.ledger.rows if r.requirement == "left-behind"}
    assert kinds >= {"cameras", "lights", "skins", "clips", "morphs", "extras"}, kinds
    assert result.folder is not None, open_rows(result)
    body = json.loads((result.folder / "docket.json").read_text())
    assert {x["kind"] for x in body["left_behind"]} >= kinds


# -- cleared, and accepted by the landing too


@pytest.mark.parametrize("sheet", ["centimetre-zup-lh", "clips-apart-kit", "split-rig-kit"])
def test_two_skins_of_one_skeleton_and_two_parts_of_one_material_are_counted_as_written(
    sheet: str, tmp_path: Path
) -> None:
    from tests.motion.test_flat_rigs import flat

    scene = flat("two meshes")
    both = replace(scene.skins[0], key=key("skin", 1), joints=scene.skins[0].joints[:2],
                   inverse_bind=frozen(scene.skins[0].inverse_bind[:2], np.float64))  # fmt: skip
    part = scene.meshes[0].primitives[0]
    meshes = (
        replace(scene.meshes[0], primitives=(part, replace(part, key=key("primitive", 9)))),
        scene.meshes[1],
    )
    nodes = tuple(replace(n, skin=1) if n.name == "other" else n for n in scene.nodes)
    result = ported(
        replace(scene, meshes=meshes, nodes=nodes, skins=(*scene.skins, both), name="two"), sheet, tmp_path
    )
    assert result.error is None and result.folder is not None and result.accepted, (
        result.error,
        open_rows(result),
    )


def test_a_texture_out_of_the_folder_is_missing_and_found_where_a_person_says(tmp_path: Path) -> None:
    (tmp_path / "far").mkdir()
    PIL.Image.fromarray(ramp(U, V, 0.5)).save(tmp_path / "far" / "skin.png")
    (tmp_path / "near").mkdir()
    (tmp_path / "near" / "a.mtl").write_text("newmtl m\nmap_Kd ../far/skin.png\n")
    lines = "mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 1 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nusemtl m\nf 1/1 2/2 3/3\n"
    (tmp_path / "near" / "a.obj").write_text(lines)
    ask = Request(
        tmp_path / "near" / "a.obj", tmp_path / "near", find_sheet("metre-yup-pbr"), out=tmp_path / "out"
    )
    alone = run(ask)
    assert alone.error is None and open_rows(alone)["texture-missing"] == "held"
    found = run(replace(ask, search=(tmp_path / "far",)))
    assert found.folder is not None and any("find" in s.step for s in found.route.stops), open_rows(found)  # type: ignore[union-attr]


# -- what is not read yet says so


def test_an_extension_nobody_knows_is_said_and_refused_where_it_is_required(tmp_path: Path) -> None:
    import json

    name = "EXT_of_nobody"
    path = saved(scene_of(letter_primitive(0, material=None)), tmp_path / "thing.gltf")
    body = json.loads(path.read_text())
    body["extensionsUsed"] = [name]
    body["nodes"][0]["extensions"] = {name: {}}
    path.write_text(json.dumps(body))
    result = run(Request(path, tmp_path, find_sheet("metre-yup-pbr")))
    row = next(r for r in result.ledger.rows if r.requirement == "extensions" and r.subject == name)
    assert row.verdict == "query" and "Not understood" in row.note and "goes back where it stood" in row.note
    assert any(name in t for t in result.left)
    body["extensionsRequired"] = [name]
    path.write_text(json.dumps(body))
    refused = run(Request(path, tmp_path, find_sheet("metre-yup-pbr")))
    assert refused.error is not None and name in str(refused.error)
