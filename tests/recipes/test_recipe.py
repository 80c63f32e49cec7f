"""Recipes: what they look at, what goods keep of their own, as text and back; made of a shipment; bad ones told by place."""

from __future__ import annotations

import tomllib
from dataclasses import replace
from pathlib import Path

import pytest

from customs.errors import SheetError, UsageError
from customs.intake.scan import Model
from customs.planning.plan import fresh_route
from customs.recipes.recipe import (
    Decided,
    Difference,
    Goods,
    Recipe,
    Rights,
    parse_recipe,
    read_recipe,
    route_with,
)
from customs.route.route import Route
from customs.shipment.file import Shipment
from customs.shipment.state import Asset, State
from customs.work.asset import asked_for, run
from customs.work.lookup import find_origin
from customs.work.recipes import add_decision, bound, decision, recipe_of, requests_of
from tests.assets import cube, saved, scene_of
from tests.work.test_cli import call

WHOLE = """recipe = 1
name = "Brass things"
sheet = "one-mesh-kit"
origin = "inch-zup"
about = "Everything \\"bright\\""

[goods]
names = ["*lantern*", "*bell*"]
formats = ["obj", "glb"]
meshes = [1, 40]

[form]
title = "A thing"

[[stops]]
step = "arrive"
settings.metres_per_unit = 0.0254

[[stops]]
step = "resize"
settings.limit = 512

[[differences]]
names = ["big_*"]
without = ["normals"]

[[differences.stops]]
step = "resize"
on = false
settings.limit = 1024
"""


def test_a_recipe_as_text_and_back() -> None:
    recipe = parse_recipe(tomllib.loads(WHOLE))
    assert (
        parse_recipe(tomllib.loads(recipe.text())) == recipe
        and recipe.text() == parse_recipe(tomllib.loads(recipe.text())).text()
    )
    assert recipe.goods.meshes == (1, 40) and recipe.form == {"title": "A thing"}
    stops = recipe.own("bell_1").stops
    assert [s.step for s in stops] == ["arrive", "resize"]
    stops = recipe.own("big_bell").stops
    assert [(s.step, s.on, s.settings) for s in stops] == [
        ("arrive", True, {"metres_per_unit": 0.0254}),
        ("resize", False, {"limit": 1024}),
    ]
    route = route_with(fresh_route(find_origin("inch-zup")), stops)
    assert [s.id for s in route.stops] == ["arrive@1", "resize@1"]
    assert dict(route.stops[0].values)["metres_per_unit"] == 0.0254 and route.stops[1].by == "person"


def test_what_it_looks_at() -> None:
    look = {
        "format": "glb",
        "kind": "prop",
        "meshes": 3,
        "materials": 1,
        "joints": 0,
        "clips": 0,
        "triangles": 1200,
    }
    assert Goods().why_not("anything", look) == ""
    assert "its name is none of *lantern*" in Goods(names=("*lantern*",)).why_not("stork", look)
    assert Goods(names=("*LANTERN*",)).why_not("Bell_Lantern", look) == ""
    assert Goods(formats=("fbx",)).why_not("a", look) == "its format is glb, none of fbx"
    assert Goods(kinds=("rigged", "level")).why_not("a", look) == "its kind is prop, none of rigged, level"
    assert Goods(triangles=(1, 1000)).why_not("a", look) == "1,200 triangles, 1 to 1,000 are looked for"
    assert Goods(triangles=(1200, 1200), joints=(0, 0)).why_not("a", look) == ""


@pytest.mark.parametrize(
    ("text", "where", "words"),
    [
        ("recipe = 1\nname = 'a'", "sheet", "Field required"),
        ("recipe = 2\nname = 'a'\nsheet = 'b'", "recipe", "a recipe of version 2"),
        ("name = ", "", "not well-formed TOML"),
        ("name='a'\nsheet='b'\n[goods]\nmeshes=[3,1]", "goods", "from … to"),
        ("name='a'\nsheet='b'\n[[stops]]\nstep='polish'", "stops.0", "no step 'polish'"),
        ("name='a'\nsheet='b'\n[[stops]]\nstep='resize'\nsettings.limit=0", "stops.0", "resize"),
        ("name='a'\nsheet='b'\n[[stops]]\nstep='resize'\nsettings.limt=9", "stops.0", "limt"),
        ("name='a'\nsheet='b'\n[[differences]]\nwithout=['weld']", "differences.0.names", "Field required"),
        ("name='a'\nsheet='b'\ncolour='red'", "colour", "there is no key"),
    ],
)
def test_a_bad_recipe_is_told_by_its_place(text: str, where: str, words: str, tmp_path: Path) -> None:
    path = tmp_path / "r.toml"
    path.write_text(text, "utf-8")
    with pytest.raises(SheetError) as problem:
        read_recipe(path)
    assert (
        words in str(problem.value)
        and problem.value.where.startswith(where)
        and str(path) in str(problem.value)
    )


