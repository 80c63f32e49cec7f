"""Routes: order, ids, caching, errors passed on."""

from __future__ import annotations

import pytest

from customs.conventions.origin import shipped_origins
from customs.errors import StepError
from customs.job import Job
from customs.ledger.row import remedy
from customs.motion.posing.bounds import world_bounds
from customs.planning.plan import arrive_stop, fresh_route, take_remedy
from customs.route.route import Route, SceneCache, Stop, evaluate, next_key
from tests.assets import cube, scene_of


def start() -> Route:
    """A route that only arrives."""
    return Route((arrive_stop(None),))


def test_stops_find_their_place_by_order() -> None:
    route = (
        start()
        .added("rename", {})
        .added("weld", {})
        .added("scale", {"factor": 2.0})
        .added("resize", {"limit": 64})
    )
    assert [s.step for s in route.stops] == ["arrive", "scale", "weld", "resize", "rename"]
    assert [s.id for s in route.stops] == ["arrive@1", "scale@1", "weld@1", "resize@1", "rename@1"]


def test_ids_stay_when_others_go() -> None:
    route = start().added("resize", {"limit": 64}).added("resize", {"limit": 32})
    assert [s.id for s in route.stops[1:]] == ["resize@1", "resize@2"]
    assert route.removed("resize@1").stops[1].id == "resize@2"
    assert route.removed("resize@1").added("resize", {}).stops[2].id == "resize@1"


def test_arrive_cannot_be_moved_or_removed() -> None:
    route = start().added("weld", {})
    for change in (
        lambda: route.removed("arrive@1"),
        lambda: route.moved("arrive@1", 2),
        lambda: route.switched("arrive@1", False),
    ):
        with pytest.raises(StepError, match="fixed"):
            change()
    assert [s.step for s in route.moved("weld@1", 0).stops] == ["arrive", "weld"]


def test_moving_keeps_a_persons_order() -> None:
    route = start().added("scale", {"factor": 2.0}).added("weld", {}).moved("weld@1", 1)
    assert [s.step for s in route.stops] == ["arrive", "weld", "scale"] and route.stops[1].by == "person"


def test_unknown_stops_are_named() -> None:
    with pytest.raises(StepError, match="no stop 'weld@4'"):
        start().changed("weld@4", distance=1)


def test_settings_survive_being_written_down() -> None:
    stop = Stop("turn@1", "turn").with_values(degrees=[0, 90, 0])
    again = Stop.from_dict(stop.as_dict())
    assert again == stop and again.settings == stop.settings


def test_every_intermediate_scene_can_be_looked_at() -> None:
    route = start().added("scale", {"factor": 2.0}).added("turn", {"degrees": (0, 0, 90)})
    passed = evaluate(scene_of(cube()), "digest", route)
    sizes = [float((world_bounds(a.scene)[1] - world_bounds(a.scene)[0]).max()) for a in passed]  # type: ignore[index]
    assert sizes == pytest.approx([1.0, 1.0, 2.0])


def test_switched_off_stops_are_passed_over() -> None:
    route = start().added("scale", {"factor": 2.0}).switched("scale@1", False)
    assert len(evaluate(scene_of(cube()), "d", route)) == 1


def test_scenes_are_cached_by_content() -> None:
    cache, scene = SceneCache(), scene_of(cube())
    route = start().added("scale", {"factor": 2.0})
    first = evaluate(scene, "d", route, cache)
    again = evaluate(scene, "d", route, cache)
    assert again[-1].scene is first[-1].scene
    other = evaluate(scene, "d", route.changed("scale@1", factor=3.0), cache)
    assert other[0].scene is first[0].scene and other[1].scene is not first[1].scene
    assert evaluate(scene, "another", route, cache)[-1].scene is not first[-1].scene
    assert next_key("a", route.stops[1], {}) == next_key("a", route.stops[1], {"abc": b""}), (
        "it asks for no donor"
    )
    asking = route.added("donor", {"donor": "abc"}).stops[-1]
    assert next_key("a", asking, {}) != next_key("a", asking, {"abc": b""})


def test_the_cache_lets_go_of_the_oldest_over_its_budget() -> None:
    cache, scene = SceneCache(budget=1), scene_of(cube())
    route = start()
    for k in range(1, 7):
        evaluate(scene, "d", route.added("scale", {"factor": float(k)}), cache)
    assert len(cache._items) <= 4


def test_a_failing_stop_passes_the_scene_on_with_its_error() -> None:
    route = start().added("turn-axes", {"up": "+Z", "faces": "-Y"})
    broken = Route(
        (
            *route.stops[:1],
            Stop("turn-axes@1", "turn-axes", (("faces", "+Z"), ("up", "+Z"))),
            *start().added("weld", {}).stops[1:],
        )
    )
    passed = evaluate(scene_of(cube()), "d", broken)
    assert passed[1].error is not None and passed[1].scene is passed[0].scene and passed[2].error is None


def test_progress_is_told_and_cancel_is_heard() -> None:
    told: list[str] = []
    evaluate(
        scene_of(cube()),
        "d",
        start().added("weld", {}),
        job=Job(progress=lambda share, text: told.append(text)),
    )
    assert told[:2] == ["Arrive", "Weld"]


def test_remedies_merge_into_the_stop_that_is_there() -> None:
    route = take_remedy(start(), remedy("resize", "", limit=1024, power_of_two=True))
    route = take_remedy(route, remedy("scale", "", factor=0.5))
    route = take_remedy(route, remedy("scale", "", factor=0.5))
    assert dict(route.of_step("scale").values)["factor"] == 0.25  # type: ignore[union-attr]
    route = take_remedy(route, remedy("triangulate", "", drop_loose=True))
    route = take_remedy(route, remedy("triangulate", "", drop_loose=False))
    assert dict(route.of_step("triangulate").values)["drop_loose"] is True  # type: ignore[union-attr]
    masked = take_remedy(route, remedy("alpha", "", mode="mask", targets=("a",)))
    masked = take_remedy(masked, remedy("alpha", "", mode="mask", targets=("b",)))
    masked = take_remedy(masked, remedy("alpha", "", mode="blend", targets=("c",)))
    alphas = [dict(s.values) for s in masked.stops if s.step == "alpha"]
    assert [a["targets"] for a in alphas] == [("a", "b"), ("c",)]


def test_a_fresh_route_takes_the_origins_footing() -> None:
    origin = shipped_origins()["inch-zup"].model_copy(update={"footing": "box-centre"})
    route = fresh_route(origin)
    assert [s.step for s in route.stops] == ["arrive", "footing"]
    assert dict(route.stops[0].values)["metres_per_unit"] == 0.0254
