"""Clips under a donor: what they shift and scale beside turning goes along, and a donor's own names stay its
own.
"""

from __future__ import annotations

import fnmatch
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from customs.job import Job
from customs.motion.curves.track import local_track, world_track
from customs.motion.rig.retarget import Retargeting, retarget, unpaired
from customs.motion.skeleton.skeleton import skeleton_of
from customs.route.step import NOTHING, get_step, make_settings
from customs.scene.model import Scene
from customs.work.asset import Request, prepare
from customs.work.donors import read_donor
from customs.work.lookup import find_sheet
from tests.assets import saved
from tests.drawn import drawn_scene
from tests.motion.rigs import lighter, warden


def joints_at(scene: Scene, clip: object, times: np.ndarray) -> np.ndarray:
    """World matrices (T, J, 4, 4) of the joints."""
    world = world_track(scene, local_track(scene, clip, times))  # type: ignore[arg-type]
    return world[:, list(skeleton_of(scene, (0,)).nodes)]


@pytest.mark.parametrize("size", [1.0, 0.5, 3.0])
@pytest.mark.parametrize("seed", range(4))
def test_onto_the_same_skeleton_every_joint_goes_where_it_went(seed: int, size: float) -> None:
    scene = drawn_scene(seed, ways=("linear",))
    step = get_step("scale")
    target = step.apply(scene, make_settings(step, {"factor": size}), NOTHING, Job()).scene
    s, t = skeleton_of(scene, (0,)), skeleton_of(target, (0,))
    way = Retargeting(scene, s, replace(target, clips=()), t, {k: k for k in range(s.count)})
    for clip in scene.clips:
        times = np.linspace(0, clip.seconds, 9)
        new = retarget(way, clip, times)
        before, after = joints_at(scene, clip, times), joints_at(target, new, times)
        wanted = before.copy()
        wanted[..., :3, 3] *= size
        assert np.abs(after - wanted).max() < 2e-4 * max(1.0, float(np.abs(wanted).max())), clip.name
        assert {c.path for c in new.channels} >= {c.path for c in clip.channels if c.node in s.nodes}
        assert not unpaired(way, clip) or any(c.node not in s.nodes for c in clip.channels)


def test_what_has_no_pair_is_named() -> None:
    scene = drawn_scene(1, ways=("linear",))
    s = skeleton_of(scene, (0,))
    moved = {c.node for clip in scene.clips for c in clip.channels if c.node in s.nodes}
    leaf = next(k for k in reversed(range(s.count)) if s.nodes[k] in moved)
    way = Retargeting(scene, s, scene, s, {k: k for k in range(s.count) if k != leaf})
    assert scene.nodes[s.nodes[leaf]].name in {n for clip in scene.clips for n in unpaired(way, clip)}


def test_the_donors_names_stay_though_the_sheet_would_have_others(tmp_path: Path) -> None:
    giver = warden()
    joints = {j for s in giver.skins for j in s.joints}
    dotted = replace(
        giver,
        nodes=tuple(replace(n, name=f"{n.name}.Ä") if i in joints else n for i, n in enumerate(giver.nodes)),
    )
    donor = read_donor(saved(dotted, tmp_path / "donor" / "warden.glb"))
    path = saved(lighter(), tmp_path / "goods" / "lighter.glb")
    done = prepare(Request(path, path.parent, find_sheet("donor-skeleton-kit"), donor=donor))
    final = done.passed[-1].scene
    names = [final.nodes[j].name for s in final.skins for j in s.joints]
    assert names and all(fnmatch.fnmatchcase(n, "*.Ä") for n in names)
    assert not {"names-legal", "donor-joints", "donor-order"} & {r.requirement for r in done.ledger.open()}
