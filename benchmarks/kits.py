"""Kits at size: an edit in an XML document of 20 MB, a bundle beside `zip -6`, a journal of a thousand files.

.venv/bin/python benchmarks/kits.py [--write docs/benchmarks-kits.md]
"""

from __future__ import annotations

import argparse
import os
import shutil
import subprocess
import tempfile
from pathlib import Path

import numpy as np
from lxml import etree
from tables import told, took

from customs.dispatch.bundle import bundled
from customs.documents.edit import Edit, edited
from customs.kit.changes import Wanted
from customs.kit.journal import carry_out, held, prepare, withdraw


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
            made = prepare(kit, "d", wanted, (), {})
            assert made is not None
            carry_out(made)

    into = took(go, 1)

    def back() -> None:
        with held(kit):
            withdraw(kit, "d")

    return into, took(back, 1)


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
    rows = [
        (f"an edit in an XML document of {len(data) / 1e6:.0f} MB", f"{change:.2f} s, {change / parse:.1f} × lxml reading it", "< 1 s"),
        (f"a bundle of {size:.0f} MB", f"{ours:.2f} s, {theirs / ours:.2f} × the speed of zip -6", "≥ 0.8 ×"),
        ("a thousand new files into a kit, each on the disk, and out of it", f"{into:.2f} s, {out:.2f} s", ""),
    ]  # fmt: skip
    told("Kits", "Made by `benchmarks/kits.py`.", ("what", "measured", "goal"), rows, asked.write)


if __name__ == "__main__":
    main()
