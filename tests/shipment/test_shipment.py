"""The shipment file: decisions kept at once, undo across restarts, one writer, newer files, kill -9."""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import signal
import sqlite3
import subprocess
import sys
import time
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import pytest

from customs.errors import ShipmentError
from customs.intake.take import files_digest
from customs.ledger.waiver import Waiver
from customs.route.route import Stop
from customs.shipment import file as shipment_file
from customs.shipment.file import Shipment
from customs.shipment.making import SCHEMA
from customs.shipment.parcels import name_of
from customs.shipment.state import Asset, State
from customs.shipment.store import changed_on_disk, keep
from tests.assets import cube, saved, scene_of


def asset(id_: str = "a") -> Asset:
    """An asset with a little of everything."""
    return Asset(
        id_, id_.upper(), f"x/{id_}.glb", f"/src/{id_}.glb", "d", (f"/src/{id_}.glb",), "prop", "metre-zup",
        (Stop("arrive@1", "arrive").with_values(), Stop("turn@1", "turn").with_values(degrees=(0, 90, 0))),
        {"q/": Waiver("because", {"delivering": 2})}, "me", "mine", "deliver", ("gone.png",),
    )  # fmt: skip


def test_every_decision_is_kept_at_once_and_undone_across_restarts(tmp_path: Path) -> None:
    path = tmp_path / "house.customs"
    ship = Shipment.create(path)
    for k in range(4):
        ship.edit(f"step {k}", lambda s, k=k: s.with_asset(asset(f"a{k}")))
    assert ship.undo() == "step 3"
    ship.close()
    again = Shipment(path)
    assert [a.id for a in again.state.goods] == ["a0", "a1", "a2"] and again.can_redo() == "step 3"
    assert [again.undo(), again.undo(), again.undo(), again.undo()] == ["step 2", "step 1", "step 0", None]
    assert again.state.goods == () and again.can_undo() == ""
    assert again.redo() == "step 0"
    again.edit("other way", lambda s: replace(s, out="/elsewhere"))
    assert again.redo() is None and again.state.out == "/elsewhere" and len(again.state.goods) == 1
    again.close()


def test_states_survive_whole(tmp_path: Path) -> None:
    state = State(
        "one-mesh-kit", "abc", (asset(),), {"shed": {"id": "shed", "title": "Shed"}}, "shed", "/out"
    )
    ship = Shipment.create(tmp_path / "s.customs", state)
    ship.close()
    again = Shipment(tmp_path / "s.customs")
    assert again.state == state and again.state.goods[0].stops[1].settings == asset().stops[1].settings
    again.close()


def test_unknown_keys_are_kept() -> None:
    table = State(goods=(asset(),)).as_dict() | {"future": 1}
    table["goods"][0]["novelty"] = [1, 2]
    again = State.from_dict(table).as_dict()
    assert again["future"] == 1 and again["goods"][0]["novelty"] == [1, 2]


def test_a_second_copy_opens_it_for_reading(tmp_path: Path) -> None:
    first = Shipment.create(tmp_path / "s.customs")
    first.edit("x", lambda s: replace(s, out="/a"))
    second = Shipment(tmp_path / "s.customs")
    assert not second.writable and second.state.out == "/a"
    with pytest.raises(ShipmentError, match="reading only"):
        second.edit("y", lambda s: replace(s, out="/b"))
    second.close()
    first.close()
    third = Shipment(tmp_path / "s.customs")
    assert third.writable
    third.close()


def test_newer_files_strangers_and_absences_are_refused_kindly(tmp_path: Path) -> None:
    path = tmp_path / "s.customs"
    Shipment.create(path).close()
    db = sqlite3.connect(path)
    db.execute(f"PRAGMA user_version={SCHEMA + 1}")
    db.close()
    with pytest.raises(ShipmentError, match="newer Customs"):
        Shipment(path)
    (tmp_path / "text.customs").write_text("hello there, this is no database" * 100)
    with pytest.raises(ShipmentError, match="no shipment"):
        Shipment(tmp_path / "text.customs")
    sqlite3.connect(tmp_path / "other.customs").execute("CREATE TABLE t (x)").connection.close()
    with pytest.raises(ShipmentError, match="no shipment"):
        Shipment(tmp_path / "other.customs")
    with pytest.raises(ShipmentError, match="no such file"):
        Shipment(tmp_path / "gone.customs")
    with pytest.raises(ShipmentError, match="file of that name"):
        Shipment.create(path)


