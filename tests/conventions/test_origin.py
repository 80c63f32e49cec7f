"""Origins: those that ship, keeping by name, errors that say where."""

from __future__ import annotations

from pathlib import Path

import pytest

from customs.conventions.fit import STANDING_FIGURE, proposals
from customs.conventions.origin import (
    Origin,
    keep_origin,
    kept_origins,
    origin_text,
    parse_origin,
    read_origin,
    shipped_origins,
)
from customs.errors import SheetError


def test_four_ship_with_their_conventions() -> None:
    known = shipped_origins()
    assert set(known) == {"metre-yup", "centimetre-zup", "inch-zup", "metre-zup"}
    assert (known["metre-yup"].up, known["metre-yup"].faces) == ("+Y", "+Z")
    assert (known["metre-zup"].up, known["metre-zup"].faces) == ("+Z", "-Y")
    assert known["inch-zup"].metres_per_unit == 0.0254  # exact: the international inch
    assert known["centimetre-zup"].metres_per_unit == 0.01
    assert {o.hand for o in known.values()} == {"right"}


def test_kept_by_name_and_read_again(tmp_path: Path) -> None:
    mine = Origin(
        id="shed", title="The shed", up="+Z", faces="+X", turn=(0, 90, 0), scale=2.5, footing="base-centre"
    )
    path = keep_origin(mine, tmp_path / "origins")
    assert read_origin(path) == mine
    assert kept_origins(tmp_path / "origins") == {"shed": mine}
    assert "turn = [0.0, 90.0, 0.0]" in origin_text(mine)


def test_a_broken_one_is_left_out_of_the_list_and_told_when_read(tmp_path: Path) -> None:
    (tmp_path / "bad.toml").write_text('id = "bad"\ntitle = "Bad"\nup = "+W"\n')
    assert kept_origins(tmp_path) == {}
    with pytest.raises(SheetError) as problem:
        read_origin(tmp_path / "bad.toml")
    assert problem.value.where == "up" and "bad.toml" in str(problem.value)


def test_axes_on_one_line_are_refused_with_the_key() -> None:
    with pytest.raises(SheetError) as problem:
        parse_origin({"id": "x", "title": "X", "up": "+Z", "faces": "-Z"}, "x.toml")
    assert problem.value.where == "faces"


def test_not_toml_says_the_line(tmp_path: Path) -> None:
    path = tmp_path / "o.toml"
    path.write_text("id = \n")
    with pytest.raises(SheetError, match="line 1"):
        read_origin(path)


def test_metres_stored_as_centimetres_are_found() -> None:
    # common practice: 178 units high beside a standing figure of 1.80 m is a centimetre model
    best = proposals(178.4, STANDING_FIGURE)[0]
    assert best.factor == 0.01 and best.height == pytest.approx(1.784)
    assert "centimetres" in best.reason and "99.1 %" in best.text()


@pytest.mark.parametrize(
    ("height", "factor"), [(70.9, 0.0254), (1800.0, 0.001), (5.9, 0.3048), (1.75, 1.0), (0.018, 100.0)]
)
def test_other_units_are_found(height: float, factor: float) -> None:
    assert proposals(height, STANDING_FIGURE)[0].factor == factor


def test_the_exact_ratio_comes_last_and_nonsense_gives_nothing() -> None:
    assert proposals(3.7, 1.8)[-1].height == pytest.approx(1.8)
    assert proposals(0.0, 1.8) == [] and proposals(float("nan"), 1.8) == []
