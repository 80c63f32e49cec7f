"""Assets drawn at random, written and read again in every format that carries them, before assimp, trimesh
and pygltflib.
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from pygltflib import GLTF2
from scipy.spatial import cKDTree

from customs.errors import WriteError
from customs.formats.registry import get_format
from customs.motion.curves.track import frame_rate
from customs.scene.model import Scene
from customs.scene.transforms import compose
from customs.scene.tree import mesh_nodes, world_matrices
from tests.assets import loaded, saved
from tests.drawn import SHAPES, drawn_scene, poses
from tests.outside.judges import judge_scene, validate

SEEDS = range(6)


def off(a: Scene, b: Scene) -> float:
    """Farthest any vertex of one is from the other's, at all moments, as a share of the size; order does not
    count.
    """
    worst = 0.0
    for p, q in zip(poses(a), poses(b), strict=True):
        size = float(np.linalg.norm(np.ptp(p, axis=0)))
        worst = max(worst, cKDTree(p).query(q)[0].max() / size, cKDTree(q).query(p)[0].max() / size)
    return worst


@pytest.mark.parametrize("ending", ["glb", "gltf"])
@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize("seed", SEEDS)
def test_gltf_carries_everything_as_it_is(seed: int, shape: str, ending: str, tmp_path: Path) -> None:
    scene = drawn_scene(seed, shape)
    again = loaded(saved(scene, tmp_path / f"a.{ending}"))
    assert [n.name for n in again.nodes] == [n.name for n in scene.nodes]
    assert [n.children for n in again.nodes] == [n.children for n in scene.nodes]
    for a, b in zip(world_matrices(scene), world_matrices(again)):
        assert np.abs(a - b).max() < 1e-5
    for m, k in zip(scene.meshes, again.meshes, strict=True):
        assert m.target_names == k.target_names
        for p, q in zip(m.primitives, k.primitives, strict=True):
            for name in ("positions", "indices", "normals", "weights"):
                one, other = getattr(p, name), getattr(q, name)
                assert (one is None) == (other is None) and (one is None or np.array_equal(one, other)), name
            if p.joints is not None:
                # A joint without a weight is written as 0 (glTF 2.0, 3.7.3.1).
                assert (
                    q.joints is not None
                    and p.weights is not None
                    and np.array_equal(np.where(p.weights > 0, p.joints, 0), q.joints)
                )
            assert all(np.array_equal(a, b) for a, b in zip(p.texcoords, q.texcoords, strict=True))
            assert all(np.abs(a - b).max() < 1e-2 for a, b in zip(p.colours, q.colours, strict=True))
    for c, d in zip(scene.clips, again.clips, strict=True):
        assert {(x.node, x.path, x.interpolation, len(x.times)) for x in c.channels} == {
            (x.node, x.path, x.interpolation, len(x.times)) for x in d.channels
        }
    for p, q in zip(poses(scene), poses(again), strict=True):
        assert np.abs(p - q).max() < 1e-4


def test_the_validator_finds_nothing_in_any(tmp_path: Path) -> None:
    """Khronos glTF validator. A sheared matrix is what it warns of, and what the ledger holds."""
    paths = [
        saved(drawn_scene(seed, shape), tmp_path / f"{shape}_{seed}.glb")
        for seed in range(3)
        for shape in SHAPES[:3]
    ]
    assert validate(paths) == []


@pytest.mark.parametrize("seed", SEEDS)
def test_pygltflib_finds_the_same_numbers(seed: int, tmp_path: Path) -> None:
    scene = drawn_scene(seed, "stretched")
    judge = GLTF2().load(str(saved(scene, tmp_path / "a.glb")))
    assert [n.name for n in judge.nodes] == [n.name for n in scene.nodes]
    blob = judge.binary_blob()
    for mesh, said in zip(scene.meshes, judge.meshes, strict=True):
        view = judge.accessors[said.primitives[0].attributes.POSITION]
        buffer = judge.bufferViews[view.bufferView]
        start = (buffer.byteOffset or 0) + (view.byteOffset or 0)
        found = np.frombuffer(blob, np.float32, view.count * 3, start).reshape(-1, 3)
        assert np.array_equal(found, mesh.primitives[0].positions)
        assert view.min == pytest.approx(found.min(axis=0).tolist()) and view.max == pytest.approx(
            found.max(axis=0).tolist()
        )
    assert judge.skins[0].joints == list(scene.skins[0].joints)
    assert [len(a.channels) for a in judge.animations] == [len(c.channels) for c in scene.clips]


@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize("seed", SEEDS)
def test_fbx_keeps_every_pose(seed: int, shape: str, tmp_path: Path) -> None:
    """Read again through libassimp, pivots kept apart; steps come as straight lines with a key a hair before
    each jump.
    """
    scene = drawn_scene(seed, shape, ("linear", "step"))
    if any(n.matrix is not None for n in scene.nodes):
        with pytest.raises(WriteError, match="sheared"):
            saved(scene, tmp_path / "a.fbx")
        return
    path = saved(scene, tmp_path / "a.fbx")
    again = loaded(path)
    assert off(scene, again) < 2e-3
    assert {n.name for n in scene.nodes} <= {n.name for n in again.nodes}
    assert [frame_rate(c) > 0 for c in again.clips] == [True, True]
    most = max(
        int(np.count_nonzero(p.weights, axis=1).max())
        for m in again.meshes
        for p in m.primitives
        if p.weights is not None
    )
    assert most == 8, "eight influences stay eight"
    if shape == "even":
        # The library says nothing of the morph weights at rest.
        level = replace(scene, meshes=tuple(replace(m, weights=None) for m in scene.meshes))
        assert off(level, judge_scene(saved(level, tmp_path / "level.fbx"))) < 2e-3, (
            "assimp itself sees the same"
        )


@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize("seed", SEEDS)
def test_collada_keeps_every_pose(seed: int, shape: str, tmp_path: Path) -> None:
    scene = drawn_scene(seed, shape, ("linear", "step"))
    still = replace(
        scene,
        meshes=tuple(
            replace(
                m,
                weights=None,
                target_names=(),
                primitives=tuple(replace(p, targets=()) for p in m.primitives),
            )
            for m in scene.meshes
        ),
        clips=tuple(
            replace(c, channels=tuple(x for x in c.channels if x.path != "weights")) for c in scene.clips
        ),
    )
    again = loaded(saved(still, tmp_path / "a.dae"))
    assert off(still, again) < 2e-3
    assert [c.name for c in again.clips] == [c.name for c in still.clips]


@pytest.mark.parametrize("ending", ["obj", "ply", "stl"])
@pytest.mark.parametrize("seed", SEEDS)
def test_formats_without_a_tree_are_what_trimesh_reads(seed: int, ending: str, tmp_path: Path) -> None:
    """What stands still is written where it stands."""
    from customs.job import Job
    from customs.route.step import get_step
    from tests.route.test_steps import NOTHING

    scene = drawn_scene(seed, "mirrored")
    for step, values in (("static", {}), ("leave-out", {"morphs": True}), ("settle", {}), ("flatten", {})):
        entry = get_step(step)
        scene = entry.apply(scene, entry.settings(**values), NOTHING, Job()).scene
    path = saved(scene, tmp_path / f"a.{ending}")
    judge = trimesh.load(path, process=False, force="mesh")
    mine = poses(scene, 0)[0]
    reach = np.linalg.norm(np.ptp(mine, axis=0))
    points = np.asarray(judge.vertices)
    assert (
        cKDTree(points).query(mine)[0].max() < 1e-5 * reach
        and cKDTree(mine).query(points)[0].max() < 1e-5 * reach
    )
    triangles = sum(
        len(p.indices) // 3
        for n in mesh_nodes(scene)
        for p in scene.meshes[scene.nodes[n].mesh or 0].primitives
    )
    assert len(judge.faces) == triangles
    assert get_format(ending).carries is not None


def test_a_drawn_tree_is_what_its_matrices_say() -> None:
    """Against plain recursion by the glTF 2.0 rule: a node's global transform is its parent's times its own
    (3.5.3).
    """
    scene = drawn_scene(4, "sheared")

    def placed(number: int, above: np.ndarray) -> dict[int, np.ndarray]:
        n = scene.nodes[number]
        own = n.matrix if n.matrix is not None else compose(n.translation, n.rotation, n.scale)
        out = {number: above @ own}
        for c in n.children:
            out |= placed(c, above @ own)
        return out

    wanted: dict[int, np.ndarray] = {}
    for root in scene.roots:
        wanted |= placed(root, np.eye(4))
    for k, m in enumerate(world_matrices(scene)):
        assert np.abs(m - wanted[k]).max() < 1e-12
