"""Runs: each asset in a process of its own, watched; rows that survive whatever happens; only what changed again; the report."""

from __future__ import annotations

import json
import os
import re
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import pytest

from customs.errors import LimitError, WriteError
from customs.memory import LEAST, Watch, memory_for, resident
from customs.runs.children import Limits, stamp
from customs.runs.report import decisions, page, report, without_folders
from customs.runs.rows import NAME, Row, Rows
from customs.runs.run import Run, Told, made_of
from customs.work.asset import Request
from customs.work.lookup import find_sheet
from tests.assets import cube, saved, scene_of
from tests.runs.troubles import troubled
from tests.work.test_cli import call

SHEET = find_sheet("metre-yup-pbr")


def goods(folder: Path, *names: str) -> list[Request]:
    folder.mkdir(parents=True, exist_ok=True)
    out = []
    for name in names:
        path = folder / f"{name}.glb"
        if not path.is_file():
            saved(replace(scene_of(cube()), name=name), path)
        out.append(Request(path, folder, SHEET, out=folder / "out"))
    return out


def followed(made: Run) -> dict[str, Told]:
    return {Path(t.row.path).stem: t for t in made.results()}


def test_what_hangs_eats_or_dies_takes_nothing_else_along(tmp_path: Path) -> None:
    names = ["good_1", "hangs", "eats", "dies", "leaves", "good_2", "good_3"]
    made = Run(goods(tmp_path, *names), tmp_path / "out", Limits(4.0, 700 << 20), 3, troubled)
    found = followed(made)
    states = {n: t.row.state for n, t in found.items()}
    # Nothing was asked to be written for the good ones, which end well and are held by nothing.
    assert {n: s for n, s in states.items() if s != "done"} == dict.fromkeys(
        ("hangs", "eats", "dies", "leaves"), "broken"
    )
    said = {n: ((t.row.told or {}).get("error") or {}).get("found", "") for n, t in found.items()}
    assert said["hangs"] == "still not done after 4 s while measuring"
    assert re.fullmatch(r"took 0\.\d GB of memory, 0\.7 GB are given while measuring", said["eats"])
    assert said["dies"] == "its process ended (SIGSEGV) while measuring" and said["leaves"].startswith(
        "its process ended (by itself)"
    )
    assert found["eats"].row.peak > 700 << 20 and found["hangs"].row.seconds >= 4
    # What was broken is tried again the next time.
    again = Rows(tmp_path / "out")
    assert again.counts() == {"broken": 4, "done": 3}
    again.close()
    made = Run(goods(tmp_path, *names), tmp_path / "out", Limits(1.0, 700 << 20), 3, troubled)
    found = followed(made)
    assert [found[n].row.attempt for n in ("good_1", "hangs", "dies")] == [1 + found["good_1"].fresh, 2, 2]


def test_cancelled_or_left_what_ran_waits_again(tmp_path: Path) -> None:
    made = Run(
        goods(tmp_path, "slow_1", "slow_2", "hangs", "slow_3"), tmp_path / "out", workers=2, work=troubled
    )
    pids = []
    for told in made.results():
        pids += [c.process.pid for c in made.running]
        assert told.row.state == "done"
        made.cancel = True
    assert pids and not any(resident(p) for p in pids), "nothing runs on"
    rows = Rows(tmp_path / "out")
    assert rows.counts()["done"] >= 1 and set(rows.counts()) == {"done", "waiting"}
    rows.close()


def test_paused_nothing_begins_and_one_may_be_first(tmp_path: Path) -> None:
    asked = goods(tmp_path, *(f"slow_{k}" for k in range(5)))
    made = Run(asked, tmp_path / "out", workers=1, work=troubled)
    made.rows.first(str(asked[4].path))
    order, looks = [], 0

    def look() -> None:
        nonlocal looks
        looks += 1
        if looks > 12:
            made.pause = False

    for told in made.results(look):
        order.append(Path(told.row.path).stem)
        made.pause = len(order) == 1
    assert order == ["slow_4", "slow_0", "slow_1", "slow_2", "slow_3"] and looks > 12


