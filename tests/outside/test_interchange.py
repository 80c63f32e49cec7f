"""FBX, COLLADA and BVH before libassimp (package cmeel-assimp) and the models of the Debian package
assimp-testmodels.
"""

from __future__ import annotations

import os
import signal
import threading
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from scipy.spatial import cKDTree

from customs.aside.ask import Limits, ask_aside, keeper
from customs.errors import CustomsError, LimitError, ReadError, UnsupportedError
from customs.formats.collada.read import PROPERTIES as DAE
from customs.formats.fbx.read import PROPERTIES as FBX
from customs.formats.fbx.read import stated_convention
from customs.formats.interchange import call
from customs.formats.interchange.build import read_through, scene_of
from customs.formats.interchange.call import import_through
from customs.formats.registry import WriteOptions, get_format
from customs.formats.source import Source
from customs.geometry.counts import counts
from customs.intake.take import take
from customs.motion.curves.track import local_track, world_track
from customs.motion.posing.pose import posed_scene_points
from customs.scene.model import Scene
from tests.motion.rigs import bar, lighter
from tests.outside.judges import MODELS, judge_scene

FILES = sorted(p for p in MODELS.rglob("*") if p.suffix.lower() in (".fbx", ".dae", ".zae", ".bvh"))
REFUSED = {"transparentTest.fbx"}
"""Cut off in the package itself: the program assimp refuses it too."""
SOUND = [p for p in FILES if p.suffix.lower() == ".fbx" and p.name not in REFUSED]


def written(scene: Scene, form: str, folder: Path, name: str = "out") -> Path:
    """A scene as a file of another format, textures inside or left behind."""
    parts = get_format(form).write(scene, WriteOptions(name))  # type: ignore[misc]
    path = folder / f"{name}.{form}"
    with path.open("wb") as out:
        out.writelines(parts[f".{form}"])
    return path


def farthest(a: Scene, b: Scene) -> float:
    """Largest distance between posed vertices of two scenes, at rest and at seven times of every clip, over
    their size.
    """
    frames = [(posed_scene_points(a), posed_scene_points(b))]
    assert len(a.clips) == len(b.clips)
    for one, other in zip(a.clips, b.clips):
        assert abs(one.seconds - other.seconds) < 1e-3
        frames += [
            (posed_scene_points(a, one, t), posed_scene_points(b, other, t))
            for t in np.linspace(0, one.seconds, 7)
        ]
    worst = 0.0
    for p, q in frames:
        p, q = np.concatenate(p), np.concatenate(q)
        reach = float(np.linalg.norm(np.ptp(p, axis=0)))
        worst = max(worst, cKDTree(p).query(q)[0].max() / reach, cKDTree(q).query(p)[0].max() / reach)
    return worst


def test_the_models_are_there() -> None:
    assert len(FILES) > 45


@pytest.mark.parametrize("path", FILES, ids=lambda p: p.relative_to(MODELS).as_posix())
def test_every_file_comes_in_or_is_refused_clearly(path: Path) -> None:
    try:
        scene = take(path).scene
    except CustomsError as problem:
        assert path.name in REFUSED or "invalid" in path.parts, problem
        assert str(path) in str(problem) and problem.expected
        return
    assert (
        path.name not in REFUSED and scene.nodes and scene.convention.stated in ("file", "format", "assumed")
    )
    assert counts(scene)["nodes"] > 0
    for p in (p for m in scene.meshes for p in m.primitives):
        assert np.isfinite(p.positions).all() and (p.indices is None or p.indices.max() < len(p.positions))


@pytest.mark.parametrize("path", SOUND, ids=lambda p: p.name)
def test_pivots_fold_as_the_library_collapses_them(path: Path) -> None:
    assert farthest(judge_scene(path), take(path).scene) < 1e-6


