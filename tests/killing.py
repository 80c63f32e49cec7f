"""The command line's own process killed while it replaces a package: the old or the new must stand there
whole.

scripts/kills N        prints how many fell where, and what was broken or left
"""

from __future__ import annotations

import hashlib
import json
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass
from pathlib import Path

from customs.demo.write import write_goods


@dataclass
class Tally:
    """What was seen: kills that came in time, those with a package being written, and what must stay 0."""

    kills: int = 0
    late: int = 0
    writing: int = 0
    broken: int = 0
    left: int = 0

    def __str__(self) -> str:
        return (
            f"{self.kills} kills, {self.writing} of them while a package was written, {self.late} too late; "
            f"{self.broken} packages broken, {self.left} things left after the next start"
        )


def command(source: Path, out: Path) -> list[str]:
    """`customs port` that replaces what stands in `out`."""
    return [
        sys.executable,
        "-m",
        "customs",
        "port",
        str(source),
        "--to",
        "metre-yup-pbr",
        "--out",
        str(out),
        "--replace",
    ]


def versions(source: Path, folder: Path) -> tuple[Path, Path]:
    """An OBJ and what lies beside it twice, the second changed, so that old and new differ."""
    one, other = (folder / name for name in ("one", "other"))
    for place in (one, other):
        shutil.copytree(source.parent, place)
    with (other / source.name).open("a") as text:
        text.write("# changed\n")
    return one / source.name, other / source.name


def whole(package: Path) -> bool:
    """True when every file the docket lists has the digest it lists, and there is no other."""
    try:
        listed = {f["path"]: f["sha256"] for f in json.loads((package / "docket.json").read_bytes())["files"]}
        there = {p.relative_to(package).as_posix() for p in package.rglob("*") if p.is_file()}
        sound = all(
            hashlib.sha256((package / p).read_bytes()).hexdigest() == digest for p, digest in listed.items()
        )
    except (OSError, ValueError):
        return False
    return sound and there == set(listed) | {"docket.json", "docket.html"}


def writing(out: Path) -> bool:
    """True while a package is being made beside the one that stands."""
    return any(p.name.endswith((".part", ".old")) for p in out.iterdir())


def _killed(call: list[str], out: Path, aim: random.Random, spans: tuple[float, float], tally: Tally) -> None:
    """One run killed: every other anywhere in its time, the others from the moment the package is begun."""
    child = subprocess.Popen(call, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    end = time.monotonic() + aim.uniform(0, spans[0])
    if aim.random() < 0.7:
        while child.poll() is None and not writing(out):
            time.sleep(0.0005)
        end = time.monotonic() + aim.uniform(0, spans[1])
    while time.monotonic() < end and child.poll() is None:
        time.sleep(0.0005)
    in_time = child.poll() is None
    child.kill()
    child.wait()
    tally.kills, tally.late = tally.kills + in_time, tally.late + (not in_time)
    tally.writing += in_time and writing(out)


def _spans(call: list[str], out: Path) -> tuple[float, float]:
    """Seconds a run takes, and seconds of them in which its package is written."""
    began = time.monotonic()
    child, first = subprocess.Popen(call, stdout=subprocess.DEVNULL), 0.0
    while child.poll() is None:
        first = first or (time.monotonic() if writing(out) else 0.0)
        time.sleep(0.0005)
    assert child.returncode == 0, "the run that is killed later works when it is let be"
    return time.monotonic() - began, time.monotonic() - (first or began)


def sitting(kills: int, source: Path, folder: Path) -> Tally:
    """`kills` runs killed in time; after each the package that stands is looked at, then the next run
    sweeps.
    """
    tally, aim, out = Tally(), random.Random(4), folder / "out"
    calls = [command(v, out) for v in versions(source, folder)]
    subprocess.run(calls[0], check=True, stdout=subprocess.DEVNULL)
    (package,) = out.iterdir()
    spans = _spans(calls[1], out)
    while tally.kills < kills:
        _killed(calls[(tally.kills + tally.late) % 2], out, aim, spans, tally)
        # Between taking the old away and putting the new there, the next start puts the old back.
        if not (whole(package) or (not package.exists() and any(whole(p) for p in out.glob(".*.old")))):
            tally.broken += 1
    subprocess.run(calls[0], check=True, stdout=subprocess.DEVNULL)
    tally.left = len(os.listdir(out)) - 1
    tally.broken += not whole(package)
    return tally


def main() -> int:
    """See the module."""
    with tempfile.TemporaryDirectory(prefix="customs-kills-") as name:
        source = write_goods(Path(name) / "goods")["bell_lantern"]
        tally = sitting(int(sys.argv[1]) if len(sys.argv) > 1 else 20, source, Path(name))
    print(tally)
    return 1 if tally.broken or tally.left else 0


if __name__ == "__main__":
    raise SystemExit(main())