def test_only_what_changed_is_run_again(tmp_path: Path) -> None:
    out = tmp_path / "out"
    first = [replace(r, out=out) for r in goods(tmp_path, "real_1", "real_2", "real_3")]
    found = followed(Run(first, out, workers=2, work=troubled))
    assert all(t.row.state == "done" and t.fresh for t in found.values()), found
    assert {p.name for p in out.iterdir() if p.is_dir()} == {"real_1", "real_2", "real_3"}
    assert not any(t.fresh for t in followed(Run(first, out, workers=2, work=troubled)).values())
    # A source that changed, a package that is gone, another setting: each alone is run again.
    saved(replace(scene_of(cube(2.0)), name="real_2"), first[1].path)
    fresh = {
        n
        for n, t in followed(
            Run([replace(r, replace_existing=True) for r in first], out, work=troubled)
        ).items()
        if t.fresh
    }
    assert fresh == {"real_2"}
    # The run's own package is written anew without a word; somebody else's in its place is not touched.
    saved(replace(scene_of(cube(3.0)), name="real_2"), first[1].path)
    again = followed(Run(first, out, workers=2, work=troubled))["real_2"]
    assert again.fresh and again.row.state == "done", again.row.told
    (out / "real_2" / "mine.txt").write_text("kept")
    saved(replace(scene_of(cube(4.0)), name="real_2"), first[1].path)
    again = followed(Run(first, out, workers=2, work=troubled))["real_2"]
    assert (
        again.row.state == "failed"
        and "mine.txt" in str(again.row.told)
        and (out / "real_2" / "mine.txt").is_file()
    )
    (out / "real_2" / "mine.txt").unlink()
    # What could not be written is tried again by itself.
    assert followed(Run(first, out, workers=2, work=troubled))["real_2"].row.state == "done"
    shutil.rmtree(out / "real_3")
    fresh = {
        n
        for n, t in followed(
            Run([replace(r, replace_existing=True) for r in first], out, work=troubled)
        ).items()
        if t.fresh
    }
    assert fresh == {"real_3"}
    other = replace(first[0], settings=("arrive@1.scale=2",), replace_existing=True)
    assert made_of(other) != made_of(first[0])
    fresh = {n for n, t in followed(Run([other, *first[1:]], out, work=troubled)).items() if t.fresh}
    assert fresh == {"real_1"}
    # What is asked for no more is known of no more.
    assert set(followed(Run(first[2:], out, work=troubled))) == {"real_3"}


def test_claims_of_a_process_that_is_gone_are_free(tmp_path: Path) -> None:
    rows = Rows(tmp_path)
    rows.put([("a", "1"), ("b", "1")])
    assert rows.claim("ab").path == "a" and rows.claim("ab").path == "b" and rows.claim("ab") is None  # type: ignore[union-attr]
    dead = subprocess.Popen([sys.executable, "-c", ""])
    dead.wait()
    with sqlite3.connect(tmp_path / NAME) as base:
        base.execute("UPDATE goods SET pid=? WHERE path='a'", (dead.pid,))
        base.execute("UPDATE goods SET pid=?, lease=? WHERE path='b'", (os.getppid(), time.time() - 1))
    base.close()
    assert {rows.claim("ab").path, rows.claim("ab").path} == {"a", "b"}  # type: ignore[union-attr]
    assert rows.row("a").attempt == 2
    rows.close()


def test_two_runs_share_what_is_the_same_and_keep_out_of_each_others_way(tmp_path: Path) -> None:
    one, other = Rows(tmp_path), Rows(tmp_path)
    one.put([("a", "1"), ("b", "1"), ("c", "1")])
    assert one.claim("abc").path == "a"  # type: ignore[union-attr]
    # Another process of the same recipe goes on beside it, and takes nothing twice.
    with sqlite3.connect(tmp_path / NAME) as base:
        base.execute("UPDATE goods SET pid=? WHERE path='a'", (os.getppid(),))
    base.close()
    other.put([("a", "1"), ("b", "1"), ("c", "1")])
    assert other.claim("abc").path == "b" and other.claim("a") is None  # type: ignore[union-attr]
    with pytest.raises(WriteError, match="another run goes on"):
        other.put([("a", "2"), ("b", "1")])
    assert one.counts() == {"running": 2, "waiting": 1}, "and nothing has changed"
    for rows in (one, other):
        rows.close()


