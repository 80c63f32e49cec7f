"""Names of joints taken apart: body part, side and number. All words here are common practice."""

from __future__ import annotations

import itertools
import re
from collections.abc import Mapping
from dataclasses import dataclass
from difflib import SequenceMatcher
from functools import lru_cache

PARTS: Mapping[str, tuple[str, ...]] = {
    "root": ("root", "reference", "origin", "master"),
    "hips": ("hips", "hip", "pelvis", "cog"),
    "spine": ("spine", "back", "torso", "waist", "abdomen", "belly", "lumbar", "trunk"),
    "chest": ("chest", "thorax", "ribcage", "ribs", "breast"),
    "neck": ("neck", "cervical"),
    "head": ("head", "skull", "cranium"),
    "jaw": ("jaw", "chin", "mandible"),
    "eye": ("eye", "eyeball"),
    "ear": ("ear",),
    "beak": ("beak", "bill", "snout", "muzzle", "nose"),
    "shoulder": ("shoulder", "clavicle", "collar", "collarbone", "scapula"),
    "upper arm": ("upperarm", "uparm", "arm", "humerus", "bicep"),
    "lower arm": ("lowerarm", "forearm", "elbow", "ulna", "loarm", "underarm"),
    "hand": ("hand", "wrist", "palm"),
    "thumb": ("thumb",),
    "index": ("index", "forefinger", "pointer"),
    "middle": ("middle", "mid"),
    "ring": ("ring",),
    "little": ("little", "pinky", "pinkie"),
    "finger": ("finger", "digit"),
    "upper leg": ("upperleg", "upleg", "thigh", "femur"),
    "lower leg": ("lowerleg", "loleg", "calf", "shin", "shank", "knee", "tibia", "crus"),
    "leg": ("leg",),
    "foot": ("foot", "ankle", "heel", "paw", "hoof"),
    "toe": ("toe", "toes", "ball", "claw"),
    "tail": ("tail",),
    "wing": ("wing", "feather"),
    "tip": ("end", "tip", "nub", "leaf", "top"),
    "twist": ("twist", "roll"),
}
"""Words for each part; what stands first in a name counts, and two words that make one are tried together."""
OUTER: Mapping[str, tuple[str, ...]] = {
    "hand": ("thumb", "index", "middle", "ring", "little"),
    "foot": ("toe",),
}
"""Parts that are often named after the part they hang on."""
LEFT, RIGHT = ("left", "l", "lf", "lft"), ("right", "r", "rt", "rgt")
NOISE = frozenset(
    {"bone", "joint", "jnt", "def", "deform", "rig", "skel", "skeleton", "mesh", "sk", "j", "b", "the"}
)
_WORD = {word: part for part, words in PARTS.items() for word in words}


@dataclass(frozen=True)
class Meaning:
    """What a joint's name says: `part` ("" when nothing known), `side` "l", "r" or "", `number` or −1, `tip`
    for an end.
    """

    part: str
    side: str
    number: int
    tip: bool
    rest: str


@lru_cache(maxsize=8192)
def words_of(name: str) -> tuple[str, ...]:
    """A name as lower-case words and numbers: parted at signs, at capitals and at digits."""
    name = name.rsplit(":", 1)[-1].rsplit("|", 1)[-1]
    return tuple(w.lower() for w in re.findall(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|\d+", name))


@lru_cache(maxsize=8192)
def meaning(name: str) -> Meaning:
    """The part, side and number a joint's name speaks of."""
    words = list(words_of(name))
    side = ""
    for k, w in enumerate(words):
        if w in LEFT or w in RIGHT:
            side = "l" if w in LEFT else "r"
            del words[k]
            break
    words, stuck = _unstuck(words) if not side else (words, "")
    side = side or stuck
    numbers = [int(w) for w in words if w.isdigit() and len(w) < 10]
    plain = [w for w in words if not w.isdigit() and w not in NOISE]
    part, used = _part(plain)
    tip = part != "tip" and any(_WORD.get(w) == "tip" for w in plain)
    rest = "".join(w for w in plain if w not in used)
    if side and part == "hips":
        part = "upper leg"
    return Meaning(part, side, numbers[-1] if numbers else -1, tip, rest)


def _unstuck(words: list[str]) -> tuple[list[str], str]:
    """Sides written without a gap: `leftarm`, `armr`."""
    for k, w in enumerate(words):
        for side, long in (("l", "left"), ("r", "right")):
            if w.startswith(long) and w[len(long) :] in _WORD:
                return [*words[:k], w[len(long) :], *words[k + 1 :]], side
        if w[-1:] in "lr" and w[:-1] in _WORD and w not in _WORD:
            return [*words[:k], w[:-1], *words[k + 1 :]], w[-1]
    return words, ""


def _part(words: list[str]) -> tuple[str, set[str]]:
    for a, b in itertools.pairwise(words):
        for both in (a + b, b + a):
            if both in _WORD:
                return _WORD[both], {a, b}
    known = [w for w in words if w in _WORD]
    named = [w for w in known if _WORD[w] not in ("tip", "twist", "finger")] or known
    # What hangs on a hand or a foot and says so is not the hand or the foot: `LeftHandThumb2`.
    outer = [w for w in named if _WORD[w] in OUTER.get(_WORD[named[0]], ())] if named else []
    named = outer or named
    return (_WORD[named[0]], {named[0]}) if named else ("", set())


def likeness(a: str, b: str) -> float:
    """How alike two joint names are, 0 to 1: part and side first, then number, then plain spelling."""
    x, y = meaning(a), meaning(b)
    if a == b:
        return 1.0
    if x.side and y.side and x.side != y.side:
        return 0.0
    spelling = SequenceMatcher(None, "".join(words_of(a)), "".join(words_of(b))).ratio()
    if x.part and y.part:
        score = _parts_alike(x, y)
        if x.side != y.side:
            score *= 0.7
        if score > 0.5 and x.number >= 0 and y.number >= 0 and x.number != y.number:
            score -= 0.12
        if x.tip != y.tip:
            score *= 0.6
        return max(score * 0.95, 0.3 * spelling)
    return 0.6 * spelling if x.side == y.side else 0.4 * spelling


NEAR_PARTS = {
    frozenset(p): s
    for p, s in (
        (("spine", "chest"), 0.6), (("leg", "upper leg"), 0.7), (("leg", "lower leg"), 0.6), (("root", "hips"), 0.5),
        (("foot", "toe"), 0.35), (("shoulder", "upper arm"), 0.35), (("hand", "lower arm"), 0.2), (("hips", "spine"), 0.3),
        (("beak", "jaw"), 0.4), (("wing", "upper arm"), 0.4), (("finger", "index"), 0.5), (("finger", "middle"), 0.5),
        (("finger", "ring"), 0.5), (("finger", "little"), 0.5), (("finger", "thumb"), 0.3), (("tip", "toe"), 0.3),
        (("neck", "head"), 0.2),
    )
}  # fmt: skip
"""Parts people call by each other's names, and how well they stand for each other."""


def _parts_alike(x: Meaning, y: Meaning) -> float:
    return 1.0 if x.part == y.part else NEAR_PARTS.get(frozenset((x.part, y.part)), 0.0)
