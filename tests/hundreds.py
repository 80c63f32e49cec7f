"""Three hundred goods through a recipe, with one that is stopped, one that is broken and one that takes more memory than it is given; killed at any
moment and gone on with. `python -m tests.hundreds FOLDER [--count N] [--kills N] [--cluster]`.
"""

from __future__ import annotations

import argparse
import contextlib
import hashlib
import json
import multiprocessing
import os
import random
import signal
import time
from pathlib import Path

from customs.demo.hundreds import BRITTLE, SLEEPY, WELL, write_hundreds
from customs.intake.scan import model_files
from customs.job import Job
from customs.recipes.recipe import read_recipe
from customs.runs.children import Limits
from customs.runs.cluster import Remote
from customs.runs.report import report, write_report
from customs.runs.rows import Row
from customs.runs.run import Run
from customs.work.asset import Request, Result, run
from customs.work.recipes import requests_of

LIMITS = Limits(25.0, 3 << 30)


def unlucky(request: Request, job: Job) -> Result:
    """The work on an asset; the process of the sleepy one stands still, that of the brittle one breaks, as a reader's would."""
    if request.path.stem in (SLEEPY, BRITTLE):
        os.kill(os.getpid(), signal.SIGSTOP if request.path.stem == SLEEPY else signal.SIGSEGV)
    return run(request, job)


def ran(
    folder: Path, out: Path, address: str = "", limits: Limits = LIMITS, kill_worker: bool = False
) -> list[Row]:
    """The rows of the goods in `folder`, run to `out`; of a cluster one worker is killed when half is done."""
    recipe = read_recipe(folder / "hundreds.toml")
    requests = requests_of(recipe, model_files([folder]), out)
    out.mkdir(parents=True, exist_ok=True)
    remote = Remote(address, limits, requests, out, 2, unlucky) if address else None
    made = Run(requests, out, limits, 2 * remote.slots if remote else 2, unlucky, remote)
    rows: list[Row] = []
    for told in made.results():
        rows.append(told.row)
        if kill_worker and remote is not None and len(rows) == len(requests) // 2:
            os.kill(next(iter(remote.client.run(os.getpid).values())), signal.SIGKILL)
    write_report(out, report(recipe.name, rows))
    return rows


def told(rows: list[Row]) -> dict[str, int]:
    """How many are in each state."""
    out: dict[str, int] = {}
    for row in rows:
        out[row.state] = out.get(row.state, 0) + 1
    return out


def packages(out: Path) -> dict[str, str]:
    """SHA-256 of every model and texture delivered, by its path."""
    found = (p for p in out.rglob("*") if p.is_file() and p.parent != out and not p.name.startswith("docket"))
    return {str(p.relative_to(out)): hashlib.sha256(p.read_bytes()).hexdigest() for p in sorted(found)}


def killed_again_and_again(
    folder: Path, out: Path, kills: int, limits: Limits = LIMITS, seed: int = 5
) -> int:
    """The run is killed after a random time, so often, with all its processes, and then gone on with to its end; how often it was still at
    work.
    """
    rng, hit = random.Random(seed), 0
    context = multiprocessing.get_context("spawn")
    for _ in range(kills):
        process = context.Process(target=_alone, args=(folder, out, limits))
        process.start()
        process.join(rng.uniform(3.0, 8.0))
        hit += process.is_alive()
        with contextlib.suppress(ProcessLookupError):
            os.killpg(process.pid, signal.SIGKILL)  # type: ignore[arg-type]
        process.join()
    ran(folder, out, limits=limits)
    return hit


def _alone(folder: Path, out: Path, limits: Limits) -> None:
    """In a process group of its own, so that all of it is killed at once."""
    os.setpgrp()
    ran(folder, out, limits=limits)


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("folder", type=Path)
    asked.add_argument("--count", type=int, default=WELL, help="goods that are well")
    asked.add_argument("--kills", type=int, default=0, help="the run is killed so often, and gone on with")
    asked.add_argument(
        "--cluster", action="store_true", help="on two workers of a dask cluster, one of them killed half way"
    )
    said = asked.parse_args()
    goods = said.folder / "goods"
    if not (goods / "hundreds.toml").is_file():
        write_hundreds(goods, said.count)
    began = time.monotonic()
    rows = ran(goods, said.folder / "whole")
    print(f"whole: {json.dumps(told(rows))} in {time.monotonic() - began:.0f} s", flush=True)
    whole = packages(said.folder / "whole")
    if said.kills:
        began = time.monotonic()
        hit = killed_again_and_again(goods, said.folder / "killed", said.kills)
        same = packages(said.folder / "killed") == whole
        print(
            f"killed {said.kills} times, {hit} of them at work, gone on with: same bytes {same}, {len(whole)} files, {time.monotonic() - began:.0f} s",
            flush=True,
        )
    if said.cluster:
        began = time.monotonic()
        rows = ran(goods, said.folder / "cluster", "local", kill_worker=True)
        same = packages(said.folder / "cluster") == whole
        print(
            f"cluster, a worker killed: {json.dumps(told(rows))}, same bytes {same}, {time.monotonic() - began:.0f} s",
            flush=True,
        )


if __name__ == "__main__":
    # What is sent elsewhere is known there by the module's own name.
    from tests.hundreds import main as begin

    begin()