def test_work_in_this_process_is_watched_too() -> None:
    held = resident(os.getpid())
    Watch(most=held + LEAST).check()
    Watch(most=1).check()  # what was there before is not this work's
    with pytest.raises(LimitError, match="GB at most"):
        Watch(most=1, began=held - 2 * LEAST).check()
    assert resident(1 << 30) == 0


def test_what_lies_in_an_archive_changes_with_it(tmp_path: Path) -> None:
    packed = tmp_path / "goods.zip"
    packed.write_bytes(b"one")
    inside = packed / "pots" / "pot.glb"
    before = stamp(inside)
    assert before[1] == 3 and stamp(tmp_path / "none.glb") == (str(tmp_path / "none.glb"), -1, -1)
    packed.write_bytes(b"another")
    assert stamp(inside) != before


def test_rows_somebody_else_works_on_are_not_damaged(tmp_path: Path) -> None:
    rows = Rows(tmp_path)
    rows._base.execute("PRAGMA busy_timeout=50")
    with closing(sqlite3.connect(tmp_path / NAME, isolation_level=None)) as other:
        other.execute("BEGIN EXCLUSIVE")
        with pytest.raises(WriteError, match="goes on where it was"):
            rows.put([("a", "1")])
    rows.put([("a", "1")])
    assert rows.counts() == {"waiting": 1}
    # A full disk is no damage either.
    rows._base.execute("PRAGMA max_page_count=1")
    with pytest.raises(WriteError, match=r"cannot be kept .*full"):
        rows.put([(f"{k:0500}", "1") for k in range(200)])
    rows.close()


def test_rows_of_a_newer_customs_and_what_is_no_base(tmp_path: Path) -> None:
    rows = Rows(tmp_path)
    rows._base.execute("PRAGMA user_version=9")
    rows.close()
    with pytest.raises(WriteError, match="newer Customs"):
        Rows(tmp_path)
    (tmp_path / "other").mkdir()
    (tmp_path / "other" / NAME).write_bytes(b"no base at all" * 100)
    with pytest.raises(WriteError, match="rows cannot be kept"):
        Rows(tmp_path / "other")
    (tmp_path / "file").write_text("a file")
    with pytest.raises(WriteError, match="rows cannot be kept"):
        Rows(tmp_path / "file")
    assert 0 < memory_for(4) < memory_for(1)


def test_killed_at_any_moment_the_same_command_goes_on(tmp_path: Path) -> None:
    """The runner itself is killed again and again: what was delivered stays, the rest is done by the next, to the same bytes."""
    goods(tmp_path / "in", *(f"pot_{k}" for k in range(6)))
    recipe = tmp_path / "r.toml"
    recipe.write_text('name = "Pots"\nsheet = "metre-yup-pbr"\n', "utf-8")
    command = [
        sys.executable,
        "-m",
        "customs",
        "run",
        str(recipe),
        str(tmp_path / "in"),
        "--out",
        str(tmp_path / "out"),
        "--jobs",
        "2",
    ]
    for wait in (2.5, 3.5, 5.0):
        process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        time.sleep(wait)
        process.send_signal(signal.SIGKILL)
        process.wait()
    done = subprocess.run([*command, "--json"], capture_output=True, text=True, check=False)
    body = json.loads(done.stdout)
    assert done.returncode == 0 and body["counts"] == {"done": 6}, done.stdout[-2000:]
    whole = {p.name for p in (tmp_path / "out").iterdir() if p.is_dir()}
    assert whole == {f"pot_{k}" for k in range(6)}
    models = {p.read_bytes() for p in (tmp_path / "out").rglob("*.glb")}
    assert len(models) == 6, "each has its own name in it, and is whole"


