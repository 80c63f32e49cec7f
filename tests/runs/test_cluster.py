"""Runs on a dask cluster of this machine: what goes wrong stays alone, a lost worker's goods are done by another, files go along and packages
come back; dask's own client and its pages read the run.
"""

from __future__ import annotations

import json
import os
import signal
import threading
import time
import urllib.request
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import distributed
import pytest

from customs.demo.hundreds import write_hundreds
from customs.errors import ClusterError
from customs.intake.scan import model_files
from customs.recipes.recipe import read_recipe
from customs.runs import cluster
from customs.runs.children import Limits
from customs.runs.cluster import Remote
from customs.runs.run import Run
from customs.work.asset import Request
from customs.work.recipes import requests_of
from tests.runs.test_runs import followed, goods
from tests.runs.troubles import troubled
from tests.work.test_cli import call

MINUTE = Limits(60.0)


@pytest.fixture(scope="module")
def address() -> Iterator[str]:
    """A scheduler with two workers."""
    with distributed.LocalCluster(
        n_workers=2, threads_per_worker=1, dashboard_address="127.0.0.1:0", silence_logs=50
    ) as made:
        yield made.scheduler_address


def on(
    address: str,
    requests: list[Request],
    out: Path,
    limits: Limits = MINUTE,
    work: object = None,
    sends: bool = False,
) -> Run:
    out.mkdir(parents=True, exist_ok=True)
    remote = Remote(address, limits, requests, out, **({"work": work} if work else {}))  # type: ignore[arg-type]
    assert not remote.sends
    remote.sends = sends
    return Run(requests, out, limits, 2 * remote.slots, children=remote)


def test_what_goes_wrong_on_a_worker_takes_nothing_else_along(address: str, tmp_path: Path) -> None:
    asked = goods(tmp_path, "good_1", "hangs", "eats", "dies", "good_2", "good_3")
    made = on(address, asked, tmp_path / "out", Limits(5.0, 700 << 20), troubled)
    found = followed(made)
    assert {n for n, t in found.items() if t.row.state == "broken"} == {"hangs", "eats", "dies"}
    said = {n: ((t.row.told or {}).get("error") or {}).get("found", "") for n, t in found.items()}
    assert (
        "still not done after 5 s" in said["hangs"]
        and "GB of memory" in said["eats"]
        and "SIGSEGV" in said["dies"]
    )
    assert all(found[n].row.state == "done" for n in ("good_1", "good_2", "good_3"))


def test_a_lost_workers_goods_are_done_by_another(address: str, tmp_path: Path) -> None:
    asked = goods(tmp_path, *(f"slow_{k}" for k in range(8)))
    made = on(address, asked, tmp_path / "out", work=troubled)
    remote = made.children
    assert isinstance(remote, Remote)
    pids = list(remote.client.run(os.getpid).values())
    killer = threading.Timer(0.6, os.kill, (pids[0], signal.SIGKILL))
    killer.start()
    found = followed(made)
    killer.join()
    assert {t.row.state for t in found.values()} == {"done"} and len(found) == 8


def test_files_go_along_and_packages_come_back(address: str, tmp_path: Path) -> None:
    recipe_file = write_hundreds(tmp_path / "goods", 12)
    recipe = read_recipe(recipe_file)
    entries = [
        m
        for m in model_files([tmp_path / "goods"])
        if m.path.parent.name in ("flower_pot", "water_butt", "broken")
    ]
    here = requests_of(recipe, entries, tmp_path / "here")
    away = requests_of(recipe, entries, tmp_path / "away")
    mine = followed(Run(here, tmp_path / "here", workers=2))
    theirs = followed(on(address, away, tmp_path / "away", sends=True))
    assert {n: t.row.state for n, t in mine.items()} == {n: t.row.state for n, t in theirs.items()}
    assert sum(t.row.state == "done" for t in theirs.values()) == 4

    def files(folder: Path) -> dict[str, bytes]:
        found = (
            p for p in folder.rglob("*") if p.is_file() and not p.name.startswith((".customs", "docket"))
        )
        return {str(p.relative_to(folder)): p.read_bytes() for p in found}

    assert files(tmp_path / "here") == files(tmp_path / "away") and len(files(tmp_path / "away")) >= 4
    for name, t in theirs.items():
        told = t.row.told or {}
        assert str(tmp_path / "goods") in told["file"] and (
            not told["package"] or Path(told["package"]).parent == tmp_path / "away"
        ), name
    # A source that vanishes meanwhile is said, and nothing else is disturbed.
    gone = goods(tmp_path / "two", "real_1", "real_2")
    made = on(address, gone, tmp_path / "two" / "out", sends=True)
    gone[0].path.unlink()
    states = {n: t.row for n, t in followed(made).items()}
    assert states["real_1"].state == "failed" and "real_1.glb" in str((states["real_1"].told or {})["error"])
    assert states["real_2"].state == "done"
    # Nothing has changed: nothing is sent.
    assert not any(t.fresh for t in followed(on(address, away, tmp_path / "away", sends=True)).values())