@pytest.mark.parametrize(
    "name", ["a#b.customs", "a?b=c.customs", "50%20.customs", "a b;c.customs", "\udcff.customs"]
)
def test_names_that_mean_something_in_an_address(name: str, tmp_path: Path) -> None:
    (tmp_path / "in#side?").mkdir()
    path = tmp_path / "in#side?" / name
    with closing(Shipment.create(path)) as shipment:
        shipment.edit("one", lambda s: replace(s, sheet="one-mesh-kit"))
    with closing(Shipment(path)) as again:
        assert again.state.sheet == "one-mesh-kit" and again.path == path
    assert {p.name for p in path.parent.iterdir()} == {name, f".{name}.lock"}


def test_one_file_has_one_lock_by_whatever_name(tmp_path: Path) -> None:
    with closing(Shipment.create(tmp_path / "real.customs")) as shipment:
        (tmp_path / "link.customs").symlink_to(shipment.path)
        with closing(Shipment(tmp_path / "link.customs")) as other:
            assert not other.writable and other.store == shipment.store


def test_what_was_half_made_or_half_taken_blocks_nothing(tmp_path: Path) -> None:
    path = tmp_path / "a.customs"
    half = "from pathlib import Path; import os, sys; from customs.parts import part_file; held = part_file(Path(sys.argv[1])); held.__enter__(); os._exit(0)"
    subprocess.run([sys.executable, "-c", half, str(path)], check=True)
    assert len(list(tmp_path.iterdir())) == 1
    (tmp_path / "a.store" / ".taking-x").mkdir(parents=True)
    with closing(Shipment.create(path)) as shipment:
        assert shipment.writable
    assert {p.name for p in tmp_path.iterdir()} == {"a.customs", "a.store", ".a.customs.lock"}
    assert not any((tmp_path / "a.store").iterdir())


def worked_on(path: Path, decisions: int = 40) -> None:
    """A shipment of so many decisions, each with a long label, so that they lie on many pages."""
    with closing(Shipment.create(path)) as shipment:
        for k in range(decisions):
            shipment.edit(f"decision {k} " + "x" * 900, lambda s, k=k: replace(s, last_origin=f"o{k}"))


def test_a_damaged_decision_is_told_and_the_one_before_opened(tmp_path: Path) -> None:
    path = tmp_path / "a.customs"
    worked_on(path, 5)
    with closing(sqlite3.connect(path)) as db, db:
        db.execute("UPDATE states SET body = '{\"half' WHERE id = (SELECT MAX(id) FROM states)")
    before = path.read_bytes()
    with closing(Shipment(path)) as again:
        assert again.state.last_origin == "o3" and again.writable
        assert "1 decision cannot be read" in again.lost and "damaged-" in again.lost
        again.edit("goes on", lambda s: replace(s, last_origin="new"))
        assert again.undo() == "goes on" and again.undo() is not None
    kept = [p for p in tmp_path.iterdir() if "damaged-" in p.name]
    assert len(kept) == 1 and kept[0].read_bytes() == before, "nothing of the damaged file is lost"
    with closing(Shipment(path)) as whole:
        assert whole.lost == ""


@pytest.mark.parametrize("page", range(2, 12))
def test_a_damaged_page_loses_what_is_on_it_and_no_more(page: int, tmp_path: Path) -> None:
    path = tmp_path / "a.customs"
    worked_on(path)
    data = bytearray(path.read_bytes())
    data[page * 4096 : page * 4096 + 4096] = b"\xa5" * 4096
    path.write_bytes(data)
    try:
        shipment = Shipment(path)
    except ShipmentError as problem:
        assert "damaged" in str(problem) and path.read_bytes() == bytes(data)
        return
    with closing(shipment):
        assert shipment.state.last_origin.startswith("o") or shipment.lost
        with contextlib.suppress(ShipmentError):
            shipment.edit("goes on", lambda s: replace(s, last_origin="new"))


def test_a_shipment_of_which_nothing_can_be_read_is_left_alone(tmp_path: Path) -> None:
    path = tmp_path / "a.customs"
    Shipment.create(path).close()
    with closing(sqlite3.connect(path)) as db, db:
        db.execute("UPDATE states SET body = 'not a state'")
    before = path.read_bytes()
    with pytest.raises(ShipmentError, match="damaged"):
        Shipment(path)
    assert path.read_bytes() == before


