"""Skins and clips, their files and their rate."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from customs.learning.examples import Example
from customs.learning.found import Detector, Found, Sure, register, rule, seen
from customs.motion.weights.influences import most_influences
from customs.scene.model import Clip
from customs.scene.numbers import ORDER
from customs.scene.tree import mesh_nodes

RATES = (15.0, 20.0, 24.0, 25.0, 30.0, 48.0, 50.0, 60.0, 100.0, 120.0)
"""Frames a second clips are exported at (common practice)."""
OFF = 2e-3
"""Of a frame: how far a key may lie from its frame (times are float32)."""
USUAL = (4, 8)
"""Influences a vertex that engines take (common practice)."""


def _find(examples: Sequence[Example]) -> Iterator[Found]:
    names = [e.name for e in examples]
    skinned = [e for e in examples if any(m.scene.skins for m in e.models)]
    yield rule("rig.skins", [e.name for e in skinned], names)
    moving = [e for e in examples if any(m.scene.clips for m in e.models)]
    yield rule("rig.clips", [e.name for e in moving], names)
    yield _influences(skinned)
    joints = [(e.name, max((len(s.joints) for s in e.main.skins), default=0)) for e in skinned]
    yield seen("rig.max_joints", joints, "the most joints of a skin")
    yield _files(examples, moving)
    yield _split(skinned)
    yield _rate(moving)
    yield _order(examples)


def _influences(skinned: Sequence[Example]) -> Found:
    most = [
        (e.name, max((most_influences(p) for m in e.main.meshes for p in m.primitives), default=0))
        for e in skinned
    ]
    highest = max((v for _, v in most), default=0)
    count = sum(v == highest for _, v in most)
    if highest in USUAL and count >= 2:
        return Found(
            "rig.influences",
            highest,
            count,
            len(most),
            (),
            "likely",
            "several vertices have as many, none has more",
        )
    return seen("rig.influences", most, "the most influences of a vertex")


def _files(examples: Sequence[Example], moving: Sequence[Example]) -> Found:
    ways = list[tuple[str, str]]()
    for e in moving:
        inside, others = len(e.main.clips), [m for m in e.models[1:] if m.scene.clips]
        if not others:
            ways.append((e.name, "together"))
        elif all(m.scene.meshes for m in others):
            ways.append((e.name, "each"))
        else:
            ways.append((e.name, "first-with-mesh" if inside else "only"))
    # One clip in the model's file is both together and the first with its mesh.
    several = [(n, w) for (n, w), e in zip(ways, moving) if sum(len(m.scene.clips) for m in e.models) > 1]
    if not several:
        return Found(
            "rig.clip_files",
            None,
            len(ways),
            len(moving),
            sure="undecided",
            why="none has two clips",
        )
    kinds = sorted({w for _, w in several}, key=lambda k: -[w for _, w in several].count(k))
    return Found(
        "rig.clip_files",
        kinds,
        len(several),
        len(moving),
        (),
        "sure" if len(several) > 1 else "likely",
        "the files clips lie in",
    )


def _split(skinned: Sequence[Example]) -> Found:
    """Told by a file that holds nodes alone: a skeleton without a mesh."""
    if not skinned:
        return Found("rig.files", None, 0, 0, sure="undecided", why="no skin")
    apart = [e.name for e in skinned if any(not m.scene.meshes and not m.scene.clips for m in e.models[1:])]
    value = "split" if apart else "together"
    bad = tuple(e.name for e in skinned if apart and e.name not in apart)
    sure: Sure = "sure" if not bad and len(skinned) > 1 else "likely"
    why = "whether skeletons lie in files of their own"
    return Found("rig.files", value, len(skinned) - len(bad), len(skinned), bad, sure, why)


def _rate(moving: Sequence[Example]) -> Found:
    clips = [(f"{e.name}: {c.name}", c) for e in moving for c in e.whole.clips if c.channels]
    if not clips:
        return Found("rig.rate", None, 0, 0, sure="undecided", why="no clip")
    for rate in RATES:
        bad = tuple(n for n, c in clips if not _on_frames(c, rate))
        if not bad:
            dense = sum(_every_frame(c, rate) for _, c in clips)
            if dense < len(clips):
                break
            return Found(
                "rig.rate", rate, len(clips), len(clips), (), "likely", "a key on every frame, none between"
            )
    return Found(
        "rig.rate",
        None,
        0,
        len(clips),
        sure="undecided",
        why="keys lie on no frames of one rate, or not on every one",
    )


def _on_frames(clip: Clip, rate: float) -> bool:
    times = np.concatenate([c.times for c in clip.channels]).astype(np.float64) * rate
    return bool(np.abs(times - np.rint(times)).max(initial=0.0) <= OFF * max(1.0, rate / 30))


def _every_frame(clip: Clip, rate: float) -> bool:
    """True where some channel has a key on every frame of the clip."""
    return any(len(c.times) >= round(clip.seconds * rate) for c in clip.channels)


def _order(examples: Sequence[Example]) -> Found:
    told = list[tuple[str, bool]]()
    for e in examples:
        numbers = sorted(str(e.main.nodes[n].extras.get(ORDER, "")) for n in mesh_nodes(e.main))
        told.append((e.name, numbers == sorted(str(k) for k in range(1, len(numbers) + 1)) and bool(numbers)))
    having = [n for n, good in told if good]
    if len(having) == len(told):
        return Found(
            "rig.order_numbers",
            True,
            len(told),
            len(told),
            (),
            "sure" if len(told) > 2 else "likely",
            "meshes are numbered 1, 2, 3, …",
        )
    if having:
        return Found(
            "rig.order_numbers",
            False,
            len(told) - len(having),
            len(told),
            (),
            "likely",
            "only some are numbered",
        )
    return Found("rig.order_numbers", None, 0, len(told), sure="undecided", why="none is numbered")


register(
    Detector(
        "rig",
        (
            "rig.skins",
            "rig.clips",
            "rig.influences",
            "rig.clip_files",
            "rig.files",
            "rig.rate",
            "rig.order_numbers",
        ),
        "skins and clips of the models, the files they lie in, the times of keys, numbers in the extras of nodes",
        _find,
    )
)
