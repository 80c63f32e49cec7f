"""A level of 100,000 placements of 300 assets, 3,000 materials of which 200 textured, 3,400 sets of three levels of detail: read, kinds,
every requirement, steps in bulk, pictures while the camera moves, the window while it loads, the whole port.

.venv/bin/python benchmarks/levels.py [--write docs/benchmarks-levels.md]
"""

from __future__ import annotations

import argparse
import json
import os
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from tables import told

from customs.demo.estate import write_estate
from customs.grounds.kinds import kinds_of
from customs.job import Job
from customs.ledger.row import Case, requirements
from customs.levels.mapping import OWN
from customs.motion.posing.bounds import world_bounds
from customs.picture.camera import Orbit, framing
from customs.picture.look import Look, Shot
from customs.picture.renderer import Renderer
from customs.planning.plan import fresh_route
from customs.route.route import SceneCache, evaluate
from customs.route.step import get_step, make_settings
from customs.scene.model import Scene
from customs.work.grounds import ground_of, veil_of
from customs.work.levels import composed
from customs.work.lookup import find_sheet

VIEW = 750, 450
COARSE = 0.6
"""Of the view's pixels each way that are drawn while the camera moves, as the window does."""
Line = tuple[str, str, str]
STEPS: tuple[tuple[str, dict[str, Any]], ...] = (
    ("kinds", {"left_out": ("foliage", "double", "stray")}),
    ("small", {"least": 0.4}),
    ("finest-levels", {}),
    ("terrain", {}),
    ("rig", {}),
    ("light", {}),
    ("alpha", {"mode": "mask"}),
    ("footing", {"kind": "base-centre"}),
)


def timed(run: Callable[[], Any]) -> tuple[float, Any]:
    """(seconds, what came of it)."""
    began = time.perf_counter()
    out = run()
    return time.perf_counter() - began, out


def in_memory(listed: Path, library: Path) -> tuple[list[Line], Scene]:
    """Reading, kinds, requirements, steps."""
    lines: list[Line] = []
    seconds, level = timed(lambda: composed([listed], OWN, [library]))
    lines.append(("names of the list resolved", f"{seconds:.2f} s", ""))
    seconds, scene = timed(level.scene)
    lines.append(("list and 300 assets read", f"{seconds:.2f} s", "20 s"))
    seconds, passed = timed(lambda: tuple(evaluate(scene, "bench", fresh_route(None), SceneCache())))
    arrived = passed[-1].scene
    lines.append(("arrived", f"{seconds:.2f} s", ""))
    seconds, _ = timed(lambda: world_bounds(arrived))
    lines.append(("box of all", f"{seconds:.2f} s", "0.3 s"))
    case = Case(scene, arrived, arrived, find_sheet("level-kit"))
    seconds, rows = timed(lambda: [r for rule in requirements().values() for r in rule.judge(rule, case)])
    lines.append((f"all requirements ({len(rows):,} rows)", f"{seconds:.2f} s", "5 s"))
    for id_, values in STEPS:
        step = get_step(id_)
        settings = make_settings(step, values)
        seconds, done = timed(lambda step=step, settings=settings: step.run(arrived, settings, {}, Job()))
        text = done.remarks[0].text if done.remarks else "nothing to do"
        lines.append((f"step {step.name} ({text})", f"{seconds:.2f} s", "1 s"))
    return lines, arrived


def pictures(scene: Scene) -> list[Line]:
    """Pictures while the camera moves, against every instance drawn plainly."""
    lines: list[Line] = []
    renderer = Renderer()
    box = world_bounds(scene)
    assert box is not None
    far = framing(*box, VIEW[0] / VIEW[1])
    views: dict[str, Orbit] = {
        "the whole": far,
        "40 m away": replace(far, distance=40.0),
        "among them": replace(far, distance=8.0, pitch=5.0),
    }
    seconds, _ = timed(lambda: renderer.render(Shot(scene, far, *VIEW, Look(smooth=False))))
    lines.append(("first sketch, meshes baked", f"{seconds:.2f} s", "5 s"))
    for name, orbit in views.items():
        times = []
        for k in range(24):
            turned = replace(orbit, yaw=orbit.yaw + 2.0 * k)
            times.append(
                timed(lambda t=turned: renderer.render(Shot(scene, t, *VIEW, Look(smooth=False))))[0]
            )
        rate = 1 / float(np.median(times[4:]))
        drawn = renderer.sketcher.drawn
        rest = timed(lambda o=orbit: renderer.render(Shot(scene, o, *VIEW, Look())))[0]
        rest = timed(lambda o=orbit: renderer.render(Shot(scene, o, *VIEW, Look())))[0]
        renderer.software = False
        plain = timed(lambda o=orbit: renderer.render(Shot(scene, o, *VIEW, Look(smooth=False))))[0]
        renderer.software = True
        text = f"{rate:.1f} a second ({drawn:,} triangles)"
        lines.append(
            (f"moving, {name}; at rest {rest:.2f} s; every instance plainly {plain:.1f} s", text, "12")
        )
    seconds, ground = timed(lambda: ground_of(scene))
    lines.append(("figures of the desk", f"{seconds:.2f} s", ""))

    def hidden() -> Any:
        veil = veil_of(ground, {"prop": "hidden"})
        return renderer.render(Shot(scene, views["40 m away"], *VIEW, Look(smooth=False), veil=veil))

    hidden()
    lines.append(("a kind hidden, with its picture", f"{timed(hidden)[0]:.3f} s", "0.1 s"))
    renderer.release()
    return lines