def test_dasks_own_client_and_pages_read_the_run(address: str, tmp_path: Path) -> None:
    asked = goods(tmp_path, *(f"slow_{k}" for k in range(4)))
    made = on(address, asked, tmp_path / "out", work=troubled)
    seen: list[int] = []
    with distributed.Client(address) as client:

        def look() -> None:
            seen.append(
                client.run_on_scheduler(
                    lambda dask_scheduler: sum("work_on" in k for k in map(str, dask_scheduler.tasks))
                )
            )

        for _ in made.results(look):
            pass
        link = client.dashboard_link.removesuffix("/status")
        with urllib.request.urlopen(f"{link}/json/counts.json", timeout=10) as answer:
            counts = json.load(answer)
    assert max(seen) >= 2 and counts["workers"] == 2


def test_clusters_that_cannot_be_had(address: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    asked = goods(tmp_path, "a")
    limits = Limits()
    with pytest.raises(ClusterError, match="cannot be reached"):
        Remote("tcp://127.0.0.1:9", limits, asked, tmp_path, wait=1.0)
    with pytest.raises(ClusterError, match="cannot be reached"):
        Remote("over there", limits, asked, tmp_path, wait=1.0)
    with monkeypatch.context() as patch:
        patch.setattr(cluster, "program", lambda: "other rules")
        with pytest.raises(ClusterError, match="workers of another Customs: "):
            Remote(address, limits, asked, tmp_path)
    with pytest.raises(RuntimeError, match="this worker has Customs"):
        cluster.work_on(asked[0], limits, troubled, ("9.9", "other"), None, "stop")
    with (
        distributed.LocalCluster(n_workers=0, dashboard_address="127.0.0.1:0", silence_logs=50) as empty,
        pytest.raises(ClusterError, match="no workers"),
    ):
        Remote(empty.scheduler_address, limits, asked, tmp_path, wait=1.0)
    # A folder no worker sees has no kit they could write to.
    with monkeypatch.context() as patch:
        patch.setattr(Remote, "_see", lambda *a: False)
        with pytest.raises(ClusterError, match="kit"):
            Remote(address, limits, [replace(asked[0], kit=tmp_path)], tmp_path)


def test_cancelled_on_the_cluster_nothing_goes_on(address: str, tmp_path: Path) -> None:
    asked = goods(tmp_path, "hangs", "slow_1")
    made = on(address, asked, tmp_path / "out", work=troubled)
    began = time.monotonic()
    for _ in made.results():
        made.cancel = True
    assert time.monotonic() - began < 30
    with distributed.Client(address) as client:
        deadline = time.monotonic() + 20
        while any(client.run(lambda dask_worker: len(dask_worker.state.executing)).values()):
            assert time.monotonic() < deadline, "the worker has let go of it"
            time.sleep(0.2)


def test_on_the_command_line(address: str, tmp_path: Path) -> None:
    goods(tmp_path / "in", "pot_a", "pot_b")
    recipe = tmp_path / "r.toml"
    recipe.write_text('name = "Pots"\nsheet = "metre-yup-pbr"\n', "utf-8")
    code, text = call("run", recipe, tmp_path / "in", "--out", tmp_path / "out", "--cluster", address)
    assert code == 0 and "2 done" in text, text
    code, text = call(
        "run", recipe, tmp_path / "in", "--out", tmp_path / "none", "--cluster", "tcp://127.0.0.1:9"
    )
    assert code == 2 and "cannot be reached" in text
