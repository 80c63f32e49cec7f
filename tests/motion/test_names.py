"""Joint names as they come: which part of the body, which side, which number. Common practice, name by
name.
"""

from __future__ import annotations

import pytest

from customs.motion.skeleton.tokens import likeness, meaning, words_of

NAMES = [
    ("hips", "hips", "", -1),
    ("Hips", "hips", "", -1),
    ("pelvis", "hips", "", -1),
    ("rig:Pelvis", "hips", "", -1),
    ("body|pelvis", "hips", "", -1),
    ("COG", "hips", "", -1),
    ("spine", "spine", "", -1),
    ("Spine1", "spine", "", 1),
    ("spine_02", "spine", "", 2),
    ("back3", "spine", "", 3),
    ("torso", "spine", "", -1),
    ("waist_jnt", "spine", "", -1),
    ("chest", "chest", "", -1),
    ("ribcage", "chest", "", -1),
    ("UpperChest", "chest", "", -1),
    ("neck", "neck", "", -1),
    ("Neck_01", "neck", "", 1),
    ("head", "head", "", -1),
    ("skull", "head", "", -1),
    ("jaw", "jaw", "", -1),
    ("eye_l", "eye", "l", -1),
    ("RightEye", "eye", "r", -1),
    ("ear.L", "ear", "l", -1),
    ("beak", "beak", "", -1),
    ("nose", "beak", "", -1),
    ("clavicle_l", "shoulder", "l", -1),
    ("LeftShoulder", "shoulder", "l", -1),
    ("R_Collar", "shoulder", "r", -1),
    ("scapula_r", "shoulder", "r", -1),
    ("upperarm_l", "upper arm", "l", -1),
    ("upper_arm_r", "upper arm", "r", -1),
    ("ArmUpperLeft", "upper arm", "l", -1),
    ("l_arm", "upper arm", "l", -1),
    ("LeftArm", "upper arm", "l", -1),
    ("humerus.R", "upper arm", "r", -1),
    ("forearm_l", "lower arm", "l", -1),
    ("LeftForeArm", "lower arm", "l", -1),
    ("lowerarm_r", "lower arm", "r", -1),
    ("arm_lower_r", "lower arm", "r", -1),
    ("elbow_l", "lower arm", "l", -1),
    ("hand_l", "hand", "l", -1),
    ("RightHand", "hand", "r", -1),
    ("wrist_r", "hand", "r", -1),
    ("PalmLeft", "hand", "l", -1),
    ("thumb_01_l", "thumb", "l", 1),
    ("LeftHandThumb2", "thumb", "l", 2),
    ("LeftHandIndex1", "index", "l", 1),
    ("RightHandMiddle3", "middle", "r", 3),
    ("hand_ring_02_l", "ring", "l", 2),
    ("RightHandPinky1", "little", "r", 1),
    ("LeftFootToe", "toe", "l", -1),
    ("index_02_r", "index", "r", 2),
    ("middle_03_l", "middle", "l", 3),
    ("ring_01_r", "ring", "r", 1),
    ("pinky_02_l", "little", "l", 2),
    ("little_01_r", "little", "r", 1),
    ("thigh_l", "upper leg", "l", -1),
    ("LeftUpLeg", "upper leg", "l", -1),
    ("UpperLeg_R", "upper leg", "r", -1),
    ("femur_l", "upper leg", "l", -1),
    ("ThighRight", "upper leg", "r", -1),
    ("calf_l", "lower leg", "l", -1),
    ("shin.R", "lower leg", "r", -1),
    ("LowerLeg_L", "lower leg", "l", -1),
    ("knee_r", "lower leg", "r", -1),
    ("LeftLeg", "leg", "l", -1),
    ("foot_l", "foot", "l", -1),
    ("RightFoot", "foot", "r", -1),
    ("ankle_r", "foot", "r", -1),
    ("hoof_l", "foot", "l", -1),
    ("toe_l", "toe", "l", -1),
    ("ball_r", "toe", "r", -1),
    ("LeftToe", "toe", "l", -1),
    ("tail_03", "tail", "", 3),
    ("wing_l", "wing", "l", -1),
    ("wing_02_r", "wing", "r", 2),
    ("root", "root", "", -1),
    ("origin", "root", "", -1),
    ("bone", "", "", -1),
    ("joint12", "", "", 12),
    ("widget", "", "", -1),
]
"""(name, part, side, number)."""
SIDED = [(n, part, side) for n, part, side, _ in NAMES if side]


@pytest.mark.parametrize(("name", "part", "side", "number"), NAMES)
def test_a_name_says_its_part_its_side_and_its_number(name: str, part: str, side: str, number: int) -> None:
    found = meaning(name)
    assert (found.part, found.side, found.number) == (part, side, number)


@pytest.mark.parametrize(
    "spelling", [str.lower, str.upper, str.title, lambda n: f"rig:{n}", lambda n: f"DEF-{n}"]
)
def test_case_and_what_stands_before_it_change_nothing(spelling) -> None:  # type: ignore[no-untyped-def]
    for name in ("hand_l", "spine_02", "thigh_r", "neck"):
        one, other = meaning(name), meaning(spelling(name))
        assert (one.part, one.side, one.number) == (other.part, other.side, other.number), spelling(name)


@pytest.mark.parametrize(("name", "part", "side"), SIDED)
def test_a_side_never_answers_for_the_other(name: str, part: str, side: str) -> None:
    for other, its_part, its_side in SIDED:
        if its_part == part and its_side != side:
            assert likeness(name, other) == 0


@pytest.mark.parametrize(("name", "part", "side"), SIDED)
def test_its_own_part_is_liker_than_any_other(name: str, part: str, side: str) -> None:
    if part == "leg":
        return  # A leg alone may be the upper or the lower one.
    same = max(likeness(name, n) for n, p, s in SIDED if p == part and s == side)
    others = max(
        (likeness(name, n) for n, p, s in SIDED if p not in (part, "leg") and s == side), default=0.0
    )
    assert same > others


def test_numbers_count_and_the_nearer_one_wins() -> None:
    assert likeness("spine_01", "Back1") > likeness("spine_01", "Back2")
    assert likeness("tail_03", "Tail3") > likeness("tail_03", "Tail4")


def test_words_are_parted_at_signs_capitals_and_digits() -> None:
    assert words_of("LeftForeArm") == ("left", "fore", "arm")
    assert words_of("a|b:upper_arm.L2") == ("upper", "arm", "l", "2")
    assert words_of("") == () and words_of("___") == ()
    assert words_of("IKFoot_R") == ("ik", "foot", "r") or words_of("IKFoot_R")[-1] == "r"
