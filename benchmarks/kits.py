"""Kits at size: an edit in an XML document of 20 MB, a bundle beside `zip -6`, a journal of a thousand files, an index over ten
thousand, the second dispatch of unchanged goods.

.venv/bin/python benchmarks/kits.py [--write docs/benchmarks-kits.md]
"""

from __future__ import annotations

import argparse
import os
import shutil
import subprocess
import tempfile
import time
from pathlib import Path

import numpy as np
from lxml import etree
from tables import told, took

from customs.demo.write import GOODS, write_goods
from customs.dispatch.bundle import bundled
from customs.dispatch.index import index_of
from customs.documents.edit import Edit, edited
from customs.kit import journal as journals
from customs.kit.changes import Wanted
from customs.kit.journal import carry_out, held, withdraw
from customs.sheet.documents import IndexRules
from customs.work.asset import Request, prepare
from customs.work.lookup import find_origin, find_sheet
from customs.work.requests.dispatch import DispatchRequest, run_dispatch


def large_document() -> bytes:
    """Attachments of about 20 MB."""
    row = '\t\t<thing name="thing_{0}" file="props/thing_{0}.zip"><post name="hook" path="0/{0}"/></thing>\n'
    return (
        "<attachments>\n\t<things>\n"
        + "".join(row.format(n) for n in range(220_000))
        + "\t</things>\n</attachments>\n"
    ).encode()


def package() -> dict[str, bytes]:
    """Files of about 60 MB as packages hold them: half of it numbers of a mesh, half noise like packed textures."""
    rng = np.random.default_rng(5)
    mesh = np.cumsum(rng.normal(0, 1e-3, (2_500_000, 3)), axis=0).astype(np.float32).tobytes()
    return {
        "thing.glb": mesh,
        "tex/thing.png": rng.integers(0, 256, 30_000_000, np.uint8).tobytes(),
        "item.txt": b"item\n",
    }


def zipped(files: dict[str, bytes], folder: Path) -> float:
    """Seconds Debian's zip takes for them."""
    for path, data in files.items():
        (folder / path).parent.mkdir(parents=True, exist_ok=True)
        (folder / path).write_bytes(data)

    def run() -> None:
        (folder / "out.zip").unlink(missing_ok=True)
        subprocess.run(["zip", "-6", "-q", "-r", "out.zip", *files], cwd=folder, check=True)

    return took(run)


def journal(folder: Path) -> tuple[float, float]:
    """Seconds a thousand new files take into a kit, and out of it."""
    kit = folder / "kit"
    kit.mkdir()
    wanted = [Wanted(f"items/i{n}/item.txt", b"x" * 2000) for n in range(1000)]

    def go() -> None:
        with held(kit):
            made = journals.prepare(kit, "d", wanted, (), {})
            assert made is not None
            carry_out(made)

    into = took(go, 1)

    def back() -> None:
        with held(kit):
            withdraw(kit, "d")

    return into, took(back, 1)


def index(folder: Path) -> tuple[float, float, float]:
    """Seconds an index over 10,000 packages of 30 kB takes, one where nothing has changed, and sha256sum over all of them."""
    kit = folder / "kit"
    for n in range(10_000):
        place = kit / "packs" / f"{n % 100:02d}" / f"p{n}.zip"
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(n.to_bytes(4, "big") * 7500)
    rules = IndexRules(path="packs/index.json", folder="packs", files=("*.zip",))
    # What was written this moment is not remembered.
    time.sleep(2.5)
    with held(kit):
        whole = took(lambda: index_of(rules, kit, []), 1)
        again = took(lambda: index_of(rules, kit, []))

    def theirs() -> None:
        subprocess.run(
            "find packs -name '*.zip' | xargs sha256sum > /dev/null", cwd=kit, shell=True, check=True
        )

    return whole, again, took(theirs, 1)


def second_dispatch(folder: Path) -> tuple[float, float, int]:
    """Seconds for the demo's goods dispatched, all of them again unchanged, and how many there were."""
    goods, rules = write_goods(folder / "goods"), find_sheet("metre-yup-pbr")
    done = []
    for good in GOODS:
        path = goods[good.id]
        one = prepare(Request(path, path.parent, rules, find_origin(good.origin)))
        done += [one] if one.ledger.verdict != "held" else []

    def go() -> None:
        for one in done:
            run_dispatch(DispatchRequest(one, rules, folder / "out"))

    return took(go, 1), took(go), len(done)


def main() -> None:
    """Print the table, and write it where asked."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--write", type=Path)
    asked = parser.parse_args()
    data = large_document()
    edit = Edit("insert", "/attachments/things", '<thing name="lamp" file="props/lamp.zip"/>', "last", "name")
    change, parse = (
        took(lambda: edited(data, [edit], "xml", "things.xml")),
        took(lambda: etree.fromstring(data)),
    )
    files = package()
    size = sum(map(len, files.values())) / 1e6
    ours = took(lambda: bundled(files, "zip"))
    with tempfile.TemporaryDirectory() as place:
        theirs = zipped(files, Path(place)) if shutil.which("zip") else float("nan")
    with tempfile.TemporaryDirectory(dir=os.environ.get("TMPDIR")) as place:
        into, out = journal(Path(place))
    with tempfile.TemporaryDirectory(dir=os.environ.get("TMPDIR")) as place:
        whole, again, sums = index(Path(place))
    with tempfile.TemporaryDirectory(dir=os.environ.get("TMPDIR")) as place:
        first, second, count = second_dispatch(Path(place))
    rows = [
        (f"an edit in an XML document of {len(data) / 1e6:.0f} MB", f"{change:.2f} s, {change / parse:.1f} × lxml reading it", "< 1 s"),
        (f"a bundle of {size:.0f} MB", f"{ours:.2f} s, {theirs / ours:.2f} × the speed of zip -6", "≥ 0.8 ×"),
        ("a thousand new files into a kit, each on the disk, and out of it", f"{into:.2f} s, {out:.2f} s", ""),
        ("an index over 10,000 packages", f"{whole:.2f} s, {whole / sums:.2f} × sha256sum over them", "< 20 s"),
        ("the index where nothing has changed", f"{again:.2f} s", "< 2 s"),
        (f"second dispatch of {count} unchanged goods (the first: {first:.1f} s)", f"{second:.2f} s", "< 1 s"),
    ]  # fmt: skip
    told("Kits", "Made by `benchmarks/kits.py`.", ("what", "measured", "goal"), rows, asked.write)


if __name__ == "__main__":
    main()