def bodies(path: Path) -> list[tuple[str, int]]:
    """Names and sizes of kept assets."""
    with closing(sqlite3.connect(path)) as db:
        return db.execute("SELECT digest, length(body) FROM blobs WHERE digest LIKE 'asset:%'").fetchall()


def test_a_decision_writes_the_asset_it_is_about(tmp_path: Path) -> None:
    path = tmp_path / "s.customs"
    ship = Shipment.create(path, State(goods=tuple(asset(f"a{k}") for k in range(200))))
    assert len(bodies(path)) == 200
    ship.edit("one", lambda s: s.with_asset(replace(s.goods[7], author="Verdigris")))
    ship.edit("none", lambda s: replace(s, out="/elsewhere"))
    ship.refresh(lambda s: s.with_asset(replace(s.goods[9], author="Moss")))
    assert len(bodies(path)) == 202
    with closing(sqlite3.connect(path)) as db:
        largest = db.execute("SELECT MAX(length(body)) FROM states").fetchone()[0]
    assert largest < 200 * 60 < sum(size for _, size in bodies(path)), "names stand there, not bodies"
    untouched = ship.state.goods[3]
    assert ship.undo() == "none" and ship.undo() == "one" and ship.state.goods[7].author == "me"
    assert ship.state.goods[3] is untouched, "what did not change is the same asset"
    ship.close()
    with closing(Shipment(path)) as again:
        assert again.redo() == "one" and again.redo() == "none" and again.state.goods[9].author == "Moss"


def first_version(path: Path) -> State:
    """A shipment as file version 1 had it: whole assets in every state."""
    state = State(goods=(asset("a"), asset("b")))
    Shipment.create(path, state).close()
    with closing(sqlite3.connect(path)) as db, db:
        db.execute("DELETE FROM blobs")
        db.execute("UPDATE states SET body = ?", (json.dumps(state.as_dict()),))
        later = json.dumps(replace(state, out="/then").as_dict())
        db.execute("INSERT INTO states (parent, label, made, body) VALUES (1, 'Folder', 0, ?)", (later,))
        db.execute("UPDATE meta SET value = '2' WHERE key = 'current'")
        db.execute("PRAGMA user_version = 1")
    return state


def test_a_shipment_of_the_first_version_is_opened_and_a_copy_of_it_kept(tmp_path: Path) -> None:
    path, copy = tmp_path / "old.customs", tmp_path / "old.version-1.customs"
    state = first_version(path)
    with closing(Shipment(path)) as ship:
        assert ship.state == replace(state, out="/then") and not ship.lost
        ship.edit("more", lambda s: s.with_asset(replace(s.goods[0], author="Fern")))
    with closing(sqlite3.connect(copy)) as db:
        assert db.execute("PRAGMA user_version").fetchone() == (1,)
        assert db.execute("SELECT COUNT(*) FROM states").fetchone() == (2,)
    with closing(Shipment(path)) as again:
        assert again.state.goods[0].author == "Fern" and copy.is_file()
        assert [again.undo(), again.undo(), again.undo()] == ["more", "Folder", None] and again.state == state


def test_what_has_the_name_of_the_copy_is_left_alone(tmp_path: Path) -> None:
    path, there = tmp_path / "old.customs", tmp_path / "old.version-1.customs"
    first_version(path)
    there.write_text("somebody's own")
    with closing(Shipment(path)) as ship:
        assert ship.state.out == "/then"
    assert there.read_text() == "somebody's own" and not list(tmp_path.glob(".*.making"))


def test_where_no_copy_can_be_kept_nothing_is_changed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "old.customs"
    first_version(path)
    before = path.read_bytes()

    def full(made: Path, target: Path) -> None:
        raise OSError(28, "no room left")

    monkeypatch.setattr(shipment_file, "put_new", full)
    with pytest.raises(ShipmentError, match="no room left"):
        Shipment(path)
    assert path.read_bytes() == before and not (tmp_path / "old.version-1.customs").exists()
    assert not list(tmp_path.glob(".*.making"))


