"""Settings: how two wishes become one, and how what an earlier or newer edition kept is read."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Any, ClassVar

import numpy as np
import pytest

from customs.errors import StepError
from customs.job import Job
from customs.ledger.ledger import judge
from customs.ledger.row import remedy
from customs.route.route import Route, Stop, evaluate
from customs.route.step import PHASES, STEPS, Outcome, Step, get_step, make_settings, register, steps
from customs.scene.key import Key
from customs.scene.model import Image, Scene
from customs.scene.settings import Settings, Targeted
from customs.sheet.load import load_sheet
from tests.assets import DIGEST, cube, scene_of


def made(step: str, **values: Any) -> Settings:
    """Settings of a step."""
    return get_step(step).settings(**values)


@pytest.mark.parametrize(
    ("step", "first", "second", "both"),
    [
        ("scale", {"factor": 0.5}, {"factor": 4.0}, {"factor": 2.0}),
        ("leave-out", {"cameras": True, "lights": False}, {"cameras": False, "lights": True}, {"cameras": True, "lights": True}),
        ("leave-out", {"texcoord_sets": 2}, {"texcoord_sets": 1}, {"texcoord_sets": 1}),
        ("split", {"values": ("occlusion",)}, {"values": ("metallic", "occlusion")}, {"values": ("occlusion", "metallic")}),
        ("normals", {"targets": ("a",)}, {"targets": ("b", "a"), "angle": 20.0}, {"targets": ("a", "b"), "angle": 20.0}),
        ("normals", {}, {"targets": ("a",)}, {"targets": ()}),
        ("normals", {"targets": ("a",)}, {}, {"targets": ()}),
        ("unwrap", {"only_missing": True, "targets": ("a",)}, {"only_missing": False, "targets": ("a",)}, {"only_missing": False, "targets": ("a",)}),
        ("footing", {"point": (1.0, 2.0, 3.0)}, {"point": (4.0, 5.0, 6.0)}, {"point": (4.0, 5.0, 6.0)}),
    ],
)  # fmt: skip
def test_two_wishes_become_one(
    step: str, first: dict[str, Any], second: dict[str, Any], both: dict[str, Any]
) -> None:
    out = made(step, **first).merged(made(step, **second))
    assert out.said() == both


@pytest.mark.parametrize("step", steps())
def test_what_adds_up_or_stays_is_a_field_of_that_kind(step: str) -> None:
    settings = get_step(step).settings
    kinds = {n: str(f.annotation) for n, f in settings.model_fields.items()}
    assert all("tuple" in kinds[n] for n in settings.adds) and all("bool" in kinds[n] for n in settings.stays)
    assert get_step(step).phase in PHASES


def test_phases_follow_the_order_of_routes() -> None:
    assert [PHASES.index(s.phase) for s in steps().values()] == sorted(
        PHASES.index(s.phase) for s in steps().values()
    )


def test_a_remedy_the_step_cannot_take_is_none_and_a_wrong_field_is_a_mistake() -> None:
    fix = remedy("resize", "Smaller", limit=64)
    assert fix is not None and fix.values == {"limit": 64} and fix.settings == made("resize", limit=64)
    assert remedy("retime", "Faster", rate=1e9) is None
    with pytest.raises(Exception, match="edge"):
        remedy("resize", "Smaller", edge=64)


class Polish(Settings):
    """Settings whose field had another name and another unit."""

    version: ClassVar[int] = 3
    renamed: ClassVar = {"gleam": "shine"}
    shine: float = 0.0

    @classmethod
    def migrated(cls, values: Any, version: int) -> dict[str, Any]:
        out = super().migrated(values, version)
        return {k: v / 100 for k, v in out.items()} if version < 2 else out


@pytest.fixture
def polish() -> Iterator[None]:
    """A step that is there for a while."""
    register(
        Step(
            "polish",
            "Polish",
            "fit",
            4321,
            "Polishes.",
            Polish,
            lambda scene, settings, content, job: Outcome(scene),
        )
    )
    yield
    STEPS.drop("polish")


@pytest.mark.usefixtures("polish")
@pytest.mark.parametrize(
    ("version", "values"), [(None, {"gleam": 50}), (2, {"gleam": 0.5}), (3, {"shine": 0.5})]
)
def test_settings_of_an_earlier_edition_are_read(version: int | None, values: dict[str, float]) -> None:
    table = {"id": "polish@1", "step": "polish", "values": values} | ({"version": version} if version else {})
    stop = Stop.from_dict(table)
    assert stop.settings == Polish(shine=0.5)
    assert stop.as_dict()["version"] == 3 and Stop.from_dict(stop.as_dict()) == stop


@pytest.mark.usefixtures("polish")
def test_settings_of_a_newer_edition_are_kept_and_said() -> None:
    table = {
        "id": "polish@1",
        "step": "polish",
        "values": {"lustre": 2},
        "on": True,
        "by": "person",
        "version": 4,
    }
    stop = Stop.from_dict(table)
    assert stop.as_dict() == table
    at = evaluate(scene_of(cube()), DIGEST, Route((Stop("arrive@1", "arrive"), stop)))[-1]
    assert ("newer edition" in str(at.error) and "lustre" in str(at.error)) or "shine" in str(at.error)


def test_a_step_this_edition_does_not_have_is_kept_and_held(letter: Scene) -> None:
    table = {
        "id": "gild@1",
        "step": "gild",
        "values": {"gold": ["a", 2]},
        "on": True,
        "by": "person",
        "version": 2,
    }
    stop = Stop.from_dict(table)
    assert stop.as_dict() == {**table, "values": {"gold": ("a", 2)}}
    route = Route((Stop("arrive@1", "arrive"), stop)).added("weld", {})
    passed = evaluate(letter, DIGEST, route)
    assert (
        isinstance(passed[1].error, StepError)
        and passed[1].scene is passed[0].scene
        and passed[2].error is None
    )
    row = next(r for r in judge(letter, passed, load_sheet("metre-yup-pbr")).rows if r.requirement == "step")
    assert row.verdict == "held" and "gild" in row.title and "no such step" in row.note
    assert (
        route.removed("gild@1").stops == (route.stops[0], route.stops[2])
        and not route.switched("gild@1", False).stops[1].on
    )
    with pytest.raises(StepError, match="no step 'gild'"):
        route.added("gild", {})


@pytest.mark.parametrize("step", [s.id for s in steps().values() if issubclass(s.settings, Targeted)])
def test_a_target_nothing_answers_to_is_said(step: str, letter: Scene) -> None:
    gone = f"{DIGEST}:mesh:900"
    picture = Image(Key(DIGEST, "image", 0), "weave", pixels=np.zeros((4, 4, 3), np.uint8))
    letter = replace(letter, images=(picture,))
    more = {"detail": {"texture": str(picture.key)}}.get(step, {})
    found = get_step(step)
    out = found.run(letter, make_settings(found, {"targets": (gone,), **more}), {}, Job())
    assert sum(r.text == f"{gone}: no longer there" for r in out.remarks) == 1