def test_files_that_are_no_recipe(tmp_path: Path) -> None:
    (tmp_path / "bytes.toml").write_bytes(b"\xff\xfe\x00")
    with pytest.raises(SheetError, match="not well-formed TOML"):
        read_recipe(tmp_path / "bytes.toml")
    with pytest.raises(SheetError, match="cannot be read"):
        read_recipe(tmp_path)


def asset(name: str, route: Route, origin: str = "inch-zup") -> Asset:
    return Asset(name, name, f"{name}.glb", f"/goods/{name}.glb", "0" * 64, stops=route.stops, origin=origin)


def test_a_recipe_of_goods_that_have_much_in_common() -> None:
    base = fresh_route(find_origin("inch-zup")).added("resize", {"limit": 512}, by="person")
    base = base.added("weld", {}, by="plan")
    more = base.added("normals", {"only": "all"}, by="person")
    key = "aaaabbbbcccc:mesh:0"
    bounded = base.added("cut-off", {"targets": (key,), "planes": ((0, 0, 0, 0, 1, 0),)}, by="person")
    recipe, left = recipe_of(
        [asset("One", base), asset("two", more), asset("three", bounded)], "one-mesh-kit", "Three"
    )
    assert recipe.origin == "inch-zup" and recipe.stops == (Decided(step="resize", settings={"limit": 512}),)
    assert recipe.differences == (
        Difference(names=("two",), stops=(Decided(step="normals", settings={"only": "all"}),)),
    )
    assert left == ("three: cut-off, it names parts of that file",)
    assert parse_recipe(tomllib.loads(recipe.text())) == recipe
    rows = base.added("take-away", {"faces": (("k", "rows:00ff"),)}, by="person").of_step("take-away")
    assert rows is not None and "by hand" in bound(rows)
    with pytest.raises(UsageError, match="no goods"):
        recipe_of([], "one-mesh-kit", "None")
    other, _ = recipe_of([asset("One", base), asset("two", base, "")], "one-mesh-kit", "Two origins")
    assert other.origin == ""


def test_the_order_of_every_asset_is_kept() -> None:
    """What goods keep of their own comes back where it was, several stops of a step and another order too."""
    base = fresh_route(None).added("resize", {"limit": 512}, by="person").added("normals", {}, by="person")
    cuts = base.added("cut-off", {"planes": ((0, 1, 0, 0, 1, 0),)}, by="person")
    twice = cuts.added("cut-off", {"planes": ((0, 0, 0, 0, -1, 0),)}, by="person")
    other = (
        base.moved(base.stops[-1].id, 1)
        if base.stops[-1].step == "resize"
        else base.moved(base.stops[1].id, 2)
    )
    goods = [asset("a", base, ""), asset("b[1]", cuts, ""), asset("c", twice, ""), asset("d.v2", other, "")]
    recipe, left = recipe_of(goods, "one-mesh-kit", "All")
    assert left == () and parse_recipe(tomllib.loads(recipe.text())) == recipe
    for a in goods:
        wanted = [(s.step, s.values) for s in a.stops[1:]]
        again = route_with(fresh_route(None), recipe.own(Path(a.source).stem)[0])
        assert [(s.step, s.values) for s in again.stops[1:]] == wanted, a.name


def test_a_recipe_from_a_shipment_on_the_command_line(tmp_path: Path) -> None:
    route = fresh_route(None).added("resize", {"limit": 256}, by="person")
    Shipment.create(
        tmp_path / "box.customs", State(sheet="one-mesh-kit", goods=(asset("a", route, ""),))
    ).close()
    code, text = call("recipe", tmp_path / "box.customs", "--out", tmp_path / "box.toml")
    assert code == 0 and "1 stop for all" in text
    assert read_recipe(tmp_path / "box.toml").stops[0].settings == {"limit": 256}
    assert call("recipe", tmp_path / "box.customs", "--out", tmp_path / "box.toml")[0] == 2
    assert call("recipe", tmp_path / "none.customs", "--out", tmp_path / "x.toml")[0] == 2


