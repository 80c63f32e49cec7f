"""Files of text that are wrong in one place: one error that names the file and says what was expected, never
anything else.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from customs.errors import CustomsError
from customs.motion.skeleton.tokens import meaning
from customs.scene.model import Scene
from customs.surface.suffixes import role_of_name
from tests.assets import loaded

BVH = """HIERARCHY
ROOT hips
{
 OFFSET 0 1 0
 CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation
 JOINT knee
 {
  OFFSET 0 -0.5 0
  CHANNELS 3 Zrotation Xrotation Yrotation
  End Site
  {
   OFFSET 0 -0.5 0
  }
 }
}
MOTION
Frames: 2
Frame Time: 0.04
0 1 0 10 20 30 5 6 7
0 1 0.1 11 21 31 6 7 8
"""
PLY = """ply
format ascii 1.0
element vertex 3
property float x
property float y
property float z
element face 1
property list uchar int vertex_indices
end_header
0 0 0
1 0 0
0 1 0
3 0 1 2
"""
STL = """solid leaf
facet normal 0 0 1
 outer loop
  vertex 0 0 0
  vertex 1 0 0
  vertex 0 1 0
 endloop
endfacet
endsolid leaf
"""
OBJ = """v 0 0 0
v 1 0 0
v 0 1 0
vt 0 0
vn 0 0 1
f 1/1/1 2/1/1 3/1/1
"""
SOUND = {"bvh": BVH, "ply": PLY, "stl": STL, "obj": OBJ}
WRONG = [
    ("bvh", "ROOT hips", "", "no root"),
    ("bvh", "Frames: 2", "Frames: two", "a count in words"),
    ("bvh", "Frame Time: 0.04", "Frame Time: never", "a time in words"),
    ("bvh", "0 1 0.1 11 21 31 6 7 8", "0 1 0.1 11", "a frame cut off"),
    ("bvh", "0 1 0.1 11 21 31 6 7 8", "0 1 x 11 21 31 6 7 8", "a number in words"),
    (
        "bvh",
        "CHANNELS 3 Zrotation Xrotation Yrotation",
        "CHANNELS 3 Zrotation Xrotation",
        "a channel missing",
    ),
    ("bvh", "OFFSET 0 -0.5 0\n  CHANNELS", "OFFSET 0 -0.5\n  CHANNELS", "two numbers of three"),
    ("bvh", "MOTION\n", "", "no motion"),
    (
        "bvh",
        "Frames: 2\nFrame Time: 0.04\n0 1 0 10 20 30 5 6 7\n0 1 0.1 11 21 31 6 7 8\n",
        "",
        "nothing after motion",
    ),
    ("bvh", "CHANNELS 3", "CHANNELS ²", "a digit that is no number"),
    ("bvh", "CHANNELS 3", f"CHANNELS {'9' * 5000}", "a count of five thousand digits"),
    ("ply", "format ascii 1.0", "format rope 1.0", "a format nobody knows"),
    ("ply", "element vertex 3", "element vertex 9", "more vertices than lines"),
    ("ply", "element vertex 3", "element vertex many", "a count in words"),
    ("ply", "property float x", "property rope x", "a type nobody knows"),
    ("ply", "end_header\n", "", "no end of the header"),
    ("ply", "1 0 0\n", "1 zero 0\n", "a number in words"),
    ("stl", "vertex 1 0 0", "vertex 1 0", "two numbers of three"),
    ("stl", "vertex 1 0 0", "vertex one 0 0", "a number in words"),
    ("obj", "v 1 0 0", "v 1 zero 0", "a number in words"),
    ("obj", "f 1/1/1 2/1/1 3/1/1", "f 1/1/1 2/1/1 9/1/1", "a vertex that is not there"),
    ("obj", "f 1/1/1 2/1/1 3/1/1", "f 1/7/1 2/1/1 3/1/1", "a UV that is not there"),
    ("obj", "f 1/1/1 2/1/1 3/1/1", "f 1/1/9 2/1/1 3/1/1", "a normal that is not there"),
    ("obj", "f 1/1/1 2/1/1 3/1/1", "f 0/1/1 2/1/1 3/1/1", "numbers that begin at nought"),
    ("obj", "f 1/1/1 2/1/1 3/1/1", "f -9 -2 -1", "counted back too far"),
]
"""(format, what stands there, what stands there instead, why it is wrong)."""


def read(form: str, text: str, folder: Path) -> Scene:
    """Text through a file."""
    path = folder / f"leaf.{form}"
    path.write_text(text, "utf-8")
    return loaded(path)


@pytest.mark.parametrize("form", SOUND)
@pytest.mark.parametrize("ends", ["\n", "\r\n"])
def test_the_sound_ones_are_read_whatever_ends_their_lines(form: str, ends: str, tmp_path: Path) -> None:
    (tmp_path / f"leaf.{form}").write_bytes(SOUND[form].replace("\n", ends).encode())
    scene = loaded(tmp_path / f"leaf.{form}")
    if form == "bvh":
        assert len(scene.clips) == 1 and len(scene.nodes) >= 2
    else:
        assert np.ptp(scene.meshes[0].primitives[0].positions, axis=0).tolist() == [1, 1, 0]


@pytest.mark.parametrize(("form", "there", "instead", "why"), WRONG, ids=[f"{w[0]}: {w[3]}" for w in WRONG])
def test_one_wrong_place_is_one_clear_error(
    form: str, there: str, instead: str, why: str, tmp_path: Path
) -> None:
    assert there in SOUND[form], "the table is about the text above"
    with pytest.raises(CustomsError) as problem:
        read(form, SOUND[form].replace(there, instead, 1), tmp_path)
    assert f"leaf.{form}" in str(problem.value) and (problem.value.expected or problem.value.todo), why
    assert problem.value.found, why


@pytest.mark.parametrize("form", SOUND)
@pytest.mark.parametrize("share", [0.0, 0.1, 0.4, 0.8])
def test_cut_off_it_is_an_error_or_what_was_there(form: str, share: float, tmp_path: Path) -> None:
    try:
        scene = read(form, SOUND[form][: int(len(SOUND[form]) * share)], tmp_path)
    except CustomsError as problem:
        assert f"leaf.{form}" in str(problem)
    else:
        assert all(np.isfinite(p.positions).all() for m in scene.meshes for p in m.primitives)


MANY = 200_000
LONG = {
    "a skeleton of many joints": (
        "bvh",
        BVH.replace(" JOINT knee", " JOINT toe\n {\n OFFSET 0 0 0\n }\n" * 30_000 + " JOINT knee"),
    ),
    "tags that are never closed": ("dae", "<COLLADA><asset>" + "<unit " * MANY + "</asset>"),
    "parts that are never closed": ("dae", "<asset " * MANY),
    "a comment full of clips": (
        "dae",
        f"<COLLADA version='1.4.1'><asset/><!--{'<animation_clip ' * MANY}--></COLLADA>",
    ),
}
"""Texts a reader that looks at everything again for each thing it finds would need minutes for."""


@pytest.mark.parametrize("what", LONG)
def test_a_long_text_is_read_or_refused_without_walking_it_again_and_again(what: str, tmp_path: Path) -> None:
    form, text = LONG[what]
    try:
        scene = read(form, text, tmp_path)
    except CustomsError as problem:
        assert f"leaf.{form}" in str(problem) and form == "dae"
    else:
        assert form == "dae" or len(scene.nodes) == 30_003


def test_long_names_say_what_they_say() -> None:
    assert meaning(f"hand_{'9' * 5000}_l").part == "hand" and meaning("hand_07_l").number == 7
    assert role_of_name("moss_normal" + "_7" * MANY).role == "normal"  # type: ignore[union-attr]
