"""How long the interface thread is away for one decision in a shipment of a thousand goods, in the file alone
and in the window.

.venv/bin/python benchmarks/deciding.py [GOODS] [--write docs/benchmarks-deciding.md]
"""

from __future__ import annotations

import argparse
import os
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["CUSTOMS_HOME"] = tempfile.mkdtemp(prefix="customs-deciding-")

from customs.ledger.waiver import Waiver
from customs.route.route import Stop
from customs.shipment.file import Shipment
from customs.shipment.state import Asset, State
from customs_desktop.office import Office
from customs_desktop.start import make_application
from customs_desktop.window import MainWindow

STOPS = ("arrive", "settle", "footing", "weld", "normals", "tangents", "rename")
ROUNDS = 60
GOAL = 5.0
"""Milliseconds."""


def goods(count: int) -> tuple[Asset, ...]:
    """Assets with a route and a waiver each."""
    stops = tuple(Stop(f"{s}@1", s).with_values() for s in STOPS)
    waivers = {"rights/": Waiver("because", {"delivering": 2})}
    return tuple(
        Asset(f"pot_{k}", f"Pot {k}", f"x/{k}.glb", f"/pots/{k}.glb", f"d{k}", (f"/pots/{k}.glb",), "prop", "metre-zup", stops, waivers)
        for k in range(count)
    )  # fmt: skip


def median(action: Callable[[int], object]) -> float:
    """Milliseconds of the middle one of ROUNDS calls, after five that warm up."""
    times = []
    for k in range(ROUNDS + 5):
        start = time.perf_counter()
        action(k)
        times.append(time.perf_counter() - start)
    return sorted(times[5:])[ROUNDS // 2] * 1000


def main(count: int, write: Path | None) -> None:
    """Print the table, and write it where asked."""
    path = Path(tempfile.mkdtemp(prefix="customs-deciding-")) / "many.customs"
    Shipment.create(path, State(goods=goods(count))).close()
    ship = Shipment(path)
    file = median(
        lambda k: ship.edit("Author", lambda s: s.with_asset(replace(s.goods[k * 7 % count], author=f"n{k}")))
    )
    ship.close()
    app = make_application([])
    office = Office()
    window = MainWindow(office)
    window.show()
    # Looking at the goods is the worker's business: none of these has a file.
    office.looks._ask = lambda *_: None  # type: ignore[method-assign]
    office.open(path)
    app.processEvents()
    shown = median(
        lambda k: office.change_asset("Author", lambda a: replace(a, author=f"m{k}"), f"pot_{k * 3 % count}")
    )
    window.close()
    office.close()
    text = (
        f"{count:,} goods; a decision about one, the middle of {ROUNDS}.\n\n"
        f"| where | ms | goal |\n|---|---|---|\n| the file | {file:.1f} | |\n"
        f"| the window, all panels | {shown:.1f} | < {GOAL:g} ms |\n"
    )
    print(text)
    if write is not None:
        write.write_text("# A decision\n\nMade by `benchmarks/deciding.py`.\n\n" + text)


if __name__ == "__main__":
    parser = argparse.ArgumentParser()
    parser.add_argument("goods", type=int, nargs="?", default=1000)
    parser.add_argument("--write", type=Path)
    asked = parser.parse_args()
    main(asked.goods, asked.write)
