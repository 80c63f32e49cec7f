"""Clips cut, joined, retimed, closed, taken off the ground and reduced."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.spatial.transform import Rotation, Slerp

from customs.motion.clips.loop import closed, seam
from customs.motion.clips.ranges import look_at
from customs.motion.clips.retime import at_rate, backwards, faster
from customs.motion.clips.travel import in_place, to_node, travel_of
from customs.motion.curves.cut import cut, joined, straight
from customs.motion.curves.euler import euler_degrees
from customs.motion.curves.keys import sample, slerp, slope
from customs.motion.curves.reduce import Tolerance, errors, reduced, without_idle
from customs.motion.curves.track import frame_rate, frame_times, local_track, spread_times, world_track
from customs.motion.posing.bind import at_bind_pose, bind_error
from customs.motion.posing.deviation import deviation, posed
from customs.scene.arrays import frozen
from customs.scene.model import Channel, Clip, Scene
from customs.scene.transforms import continuous, decompose_all, matrix_quaternion, quaternion_matrix
from tests.assets import key
from tests.motion.rigs import bar, bend, turning

TIMES = np.arange(31) / 30


def rng() -> np.random.Generator:
    return np.random.default_rng(5)


def test_slerp_and_quaternions_are_scipys() -> None:
    a, b = Rotation.random(40, random_state=1), Rotation.random(40, random_state=2)
    for t in (0.0, 0.3, 1.0):
        mine = slerp(a.as_quat(), b.as_quat(), np.full(40, t))
        for k in range(40):
            theirs = Slerp([0, 1], Rotation.concatenate([a[k], b[k]]))(t)
            assert (Rotation.from_quat(mine[k]) * theirs.inv()).magnitude() < 1e-7
    many = Rotation.random(500, random_state=3)
    back = matrix_quaternion(many.as_matrix())
    assert np.abs(quaternion_matrix(back) - many.as_matrix()).max() < 1e-12 and (back[:, 3] >= 0).all()


def test_angles_are_scipys_and_never_jump() -> None:
    turn = Rotation.from_rotvec(np.outer(np.linspace(0, 9, 400), [0.6, 1.0, -0.4]))
    mine = euler_degrees(turn.as_quat())
    assert (Rotation.from_euler("xyz", mine, degrees=True) * turn.inv()).magnitude().max() < 1e-6
    smooth = Rotation.from_euler(
        "xyz", np.c_[np.linspace(0, 720, 300), np.linspace(-60, 60, 300), np.zeros(300)], degrees=True
    )
    assert np.abs(np.diff(euler_degrees(smooth.as_quat()), axis=0)).max() < 5, (
        "two whole turns without a jump"
    )
    locked = Rotation.from_euler("xyz", [[30, 90, 20]], degrees=True)
    assert (
        Rotation.from_euler("xyz", euler_degrees(locked.as_quat()), degrees=True) * locked.inv()
    ).magnitude().max() < 1e-6


def test_matrices_come_apart_and_together() -> None:
    m = np.eye(4) + np.zeros((20, 1, 1))
    m[:, :3, :3] = Rotation.random(20, random_state=4).as_matrix() * rng().uniform(0.5, 2, (20, 1, 3))
    m[::2, :3, 0] *= -1
    t, q, s, shear = decompose_all(m)
    again = quaternion_matrix(q) * s[:, None, :]
    assert np.abs(again - m[:, :3, :3]).max() < 1e-9 and shear < 1e-9 and np.abs(t).max() == 0
    m[0, 0, 1] += 0.5
    assert decompose_all(m)[3] > 0.05
    q = Rotation.random(9, random_state=1).as_quat()
    assert (np.einsum("ij,ij->i", continuous(q)[1:], continuous(q)[:-1]) >= 0).all()


@pytest.mark.parametrize("kind", ["linear", "step", "cubic"])
def test_a_cut_plays_what_the_take_played(kind: str) -> None:
    values = rng().normal(size=(6, 3))
    if kind == "cubic":
        values = rng().normal(size=(6, 3, 3))
    channel = Channel(0, "translation", frozen([0, 0.3, 0.7, 1.1, 1.6, 2.0]), frozen(values), kind)  # type: ignore[arg-type]
    part = cut(Clip(key("clip", 0), "take", (channel,)), 0.5, 1.4, "part", 0)
    assert part.made_from == (key("clip", 0),) and abs(part.seconds - 0.9) < 1e-6
    inside = np.linspace(0.01, 0.89, 40)
    assert np.abs(sample(part.channels[0], inside) - sample(channel, inside + 0.5)).max() < 2e-5
    still = cut(Clip(key("clip", 0), "take", (channel,)), 1.0, 1.0, "still", 1)
    assert len(still.channels[0].times) == 1


def test_the_slope_of_a_spline_is_its_difference() -> None:
    values = rng().normal(size=(4, 3, 3))
    channel = Channel(0, "translation", frozen([0, 0.5, 1.2, 2.0]), frozen(values), "cubic")
    t, h = np.linspace(0.05, 1.95, 30), 1e-5
    assert (
        np.abs(slope(channel, t) - (sample(channel, t + h) - sample(channel, t - h)) / (2 * h)).max() < 1e-3
    )


def test_cut_and_joined_is_the_take_again() -> None:
    take = bend(1, 2.0)
    parts = [cut(take, 0, 0.8, "a", 0), cut(take, 0.8, 2.0, "b", 1)]
    whole = joined(parts, "take")
    t = np.linspace(0, 2, 60)
    assert abs(whole.seconds - 2) < 1e-6
    assert np.abs(sample(whole.channels[0], t) - sample(take.channels[0], t)).max() < 1e-4
    mixed = joined([bend(1, 1.0), bend(2, 0.5)], "two", gap=0.5)
    assert mixed.seconds == 2.0 and {c.node for c in mixed.channels} == {1, 2}
    stepped = replace(take.channels[0], interpolation="step")
    assert np.abs(sample(straight(stepped), 0.51) - sample(stepped, 0.51)).max() < 1e-6


def test_faster_backwards_and_at_a_rate() -> None:
    take = bend(1, 2.0)
    c = take.channels[0]
    assert faster(take, 2).seconds == 1.0
    back = backwards(take)
    assert np.abs(sample(back.channels[0], 0.3) - sample(c, 1.7)).max() < 1e-4
    step = Clip(
        key("clip", 1),
        "s",
        (Channel(0, "scale", frozen([0, 1, 2]), frozen([[1, 1, 1], [2, 2, 2], [3, 3, 3]]), "step"),),
    )
    assert [float(sample(backwards(step).channels[0], t)[0]) for t in (0.5, 1.5, 2.0)] == [2, 1, 1]
    spline = Channel(0, "translation", frozen([0, 2]), frozen(np.ones((2, 3, 3))), "cubic")
    fast, flipped = (
        f(Clip(key("clip", 2), "c", (spline,))).channels[0] for f in (lambda c: faster(c, 2), backwards)
    )
    assert np.abs(sample(fast, 0.4) - sample(spline, 0.8)).max() < 1e-5
    assert np.abs(sample(flipped, 0.5) - sample(spline, 1.5)).max() < 1e-5
    sixty = at_rate(take, 60)
    assert len(sixty.channels[0].times) == 121 and frame_rate(sixty) == 60 and frame_rate(take) == 30
    assert len(frame_times(take, 24)) == 49 and len(spread_times(take, 5)) == 5


def take_of(*stretches: tuple[float, float]) -> Scene:
    """A bar that bends only within the stretches, at 25 frames a second, for 4 seconds."""
    times = np.arange(101) / 25
    angle = np.zeros(101)
    for a, b in stretches:
        inside = (times >= a) & (times <= b)
        angle[inside] = 50 * np.sin(2 * np.pi * (times[inside] - a) / (b - a)) ** 2
    return replace(bar(), clips=(Clip(key("clip", 0), "take", (turning(1, times, angle),)),))


def test_two_movements_in_one_take_are_found_by_the_rest_between() -> None:
    # common practice: frames 0–70 and 75–100 on one take are two clips
    scene = take_of((0.0, 2.8), (3.1, 4.0))
    found = look_at(scene, scene.clips[0], 25)
    frames = [(round(f.start * 25), round(f.end * 25)) for f in found.found]
    assert len(frames) == 2 and found.found[0].by == "rest" and len(found.rests) >= 1
    assert abs(frames[0][1] - 70) <= 3 and abs(frames[1][0] - 77) <= 3 and abs(frames[1][1] - 100) <= 2


def test_turns_without_a_rest_are_found_by_their_pose() -> None:
    times = np.arange(121) / 30
    scene = replace(
        bar(), clips=(Clip(key("clip", 0), "walk", (turning(1, times, 40 * np.sin(2 * np.pi * times)),)),)
    )
    found = look_at(scene, scene.clips[0], 30).found
    assert len(found) >= 3 and all(
        f.by == "pose" and f.loops and abs(f.end - f.start - 1) < 0.05 for f in found[:3]
    )


def test_a_loop_is_closed_smoothly() -> None:
    scene = bar()
    clip = Clip(key("clip", 0), "drift", (turning(1, TIMES, 40 * TIMES),))
    assert seam(scene, clip) > 0.1
    shut = closed(clip, 0.3, 30)
    assert seam(scene, shut) < 1e-6 and abs(shut.seconds - 1) < 1e-6
    early = np.linspace(0, 0.69, 20)
    assert np.abs(sample(shut.channels[0], early) - sample(clip.channels[0], early)).max() < 1e-5
    free = closed(clip, 0.3, 30, frozenset({(1, "rotation")}))
    assert seam(scene, free) > 0.1


def walking() -> tuple[Scene, Clip]:
    way = np.stack([0.1 * np.sin(TIMES * 9), 0.05 * np.cos(TIMES * 9), 2 * TIMES], axis=1)
    return bar(), Clip(
        key("clip", 0),
        "walk",
        (Channel(0, "translation", frozen(TIMES), frozen(way)), bend(1, 1.0).channels[0]),
    )


def test_travel_is_taken_out_and_given_to_another_node() -> None:
    scene, clip = walking()
    travel = travel_of(scene, clip)
    assert travel is not None and travel.node == 0 and abs(travel.speed - 2) < 0.01
    still, out = in_place(scene, clip, False)
    assert out is not None and np.ptp(still.channels[0].values[:, [0, 2]], axis=0).max() < 1e-6
    assert np.ptp(still.channels[0].values[:, 1]) > 0.05, "up and down stays"
    drift, _ = in_place(scene, clip, True)
    assert np.abs(drift.channels[0].values[-1, 2]) < 1e-5 and np.ptp(drift.channels[0].values[:, 0]) > 0.05
    parented = replace(scene, nodes=(*scene.nodes, replace(scene.nodes[4], key=key("node", 9), name="carrier", mesh=None, skin=None,
                                                          children=(0,))), roots=(5, 4))  # fmt: skip
    carried = to_node(parented, still, out, 5)
    a = world_track(scene, local_track(scene, clip, TIMES))[:, 3]
    b = world_track(parented, local_track(parented, carried, TIMES))[:, 3]
    assert np.abs(a - b).max() < 1e-5
    assert travel_of(scene, bend(1, 1.0)) is None


def test_keys_are_dropped_within_the_stated_error_and_no_more() -> None:
    times = frozen(np.arange(900) / 60)
    turn = Rotation.from_rotvec(
        np.stack([np.sin(times), 0.3 * np.cos(times * 2), 0 * times], axis=1)
    ).as_quat()
    place = np.stack([np.sin(times * 3), 0 * times, times], axis=1)
    clip = Clip(
        key("clip", 0),
        "c",
        (Channel(0, "rotation", times, frozen(turn)), Channel(0, "translation", times, frozen(place))),
    )
    for degrees, metres in ((0.2, 0.004), (1.0, 0.02)):
        fewer, worst = reduced(clip, Tolerance(metres, degrees))
        for a, b in zip(clip.channels, fewer.channels):
            now = sample(b, times)
            off = errors(a.path, now, a.values.astype(float)).max()
            assert off <= (np.radians(degrees) if a.path == "rotation" else metres) * 1.001 + 1e-6
            assert 2 < len(b.times) < len(a.times) / 1.5
        assert np.degrees(worst["rotation"]) <= degrees
    again, _ = reduced(fewer, Tolerance(0.0, 0.0))
    assert [len(c.times) for c in again.channels] == [len(c.times) for c in fewer.channels]
    a, b = Rotation.from_rotvec([[0.2, 0, 0]]).as_quat(), Rotation.from_rotvec([[0.7, 0, 0]]).as_quat()
    assert abs(float(errors("rotation", a, -b)[0]) - 0.5) < 1e-9


def test_channels_that_say_nothing_go_and_the_length_stays() -> None:
    scene = bar()
    rest = Channel(2, "rotation", frozen([0, 5]), frozen([[0, 0, 0, 1]] * 2))
    held = Channel(3, "translation", frozen([0, 1]), frozen([[0, 0.5, 0]] * 2))
    clip = without_idle(
        Clip(key("clip", 0), "c", (bend(1, 1.0).channels[0], rest, held)), scene.nodes, Tolerance()
    )
    assert [(c.node, len(c.times)) for c in clip.channels] == [(1, 32), (3, 1)] and clip.seconds == 5.0


def test_deviation_names_the_worst_vertex() -> None:
    scene = bar()
    other = replace(scene, clips=(bend(1, 1.0, degrees=50.0),))
    far = deviation(scene, other)
    assert (
        far is not None and far.clip == "bend" and abs(far.seconds - 0.5) < 0.04 and 0.05 < far.distance < 0.2
    )
    same = deviation(scene, scene)
    assert same is not None and same.distance == 0
    assert deviation(scene, bar(rings=20)) is None
    assert len(posed(scene, scene.clips[0], [0.0, 0.5])) == 2


def test_the_bind_pose_comes_back_and_clips_play_on() -> None:
    from customs.job import Job
    from customs.route.step import get_step

    scene = bar()
    bent = replace(scene.nodes[1], rotation=np.array([0.3, 0, 0, np.sqrt(1 - 0.09)]))
    off = replace(scene, nodes=(scene.nodes[0], bent, *scene.nodes[2:]))
    assert bind_error(off, 0) > 0.1
    back, shear = at_bind_pose(off, [0])
    assert bind_error(back, 0) < 1e-12 and shear < 1e-9
    step = get_step("bind-pose")
    out = step.apply(off, step.settings(), {}, Job()).scene
    for t in (0.0, 0.4):
        a, b = posed(off, off.clips[0], [t])[0][0], posed(out, out.clips[0], [t])[0][0]
        assert np.abs(a - b).max() < 1e-6, "the clip plays over what it played over"
    assert step.apply(out, step.settings(), {}, Job()).scene is out