@pytest.mark.parametrize("path", [*SOUND, "stork"], ids=lambda p: getattr(p, "name", p))
def test_there_and_back_through_glb(path: Path | str, goods: dict[str, Path], tmp_path: Path) -> None:
    """Acceptance: FBX → GLB → FBX keeps posed vertices within 1e-3 of the size."""
    first = take(goods["watering_stork"]).scene if path == "stork" else take(Path(path)).scene
    if path == "stork":
        first = take(written(first, "fbx", tmp_path, "stork")).scene
    first = replace(first, images=(), materials=tuple(replace(m, textures={}) for m in first.materials))
    middle = take(written(first, "glb", tmp_path, "middle")).scene
    last = take(written(middle, "fbx", tmp_path, "last")).scene
    assert farthest(first, last) < 1e-3
    before, after = counts(first), counts(last)
    assert before["triangles"] == after["triangles"] and before["joints"] == after["joints"]


@pytest.mark.parametrize("form", ["fbx", "dae"])
@pytest.mark.parametrize(
    "id_", ["watering_stork", "gardener", "hedgehog", "house_warden", "seed_cart", "fern_bed"]
)
def test_goods_written_and_read_again(form: str, id_: str, goods: dict[str, Path], tmp_path: Path) -> None:
    scene = take(goods[id_]).scene
    again = take(written(scene, form, tmp_path)).scene
    assert farthest(scene, again) < 1e-5
    a, b = counts(scene), counts(again)
    assert {k: v for k, v in a.items() if k != "textures"} == {k: v for k, v in b.items() if k != "textures"}
    assert [c.name for c in scene.clips] == [c.name for c in again.clips]
    assert {n.name for n in scene.nodes} <= {n.name for n in again.nodes}
    if id_ == "watering_stork":
        most = max(int(np.count_nonzero(p.weights, axis=1).max()) for m in again.meshes for p in m.primitives)
        assert most == 6, "six influences stay six"
    if form == "fbx" and id_ == "gardener":
        assert ("happy", "blink") in [m.target_names for m in again.meshes]


def test_units_axes_and_rate_are_kept_as_stated(tmp_path: Path) -> None:
    from customs.conventions.convert import change_convention
    from customs.scene.convention import WORKING, Convention

    for c in (Convention("+Z", "-Y", "right", 0.01, v="up"), Convention("+Z", "+X", "left", 0.01, "cw", v="up"),
              Convention("+Y", "+Z", "right", 1.0, v="up"), Convention("+Z", "-Y", "right", 0.0254, v="up")):  # fmt: skip
        again = take(written(change_convention(bar(), c, WORKING), "fbx", tmp_path)).scene
        said = again.convention
        assert (said.up, said.faces, said.hand, said.metres_per_unit) == (
            c.up,
            c.faces,
            c.hand,
            c.metres_per_unit,
        )
        assert again.clips[0].extras["rate"] == 30
        back = change_convention(
            again, WORKING, Convention(c.up, c.faces, c.hand, c.metres_per_unit, c.front, v="up")
        )
        assert farthest(bar(), back) < 1e-5
    zup = change_convention(bar(), Convention("+Z", "-Y", "right", 0.01, v="up"), WORKING)
    assert take(written(zup, "dae", tmp_path)).scene.convention.metres_per_unit == 0.01
    with pytest.raises(CustomsError, match="left-handed"):
        written(
            change_convention(bar(), Convention("+Z", "+X", "left", 0.01, "cw", v="up"), WORKING),
            "dae",
            tmp_path,
        )


def test_odd_axes_and_units_of_a_file_are_put_right_and_said() -> None:
    source = Source(FILES[0])
    odd = {"UpAxis": 1, "FrontAxis": 1, "CoordAxis": 0, "UnitScaleFactor": 0.0}
    assert (
        stated_convention(odd, source).metres_per_unit == 0.01 and stated_convention(odd, source).up == "+Y"
    )
    assert len(source.remarks) == 4


