"""The humanoid map by VRM: which joint is which bone of a person.

Source: VRM Consortium, "VRMC_vrm 1.0, humanoid" (github.com/vrm-c/vrm-specification): the list of bones,
those that are required, and the bone each hangs under.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from customs.motion.skeleton.skeleton import Skeleton
from customs.motion.skeleton.tokens import meaning

_SIDES = ("left", "right")
_FINGERS = ("Thumb", "Index", "Middle", "Ring", "Little")


def _bones() -> dict[str, str]:
    out = {"hips": "", "spine": "hips", "chest": "spine", "upperChest": "chest", "neck": "upperChest", "head": "neck",
           "jaw": "head"}  # fmt: skip
    for s in _SIDES:
        out[f"{s}Eye"] = "head"
        out |= {
            f"{s}UpperLeg": "hips",
            f"{s}LowerLeg": f"{s}UpperLeg",
            f"{s}Foot": f"{s}LowerLeg",
            f"{s}Toes": f"{s}Foot",
        }
        out |= {f"{s}Shoulder": "upperChest", f"{s}UpperArm": f"{s}Shoulder", f"{s}LowerArm": f"{s}UpperArm"}
        out[f"{s}Hand"] = f"{s}LowerArm"
        for finger in _FINGERS:
            above = f"{s}Hand"
            for joint in (
                ("Metacarpal", "Proximal", "Distal")
                if finger == "Thumb"
                else ("Proximal", "Intermediate", "Distal")
            ):
                out[f"{s}{finger}{joint}"] = above
                above = f"{s}{finger}{joint}"
    return out


BONES: Mapping[str, str] = _bones()
"""Every bone and the bone it hangs under; where that one is missing, the next above."""
REQUIRED = ("hips", "spine", "head", *(f"{s}{b}" for s in _SIDES for b in
            ("UpperLeg", "LowerLeg", "Foot", "UpperArm", "LowerArm", "Hand")))  # fmt: skip
"""Bones without which a humanoid is none (VRM 1.0)."""
OLD_NAMES = {
    f"{s}Thumb{old}": f"{s}Thumb{new}"
    for s in _SIDES
    for old, new in (("Proximal", "Metacarpal"), ("Intermediate", "Proximal"))
}
"""Bones of VRM 0.x that VRM 1.0 calls otherwise (specification, "Changes from 0.x")."""


@dataclass(frozen=True)
class HumanoidMap:
    """Joint names by bone, and how sure each is, 0 to 1."""

    joints: Mapping[str, str]
    confidence: Mapping[str, float]

    @property
    def missing(self) -> tuple[str, ...]:
        """Required bones no joint stands for."""
        return tuple(b for b in REQUIRED if b not in self.joints)


def above_of(bone: str, present: Mapping[str, object]) -> str:
    """The nearest bone above `bone` that is in `present`, or ""."""
    up = BONES.get(bone, "")
    while up and up not in present:
        up = BONES.get(up, "")
    return up


def propose_humanoid(skeleton: Skeleton, fixed: Mapping[str, str] | None = None) -> HumanoidMap:
    """A map from joint names, put right by the tree: a bone must hang under the bone the standard has it
    under.

    `fixed` are a person's (bone → joint name).
    """
    fixed = {b: j for b, j in (fixed or {}).items() if b in BONES and j in skeleton.names}
    found: dict[str, tuple[int, float]] = {b: (skeleton.names.index(j), 1.0) for b, j in fixed.items()}
    taken = {k for k, _ in found.values()}
    _trunk(skeleton, found, taken)
    for side in _SIDES:
        _limb(
            skeleton,
            found,
            taken,
            side,
            ("UpperLeg", "LowerLeg", "Foot", "Toes"),
            "hips",
            ("upper leg", "lower leg", "foot", "toe"),
        )
        over = "upperChest" if "upperChest" in found else "chest" if "chest" in found else "spine"
        _limb(
            skeleton,
            found,
            taken,
            side,
            ("Shoulder", "UpperArm", "LowerArm", "Hand"),
            over,
            ("shoulder", "upper arm", "lower arm", "hand"),
        )
        _fingers(skeleton, found, taken, side)
        _one(skeleton, found, taken, f"{side}Eye", "eye", side[0], "head")
    _one(skeleton, found, taken, "jaw", "jaw", "", "head")
    joints = {b: skeleton.names[k] for b, (k, _) in found.items()}
    return HumanoidMap(joints, {b: c for b, (_, c) in found.items()})


Found = dict[str, tuple[int, float]]


def _candidates(skeleton: Skeleton, taken: set[int], part: str, side: str, under: int) -> list[int]:
    """Free joints of that part and side below `under` (−1 for anywhere), nearest to the root first."""
    out = []
    for k in skeleton.order:
        m = meaning(skeleton.names[k])
        if (
            k not in taken
            and m.part == part
            and m.side == side
            and not m.tip
            and (under < 0 or skeleton.above[k, under])
        ):
            out.append(k)
    return out


def _put(found: Found, taken: set[int], bone: str, joint: int, sure: float) -> None:
    if bone not in found:
        found[bone] = (joint, sure)
        taken.add(joint)


def _trunk(skeleton: Skeleton, found: Found, taken: set[int]) -> None:
    """Hips, then the way from them up to the head, its joints shared out among spine, chest, upper chest and
    neck.
    """
    if "hips" not in found:
        named = _candidates(skeleton, taken, "hips", "", -1)
        forks = [k for k in skeleton.order if len(skeleton.children[k]) >= 3]
        pick = named[0] if named else forks[0] if forks else -1
        if pick < 0:
            return
        _put(found, taken, "hips", pick, 0.95 if named else 0.5)
    hips = found["hips"][0]
    heads = _candidates(skeleton, taken, "head", "", hips)
    if "head" not in found and heads:
        _put(found, taken, "head", heads[0], 0.95)
    if "head" not in found:
        return
    way, k = [], int(skeleton.parent[found["head"][0]])
    while k >= 0 and k != hips:
        way.append(k)
        k = int(skeleton.parent[k])
    way = [w for w in reversed(way) if w not in taken]
    necks = [w for w in way if meaning(skeleton.names[w]).part == "neck"]
    trunk = [w for w in way if w not in necks]
    if not necks and len(trunk) >= 3:
        necks, trunk = trunk[-1:], trunk[:-1]
    for bone, joint in zip(("spine", "chest", "upperChest"), trunk):
        _put(
            found,
            taken,
            bone,
            joint,
            0.95 if meaning(skeleton.names[joint]).part in ("spine", "chest") else 0.7,
        )
    if necks:
        _put(
            found, taken, "neck", necks[0], 0.95 if meaning(skeleton.names[necks[0]]).part == "neck" else 0.6
        )


def _limb(
    skeleton: Skeleton,
    found: Found,
    taken: set[int],
    side: str,
    bones: tuple[str, ...],
    over: str,
    parts: tuple[str, ...],
) -> None:
    """A limb by names; where one is not named as expected, by its place in the chain under the one before."""
    under = found[over][0] if over in found else -1
    for bone, part in zip(bones, parts):
        full = side + bone
        if full in found:
            under = found[full][0]
            continue
        named = _candidates(skeleton, taken, part, side[0], under) or _leg_words(
            skeleton, taken, part, side[0], under
        )
        optional = bone in ("Shoulder", "Toes")
        if named:
            _put(found, taken, full, named[0], 0.95)
        elif not optional and under >= 0 and under != (found[over][0] if over in found else -1):
            below = [k for k in skeleton.children[under] if k not in taken]
            if not below:
                return
            _put(found, taken, full, max(below, key=lambda k: float(skeleton.beyond[k])), 0.6)
        elif not optional:
            branch = _side_branch(skeleton, taken, side, under, legs=bones[0] == "UpperLeg")
            if branch < 0:
                return
            if bones[0] == "Shoulder" and _chain(skeleton, branch) >= 4 and f"{side}Shoulder" not in found:
                # Four joints and more: the first is the shoulder.
                _put(found, taken, f"{side}Shoulder", branch, 0.5)
                branch = max(skeleton.children[branch], key=lambda k: float(skeleton.beyond[k]))
            _put(found, taken, full, branch, 0.5)
        if full in found:
            under = found[full][0]


def _chain(skeleton: Skeleton, joint: int) -> int:
    """Joints from one to the end of the longest way below it."""
    count = 1
    while skeleton.children[joint]:
        joint = max(skeleton.children[joint], key=lambda k: float(skeleton.beyond[k]))
        count += 1
    return count


def _leg_words(skeleton: Skeleton, taken: set[int], part: str, side: str, under: int) -> list[int]:
    """A joint just called leg: the upper one where it has a thigh's place, else the lower one."""
    if part not in ("upper leg", "lower leg"):
        return []
    return _candidates(skeleton, taken, "leg", side, under)