def test_what_somebody_else_works_on_is_not_damaged(tmp_path: Path) -> None:
    path = tmp_path / "s.customs"
    Shipment.create(path, State(goods=(asset("a"),))).close()
    before = path.read_bytes()
    with closing(sqlite3.connect(path, isolation_level=None)) as other:
        other.execute("BEGIN EXCLUSIVE")
        with pytest.raises(ShipmentError, match="cannot be worked on now"):
            Shipment(path)
    assert path.read_bytes() == before and [p.name for p in tmp_path.glob("*.customs")] == ["s.customs"], (
        "nothing is put aside"
    )
    with closing(Shipment(path)) as again:
        assert again.writable and not again.lost and len(again.state.goods) == 1


def test_the_first_version_opened_for_reading_is_not_changed(tmp_path: Path) -> None:
    path = tmp_path / "old.customs"
    first_version(path)
    before = path.read_bytes()
    with open(tmp_path / ".old.customs.lock", "w", encoding="utf-8") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        with closing(Shipment(path)) as ship:
            assert not ship.writable and ship.state.out == "/then" and len(ship.state.goods) == 2
    assert path.read_bytes() == before and not (tmp_path / "old.version-1.customs").exists()


def test_an_asset_whose_body_is_gone_is_said_and_the_rest_opens(tmp_path: Path) -> None:
    path = tmp_path / "s.customs"
    ship = Shipment.create(path, State(goods=(asset("a"), asset("b"), asset("c"))))
    ship.edit("out", lambda s: replace(s, out="/x"))
    name = name_of(ship.state.goods[1])
    ship.close()
    with closing(sqlite3.connect(path)) as db, db:
        db.execute("DELETE FROM blobs WHERE digest = ?", (name,))
    with closing(Shipment(path)) as again:
        assert [a.id for a in again.state.goods] == [
            "a",
            "c",
        ] and "1 asset of it cannot be read" in again.lost
        again.edit("goes on", lambda s: replace(s, out="/y"))
        assert again.undo() == "goes on" and [a.id for a in again.state.goods] == ["a", "c"]
    with closing(Shipment(path)) as whole:
        assert not whole.lost


WRITER = """
import sys
from dataclasses import replace
from pathlib import Path
from customs.shipment.file import Shipment
ship = Shipment(Path(sys.argv[1]))
k = 0
while True:
    k += 1
    ship.edit(f"step {k}", lambda s: replace(s, out=str(k)))
    print(k, flush=True)
"""


@pytest.mark.parametrize("wait", [0.05, 0.13, 0.31])
def test_killed_at_any_moment_at_most_the_last_decision_is_lost(wait: float, tmp_path: Path) -> None:
    path = tmp_path / "s.customs"
    Shipment.create(path).close()
    child = subprocess.Popen([sys.executable, "-c", WRITER, str(path)], stdout=subprocess.PIPE, text=True)
    assert child.stdout is not None
    child.stdout.readline()
    time.sleep(wait)
    os.kill(child.pid, signal.SIGKILL)
    told = [int(x) for x in child.stdout.read().split()]
    child.wait()
    child.stdout.close()
    ship = Shipment(path)
    assert ship.writable
    last = told[-1] if told else 1
    assert int(ship.state.out) in (last, last + 1)
    assert ship.undo() is not None
    ship.close()


def test_sources_are_copied_and_changes_on_disk_noticed(tmp_path: Path) -> None:
    source = saved(scene_of(cube()), tmp_path / "src" / "cube.gltf")
    files = (source, source.with_suffix(".bin"))
    digest = files_digest(files)
    model = keep(tmp_path / "s.store", files, digest)
    assert model.is_file() and model.with_suffix(".bin").read_bytes() == files[1].read_bytes()
    assert keep(tmp_path / "s.store", files, digest) == model
    names = [str(f) for f in files]
    assert changed_on_disk(names, digest) == ""
    files[1].write_bytes(files[1].read_bytes()[:-4] + b"zzzz")
    assert changed_on_disk(names, digest) == "cube.gltf"
    files[1].unlink()
    assert changed_on_disk(names, digest) == "cube.bin"


def test_a_full_store_is_told(tmp_path: Path) -> None:
    source = saved(scene_of(cube()), tmp_path / "cube.glb")
    (tmp_path / "s.store").write_text("a file where the folder should be")
    with pytest.raises(ShipmentError, match="copied into the shipment"):
        keep(tmp_path / "s.store", (source,), "d" * 16)


def test_free_ids() -> None:
    state = State(goods=(asset("a"), asset("a_2")))
    assert state.free_id("a") == "a_3" and state.free_id("b") == "b"
    assert state.without("a").asset("a") is None
