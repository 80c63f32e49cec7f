"""Answers that are kept: the same as judging would give, good only for what they were found for, and never
trusted with what leaves.
"""

from __future__ import annotations

import hashlib
import json
import os
import zlib
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import pytest

from customs.errors import WriteError
from customs.ledger.ledger import Ledger
from customs.ledger.row_text import ledger_of, ledger_table
from customs.route.route import SceneCache
from customs.shipment.state import Asset
from customs.work import judged as judged_module
from customs.work.goods import take_in
from customs.work.judged import Judged
from customs.work.lookup import find_origin, find_sheet
from customs.work.requests import evaluate as evaluating
from customs.work.requests.dispatch import DispatchRequest, run_dispatch
from customs.work.requests.evaluate import Evaluated, asked_of, run_evaluate
from customs.work.requests.plan import PlanRequest, run_plan
from tests.conftest import good


@dataclass
class Shop:
    """Goods taken into a store, planned for a sheet."""

    store: Path

    def taken(self, source: Path, id_: str) -> Asset:
        origin = find_origin(good(id_).origin)
        return take_in(source, source.parent, self.store, id_, origin)

    def plan(self, asset: Asset, sheet: str) -> Evaluated:
        return run_plan(PlanRequest(asked_of(asset, self.store, find_sheet(sheet))), SceneCache())

    def look(self, asset: Asset, sheet: str) -> Evaluated:
        return run_evaluate(asked_of(asset, self.store, find_sheet(sheet)), SceneCache())

    def answers(self) -> list[Path]:
        return sorted((self.store / "judged").glob("*"))


@pytest.fixture
def shop(tmp_path: Path) -> Shop:
    return Shop(tmp_path / "a.store")


@pytest.fixture
def never(monkeypatch: pytest.MonkeyPatch) -> Callable[[], None]:
    """From its call on nothing may be judged."""

    def judge(*_: object, **__: object) -> Ledger:
        raise AssertionError("judged again")

    def forbid() -> None:
        monkeypatch.setattr(evaluating, "judge", judge)
        monkeypatch.setattr("customs.planning.plan.judge", judge)

    return forbid


@pytest.mark.parametrize("sheet", ["metre-yup-pbr", "split-texture-kit", "one-mesh-kit"])
@pytest.mark.parametrize("id_", ["seed_cart", "mosaic_floor", "pane_wall"])
def test_rows_come_back_as_they_were(goods: dict[str, Path], shop: Shop, id_: str, sheet: str) -> None:
    asset = shop.taken(goods[id_], id_)
    arrived = shop.look(asset, sheet).ledger
    assert any(r.remedy for r in arrived.rows)
    for ledger in (arrived, shop.plan(asset, sheet).ledger):
        again = ledger_of(json.loads(json.dumps(ledger_table(ledger))))
        assert again == ledger
        for row, same in zip(ledger.rows, again.rows):
            assert (row.remedy and row.remedy.values) == (same.remedy and same.remedy.values)
            assert (row.place and row.place.key.old) == (same.place and same.place.key.old)


def test_nothing_is_asked_twice_while_nothing_has_changed(
    goods: dict[str, Path], shop: Shop, never: Callable[[], None]
) -> None:
    asset = shop.taken(goods["fern_bed"], "fern_bed")
    first = {sheet: shop.plan(asset, sheet) for sheet in ("metre-yup-pbr", "twin-format-kit")}
    never()
    for sheet, before in first.items():
        # Going back: the route of the other destination does not matter, as a plan puts it there.
        other = first["twin-format-kit" if sheet == "metre-yup-pbr" else "metre-yup-pbr"].asset
        for started in (asset, other):
            after = shop.plan(started, sheet)
            assert after.recalled and after.ledger == before.ledger
            assert after.asset.stops == before.asset.stops
            assert [at.key for at in after.passed] == [at.key for at in before.passed]
        seen = shop.look(before.asset, sheet)
        assert seen.recalled and seen.judged and seen.ledger == before.ledger
        assert Judged(shop.store).glimpse(before.asset, find_sheet(sheet)) == before.ledger


def test_a_verdict_is_told_before_its_rows_are_made(goods: dict[str, Path], shop: Shop) -> None:
    planned = shop.plan(shop.taken(goods["seed_cart"], "seed_cart"), "metre-yup-pbr")
    shop.look(planned.asset, "metre-yup-pbr")
    seen = Judged(shop.store).glimpse(planned.asset, find_sheet("metre-yup-pbr"))
    assert seen is not None and Evaluated(planned.asset, None, (), seen, recalled=True).judged
    assert seen.verdict == planned.ledger.verdict == "held" and "rows" not in vars(seen)
    assert seen == planned.ledger