def test_takes_are_the_librarys(tmp_path: Path) -> None:
    path = MODELS / "BVH" / "Boxing_Toes.bvh"
    mine = take(path).scene
    source = Source(path)
    theirs = scene_of(read_through(source, {}, "BVH"), source, mine.convention)
    times = np.linspace(0, mine.clips[0].seconds, 9)
    a, b = (world_track(s, local_track(s, s.clips[0], times)) for s in (mine, theirs))
    names = [n.name for n in theirs.nodes]
    for i, node in enumerate(mine.nodes):
        if node.name in names:
            assert np.abs(a[:, i, :3, 3] - b[:, names.index(node.name), :3, 3]).max() < 1e-3


def test_a_skin_bound_twice_and_meshes_shared_come_once(tmp_path: Path) -> None:
    scene = take(written(lighter(), "fbx", tmp_path)).scene
    assert len(scene.skins) == 1 and scene.skins[0].root is not None and len(scene.skins[0].joints) == 21


# -- the child


def test_a_file_that_takes_too_long_is_given_up(tmp_path: Path) -> None:
    big = MODELS / "BVH" / "01_03.bvh"
    began = time.monotonic()
    with pytest.raises(LimitError, match="still not read after") as problem:
        import_through(big, {}, Limits(seconds=0.001))
    assert time.monotonic() - began < 5 and str(big) in str(problem.value)
    assert import_through(big, {}).header["animations"], "the next one is read as ever"


def test_too_much_memory_and_too_much_said() -> None:
    path = MODELS / "Collada" / "human.zae"
    with pytest.raises((LimitError, ReadError)):
        import_through(path, DAE, Limits(memory=90 * 1024**2))
    with pytest.raises(LimitError, match="holds more than is taken over"):
        import_through(path, DAE, Limits(bytes=4096))
    assert counts(take(path).scene)["triangles"] > 20_000


def test_the_keeper_may_die_and_is_started_again() -> None:
    path = MODELS / "FBX" / "box.fbx"
    import_through(path, FBX)
    assert keeper.pid is not None
    os.kill(keeper.pid, signal.SIGKILL)
    time.sleep(0.1)
    assert import_through(path, FBX).header["meshes"]


def test_a_child_that_is_killed_is_a_broken_file_and_no_more(monkeypatch: pytest.MonkeyPatch) -> None:
    path = MODELS / "FBX" / "box.fbx"
    monkeypatch.setattr(keeper, "ask", lambda question: {"ended": "killed", "signal": int(signal.SIGSEGV)})
    with pytest.raises(ReadError, match=r"broke down \(SIGSEGV\)"):
        import_through(path, FBX)


def test_without_the_library_it_says_what_to_install(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(call, "find_library", lambda: None)
    with pytest.raises(UnsupportedError, match="pip install cmeel-assimp") as problem:
        import_through(MODELS / "FBX" / "box.fbx", FBX)
    assert "box.fbx" in str(problem.value)
    # So it is with whatever else a child should work with.
    with pytest.raises(UnsupportedError, match="is not here") as problem:
        ask_aside("customs.no_such_work", {}, MODELS / "FBX" / "box.fbx")
    assert "box.fbx" in str(problem.value)


def test_several_threads_may_ask() -> None:
    out: list[int] = []
    path = MODELS / "FBX" / "spider.fbx"
    threads = [
        threading.Thread(target=lambda: out.append(len(import_through(path, FBX).header["meshes"])))
        for _ in range(4)
    ]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert out == [19] * 4


def test_a_file_of_another_kind_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "not.dae"
    path.write_bytes((MODELS / "BVH" / "Boxing_Toes.bvh").read_bytes()[:3000])
    with pytest.raises(CustomsError):
        get_format("dae").read(Source(path))
    empty = tmp_path / "empty.fbx"
    empty.write_bytes(b"Kaydara FBX Binary  \x00\x1a\x00")
    with pytest.raises(CustomsError) as problem:
        take(empty)
    assert "empty.fbx" in str(problem.value)