def ported(listed: Path, library: Path, out: Path) -> list[Line]:
    """The command line, a process of its own."""
    command = [sys.executable, "-m", "customs", "port", str(listed), "--library", str(library), "--to", "level-kit", "--out", str(out), "--json"]  # fmt: skip
    seconds, done = timed(lambda: subprocess.run(command, capture_output=True, text=True, check=False))
    told_ = json.loads(done.stdout)[0]
    peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1e6
    state = "landed and accepted" if told_["package"] else str(told_["error"])
    return [
        (f"customs port to level-kit, {state}", f"{seconds:.1f} s", "90 s"),
        ("its memory at most", f"{peak:.2f} GB", "2 GB"),
    ]


WINDOW = '''
import sys, time
from pathlib import Path
from customs_desktop.start import make_application
app = make_application([])
from customs.levels.mapping import OWN
from customs.work.levels import composed
from customs_desktop.jobs import Wanted
from customs_desktop.office import Office
from customs_desktop.window import MainWindow
level = composed([Path(sys.argv[1])], OWN, [Path(sys.argv[2])])
window = MainWindow(Office()); window.show(); window.resize(1280, 800)
window.open_desk("grounds")
s = window.session
seen, stall, last = {}, 0.0, time.perf_counter()
began = last
window.twin.first_picture.connect(lambda: seen.setdefault("picture", time.perf_counter() - began))
s.jobs.take_models([Wanted(level.path, level.path.parent, level.given)], None)
while time.perf_counter() - began < 240:
    app.processEvents()
    now = time.perf_counter()
    stall, last = max(stall, now - last), now
    if s.state.goods: seen.setdefault("goods", now - began)
    if s.result is not None and s.result.judged: seen.setdefault("judged", now - began); break
    time.sleep(0.005)
    last = time.perf_counter()
print(seen.get("goods", -1), seen.get("picture", -1), seen.get("judged", -1), stall)
window.close()
'''  # fmt: skip


def windowed(listed: Path, library: Path, home: Path) -> list[Line]:
    """The window while the level is taken in."""
    asked = {"QT_QPA_PLATFORM": "offscreen", "CUSTOMS_HOME": str(home)}
    done = subprocess.run(
        [sys.executable, "-c", WINDOW, str(listed), str(library)], capture_output=True, text=True, check=False, env=os.environ | asked
    )  # fmt: skip
    goods, picture, judged, stall = (float(v) for v in done.stdout.split()[-4:])
    return [
        ("window: in the goods", f"{goods:.1f} s", ""),
        ("window: first picture", f"{picture:.1f} s", "20 s"),
        ("window: planned and judged", f"{judged:.1f} s", ""),
        ("window: longest time it stood still", f"{stall * 1000:.0f} ms", "100 ms"),
    ]


def main() -> None:
    """Measure and print."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--write", type=Path)
    parser.add_argument("--folder", type=Path, default=Path(tempfile.gettempdir()) / "customs-estate")
    asked = parser.parse_args()
    listed, library = write_estate(asked.folder)
    os.environ.setdefault("CUSTOMS_HOME", str(asked.folder / "home"))
    with tempfile.TemporaryDirectory() as out:
        rest = ported(listed, library, Path(out) / "package")
        rest += windowed(listed, library, Path(out) / "home")
    lines, scene = in_memory(listed, library)
    faces = kinds_of(scene).things.triangles(kinds_of(scene).meshes).sum()
    lines += pictures(scene)
    about = f"`benchmarks/levels.py`: 100,000 placements, {int(faces):,} triangles, one view of {VIEW[0]} × {VIEW[1]}, drawn at {COARSE} of that each way while the camera moves."
    told("Levels", about, ("what", "measured", "goal"), [*lines, *rest], asked.write)


if __name__ == "__main__":
    main()
