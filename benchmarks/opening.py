"""How long it is until the window is there, a shipment of 1,000 goods shows all its verdicts, and the guide has found something.

.venv/bin/python benchmarks/opening.py [--write docs/benchmarks-opening.md]
"""

from __future__ import annotations

import argparse
import os
import statistics
import subprocess
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"
os.environ["CUSTOMS_HOME"] = tempfile.mkdtemp(prefix="customs-opening-")

from run import blob, write
from tables import told
from waiting import APP, LONGEST, Watch

from customs.guide.pages import pages, search, sections
from customs.shipment.file import Shipment
from customs.shipment.state import State
from customs.work.goods import take_in
from customs.work.shipments import duplicated

GOODS = 1000
START = """
import gc, os
gc.disable()  # as the command does
from customs_desktop.start import make_application, open_window
app = make_application([])
kept = open_window()
app.processEvents()
print("there", flush=True)
os._exit(0)
"""
Row = tuple[str, float, str]


def started() -> Row:
    """From the start of the process to the window's first picture; the median of five after one."""
    seconds = []
    for _ in range(6):
        began = time.perf_counter()
        subprocess.run([sys.executable, "-c", START], check=True, capture_output=True)
        seconds.append(time.perf_counter() - began)
    return "the window is there", statistics.median(seconds[1:]), "< 1.5 s"


def opened(folder: Path) -> list[Row]:
    """A shipment of 1,000 goods judged once, closed, and opened again."""
    source = folder / "pot.glb"
    write(blob(2000), source)
    shipment = Shipment.create(folder / "many.customs")
    first = take_in(source, source.parent, shipment.store, "pot", None)
    state = State(goods=(first,))
    while len(state.goods) < GOODS:
        state, _ = duplicated(state, [a.id for a in state.goods][: GOODS - len(state.goods)])
    shipment.edit("Take in", lambda s: replace(s, goods=state.goods))
    shipment.close()
    before = Watch()
    before.session.open(folder / "many.customs")
    began = time.perf_counter()
    while before.until(before.judged, began) >= LONGEST and time.perf_counter() - began < 6 * LONGEST:
        before.rest(1.0)
    before.close()
    watch = Watch()
    session, began = watch.session, time.perf_counter()
    session.open(folder / "many.customs")
    shown = time.perf_counter() - began
    seconds = watch.until(watch.judged, began)
    watch.close()
    return [
        (f"{GOODS:,} goods: the shipment is open", shown, ""), (f"{GOODS:,} goods: all verdicts", seconds, "< 2 s"),
    ]  # fmt: skip


def found() -> list[Row]:
    """The first search reads the pages, the others do not."""
    rows = []
    for name, words in (("the first search of the guide", "texel density"), ("a search of the guide", "a")):
        began = time.perf_counter()
        assert search(words)
        rows.append((name, time.perf_counter() - began, "< 0.1 s"))
    return rows


def main() -> None:
    """Measure, and print or write the table."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--write", type=Path)
    options = parser.parse_args()
    rows = [*found(), started()]
    with tempfile.TemporaryDirectory() as folder:
        rows += opened(Path(folder))
    about = f"Made by `benchmarks/opening.py`, offscreen. The guide has {len(pages())} pages, {len(sections())} sections."
    told(
        "Opening", about, ("what", "seconds", "goal"), ((n, f"{x:.3f}", g) for n, x, g in rows), options.write
    )


if __name__ == "__main__":
    main()
    APP.quit()
