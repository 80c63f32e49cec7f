"""Channels drawn at random, against SciPy's splines and rotations and against themselves turned round and put
together.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import CubicHermiteSpline, interp1d
from scipy.spatial.transform import Rotation, Slerp

from customs.motion.clips.loop import closed, seam
from customs.motion.clips.retime import at_rate, backwards, between_frames, faster
from customs.motion.clips.travel import in_place, to_node, travel_of
from customs.motion.curves.cut import cut, cut_channel, joined, resampled, straight
from customs.motion.curves.keys import sample, slope
from customs.motion.curves.reduce import Tolerance, errors, reduced, without_idle
from customs.motion.curves.track import frame_rate, frame_times, local_track, spread_times, world_track
from customs.scene.arrays import frozen
from customs.scene.model import Channel, Clip
from customs.scene.transforms import continuous
from tests.assets import key
from tests.motion.rigs import bar

SEEDS = st.integers(0, 10_000)
PATHS = st.sampled_from(["translation", "rotation", "scale"])
WAYS = st.sampled_from(["linear", "step", "cubic"])


def drawn(seed: int, path: str = "translation", way: str = "linear", keys: int = 7, node: int = 0) -> Channel:
    """A channel with keys at uneven times, rotations one long."""
    rng = np.random.default_rng(seed)
    width = 4 if path == "rotation" else 3
    times = np.cumsum(rng.uniform(0.05, 0.6, keys)) - 0.05
    values = rng.normal(size=(keys, 3, width) if way == "cubic" else (keys, width))
    if path == "rotation" and way == "cubic":
        # As a joint turns: at most some 40 degrees from key to key, tangents by differences.
        turn = Rotation.random(rng=rng)
        turns = [turn := Rotation.from_rotvec(rng.uniform(-0.4, 0.4, 3)) * turn for _ in range(keys)]
        values[:, 1] = continuous(np.stack([t.as_quat() for t in turns]))
        values[:, 0] = values[:, 2] = np.gradient(values[:, 1], times, axis=0)
    elif path == "rotation":
        values /= np.linalg.norm(values, axis=1, keepdims=True)
    return Channel(node, path, frozen(times), frozen(values), way)  # type: ignore[arg-type]


def clip_of(*channels: Channel, name: str = "drawn") -> Clip:
    """A clip of channels."""
    return Clip(key("clip", 0), name, channels)


def moments(channel: Channel, count: int = 60) -> np.ndarray:
    """Times from a little before the first key to a little after the last."""
    return np.linspace(float(channel.times[0]) - 0.1, float(channel.times[-1]) + 0.1, count)


# -- values between keys


@given(SEEDS)
def test_straight_lines_are_scipys(seed: int) -> None:
    c = drawn(seed)
    judge = interp1d(c.times, c.values, axis=0, bounds_error=False, fill_value=(c.values[0], c.values[-1]))
    assert np.abs(sample(c, moments(c)) - judge(moments(c))).max() < 1e-5


@given(SEEDS)
def test_steps_hold_the_last_key_passed(seed: int) -> None:
    c = drawn(seed, way="step")
    judge = interp1d(
        c.times, c.values, "previous", axis=0, bounds_error=False, fill_value=(c.values[0], c.values[-1])
    )
    assert np.array_equal(sample(c, moments(c)).astype(np.float32), judge(moments(c)).astype(np.float32))


@given(SEEDS)
def test_turns_are_scipys(seed: int) -> None:
    c = drawn(seed, "rotation")
    inside = np.clip(moments(c), c.times[0], c.times[-1])
    judge = Slerp(c.times.astype(float), Rotation.from_quat(c.values.astype(float)))(inside)
    assert errors("rotation", sample(c, moments(c)), judge.as_quat()).max() < 1e-4


@given(SEEDS)
def test_splines_and_their_slopes_are_scipys(seed: int) -> None:
    """glTF 2.0, appendix C.5 is the cubic Hermite spline with tangents a second; out- and in-tangents differ
    at a key.
    """
    c = drawn(seed, way="cubic", keys=2)
    v = c.values.astype(float)
    judge = CubicHermiteSpline(c.times.astype(float), v[:, 1], np.stack([v[0, 2], v[1, 0]]))
    inside = np.linspace(float(c.times[0]), float(c.times[1]), 40)[1:-1]
    assert np.abs(sample(c, inside) - judge(inside)).max() < 1e-5
    assert np.abs(slope(c, inside) - judge.derivative()(inside)).max() < 1e-3
    assert not slope(c, np.array([c.times[0] - 1, c.times[1] + 1])).any(), "held outside its keys"


@given(SEEDS, PATHS, WAYS)
def test_one_moment_is_a_row_of_many(seed: int, path: str, way: str) -> None:
    c = drawn(seed, path, way)
    many = sample(c, moments(c, 9))
    for k, t in enumerate(moments(c, 9)):
        assert np.abs(sample(c, t) - many[k]).max() < 1e-12
    assert sample(c, moments(c, 8).reshape(2, 4)).shape == (2, 4, many.shape[1])


# -- cut, joined, turned round


@given(SEEDS, PATHS, WAYS, st.floats(0.0, 0.9), st.floats(0.05, 1.0))
def test_a_stretch_plays_what_the_whole_played(
    seed: int, path: str, way: str, start: float, length: float
) -> None:
    c = drawn(seed, path, way)
    first, end = start * float(c.times[-1]), min(start + length, 1.0) * float(c.times[-1])
    part = cut_channel(c, first, end)
    assert part.times[0] == 0 and float(part.times[-1]) == pytest.approx(max(end - first, 0.0), abs=1e-5)
    if end - first < 0.01:
        return
    # A hair inside, since a step changes exactly on its edge.
    at = np.linspace(0.003, end - first - 0.003, 30)
    if way == "step":
        edges = c.times.astype(float) - first
        at = at[(np.abs(at[:, None] - edges) > 1e-3).all(axis=1)]
    tolerance = 5e-3 if path == "rotation" and way == "cubic" else 1e-4
    assert np.abs(errors(path, sample(part, at), sample(c, at + first))).max(initial=0.0) < tolerance


@given(SEEDS, PATHS)
def test_stretches_put_together_are_the_whole(seed: int, path: str) -> None:
    clip = clip_of(drawn(seed, path), drawn(seed + 1, "translation", node=1))
    middle = clip.seconds * 0.4
    parts = [cut(clip, 0.0, middle, "first", 1), cut(clip, middle, clip.seconds, "second", 2)]
    whole = joined(parts, "whole")
    assert whole.seconds == pytest.approx(clip.seconds, abs=1e-4) and whole.made_from == (
        parts[0].key,
        parts[1].key,
    )
    at = np.linspace(0, clip.seconds, 50)
    for old, new in zip(clip.channels, whole.channels):
        assert errors(old.path, sample(new, at), sample(old, at)).max() < 1e-3


@given(SEEDS, PATHS, WAYS, st.sampled_from([0.0, 0.5]))
def test_clips_one_after_another_are_each_what_they_were(seed: int, path: str, way: str, gap: float) -> None:
    """Keys that begin late or end early do not run over into the neighbour, and a gap is held."""
    one = clip_of(drawn(seed, path, way), drawn(seed + 1, node=1, keys=3))
    other = clip_of(drawn(seed + 2, path, way), drawn(seed + 3, node=1, keys=9))
    put = joined([one, other], "both", gap)
    assert put.seconds == pytest.approx(one.seconds + gap + other.seconds, abs=1e-4)
    for number, (clip, start) in enumerate(((one, 0.0), (other, one.seconds + gap))):
        at = np.linspace(0.003, clip.seconds - 0.003, 40)
        for old, new in zip(clip.channels, put.channels):
            # A step is compared off its edges.
            far = (
                (np.abs(at[:, None] - old.times.astype(float)) > 1e-3).all(axis=1)
                if old.interpolation == "step"
                else at > -1
            )
            assert errors(old.path, sample(new, at[far] + start), sample(old, at[far])).max() < 1e-2, number
    if gap:
        for old, new in zip(one.channels, put.channels):
            held = sample(new, one.seconds + np.linspace(0.01, gap - 0.01, 9))
            assert errors(old.path, held, np.broadcast_to(sample(old, one.seconds), held.shape)).max() < 1e-4


def test_what_only_some_clips_move_stays_where_it_was_left() -> None:
    one, other, third = clip_of(drawn(1, node=0)), clip_of(drawn(2, node=1)), clip_of(drawn(3, node=0))
    put = joined([one, other, third], "all")
    by_node = {c.node: c for c in put.channels}
    last = sample(one.channels[0], one.seconds)
    for share in (0.1, 0.7, 0.95):
        assert np.abs(sample(by_node[0], one.seconds + other.seconds * share) - last).max() < 1e-5
        assert np.abs(sample(by_node[1], one.seconds * share) - sample(other.channels[0], 0.0)).max() < 1e-5
    start = one.seconds + other.seconds
    at = np.linspace(0.003, third.seconds, 20)
    assert np.abs(sample(by_node[0], start + at) - sample(third.channels[0], at)).max() < 1e-4


@given(SEEDS, PATHS, st.sampled_from(["linear", "cubic"]))
def test_backwards_plays_from_the_end_and_twice_is_as_before(seed: int, path: str, way: str) -> None:
    clip = clip_of(drawn(seed, path, way))
    back = backwards(clip)
    at = np.linspace(0, clip.seconds, 40)
    assert (
        errors(path, sample(back.channels[0], clip.seconds - at), sample(clip.channels[0], at)).max() < 2e-3
    )
    again = backwards(back).channels[0]
    held = np.interp(at, again.times, again.times)
    assert errors(path, sample(again, held), sample(cut(clip, float(clip.channels[0].times[0]), clip.seconds, "", 1).channels[0],
                                                    held - float(again.times[0]))).max() < 2e-3  # fmt: skip


@given(SEEDS, st.floats(0.2, 5))
def test_faster_is_the_same_way_in_less_time(seed: int, factor: float) -> None:
    clip = clip_of(drawn(seed, way="cubic"), drawn(seed, "rotation"))
    quick = faster(clip, factor)
    assert quick.seconds == pytest.approx(clip.seconds / factor, rel=1e-5)
    at = np.linspace(0, clip.seconds, 40)
    for old, new in zip(clip.channels, quick.channels):
        assert errors(old.path, sample(new, at / factor), sample(old, at)).max() < 1e-3


@given(SEEDS, st.sampled_from([15.0, 24.0, 30.0, 60.0]))
def test_at_a_rate_there_is_a_key_a_frame_and_it_is_the_clips(seed: int, rate: float) -> None:
    clip = clip_of(drawn(seed), drawn(seed, "rotation", "cubic"), drawn(seed, "scale", "step"))
    out = at_rate(clip, rate)
    frames = frame_times(clip, rate)
    assert out.extras["rate"] == rate == pytest.approx(frame_rate(out), rel=0.05)
    assert out.seconds == pytest.approx(clip.seconds, abs=1e-5)
    assert np.abs(np.diff(frames)[:-1] - 1 / rate).max(initial=0.0) < 1e-9, (
        "even, but for a last part of a frame"
    )
    for old, new in zip(clip.channels[:2], out.channels[:2]):
        assert (
            new.interpolation == "linear"
            and errors(old.path, sample(new, frames), sample(old, frames)).max() < 1e-4
        )
    assert out.channels[2] is clip.channels[2], "a step is a step at any rate"
    far, angle = between_frames(clip_of(*clip.channels[:1]), clip_of(*out.channels[:1]))
    own = clip.channels[0].times.astype(float)
    assert far == pytest.approx(
        errors("translation", sample(out.channels[0], own), sample(clip.channels[0], own)).max(), abs=1e-9
    )
    assert angle == 0.0


@given(SEEDS, PATHS, WAYS)
def test_straightened_it_is_what_it_was(seed: int, path: str, way: str) -> None:
    c = drawn(seed, path, way)
    out = straight(c, 240.0)
    assert out.interpolation == "linear" and (np.diff(out.times) > 0).all()
    own = c.times.astype(float)
    assert errors(path, sample(out, own), sample(c, own)).max() < 1e-3
    again = resampled(out, own)
    assert len(again.times) == len(own) and errors(path, sample(again, own), sample(c, own)).max() < 1e-3


# -- fewer keys


def wave(count: int = 200, seed: int = 0) -> Clip:
    """A root that walks, a joint that swings, a scale that breathes: keys on every frame."""
    rng = np.random.default_rng(seed)
    t = np.arange(count) / 30
    way = np.stack([0.8 * t, 0.05 * np.sin(6 * t), 0 * t], axis=1) + rng.normal(size=(count, 3)) * 1e-5
    swing = Rotation.from_rotvec(np.outer(40 * np.sin(2 * t), [1, 0, 0]), degrees=True).as_quat()
    breath = 1 + 0.1 * np.sin(t)[:, None] * np.ones(3)
    return clip_of(
        Channel(0, "translation", frozen(t), frozen(way)),
        Channel(1, "rotation", frozen(t), frozen(swing)),
        Channel(2, "scale", frozen(t), frozen(breath)),
    )


@pytest.mark.parametrize("strict", [0.1, 1.0, 20.0])
def test_no_key_dropped_is_farther_off_than_stated(strict: float) -> None:
    clip = wave()
    tolerance = Tolerance(0.0005 * strict, 0.1 * strict, 0.002 * strict)
    out, worst = reduced(clip, tolerance)
    for old, new in zip(clip.channels, out.channels):
        off = errors(old.path, sample(new, old.times.astype(float)), old.values.astype(float))
        assert off.max() <= tolerance.of(old.path) * 1.001 + 1e-6
        assert worst[old.path] == pytest.approx(float(off.max()), abs=2e-5), "what is said is what is"
        assert set(new.times.tolist()) <= set(old.times.tolist()), "keys are dropped, none is moved"
    again, _ = reduced(out, tolerance)
    assert sum(len(c.times) for c in again.channels) <= sum(len(c.times) for c in out.channels) < 600


def test_the_looser_the_fewer() -> None:
    kept = [
        sum(len(c.times) for c in reduced(wave(), Tolerance(m, 100 * m, m))[0].channels)
        for m in (1e-6, 1e-4, 1e-3, 1e-2)
    ]
    assert kept == sorted(kept, reverse=True) and kept[0] > 5 * kept[-1]


def test_a_line_is_two_keys_and_a_turn_at_one_speed_too() -> None:
    t = np.arange(90) / 30
    line = np.outer(t, [1.0, 2.0, -1.0])
    turn = Rotation.from_rotvec(np.outer(30 * t, [0, 1, 0]), degrees=True).as_quat()
    out, _ = reduced(
        clip_of(
            Channel(0, "translation", frozen(t), frozen(line)),
            Channel(0, "rotation", frozen(t), frozen(turn)),
        ),
        Tolerance(),
    )
    assert [len(c.times) for c in out.channels] == [2, 2]


def test_steps_keep_the_keys_at_which_they_change() -> None:
    t = np.arange(6) / 10
    on = np.float32([[0], [0], [1], [1], [1], [0]]) * np.ones(3, np.float32)
    out, _ = reduced(clip_of(Channel(0, "scale", frozen(t), frozen(on), "step")), Tolerance())
    assert out.channels[0].times.tolist() == frozen([0.0, 0.2, 0.5]).tolist()


def test_what_rests_goes_and_the_clip_stays_as_long() -> None:
    scene = bar()
    t = frozen([0.0, 1.0, 2.0])
    rest = np.tile(np.asarray(scene.nodes[1].translation, np.float32), (3, 1))
    aside = np.tile(np.float32([0.3, 0, 0]), (3, 1))
    clip = clip_of(Channel(1, "translation", t, frozen(rest)), Channel(2, "translation", t, frozen(aside)))
    out = without_idle(clip, scene.nodes, Tolerance())
    assert [(c.node, len(c.times)) for c in out.channels] == [(2, 2)] and out.seconds == clip.seconds
    assert np.abs(sample(out.channels[0], 1.3) - [0.3, 0, 0]).max() < 1e-6


# -- loops and travel


@given(SEEDS, st.floats(0.1, 1.0))
def test_a_closed_loop_ends_as_it_begins_and_begins_as_it_did(seed: int, share: float) -> None:
    scene = bar()
    clip = replace(
        scene.clips[0], channels=(drawn(seed, "rotation", node=1), drawn(seed + 1, "rotation", node=2))
    )
    before = seam(scene, clip)
    length = share * clip.seconds
    out = closed(clip, length, 30.0)
    assert seam(scene, out) < 1e-4 < before and out.seconds == pytest.approx(clip.seconds, abs=1e-6)
    at = np.linspace(0, clip.seconds - length, 20)
    for old, new in zip(clip.channels, out.channels):
        assert errors("rotation", sample(new, at), sample(old, at)).max(initial=0.0) < 1e-3, (
            "before it nothing changes"
        )
    assert closed(out, length, 30.0).channels[0] is out.channels[0], "closed is closed"


def test_what_travels_is_free_of_the_loop() -> None:
    scene = bar()
    clip = clip_of(drawn(5, node=0), drawn(6, "rotation", node=1))
    out = closed(clip, 0.5, 30.0, frozenset({(0, "translation")}))
    assert out.channels[0] is clip.channels[0] and out.channels[1] is not clip.channels[1]
    assert seam(scene, out, travel=False) <= seam(scene, out)


@given(SEEDS, st.booleans(), WAYS)
def test_travel_taken_out_and_put_back_is_where_it_was(seed: int, drift: bool, way: str) -> None:
    scene = bar()
    first = drawn(seed, way=way, node=0)
    clip = clip_of(first, drawn(seed, "rotation", node=0))
    out, gone = in_place(scene, clip, drift)
    assert gone is not None and gone.node == 0
    at = first.times.astype(float)
    path = world_track(scene, local_track(scene, clip, at))[:, 0, :3, 3]
    left = world_track(scene, local_track(scene, out, at))[:, 0, :3, 3]
    assert np.abs(left[:, 1] - path[:, 1]).max() < 1e-5, "up and down stays"
    assert np.abs(path - left - gone.way).max() < 1e-4, "what is missing is what is said to be taken"
    ends = (left - left[0])[-1]
    assert abs(ends[0]) < 1e-4 and abs(ends[2]) < 1e-4, "it ends where it began"
    back = to_node(scene, out, gone, 0)
    there = world_track(scene, local_track(scene, back, at))[:, 0, :3, 3]
    assert np.abs(there - path).max() < 1e-4


def test_speed_is_the_way_over_the_time() -> None:
    scene = bar()
    t = np.arange(61) / 30
    walk = clip_of(Channel(0, "translation", frozen(t), frozen(np.outer(t, [0.6, 0, 0.8]))))
    travel = travel_of(scene, walk)
    assert travel is not None and travel.speed == pytest.approx(1.0, rel=1e-5)
    assert travel_of(scene, scene.clips[0]) is None, "a joint that only turns carries nothing away"


def test_moments_for_sampling_are_even_and_few() -> None:
    clip = clip_of(drawn(2))
    five = spread_times(clip, 5)
    assert len(five) == 5 and five[0] == 0 and five[-1] == pytest.approx(clip.seconds)
    assert np.ptp(np.diff(five)) < 1e-9
    assert len(frame_times(clip, 1e9, most=100)) <= 101, "a huge rate does not fill the memory"


@pytest.mark.parametrize("way", ["linear", "step", "cubic"])
def test_keys_a_hair_apart_stay_in_order_where_clips_meet(way: str) -> None:
    """The key that holds the last value up to the jump lies between the last key and the jump, however near
    they are.
    """
    times = frozen([0.0, 0.5, 0.50005])
    values = np.array([[0.0, 0, 0], [1, 0, 0], [2, 0, 0]])
    if way == "cubic":
        values = np.stack([0 * values, values, 0 * values], axis=1)
    near = Channel(0, "translation", times, frozen(values), way)  # type: ignore[arg-type]
    put = joined([clip_of(near), clip_of(near)], "both")
    made = put.channels[0].times.astype(float)
    assert (np.diff(made) > 0).all() and put.seconds == pytest.approx(2 * float(times[-1]), abs=1e-4)
    assert np.abs(sample(put.channels[0], put.seconds) - [2, 0, 0]).max() < 1e-5


@given(SEEDS)
def test_no_hair_is_longer_than_half_of_what_lies_between_two_steps(seed: int) -> None:
    rng = np.random.default_rng(seed)
    times = np.cumsum(rng.uniform(2e-5, 3e-4, 12))
    c = Channel(0, "translation", frozen(times), frozen(rng.normal(size=(12, 3))), "step")
    out = straight(c)
    assert (np.diff(out.times.astype(float)) > 0).all() and len(out.times) == 2 * len(times) - 1
    own = c.times.astype(float)
    assert np.abs(sample(out, own) - c.values).max() < 1e-5