def test_what_has_changed_is_judged_anew(
    goods: dict[str, Path], shop: Shop, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    source = tmp_path / "own" / goods["pane_wall"].name
    source.parent.mkdir()
    for path in goods["pane_wall"].parent.iterdir():
        (source.parent / path.name).write_bytes(path.read_bytes())
    planned = shop.plan(shop.taken(source, "pane_wall"), "metre-yup-pbr").asset
    sheet, kept = find_sheet("metre-yup-pbr"), Judged(shop.store)
    assert shop.look(planned, "metre-yup-pbr").recalled
    assert not shop.look(replace(planned, author="somebody else"), "metre-yup-pbr").recalled
    assert not shop.look(replace(planned, stops=planned.stops[:-1]), "metre-yup-pbr").recalled
    assert not shop.look(planned, "centimetre-zup-lh").recalled
    later = source.stat().st_mtime_ns + 10_000_000
    os.utime(source, ns=(later, later))
    assert kept.glimpse(planned, sheet) is None, "it may have changed"
    assert shop.look(planned, "metre-yup-pbr").recalled, "and has not, bit by bit"
    source.write_bytes(source.read_bytes() + b"\0")
    assert kept.glimpse(planned, sheet) is None
    changed = shop.look(planned, "metre-yup-pbr")
    assert not changed.recalled and any(r.requirement == "source-changed" for r in changed.ledger.open())
    monkeypatch.setattr(judged_module, "edition", lambda: "another")
    assert not shop.look(planned, "metre-yup-pbr").recalled


@pytest.mark.parametrize("harm", ["cut", "noise", "empty", "other rows", "no answer", "bomb"])
def test_a_spoilt_answer_is_none(goods: dict[str, Path], shop: Shop, harm: str) -> None:
    planned = shop.plan(shop.taken(goods["fern_bed"], "fern_bed"), "metre-yup-pbr")
    for path in shop.answers():
        body = path.read_bytes()
        head, _, rows = body[32:].partition(b"\n")
        made = {"other rows": b"[{}]", "bomb": b"[" + b"0" * 70_000_000}.get(harm)
        told = (
            b"[]" if harm == "no answer" else head + b"\n" + (rows if made is None else zlib.compress(made))
        )
        signed = hashlib.sha256(told).digest() + told
        path.write_bytes({"cut": body[:-9], "noise": body[::-1], "empty": b""}.get(harm, signed))
    after = shop.look(planned.asset, "metre-yup-pbr")
    assert not after.recalled and after.ledger == planned.ledger
    assert shop.look(planned.asset, "metre-yup-pbr").recalled, "and it is kept anew"


def test_where_nothing_can_be_kept_all_works(goods: dict[str, Path], shop: Shop) -> None:
    asset = shop.taken(goods["fern_bed"], "fern_bed")
    (shop.store / "judged").write_text("a file where the folder would be")
    planned = shop.plan(asset, "metre-yup-pbr")
    assert planned.judged and not shop.look(planned.asset, "metre-yup-pbr").recalled


def test_what_cannot_be_told_is_not_kept(goods: dict[str, Path], shop: Shop) -> None:
    planned = shop.plan(shop.taken(goods["fern_bed"], "fern_bed"), "metre-yup-pbr")
    odd = Ledger((replace(planned.ledger.rows[0], values={"measured": np.float32(1.5)}),))
    sheet, kept = find_sheet("centimetre-zup-lh"), Judged(shop.store)
    kept.keep(planned.asset, sheet, planned.about, odd)
    assert kept.ledger(planned.asset, sheet, planned.about) is None
    assert not list((shop.store / "judged").glob("*.part"))


def test_what_leaves_is_judged_by_what_is_here(goods: dict[str, Path], shop: Shop, tmp_path: Path) -> None:
    sheet = find_sheet("metre-yup-pbr")
    planned = shop.plan(shop.taken(goods["seed_cart"], "seed_cart"), "metre-yup-pbr")
    assert planned.ledger.verdict == "held"
    lie = Ledger(tuple(replace(r, verdict="cleared") for r in planned.ledger.rows))
    Judged(shop.store).keep(planned.asset, sheet, planned.about, lie)
    seen = shop.look(planned.asset, "metre-yup-pbr")
    assert seen.recalled and seen.ledger.verdict == "cleared"
    with pytest.raises(WriteError, match="held"):
        run_dispatch(DispatchRequest(seen, sheet, tmp_path / "out"))
    assert not list((tmp_path / "out").glob("*"))


def test_the_oldest_answers_go(shop: Shop, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = shop.store / "judged"
    folder.mkdir(parents=True)
    for k in range(6):
        (folder / f"{k}.ledger").write_bytes(b"x")
        os.utime(folder / f"{k}.ledger", (k, k))
    monkeypatch.setattr(judged_module, "MOST", 2)
    Judged(shop.store).sweep()
    assert [p.name for p in shop.answers()] == ["4.ledger", "5.ledger"]
