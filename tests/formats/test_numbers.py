"""Numbers of text files are checked whole: what is no number from its first letter to its last is an error
with its line.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from customs.errors import ReadError
from customs.formats.text_lines import parse_floats
from tests.assets import loaded

GOOD = ["1", "-1.5", "+2.", ".5", "-.5e3", "1e-7", "2.5E+08", "007", "1e5", "0.0"]
BAD = [
    "1,5",
    "1a77",
    "1.5.5",
    "0x10",
    "1e",
    "e5",
    ".",
    "-",
    "+-1",
    "1-2",
    "1e5.2",
    "1e5e5",
    "--1",
    "1_000",
    "²",
    "1.e",
    "-.e1",
]


@pytest.mark.parametrize("bad", BAD)
@pytest.mark.parametrize("place", range(3))
def test_a_number_that_is_none_names_its_line(bad: str, place: int, tmp_path: Path) -> None:
    words = ["0", "1", "2"]
    words[place] = bad
    text = f"v 0 0 0\nv 1 0 0\nv {' '.join(words)}\nf 1 2 3\n"
    (tmp_path / "a.obj").write_text(text)
    with pytest.raises(ReadError, match="line 3") as problem:
        loaded(tmp_path / "a.obj")
    assert problem.value.todo and bad.encode("ascii", "ignore").decode() in problem.value.found


@pytest.mark.parametrize("ending", ["ply", "stl"])
def test_the_other_text_formats_do_the_same(ending: str, tmp_path: Path) -> None:
    ply = "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n"
    ply += (
        "element face 1\nproperty list uchar int vertex_indices\nend_header\n0 0 0\n1,5 0 0\n0 1 0\n3 0 1 2\n"
    )
    stl = "solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1,5 0 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid a\n"
    (tmp_path / f"a.{ending}").write_text({"ply": ply, "stl": stl}[ending])
    with pytest.raises(ReadError):
        loaded(tmp_path / f"a.{ending}")


def test_a_material_library_says_what_it_could_not_read(tmp_path: Path) -> None:
    (tmp_path / "a.mtl").write_text("newmtl m\nKd 0,5 0,5 0,5\nd 0,5\n")
    (tmp_path / "a.obj").write_text("mtllib a.mtl\nusemtl m\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
    said = [r.text for r in loaded(tmp_path / "a.obj").remarks]
    assert any("Kd 0,5 0,5 0,5" in t for t in said) and any("d 0,5" in t for t in said)


@given(
    st.lists(st.sampled_from(GOOD + BAD), min_size=1, max_size=6),
    st.sampled_from([" ", "\t", "\n", "  \r\n"]),
)
def test_as_python_reads_them(words: list[str], gap: str) -> None:
    text = gap.join(words).encode()
    whole = all(w in GOOD for w in words)
    values = parse_floats(text, len(words))
    assert (values is not None) == whole
    if values is not None:
        assert np.allclose(values, [float(w) for w in words])
