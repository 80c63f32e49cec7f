"""Playing in the window: 50,000 vertices on 60 joints, both halves, on whatever driver there is.

    .venv/bin/python benchmarks/playing.py

Pictures a second of each half against the floor of one picture drawn alone, and the longest the interface
thread was away.
"""

from __future__ import annotations

import os
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QTimer
from PyQt6.QtTest import QTest

from customs.demo.shapes import tube
from customs.formats.gltf.write import write_glb
from customs.formats.registry import WriteOptions
from customs.picture.camera import Orbit
from customs.picture.look import Look, Shot
from customs.picture.renderer import Renderer
from customs.scene.arrays import frozen
from customs.scene.key import Key
from customs.scene.model import Channel, Clip, Mesh, Node, Primitive, Scene, Skin

JOINTS, SIDES, RINGS, SECONDS = 60, 100, 500, 6.0
STEP = 3.0 / (JOINTS - 1)


def key(kind: str, number: int) -> Key:
    """A key of this benchmark."""
    return Key("benchmark000", kind, number)


def reed() -> Scene:
    """A reed of 60 joints that sways for four seconds."""
    shape = tube([(0, 3.0 * k / (RINGS - 1), 0) for k in range(RINGS)], [0.1] * RINGS, SIDES)
    place = np.clip(shape.points[:, 1] / STEP, 0, JOINTS - 1)
    low = np.minimum(place.astype(int), JOINTS - 2)
    joints = np.stack([low, low + 1, np.maximum(low - 1, 0), np.minimum(low + 2, JOINTS - 1)], axis=1)
    weights = np.stack(
        [(1 - place + low) * 0.8, (place - low) * 0.8, 0 * place + 0.1, 0 * place + 0.1], axis=1
    )
    prim = Primitive(key("primitive", 0), frozen(shape.points), indices=frozen(shape.faces.reshape(-1), np.uint32),
                     joints=frozen(joints, np.uint16), weights=frozen(weights))  # fmt: skip
    nodes = [Node(key("node", k), f"joint_{k:02d}", (k + 1,) if k < JOINTS - 1 else (), np.array([0, STEP if k else 0, 0]))
             for k in range(JOINTS)]  # fmt: skip
    nodes.append(Node(key("node", JOINTS), "reed", mesh=0, skin=0))
    inverse = np.tile(np.eye(4), (JOINTS, 1, 1))
    inverse[:, 1, 3] = -STEP * np.arange(JOINTS)
    skin = Skin(key("skin", 0), "rig", tuple(range(JOINTS)), frozen(inverse, np.float64), 0)
    times = np.arange(121) / 30
    channels = []
    for k in range(JOINTS):
        half = np.radians(4 * np.sin(np.pi * times / 2 + k * 0.2)) / 2
        turn = np.stack([np.sin(half), 0 * half, 0 * half, np.cos(half)], axis=1)
        channels.append(Channel(k, "rotation", frozen(times), frozen(turn)))
    mesh = Mesh(key("mesh", 0), "reed", (prim,))
    return Scene("reed", "benchmark000", tuple(nodes), (0, JOINTS), (mesh,), skins=(skin,),
                 clips=(Clip(key("clip", 0), "sway", tuple(channels)),))  # fmt: skip


def alone(scene: Scene) -> tuple[float, str]:
    """Seconds of one picture without skin, as large as a half while it moves, nothing else running; and the
    driver.
    """
    prim = replace(scene.meshes[0].primitives[0], joints=None, weights=None)
    plain = replace(scene, meshes=(replace(scene.meshes[0], primitives=(prim,)),), clips=())
    renderer = Renderer()
    shots = [
        Shot(plain, Orbit(yaw=k, distance=6), 210, 183, Look(smooth=False, dimensions=True, figure=1.0))
        for k in range(12)
    ]
    renderer.render(shots[0])
    began = time.perf_counter()
    for shot in shots:
        renderer.render(shot)
    took = (time.perf_counter() - began) / len(shots)
    name = str(renderer.context.info["GL_RENDERER"])
    renderer.release()
    return took, name


def played(file: Path) -> tuple[Counter[str], float]:
    """Pictures of each half in SECONDS, and the longest time (s) between two turns of the interface
    thread.
    """
    from customs_desktop.office import Office
    from customs_desktop.start import make_application
    from customs_desktop.window import MainWindow

    app = make_application([])
    session = Office()
    window = MainWindow(session)
    window.resize(1280, 800)
    window.show()
    session.open(file.with_suffix(".customs"), create=True)
    session.jobs.take_in([file], None)
    _until(lambda: session.result is not None and session.result.judged and session.worker.waiting == 0)
    window.open_desk("motion")
    _until(
        lambda: (
            window.panel("motion").bench.takes is not None
            and session.worker.waiting == 0
            and session.painter.idle
        )
    )
    window.panel("motion").player.play()
    QTest.qWait(1000)
    drawn: Counter[str] = Counter()
    session.painter.painted.connect(lambda slot, *_: drawn.update([slot]))
    turns = [time.perf_counter()]
    clock = QTimer()
    clock.timeout.connect(lambda: turns.append(time.perf_counter()))
    clock.start(2)
    QTest.qWait(int(SECONDS * 1000))
    clock.stop()
    window.close()
    app.processEvents()
    return drawn, float(np.diff(turns).max())


def _until(what: Callable[[], bool], most: float = 60.0) -> None:
    end = time.monotonic() + most
    while not what() and time.monotonic() < end:
        QTest.qWait(20)


def playing() -> list[str]:
    """Rows of the table."""
    scene = reed()
    one, driver = alone(scene)
    with tempfile.TemporaryDirectory() as home:
        os.environ["CUSTOMS_HOME"] = home
        file = Path(home) / "reed.glb"
        file.write_bytes(b"".join(bytes(part) for part in write_glb(scene, WriteOptions("reed"))[".glb"]))
        drawn, longest = played(file)
    left, right = drawn["view left"] / SECONDS, drawn["view right"] / SECONDS
    count = len(scene.meshes[0].primitives[0].positions)
    return [
        f"| playing {count:,} vertices on {JOINTS} joints, {driver.split(' (')[0]} | {left:.0f} and {right:.0f} pictures a second "
        f"left and right (asked for 30; a moving camera is asked for 12 on a software driver); {(left + right) * one:.2f} of what the driver makes without skin, window or interface "
        f"({1 / one:.0f} a second); interface thread away for {longest * 1000:.0f} ms at most |"
    ]


if __name__ == "__main__":
    print("\n".join(playing()))