def test_on_the_command_line(tmp_path: Path) -> None:
    goods(tmp_path / "in", "pot_a", "pot_b", "stork")
    (tmp_path / "in" / "cut.glb").write_bytes(b"glTF\x02\0\0\0half of one")
    recipe = tmp_path / "r.toml"
    recipe.write_text(
        'name = "<b>Pots</b>"\nsheet = "metre-yup-pbr"\n[goods]\nnames = ["pot_*", "cut"]\n', "utf-8"
    )
    code, text = call("run", recipe, tmp_path / "in", "--out", tmp_path / "out", "--jobs", "2")
    assert code == 3 and "2 done" in text and "cut.glb: failed" in text and "stork" not in text
    body = json.loads((tmp_path / "out" / "run.json").read_text("utf-8"))
    assert body["counts"] == {"done": 2, "failed": 1} and body["broken"][0]["said"]
    html = (tmp_path / "out" / "run.html").read_text("utf-8")
    assert "&lt;b&gt;Pots" in html and "<b>" not in html and "default-src 'none'" in html
    code, text = call("run", recipe, tmp_path / "in", "--out", tmp_path / "out")
    assert code == 3 and "3 assets unchanged since the last time" in text
    code, text = call("run", recipe, tmp_path / "in", "--out", tmp_path / "out", "--private", "--json")
    told = (
        (tmp_path / "out" / "run.json").read_text("utf-8")
        + (tmp_path / "out" / "run.html").read_text("utf-8")
        + text
    )
    assert (
        str(tmp_path) not in told
        and tempfile.gettempdir() not in told
        and {g["file"] for g in json.loads(text)["goods"]} == {"cut.glb", "pot_a.glb", "pot_b.glb"}
    )
    for wrong in (["--jobs", "-1"], ["--seconds", "0"], ["--memory", "0"]):
        assert call("run", recipe, tmp_path / "in", "--out", tmp_path / "out", *wrong)[0] == 2
    assert call("run", tmp_path / "none.toml", tmp_path / "in", "--out", tmp_path / "out")[0] == 2


def test_a_private_report_names_no_folders(tmp_path: Path) -> None:
    goods = tmp_path / "Ada Smith" / "goods"
    body = {
        "file": f"{goods}/pots/pot.glb",
        "said": f"{tmp_path}/Ada Smith/kit/a.bin: no such file at /meshes/0/primitives/0; /usr/share/fonts/b.ttf, 3/4 of {Path.home()}/x",
        "n": [1, {"x": "a/b"}],
    }
    found = without_folders(body, [goods])
    assert found["file"] == "pots/pot.glb" and found["n"] == [1, {"x": "a/b"}]
    assert found["said"].startswith("…/kit/a.bin: no such file at /meshes/0/primitives/0; …/b.ttf, 3/4 of …/")
    assert "Ada" not in str(found) and "/usr" not in str(found)


def test_the_report_puts_first_what_clears_most() -> None:
    def row(path: str, *open_rows: tuple[str, str, str]) -> Row:
        told = {
            "rows": [
                {"requirement": q, "title": q.title(), "verdict": v, "remedy": fix, "waived": ""}
                for q, v, fix in open_rows
            ]
        }
        return Row(path, "", "held", told=told)

    rows = [
        row("a", ("scale", "query", "× 100"), ("skins", "held", "")),
        row("b", ("scale", "query", "× 100"), ("scale", "query", "× 100"), ("name", "cleared", "")),
        row("c", ("textures", "held", "Find"), ("skins", "held", "")),
    ]
    found = decisions(rows)
    assert [(d["requirement"], d["verdict"], len(d["goods"])) for d in found] == [
        ("skins", "held", 2), ("textures", "held", 1), ("scale", "query", 2),
    ]  # fmt: skip
    body = report("All", rows)
    assert body["counts"] == {"held": 3} and "Skins" in page(body)
