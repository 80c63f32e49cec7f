"""What we read against what other people's readers read, on files that are not ours."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pygltflib
import pytest
import trimesh

from customs.geometry.triangles import area, triangles_of
from customs.motion.posing.pose import posed_scene_points
from customs.scene.model import Scene
from customs.scene.tree import mesh_nodes
from tests.assets import lettered, loaded, saved
from tests.outside.judges import MODELS, assimp_info, validate

GLB = "glTF2/2CylinderEngine-glTF-Binary/2CylinderEngine.glb"
FILES = [GLB, "glTF2/BoxTextured-glTF/BoxTextured.gltf", "OBJ/spider.obj", "OBJ/WusonOBJ.obj", "PLY/Wuson.ply", "PLY/cube_binary.ply",
         "STL/Spider_binary.stl", "STL/Wuson.stl"]  # fmt: skip


def surface(scene: Scene) -> tuple[np.ndarray, int]:
    """(corners of all faces in the world, number of triangles)."""
    prims = [q for n in mesh_nodes(scene) for q in scene.meshes[scene.nodes[n].mesh or 0].primitives]
    corners = [p[triangles_of(q).reshape(-1)] for p, q in zip(posed_scene_points(scene), prims)]
    whole = np.concatenate(corners)
    return whole, len(whole) // 3


@pytest.mark.parametrize("name", FILES)
def test_triangles_and_bounds_as_trimesh_and_assimp_read_them(name: str) -> None:
    scene = loaded(MODELS / name)
    corners, triangles = surface(scene)
    reach = float(np.linalg.norm(corners.max(axis=0) - corners.min(axis=0)))
    info = assimp_info(MODELS / name)
    if (
        name != GLB
    ):  # assimp's program takes boxes of boxes through turned nodes, which is larger than the box of the points
        assert np.abs(info["minimum"] - corners.min(axis=0)).max() < 1e-4 * reach
    if name not in (GLB, "OBJ/spider.obj"):  # there assimp leaves out faces whose corners repeat
        assert info["faces"] == triangles
    judge = trimesh.load(MODELS / name, process=False, force="scene", skip_materials=True)
    read = [
        judge.geometry[g].copy().apply_transform(t)
        for t, g in (judge.graph[n] for n in judge.graph.nodes_geometry)
    ]
    assert sum(len(m.faces) for m in read) == triangles
    theirs = np.concatenate([m.vertices[m.faces.reshape(-1)] for m in read])
    assert np.abs(theirs.min(axis=0) - corners.min(axis=0)).max() < 1e-5 * reach
    assert np.abs(theirs.max(axis=0) - corners.max(axis=0)).max() < 1e-5 * reach
    mine = area(corners, np.arange(len(corners), dtype=np.uint32).reshape(-1, 3))
    assert mine == pytest.approx(
        trimesh.Trimesh(theirs, np.arange(len(theirs)).reshape(-1, 3), process=False).area, rel=1e-4
    )


def test_accessors_as_pygltflib_reads_them() -> None:
    # outside judge: pygltflib for the document, numpy on its binary blob for the numbers
    scene, judge = loaded(MODELS / GLB), pygltflib.GLTF2().load(str(MODELS / GLB))
    blob = judge.binary_blob()
    assert len(scene.meshes) == len(judge.meshes) and len(scene.nodes) == len(judge.nodes)
    for mesh, theirs in zip(scene.meshes, judge.meshes):
        for prim, other in zip(mesh.primitives, theirs.primitives):
            accessor = judge.accessors[other.attributes.POSITION]
            view = judge.bufferViews[accessor.bufferView]
            start = (view.byteOffset or 0) + (accessor.byteOffset or 0)
            stride = view.byteStride or 12
            raw = np.frombuffer(blob, np.uint8)[start : start + stride * (accessor.count - 1) + 12]
            values = (
                np.lib.stride_tricks.as_strided(raw, (accessor.count, 12), (stride, 1)).copy().view("<f4")
            )
            assert (values == prim.positions).all()


def test_what_we_write_is_what_pygltflib_reads(tmp_path: Path) -> None:
    scene = lettered()
    judge = pygltflib.GLTF2().load(str(saved(scene, tmp_path / "f.glb")))
    assert [n.name for n in judge.nodes] == [n.name for n in scene.nodes]
    assert judge.nodes[4].skin == 0 and judge.skins[0].joints == [1, 2, 3]
    assert [c.target.path for c in judge.animations[0].channels] == [
        "rotation",
        "translation",
        "translation",
        "scale",
        "weights",
    ]
    assert [s.interpolation for s in judge.animations[0].samplers] == [
        None,
        "STEP",
        "CUBICSPLINE",
        None,
        None,
    ] or all(s.interpolation for s in judge.animations[0].samplers)
    assert judge.extensionsUsed == ["KHR_lights_punctual"]


@pytest.mark.parametrize("ending", ["glb", "gltf"])
def test_the_validator_finds_nothing_in_the_letter(ending: str, tmp_path: Path) -> None:
    assert validate([saved(lettered(), tmp_path / f"f.{ending}")]) == []


def test_the_validator_finds_nothing_in_every_kind_of_material(tmp_path: Path) -> None:
    from tests.formats.test_gltf import textured

    # Tangents are there, variants and all seven extensions too.
    complaints = validate([saved(textured(tmp_path), tmp_path / f"m.{e}") for e in ("glb", "gltf")])
    assert complaints == []


@pytest.mark.parametrize("ending", ["obj", "ply", "stl"])
def test_what_we_write_is_what_trimesh_reads(ending: str, tmp_path: Path) -> None:
    from customs.job import Job
    from customs.route.step import NOTHING, get_step, make_settings

    step = get_step("static")
    rest = get_step("leave-out")
    plain = rest.apply(lettered(), make_settings(rest, {"morphs": True}), NOTHING, Job()).scene
    still = step.apply(plain, step.settings(), NOTHING, Job()).scene
    corners, triangles = surface(still)
    judge = trimesh.load(saved(still, tmp_path / f"f.{ending}"), process=False, force="mesh")
    assert len(judge.faces) == triangles
    theirs = judge.vertices[judge.faces.reshape(-1)]
    assert np.abs(np.sort(theirs, axis=0) - np.sort(corners, axis=0)).max() < 2e-5
