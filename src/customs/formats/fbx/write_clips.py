"""Clips as curves: three a property, rotations as angles."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from customs.formats.fbx.objects import SECOND, Objects, number, table, time
from customs.motion.curves.cut import straight
from customs.motion.curves.euler import euler_degrees
from customs.motion.curves.keys import sample
from customs.motion.curves.track import frame_rate, with_frames
from customs.scene.model import Channel, Clip, Scene
from customs.scene.transforms import continuous, matrix_quaternion, quaternion_matrix

F64 = npt.NDArray[np.float64]
RATE_MODES = {
    120.0: 1,
    100.0: 2,
    60.0: 3,
    50.0: 4,
    48.0: 5,
    30.0: 6,
    25.0: 10,
    24.0: 11,
    1000.0: 12,
    96.0: 15,
    72.0: 16,
}
"""TimeMode by frames a second (common practice); 14 is any other."""
PROPERTIES = {
    "translation": ("T", "Lcl Translation"),
    "rotation": ("R", "Lcl Rotation"),
    "scale": ("S", "Lcl Scaling"),
}
LINEAR = 4
ANGLE = 0.02
"""Most a straight line between angles may be off the turn it stands for (degrees)."""


def clip_rate(clip: Clip) -> float:
    """Frames a second of a clip: what it says, else what its keys lie at."""
    said = clip.extras.get("rate")
    return float(said) if isinstance(said, int | float) and 0 < said <= 1000 else frame_rate(clip)


def add_clip(
    scene: Scene, clip: Clip, models: list[int], shapes: dict[int, list[int]], objects: Objects
) -> None:
    """One animation stack with one layer; every channel as curves."""
    stack, record = objects.add("AnimationStack", clip.name, "AnimStack", "")
    end = clip.seconds
    table(
        record,
        time("LocalStart", 0.0),
        time("LocalStop", end),
        time("ReferenceStart", 0.0),
        time("ReferenceStop", end),
    )
    layer, record = objects.add("AnimationLayer", clip.name, "AnimLayer", "")
    table(record)
    objects.link(layer, stack)
    for channel in clip.channels:
        if not len(channel.times):
            continue
        if channel.path == "weights":
            _morph(channel, shapes.get(channel.node, []), layer, objects, clip_rate(clip))
        elif models[channel.node]:
            times, values = _curve_values(channel, clip_rate(clip))
            short, full = PROPERTIES[channel.path]
            _curves(times, values, short, models[channel.node], full, layer, objects)


def _curve_values(channel: Channel, rate: float) -> tuple[F64, F64]:
    """(times (T,), values (T, 3)) whose straight lines stay near what the channel says.

    A step is a key a hair before each next one: some readers know no other lines than straight ones.
    """
    channel = straight(channel) if channel.interpolation == "step" else channel
    times = channel.times.astype(np.float64)
    if channel.interpolation == "cubic":
        times = with_frames(times, rate)
    values = sample(channel, times)
    if channel.path != "rotation":
        return times, values
    angles = euler_degrees(continuous(values))
    if len(times) > 1 and _angle_error(channel, times, angles) > ANGLE:
        times = with_frames(times, max(rate, 30.0))
        angles = euler_degrees(continuous(sample(channel, times)))
    return times, angles


def _angle_error(channel: Channel, times: F64, angles: F64) -> float:
    """Largest angle (degrees) between the turn half way and the middle of the angles."""
    middle = np.radians((angles[:-1] + angles[1:]) / 2)
    zero = np.zeros(len(middle))
    c, s = np.cos(middle / 2), np.sin(middle / 2)
    qx = np.stack([s[:, 0], zero, zero, c[:, 0]], axis=1)
    qy = np.stack([zero, s[:, 1], zero, c[:, 1]], axis=1)
    qz = np.stack([zero, zero, s[:, 2], c[:, 2]], axis=1)
    mine = matrix_quaternion(quaternion_matrix(qz) @ quaternion_matrix(qy) @ quaternion_matrix(qx))
    true = sample(channel, (times[:-1] + times[1:]) / 2)
    dot = np.clip(np.abs(np.einsum("ij,ij->i", mine, true)), 0, 1)
    return float(np.degrees(2 * np.arccos(dot)).max(initial=0.0))


def _curves(
    times: F64, values: F64, short: str, model: int, property_: str, layer: int, objects: Objects
) -> None:
    node, record = objects.add("AnimationCurveNode", short, "AnimCurveNode", "")
    table(record, *(number(f"d|{axis}", values[0, k], "A") for k, axis in enumerate("XYZ")))
    objects.link(node, layer)
    objects.link(node, model, property_)
    for k, axis in enumerate("XYZ"):
        objects.link(_curve(times, values[:, k], objects), node, f"d|{axis}")


def _curve(times: F64, values: F64, objects: Objects) -> int:
    curve, record = objects.add("AnimationCurve", "", "AnimCurve", "")
    record.add("Default", float(values[0]))
    record.add("KeyVer", 4008)
    record.add("KeyTime", np.round(times * SECOND).astype("<i8"))
    record.add("KeyValueFloat", values.astype("<f4"))
    record.add("KeyAttrFlags", np.array([LINEAR], "<i4"))
    record.add("KeyAttrDataFloat", np.zeros(4, "<f4"))
    record.add("KeyAttrRefCount", np.array([len(times)], "<i4"))
    return curve


def _morph(channel: Channel, targets: list[int], layer: int, objects: Objects, rate: float) -> None:
    channel = straight(channel) if channel.interpolation == "step" else channel
    times = channel.times.astype(np.float64)
    if channel.interpolation == "cubic":
        times = with_frames(times, rate)
    values = sample(channel, times) * 100
    for k, target in enumerate(targets[: values.shape[1]]):
        node, record = objects.add("AnimationCurveNode", "DeformPercent", "AnimCurveNode", "")
        table(record, number("d|DeformPercent", values[0, k], "A"))
        objects.link(node, layer)
        objects.link(node, target, "DeformPercent")
        objects.link(_curve(times, values[:, k], objects), node, "d|DeformPercent")
