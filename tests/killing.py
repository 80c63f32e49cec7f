"""Whatever writes, killed at random moments: what stood there before or what was to stand there is whole, and nothing else is left after the next start.

scripts/kills N        kills each in turn, N in all, and prints how many fell where, and what was broken or left
"""

from __future__ import annotations

import contextlib
import functools
import hashlib
import json
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
import zipfile
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from customs.demo.write import write_goods
from customs.errors import CustomsError
from customs.formats.gltf.read import read_gltf
from customs.formats.source import Source
from customs.integration.place import withdraw
from customs.parts import NAME
from customs.shipment.copies import unpack
from customs.shipment.file import Shipment
from customs.shipment.store import keep

LONG = 0.7
"""Seconds in which what writes all the time is killed."""
HEAD = """
import itertools, sys
from dataclasses import replace
from pathlib import Path
place = Path(sys.argv[1])
def told(k):
    print(k, flush=True)
"""
PACKAGE = """
from customs.work.asset import Request, prepare
from customs.work.lookup import find_origin, find_sheet
from customs.work.requests.dispatch import DispatchRequest, run_dispatch
rules = find_sheet("metre-yup-pbr")
sources = [place / n / "lantern.obj" for n in ("one", "other")]
done = [prepare(Request(p, p.parent, rules, find_origin("metre-yup"))) for p in sources]
for k in itertools.count():
    run_dispatch(DispatchRequest(done[k % 2], rules, place / "out", True))
    told(k)
"""
SHIPMENT = """
from customs.shipment.file import Shipment
shipment = Shipment(place / "day.customs")
for k in itertools.count(int(shipment.state.last_origin or 0) + 1):
    shipment.edit(f"decision {k}" + "x" * 3000, lambda s: replace(s, last_origin=str(k)))
    told(k)
"""
PACKED = """
from customs.shipment.copies import pack
from customs.shipment.file import Shipment
shipment = Shipment(place / "day.customs")
for k in itertools.count():
    shipment.edit(f"decision {k}", lambda s: replace(s, last_origin=str(k)))
    pack(shipment, place / "day.customs.zip", {"own": "x" * 5000})
    told(k)
"""
COPIES = """
import shutil
from customs.shipment.copies import save_copy
from customs.shipment.file import Shipment
shipment = Shipment(place / "day.customs")
for k in itertools.count():
    for old in ("copy.customs", "copy.store"):
        old = place / "copies" / old
        shutil.rmtree(old) if old.is_dir() else old.unlink(missing_ok=True)
    save_copy(shipment, place / "copies" / "copy.customs")
    told(k)
"""
PREFERENCES = """
from customs.preferences import keep_preferences, preferences
for k in itertools.count():
    keep_preferences(replace(preferences(), text=(1.0, 1.5)[k % 2], keys={str(n): "F9" for n in range(k % 2 * 500)}))
    told(k)
"""
DESKTOP = """
from customs.integration.place import integrate, withdraw
for k in itertools.count():
    integrate(Path("/usr/bin/customs"), place / "data") if k % 2 == 0 else withdraw(place / "data")
    told(k)
"""
LEVEL = """
from customs.formats.gltf.read import read_gltf
from customs.formats.source import Source
from customs.work.levels import written_level
scenes = [read_gltf(Source(place / n)) for n in ("small.glb", "large.glb")]
for k in itertools.count():
    written_level(scenes[k % 2], place / "level.glb")
    told(k)
"""


@dataclass
class Tally:
    """What was seen: kills that came in time, those while something was being written, and what must stay 0."""

    kills: int = 0
    writing: int = 0
    broken: int = 0
    left: int = 0

    def __str__(self) -> str:
        return (
            f"{self.kills} kills, {self.writing} of them while a part was there; "
            f"{self.broken} broken, {self.left} things left after the next start"
        )


@dataclass(frozen=True)
class Writer:
    """A process that writes all the time and says each time it is done; whether what stands in a folder is whole, given the last
    number that was said.
    """

    loop: str
    ready: Callable[[Path], object]
    sound: Callable[[Path, int], bool]


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


@functools.cache
def _goods() -> Path:
    return Path(tempfile.mkdtemp(prefix="customs-kills-goods-"))


def _sources(folder: Path) -> None:
    """An OBJ and what lies beside it twice, the second changed, so that old and new differ."""
    source = write_goods(_goods())["bell_lantern"]
    for name in ("one", "other"):
        shutil.copytree(source.parent, folder / name)
        os.rename(folder / name / source.name, folder / name / "lantern.obj")
    with (folder / "other" / "lantern.obj").open("a") as text:
        text.write("# changed\n")


def _shipment(folder: Path) -> None:
    """A shipment with copies of sources worth copying."""
    _sources(folder)
    with closing(Shipment.create(folder / "day.customs")) as shipment:
        for name in ("one", "other"):
            files = sorted((folder / name).iterdir())
            keep(shipment.store, files, hashlib.sha256(name.encode()).hexdigest())


def _levels(folder: Path) -> None:
    goods = write_goods(_goods())
    models = sorted((p for p in goods.values() if p.suffix == ".glb"), key=lambda p: p.stat().st_size)
    for name, path in zip(("small.glb", "large.glb"), (models[0], models[-1])):
        shutil.copy(path, folder / name)


def _package_sound(folder: Path, said: int) -> bool:
    """Between taking the old away and putting the new there, the next start puts the old back."""
    out = folder / "out"
    return whole(out / "lantern") if (out / "lantern").exists() else any(map(whole, out.glob(".*.old")))


