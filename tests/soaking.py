"""One window for a whole day's goods: taken in, planned, looked at, dispatched, landed, shipment after shipment; memory stays flat, no handle is left.

scripts/soak N        prints resident memory, handles and threads after every shipment of 100 goods, until N
"""

from __future__ import annotations

import gc
import os
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import QEventLoop, QTimer
from PyQt6.QtWidgets import QApplication

from customs.demo.hundreds import write_hundreds
from customs.intake.scan import model_files
from customs.memory import resident
from customs_desktop.office import Office
from customs_desktop.style import theme
from customs_desktop.window import MainWindow

LOT, LOOKED_AT = 100, 10
"""Goods of a shipment, and those of them that are looked at."""
WARM = 2
"""Shipments until everything is loaded and every cache has what it may hold."""


@dataclass(frozen=True)
class Held:
    """What the process holds: resident bytes, open handles, threads."""

    memory: int
    handles: int
    threads: int

    def __str__(self) -> str:
        return f"{self.memory / 1e6:,.0f} MB, {self.handles} handles, {self.threads} threads"


def held() -> Held:
    """What it holds now."""
    gc.collect()
    return Held(resident(os.getpid()), len(os.listdir("/proc/self/fd")), len(os.listdir("/proc/self/task")))


class Soak:
    """A window, and waiting for it."""

    def __init__(self, folder: Path) -> None:
        self.app = QApplication.instance() or QApplication([])
        theme.wear_letters(self.app)  # type: ignore[arg-type]
        theme.apply(self.app, False)  # type: ignore[arg-type]
        self.folder = folder
        self.session = Office()
        self.window = MainWindow(self.session)
        self.window.resize(1280, 800)
        self.window.show()

    def wait(self, what: Callable[[], object], seconds: float = 900.0) -> None:
        """Until `what` is true, in a loop of events as the application's: only there is deleted what is to be deleted later."""
        end, loop, timer = time.monotonic() + seconds, QEventLoop(), QTimer()
        timer.timeout.connect(lambda: loop.quit() if what() or time.monotonic() > end else None)
        timer.start(5)
        loop.exec()
        timer.stop()
        assert time.monotonic() <= end, "the window is stuck"

    def lot(self, number: int, models: list[Path]) -> int:
        """One shipment from its goods to their landing; how many were dispatched."""
        s = self.session
        s.open(self.folder / f"lot_{number}.customs", create=True)
        s.jobs.take_in(models, None)
        self.wait(
            lambda: (
                len(s.state.goods) == len(models)
                and s.worker.waiting == 0
                and all(a.id in s.results and s.results[a.id].judged for a in s.state.goods)
            )
        )
        for asset in s.state.goods[:LOOKED_AT]:
            s.select(asset.id)
            self.wait(lambda: s.worker.waiting == 0)
        ready = [a.id for a in s.state.goods if s.results[a.id].ledger.verdict != "held"]
        s.jobs.dispatch(ready, self.folder / f"out_{number}", False)
        self.wait(lambda: s.worker.waiting == 0 and len(s.logs) == len(ready))
        assert all(log.accepted for log in s.logs.values())
        return len(ready)


def soak(count: int, folder: Path, say: Callable[[str], object] = print) -> list[Held]:
    """`count` goods through one window; what it holds after each shipment."""
    write_hundreds(folder / "goods", count)
    models = [
        m.path for m in model_files([folder / "goods"]) if m.path.parent.name not in ("broken", "shelf")
    ]
    made, out, sent = Soak(folder), list[Held](), 0
    for number in range(0, len(models), LOT):
        sent += made.lot(number, models[number : number + LOT])
        out.append(held())
        say(f"{sent} goods: {out[-1]}")
    made.window.close()
    return out


def flat(seen: list[Held]) -> bool:
    """True where nothing grows once all is warm: less than a tenth, and no handle or thread."""
    warm = seen[min(WARM, len(seen) - 1) :]
    return (
        max(h.memory for h in warm) <= 1.1 * warm[0].memory
        and warm[-1].handles <= warm[0].handles
        and warm[-1].threads <= warm[0].threads
    )


def main() -> int:
    """See the module."""
    with tempfile.TemporaryDirectory(prefix="customs-soak-") as name:
        seen = soak(
            int(sys.argv[1]) if len(sys.argv) > 1 else 2000, Path(name), lambda text: print(text, flush=True)
        )
    print("flat" if flat(seen) else "not flat", flush=True)
    # The interpreter's end is not what is looked at.
    os._exit(0 if flat(seen) else 1)


if __name__ == "__main__":
    main()
