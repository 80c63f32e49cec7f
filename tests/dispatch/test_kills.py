"""A dispatch killed at any moment: package, bundle, document and index stand there old or new, all of them, after the next start.

CUSTOMS_KILLS says how often; a run of 300 is noted in `docs/benchmarks-kits.md`.
"""

from __future__ import annotations

import os
import random
import shutil
import subprocess
import sys
import time
from pathlib import Path

from customs.kit.changes import OURS
from customs.kit.journal import held, recover
from customs.landing.land import land
from customs.parts import sweep
from customs.work.lookup import find_sheet
from customs.work.requests.dispatch import is_placed
from tests.dispatch.kits import new_kit
from tests.landing.test_rules import refusals

SHEET = """version = 1
extends = "attachment-kit"
id = "killed-kit"
title = "Killed kit"
[kit.index]
path = "props/index.json"
folder = "props"
files = ["*.zip"]
"""
CHILD = """
import sys
from pathlib import Path
from customs.work.asset import Request, prepare
from customs.work.lookup import find_origin, find_sheet
from customs.work.requests.dispatch import DispatchRequest, run_dispatch

source, sheet, out, kit = map(Path, sys.argv[1:5])
post = 'posts.posts=[["%s", [0, 1, 0], [0, 0, 1], "", ""]]'
rules = find_sheet(str(sheet))
done = [prepare(Request(source, source.parent, rules, find_origin("metre-yup"), (post % name,))) for name in ("hook", "ring")]
print("ready", flush=True)
rounds = int(sys.argv[5])
for k in range(rounds):
    run_dispatch(DispatchRequest(done[k % 2], rules, out, True, "", kit))
"""


def standing(out: Path, kit: Path) -> dict[str, bytes]:
    """All that is delivered, but the docket, which says when."""
    places = [(f, p) for f in (out, kit) for p in f.rglob("*") if p.is_file() and OURS not in p.parts]
    return {
        f"{f.name}/{p.relative_to(f)}": p.read_bytes() for f, p in places if not p.name.startswith("docket.")
    }


def started(args: list[str], rounds: int) -> subprocess.Popen[bytes]:
    child = subprocess.Popen([sys.executable, "-c", CHILD, *args, str(rounds)], stdout=subprocess.PIPE)
    assert child.stdout is not None and child.stdout.readline().strip() == b"ready"
    child.stdout.close()
    return child


def test_killed_at_any_moment_all_of_it_is_old_or_new(goods: dict[str, Path], tmp_path: Path) -> None:
    sheet, out, chance = tmp_path / "killed-kit.toml", tmp_path / "out", random.Random(11)
    sheet.write_text(SHEET, "utf-8")
    kit = new_kit("attachment-kit", tmp_path / "kit")
    args = [str(goods["hedgehog"]), str(sheet), str(out), str(kit)]
    rules, states = find_sheet(str(sheet)), []
    for rounds in (1, 2):
        assert started(args, rounds).wait() == 0
        states.append(standing(out, kit))
    assert states[0] != states[1] and {k for k in states[0] if states[0][k] != states[1][k]} == {
        "out/hedgehog/hedgehog.glb", "kit/props/hedgehog.zip", "kit/props/index.json", "kit/data/attachments.xml",
    }  # fmt: skip
    seen = set()
    for _ in range(int(os.environ.get("CUSTOMS_KILLS", "3"))):
        child = started(args, 1000)
        time.sleep(chance.uniform(0.02, 1.0))
        child.kill()
        child.wait()
        with held(kit):
            recover(kit, is_placed)
        sweep(out)
        found = standing(out, kit)
        assert found in states, sorted(k for k in found if all(found[k] != s.get(k) for s in states))
        seen.add(states.index(found))
        log = land(out / "hedgehog", lambda name: rules, kit=kit)
        assert log.accepted, refusals(log)
        assert not [p for p in out.iterdir() if p.name.startswith(".")] and not list(kit.rglob("*.part"))
        # Journals of what stood in between are many by now: they are no matter here.
        shutil.rmtree(kit / OURS, ignore_errors=True)
    assert seen