def _shipment_sound(folder: Path, said: int) -> bool:
    """Every decision that was said to be kept is there."""
    with closing(Shipment(folder / "day.customs")) as shipment:
        return not shipment.lost and int(shipment.state.last_origin or 0) >= said


def _packed_sound(folder: Path, said: int) -> bool:
    packed, back = folder / "day.customs.zip", folder / "back" / "back.customs"
    with zipfile.ZipFile(packed) as archive:
        sound = archive.testzip() is None
    sound = sound and not unpack(packed, back).lost and _files(back) == _files(folder / "day.customs")
    shutil.rmtree(back.parent)
    return sound


def _files(shipment: Path) -> list[str]:
    store = shipment.with_suffix(".store")
    return sorted(p.relative_to(store).as_posix() for p in store.rglob("*") if p.is_file())


def _copy_sound(folder: Path, said: int) -> bool:
    """There or not there: where it is there, all is."""
    copy = folder / "copies" / "copy.customs"
    if not copy.exists():
        return True
    with closing(Shipment(copy)) as shipment:
        return not shipment.lost and _files(copy) == _files(folder / "day.customs")


def _preferences_sound(folder: Path, said: int) -> bool:
    (path,) = folder.rglob("preferences.json")
    told = json.loads(path.read_text("utf-8"))
    return (told["text"], len(told["keys"])) in ((1.0, 0), (1.5, 500))


def _desktop_sound(folder: Path, said: int) -> bool:
    """Whatever was put there can be taken away without a trace."""
    withdraw(folder / "data")
    return not (folder / "data").exists() or not list((folder / "data").rglob("*"))


def _level_sound(folder: Path, said: int) -> bool:
    return bool(read_gltf(Source(folder / "level.glb")).meshes)


WRITERS = {
    "package": Writer(PACKAGE, _sources, _package_sound),
    "shipment": Writer(SHIPMENT, _shipment, _shipment_sound),
    "shipment in one file": Writer(PACKED, _shipment, _packed_sound),
    "copy of a shipment": Writer(COPIES, _shipment, _copy_sound),
    "preferences": Writer(PREFERENCES, lambda folder: None, _preferences_sound),
    "desktop entries": Writer(DESKTOP, lambda folder: None, _desktop_sound),
    "level as one file": Writer(LEVEL, _levels, _level_sound),
}


class Sitting:
    """One writer in a folder of its own."""

    def __init__(self, writer: Writer, folder: Path, seed: int = 4) -> None:
        self.writer, self.folder, self.aim, self.tally = writer, folder, random.Random(seed), Tally()
        folder.mkdir(parents=True, exist_ok=True)
        writer.ready(folder)

    def kill(self) -> None:
        """Once: started, killed, looked at."""
        said = self._killed(self.aim.uniform(0, LONG))
        self.tally.kills += 1
        self.tally.writing += bool(self.parts())
        try:
            sound = self.writer.sound(self.folder, said)
        except (CustomsError, OSError, ValueError, zipfile.BadZipFile):
            sound = False
        self.tally.broken += not sound

    def end(self) -> Tally:
        """It is let be until it has been done twice, and what lies there then is counted."""
        self._killed(0.0, enough=2, gently=True)
        dead = [p for p in self.parts() if int(NAME.match(p.name)["process"]) != self.last]  # type: ignore[index]
        self.tally.left += len(dead)
        return self.tally

    def parts(self) -> list[Path]:
        """What is half made."""
        return [p for p in self.folder.rglob(".*") if NAME.match(p.name)]

    def _killed(self, after: float, enough: int = 1, gently: bool = False) -> int:
        # The desktop's own tools are no part of it: killed or not, they would go on alone.
        env = {
            **os.environ,
            "CUSTOMS_HOME": str(self.folder / "home"),
            "PATH": "",
            "PYTHONWARNINGS": "ignore",
        }
        child = subprocess.Popen(
            [sys.executable, "-c", HEAD + self.writer.loop, str(self.folder)], stdout=subprocess.PIPE, env=env
        )
        self.last = child.pid
        assert child.stdout is not None
        numbers = [child.stdout.readline() for _ in range(enough)]
        assert numbers[-1], "what is killed later works when it is let be"
        time.sleep(after)
        child.terminate() if gently else child.kill()
        rest = child.stdout.read()
        child.wait()
        child.stdout.close()
        # A line that was cut short was not said.
        whole_lines = b"".join([*numbers, rest]).rpartition(b"\n")[0].split(b"\n")
        return int(whole_lines[-1])


def main() -> int:
    """See the module."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 70
    tallies = dict[str, Tally]()
    with tempfile.TemporaryDirectory(prefix="customs-kills-") as name, contextlib.ExitStack() as stack:
        stack.callback(lambda: shutil.rmtree(_goods(), ignore_errors=True))
        for k, (what, writer) in enumerate(WRITERS.items()):
            sitting = Sitting(writer, Path(name) / str(k))
            for _ in range(count // len(WRITERS) + (k < count % len(WRITERS))):
                sitting.kill()
            tallies[what] = sitting.end()
            print(f"{what}: {tallies[what]}", flush=True)
    print(f"{sum(t.kills for t in tallies.values())} kills")
    return int(any(t.broken or t.left for t in tallies.values()))


if __name__ == "__main__":
    raise SystemExit(main())