def test_requests_for_the_files_it_looks_at(tmp_path: Path) -> None:
    for name in ("pot_a", "pot_b", "stork"):
        saved(replace(scene_of(cube()), name=name), tmp_path / f"{name}.glb")
    entries = [Model(p, tmp_path) for p in sorted(tmp_path.glob("*.glb"))]
    recipe = Recipe(name="Pots", sheet="metre-yup-pbr", goods=Goods(names=("pot_*",), materials=(5, 9)))
    asked = requests_of(recipe, entries, tmp_path / "out")
    assert [r.path.stem for r in asked] == ["pot_a", "pot_b"]
    result = run(asked[0])
    assert "materials, 5 to 9 are looked for" in result.skipped and result.code == 0 and result.folder is None
    with pytest.raises(UsageError, match="no such file is there"):
        requests_of(recipe.model_copy(update={"goods": Goods(names=("*fern*",))}), entries, tmp_path)
    with pytest.raises(UsageError, match="Pots"):
        requests_of(recipe.model_copy(update={"sheet": "no-such-kit"}), entries, tmp_path)


def test_rights_donor_and_given_files_go_along(tmp_path: Path) -> None:
    mine = [
        replace(asset("a", fresh_route(None), ""), author="the warden", licence="CC0-1.0", use="deliver", given={"leaf.png": "/t/leaf.png"}),
        replace(asset("b", fresh_route(None), ""), author="the warden", licence="CC0-1.0", use="deliver", donor="ab" * 32, form={"title": "B"}),
        replace(asset("c", fresh_route(None), ""), author="the gardener", use="private"),
    ]  # fmt: skip
    recipe, _ = recipe_of(mine[:2], "one-mesh-kit", "Two", tmp_path)
    assert recipe.rights == Rights(author="the warden", licence="CC0-1.0", use="deliver")
    assert [d.names for d in recipe.differences] == [("a",), ("b",)] and recipe.differences[1].form == {
        "title": "B"
    }
    assert parse_recipe(tomllib.loads(recipe.text())) == recipe
    whole, _ = recipe_of(mine, "one-mesh-kit", "Three")
    assert whole.rights == Rights() and whole.own("c").beside.rights.use == "private"
    assert (
        whole.own("a").beside.given == {"leaf.png": "/t/leaf.png"}
        and whole.own("A").beside.rights.author == "the warden"
    )
    # What the recipe says of rights goes over what the file says; its files are looked for from its own folder.
    giver = saved(replace(scene_of(cube()), name="giver"), tmp_path / "giver.glb")
    path = saved(replace(scene_of(cube()), name="pot", rights={"author": "somebody"}), tmp_path / "pot.glb")
    said = Recipe(
        name="Pots", sheet="metre-yup-pbr", rights=Rights(author="the warden"), given={"x.png": "t/x.png"}
    )
    (asked,) = requests_of(said, [Model(path, tmp_path)], tmp_path / "out", base=tmp_path / "kept")
    assert asked.given == {"x.png": str(tmp_path / "kept" / "t" / "x.png")}
    assert asked_for(replace(asked, given={}))[0].asset.author == "the warden"
    bad = said.model_copy(update={"donor": "none.glb"})
    with pytest.raises(UsageError, match=r"Pots: donor .*none\.glb"):
        requests_of(bad, [Model(path, tmp_path)], tmp_path / "out", base=tmp_path)
    assert giver.is_file()


def test_one_more_decision_for_all_or_for_some(tmp_path: Path) -> None:
    path = tmp_path / "pots.toml"
    text = 'name = "Pots"\nsheet = "metre-yup-pbr"\n# ours\n[[stops]]\nstep = "resize"\nsettings.limit = 512\n[[stops]]\nstep = "normals"\n'
    path.write_text(text, "utf-8")
    some = add_decision(
        path, decision(["Pot_[1]", "Pot_[1]", "pan"], Decided(step="resize", settings={"limit": 256}))
    )
    assert some.differences[0].names == ("pot_[[]1]", "pan") and path.read_text("utf-8").startswith(text)

    def limits(recipe: Recipe, stem: str) -> list[object]:
        return [x.settings.get("limit") for x in recipe.own(stem).stops if x.step == "resize"]

    assert limits(some, "pot_[1]") == [256] and limits(some, "kettle") == [512]
    every = add_decision(path, decision([], Decided(step="resize", settings={"limit": 64})))
    assert limits(every, "kettle") == limits(every, "pan") == [64] and read_recipe(path) == every
    path.write_text("name = ", "utf-8")
    with pytest.raises(SheetError):
        add_decision(path, decision([], Decided(step="weld")))
    assert path.read_text("utf-8") == "name = " and list(tmp_path.iterdir()) == [path]
