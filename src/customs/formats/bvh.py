"""BVH: a skeleton and one long take. Source: the format as published with Biovision's motion capture data
(common practice): HIERARCHY of ROOT, JOINT, End Site with OFFSET and CHANNELS, then MOTION with Frames, Frame
Time and a row a frame.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from customs.formats.registry import Format, register
from customs.formats.source import Source, decode_text
from customs.later import later
from customs.scene.arrays import frozen
from customs.scene.convention import Convention
from customs.scene.key import Key
from customs.scene.model import Channel, Clip, Node, Scene
from customs.scene.transforms import continuous
from customs.tolerances import NODE_DEPTH

transform = later("scipy.spatial.transform")
F64 = npt.NDArray[np.float64]
AXES = {"x": 0, "y": 1, "z": 2}


@dataclass
class _Joint:
    name: str
    parent: int
    offset: tuple[float, float, float] = (0.0, 0.0, 0.0)
    channels: list[str] = field(default_factory=list)
    first: int = 0


def read_bvh(source: Source) -> Scene:
    """The skeleton and its take. Raises ReadError naming the line."""
    lines = decode_text(source.data).splitlines()
    joints, at = _hierarchy(lines, source)
    table, seconds = _motion(lines, at, joints, source)
    digest = source.digest
    below: list[list[int]] = [[] for _ in joints]
    for k, j in enumerate(joints):
        if j.parent >= 0:
            below[j.parent].append(k)
    nodes = [
        Node(
            Key(digest, "node", k), j.name, tuple(below[k]), translation=np.array(j.offset, dtype=np.float64)
        )
        for k, j in enumerate(joints)
    ]
    times = frozen(np.arange(len(table)) * seconds)
    channels = [c for k, j in enumerate(joints) for c in _channels(k, j, table, times)]
    clips = (
        (Clip(Key(digest, "clip", 0), source.path.stem, tuple(channels), {"rate": round(1 / seconds, 4)}),)
        if channels
        else ()
    )
    roots = tuple(k for k, j in enumerate(joints) if j.parent < 0)
    return Scene(
        source.path.stem, digest, tuple(nodes), roots, clips=clips, convention=Convention(stated="assumed")
    )


def _hierarchy(lines: list[str], source: Source) -> tuple[list[_Joint], int]:
    """(joints, the number of the line MOTION)."""
    joints, stack, pending, channels = list[_Joint](), list[int](), -1, 0
    for number, line in enumerate(lines):
        words = line.split()
        if not words or (number == 0 and words[0].upper() == "HIERARCHY"):
            continue
        head = words[0].upper()
        where = f"line {number + 1}"
        if head in ("ROOT", "JOINT") or (head == "END" and len(words) > 1):
            up = stack[-1] if stack else -1
            name = " ".join(words[1:]) if head != "END" else f"{joints[up].name} end" if up >= 0 else "end"
            joints.append(_Joint(name or f"joint {len(joints)}", up))
            pending = len(joints) - 1
        elif head == "{":
            if pending < 0 or len(stack) > NODE_DEPTH:
                raise source.error(
                    where, "{ without a joint before it", "ROOT, JOINT or End Site first", "Export it again."
                )
            stack.append(pending)
            pending = -1
        elif head == "}":
            if not stack:
                raise source.error(where, "} without {", "braces in pairs", "Export it again.")
            stack.pop()
        elif head == "OFFSET" and stack:
            joints[stack[-1]].offset = _three(words[1:], where, source)
        elif head == "CHANNELS" and stack:
            channels = _take_channels(joints, stack[-1], words, channels, where, source)
        elif head == "MOTION":
            if stack or not joints:
                raise source.error(
                    where,
                    "MOTION before the hierarchy is closed",
                    "braces in pairs and a ROOT",
                    "Export it again.",
                )
            return joints, number
        else:
            raise source.error(where, line.strip()[:40], "HIERARCHY statements", "Export it again.")
    raise source.error(
        f"line {len(lines)}", "the file ends", "a MOTION part", "The file is cut off: fetch it again."
    )


def _three(words: list[str], where: str, source: Source) -> tuple[float, float, float]:
    try:
        x, y, z = (float(w) for w in words)
    except ValueError:
        raise source.error(
            where, " ".join(words)[:40] or "nothing", "three numbers", "Export it again."
        ) from None
    if not np.isfinite([x, y, z]).all():
        raise source.error(where, " ".join(words)[:40], "finite numbers", "Export it again.")
    return x, y, z


def _take_channels(
    joints: list[_Joint], k: int, words: list[str], first: int, where: str, source: Source
) -> int:
    """Joint `k` takes the channels from `first` on; returns the one after them."""
    names = [w.lower() for w in words[2:]]
    known = {f"{a}{kind}" for a in AXES for kind in ("position", "rotation")}
    if (
        len(words) < 2
        or words[1].lstrip("0") != (str(len(names)) if names else "")
        or not set(names) <= known
        or len(set(names)) < len(names)
    ):
        raise source.error(
            where, " ".join(words)[:60], "a count and as many of Xposition … Zrotation", "Export it again."
        )
    if joints[k].channels:
        raise source.error(
            where, f"a second CHANNELS of {joints[k].name}", "one of each joint", "Export it again."
        )
    joints[k].channels = names
    joints[k].first = first
    return first + len(names)


def _motion(lines: list[str], at: int, joints: list[_Joint], source: Source) -> tuple[F64, float]:
    """((frames, channels), seconds a frame)."""
    head = [line.strip() for line in lines[at + 1 :] if line.strip()][:2]
    try:
        frames = int(head[0].lower().removeprefix("frames:"))
        seconds = float(head[1].lower().removeprefix("frame time:"))
    except (IndexError, ValueError):
        raise source.error(
            f"line {at + 2}", " / ".join(head)[:60], "Frames: and Frame Time:", "Export it again."
        ) from None
    if not 1e-6 <= seconds <= 60 or frames < 0:
        raise source.error(
            f"line {at + 3}",
            f"{frames} frames of {seconds:g} s",
            "a frame time of 1e-6 to 60 s",
            "Export it again.",
        )
    width = sum(len(j.channels) for j in joints)
    body = " ".join(lines[at + 1 :]).lower().partition("frame time:")[2].split(None, 1)
    try:
        values = np.array(body[1].split() if len(body) > 1 else [], dtype=np.float64)
    except ValueError:
        raise source.error("MOTION", "something that is no number", "numbers", "Export it again.") from None
    if not width or len(values) < frames * width or not np.isfinite(values[: frames * width]).all():
        raise source.error(
            "MOTION",
            f"{len(values):,} finite numbers",
            f"{frames} × {width}",
            "The file is cut off: fetch it again.",
        )
    return values[: frames * width].reshape(frames, width), seconds


def _channels(node: int, joint: _Joint, table: F64, times: npt.NDArray[np.float32]) -> list[Channel]:
    """Turns in the order the channels stand (each about the axes the ones before have turned), places instead
    of the offset.
    """
    out = []
    moves = [(AXES[c[0]], joint.first + k) for k, c in enumerate(joint.channels) if c.endswith("position")]
    if moves:
        values = np.tile(np.array(joint.offset), (len(table), 1))
        for axis, column in moves:
            values[:, axis] = table[:, column]
        out.append(Channel(node, "translation", times, frozen(values)))
    turns = [(c[0].upper(), joint.first + k) for k, c in enumerate(joint.channels) if c.endswith("rotation")]
    if turns:
        angles = table[:, [column for _, column in turns]]
        q = transform.Rotation.from_euler("".join(a for a, _ in turns), angles, degrees=True).as_quat()
        out.append(Channel(node, "rotation", times, frozen(continuous(q))))
    return out if len(table) else []


def _looks_like(head: bytes) -> bool:
    return head.lstrip()[:9].upper() == b"HIERARCHY"


register(
    Format(
        id="bvh",
        title="BVH",
        endings=(".bvh",),
        convention=Convention(stated="assumed"),
        carries=frozenset({"hierarchy", "clips"}),
        looks_like=_looks_like,
        read=read_bvh,
        image_forms=(),
    )
)
