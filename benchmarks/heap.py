"""A heap listed, closed over and looked at: `python benchmarks/heap.py [--write FILE]`.

Against Python's own zipfile and tarfile for listing, in the same run.
"""

from __future__ import annotations

import argparse
import os
import tarfile
import tempfile
import time
import zipfile
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtWidgets import QApplication

from customs.demo.stores import _pot, write_stores
from customs.formats.registry import WriteOptions, get_format, read_scene
from customs.formats.source import Source
from customs.intake.browse import Browsed
from customs.intake.closure import Names, closures
from customs.intake.heap import Heap
from customs.intake.through import HeapTree
from customs.picture.renderer import Renderer
from customs.picture.thumbnail import thumbnail
from customs_desktop.desks.intake.heap_page import HeapPage
from customs_desktop.style import theme

ENTRIES, MODELS, FILES = 100_000, 1_000, 50_000
KINDS = ("png", "glb", "txt", "ogg")


def took(work: Callable[[], object]) -> float:
    """Seconds, the best of three."""
    best = float("inf")
    for _ in range(3):
        began = time.perf_counter()
        work()
        best = min(best, time.perf_counter() - began)
    return best


def many(folder: Path) -> tuple[Path, Path]:
    """A zip and a tar of ENTRIES files."""
    packed, laid = folder / "many.zip", folder / "many.tar"
    names = [f"store{i % 50:02d}/set{i % 997:03d}/thing_{i:06d}.{KINDS[i % 4]}" for i in range(ENTRIES)]
    with zipfile.ZipFile(packed, "w") as made:
        for name in names:
            made.writestr(zipfile.ZipInfo(name), b"x")
    with tarfile.open(laid, "w") as tar:
        for name in names:
            tar.addfile(tarfile.TarInfo(name))
    return packed, laid


def members(path: Path) -> int:
    """How many entries tarfile finds."""
    with tarfile.open(path) as tar:
        return len(tar.getmembers())


def models(folder: Path) -> Path:
    """MODELS glTF and OBJ files whose textures lie apart, among FILES files."""
    for number in range(MODELS):
        place = folder / "models" / f"shelf{number % 40:02d}"
        place.mkdir(parents=True, exist_ok=True)
        name = f"pot_{number:04}"
        entry = get_format("gltf" if number % 2 else "obj")
        assert entry.write is not None
        scene = _pot(name, number)
        for ending, parts in entry.write(scene, WriteOptions(name, {0: f"skin_{number:04}_c.png"})).items():
            (place / (name + ending)).write_bytes(b"".join(bytes(p) for p in parts))
    for number in range(FILES - 3 * MODELS):
        place = folder / "textures" / f"rack{number % 200:03d}"
        place.mkdir(parents=True, exist_ok=True)
        (place / f"skin_{number:04}_c.png").write_bytes(b"\x89PNG")
    return folder


def scrolled(heap: Heap) -> tuple[float, float]:
    """(seconds until the page shows it, longest turn while it is filtered and scrolled through)."""
    app = QApplication.instance() or QApplication([])
    assert isinstance(app, QApplication)
    theme.apply(app, False)
    page = HeapPage()
    page.resize(700, 400)
    page.show()
    browsed = Browsed(heap.entries)
    page.flat.click()
    began = time.perf_counter()
    page.show_heap(browsed, True)
    app.processEvents()
    shown, longest = time.perf_counter() - began, 0.0
    bar = page.table.verticalScrollBar()
    assert bar is not None
    for step in range(120):
        turn = time.perf_counter()
        bar.setValue(bar.maximum() * step // 120)
        page.table.grab()
        app.processEvents()
        longest = max(longest, time.perf_counter() - turn)
    page.close()
    return shown, longest


def thumbnails(folder: Path) -> float:
    """Small pictures a second of small props out of an archive."""
    heap = Heap()
    heap.add(write_stores(folder))
    wanted = [e for e in heap.entries if e.takeable and "/pot_" in e.place][:60]
    renderer, tree = Renderer(), HeapTree(heap, Path(wanted[0].root))
    began = time.perf_counter()
    for entry in wanted:
        thumbnail(renderer, read_scene(Source(entry.path, tree=tree)))
    return len(wanted) / (time.perf_counter() - began)


def lines() -> list[str]:
    """The table."""
    out = ["| work | ours | against | goal |", "|---|---|---|---|"]
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        packed, laid = many(folder)
        zipped, tarred = Heap(), Heap()
        ours = took(lambda: Heap().add(packed))
        theirs = took(lambda: zipfile.ZipFile(packed).close())
        zipped.add(packed)
        out.append(f"| zip of {ENTRIES:,} entries listed | {ours:.2f} s | zipfile {theirs:.2f} s | < 2 s |")
        ours = took(lambda: Heap().add(laid))
        theirs = took(lambda: members(laid))
        tarred.add(laid)
        out.append(f"| tar of {ENTRIES:,} entries listed | {ours:.2f} s | tarfile {theirs:.2f} s | |")
        shown, longest = scrolled(zipped)
        out.append(f"| its table shown | {shown * 1000:.0f} ms | | |")
        out.append(f"| longest turn while it is scrolled | {longest * 1000:.0f} ms | | ≤ 50 ms |")
        browsed = Browsed(zipped.entries)
        out.append(
            f"| filtered by name | {took(lambda: browsed.matching('thing 0042 png')) * 1000:.0f} ms | | |"
        )
        heap = Heap()
        heap.add(models(folder / "shelves"))
        asked = [e for e in heap.entries if e.takeable]
        closing = took(lambda: closures(heap, asked, names=Names(heap.entries)))
        out.append(
            f"| closure of {len(asked):,} glTF and OBJ models over {FILES:,} files | {closing:.2f} s | | < 5 s |"
        )
        out.append(f"| small pictures of small props | {thumbnails(folder):.0f} a second | | ≥ 10 a second |")
    return out


def main() -> None:
    """Print the table, and write it where asked."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--write", type=Path)
    asked = parser.parse_args()
    text = "# A heap\n\nMade by `benchmarks/heap.py`.\n\n" + "\n".join(lines()) + "\n"
    print(text)
    if asked.write:
        asked.write.write_text(text)


if __name__ == "__main__":
    main()
