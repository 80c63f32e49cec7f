"""Fields of a form: what a person types is taken or told what it takes, and held in the ledger until it is there."""

from __future__ import annotations

from typing import Any

import pytest

from customs.errors import SheetError
from customs.landing.form_check import check_form
from customs.landing.log import Log
from customs.ledger.row import About, Case, requirements
from customs.sheet.form import FieldRules, problem_of, text_of, value_of
from customs.sheet.load import load_sheet, parse_sheet
from customs.shipment.state import Asset, State
from customs.work.forms import remembered
from tests.assets import cube, scene_of

KIT = load_sheet("config-text-kit")


def field(kind: str, **more: Any) -> FieldRules:
    return FieldRules(id="x", title="X", kind=kind, **more)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("rules", "text", "value"),
    [
        (field("text"), "  Fern stand ", "Fern stand"), (field("number", unit="seeds"), "12 seeds", 12.0), (field("number"), "1,5", 1.5),
        (field("choice", options=("a", "b")), "b", "b"), (field("choices", options=("a", "b", "c")), "c; a", ["c", "a"]),
        (field("decades"), "1880s, 1890", [1880, 1890]), (field("email"), "keeper@glasshouse.example", "keeper@glasshouse.example"),
        (field("licence"), "MIT OR Apache-2.0", "MIT OR Apache-2.0"), (field("colour"), "#3f7F6a", "#3f7F6a"), (field("text"), "", ""),
    ],
)  # fmt: skip
def test_what_is_typed_is_taken_and_shown_again(rules: FieldRules, text: str, value: Any) -> None:
    assert value_of(rules, text) == value and problem_of(rules, value) == ""
    assert value_of(rules, text_of(value)) == value if text else True


@pytest.mark.parametrize(
    ("rules", "text", "told"),
    [
        (field("text", required=True), " ", "something"), (field("text", longest=3), "long", "at most 3 characters; it has 4"), (field("text"), "a\x07b", "control"),
        (field("number", unit="m"), "far", "a number in m"), (field("number"), "nan", "a number"), (field("number"), "", "a number"), (field("number", least=1), "0", "at least 1"),
        (field("number", most=9, unit="m"), "10", "at most 9 m"), (field("choice", options=("a", "b")), "c", "one of a, b"), (field("choices", options=("a",)), "a, d", "d is none"),
        (field("choices", options=("a",)), "a, a", "each once"), (field("choices", options=("a",), required=True), "", "at least one"), (field("decades"), "1885", "1885 is none"),
        (field("decades"), "soon", "soon is none"), (field("decades", least=1900), "1890s", "at least 1900"), (field("email"), "nobody", "e-mail"), (field("email"), "a@b", "e-mail"),
        (field("licence"), "free for all!", "licence like"), (field("colour"), "green", "colour like"), (field("region", options=("east",)), "north", "one of east"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_said_in_words(rules: FieldRules, text: str, told: str) -> None:
    with pytest.raises(ValueError, match=told):
        value_of(rules, text)


@pytest.mark.parametrize("value", [None, True, [1], {"a": 1}, 7, "x", [None], float("inf")])
@pytest.mark.parametrize("kind", ["text", "number", "choices", "decades", "colour"])
def test_whatever_stands_in_a_file_can_be_asked_about(kind: str, value: Any) -> None:
    assert isinstance(problem_of(field(kind, options=("a",)), value), str)


FILLED = {"title": "Fern stand", "region": "east wing", "decades": [1880, 1890], "licence": "CC0-1.0"}


def test_required_fields_are_held_until_they_are_there() -> None:
    rule, scene = requirements()["form"], scene_of(cube())

    def rows(form: dict[str, Any]) -> dict[str, str]:
        case = Case(scene, scene, scene, KIT, About(form=form))
        return {r.subject: r.verdict for r in rule.judge(rule, case)}

    assert rows({}) == dict.fromkeys(FILLED, "held")
    assert rows(FILLED) == dict.fromkeys(FILLED, "cleared")
    assert rows(FILLED | {"tint": "green"}) == dict.fromkeys(FILLED, "cleared") | {"tint": "held"}
    plain = Case(scene, scene, scene, load_sheet("one-mesh-kit"), About(form=FILLED))
    assert not list(rule.judge(rule, plain))


@pytest.mark.parametrize(
    ("told", "said"),
    [
        (None, "has no form"), ({}, "the field Title of the form is empty"), (FILLED | {"decades": [1885]}, "Decades of the form takes decades like"),
        (FILLED | {"title": ""}, "Title of the form takes something"), (FILLED | {"mood": "good"}, "not asked: mood"), (FILLED | {"cost": "much"}, "Cost of the form takes a number"),
    ],
)  # fmt: skip
def test_landing_reads_the_form_again(told: Any, said: str, tmp_path: Any) -> None:
    log = Log(tmp_path)
    check_form(KIT, {"form": told} if told is not None else {}, log)
    assert any(said in x.text for x in log.lines if x.level == "refusal")
    good = Log(tmp_path)
    check_form(KIT, {"form": FILLED}, good)
    assert good.accepted


def test_what_others_say_is_offered_those_of_the_same_origin_first() -> None:
    def asset(id_: str, origin: str, **form: Any) -> Asset:
        return Asset(id_, id_.title(), "", "", "", origin=origin, form=form)

    goods = (
        asset("a", "east", title="A", region="palm house"),
        asset("b", "west", title="B"),
        asset("c", "east"),
        asset("d", "west"),
    )
    state = State(goods=goods)
    assert remembered(state, goods[2], KIT) == ({"title": "A", "region": "palm house"}, "A")
    assert remembered(state, goods[3], KIT)[1] == "B"
    full = asset("e", "east", **FILLED)
    assert remembered(State(goods=(*goods, full)), full, KIT) == ({}, "")
    assert remembered(state, goods[2], load_sheet("one-mesh-kit")) == ({}, "")
    kept = Asset.from_dict(full.as_dict())
    assert dict(kept.form) == FILLED and "form" not in goods[2].as_dict()


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ('[[form]]\nid = "a"\ntitle = "A"\nkind = "choice"', "something to choose from"), ('[[form]]\nid = "A b"\ntitle = "A"', "id"),
        ('[[form]]\nid = "a"\ntitle = "A"\n[[form]]\nid = "a"\ntitle = "B"', "each field once"), ('[[form]]\nid = "a"\ntitle = "A"\nkind = "mood"', "kind"),
    ],
)  # fmt: skip
def test_a_sheet_says_where_its_form_is_wrong(text: str, told: str) -> None:
    with pytest.raises(SheetError, match=told):
        parse_sheet(f'version = 1\nid = "x"\ntitle = "x"\n{text}\n')