def _side_branch(skeleton: Skeleton, taken: set[int], side: str, under: int, legs: bool) -> int:
    """The branch under `under` on one side that leads farthest down (legs) or sideways (arms), or −1."""
    if under < 0:
        return -1
    sign = 1.0 if side == "left" else -1.0
    at = skeleton.places[under]
    best, pick = 0.0, -1
    for k in skeleton.children[under]:
        if k in taken:
            continue
        ends = skeleton.places[np.append(np.flatnonzero(skeleton.above[:, k]), k)] - at
        aside = float((ends[:, 0] * sign).max())
        down = float(-ends[:, 1].min())
        score = down if legs else aside
        if aside > 0.02 * skeleton.size and score > best:
            best, pick = score, k
    return pick


def _one(
    skeleton: Skeleton, found: Found, taken: set[int], bone: str, part: str, side: str, over: str
) -> None:
    under = found[over][0] if over in found else -1
    named = _candidates(skeleton, taken, part, side, under)
    if named and under >= 0:
        _put(found, taken, bone, named[0], 0.9)


def _fingers(skeleton: Skeleton, found: Found, taken: set[int], side: str) -> None:
    hand = found.get(f"{side}Hand")
    if hand is None:
        return
    for finger in _FINGERS:
        chain = _candidates(skeleton, taken, finger.lower(), side[0], hand[0])
        names = (
            ("Metacarpal", "Proximal", "Distal")
            if finger == "Thumb"
            else ("Proximal", "Intermediate", "Distal")
        )
        for joint, k in zip(names, chain):
            _put(found, taken, f"{side}{finger}{joint}", k, 0.9)
