"""Motion: weights from a donor, skinning, key reduction, interchange files; the stretch of a body under its
donor's clips.

    .venv/bin/python benchmarks/motion.py [--write docs/benchmarks-motion.md]

Every speed is a ratio against a named floor or library in the same run.
"""

from __future__ import annotations

import argparse
import os
import subprocess
import time
from pathlib import Path

import numpy as np
import trimesh
from playing import playing
from run import in_turn, median
from scipy.spatial.transform import Rotation

from customs.changes.donor import make_donor
from customs.demo import people
from customs.formats.fbx.read import PROPERTIES
from customs.formats.interchange.call import import_through
from customs.formats.interchange.library import find_library
from customs.geometry.closest import Surface
from customs.intake.take import take
from customs.job import Job
from customs.motion.curves.reduce import Tolerance, reduced
from customs.motion.posing.pose import posed_positions
from customs.motion.posing.stretch import stretch
from customs.route.step import get_step
from customs.scene.arrays import frozen
from customs.scene.key import Key
from customs.scene.model import Channel, Clip, Node, Primitive, Scene, Skin

MODELS = Path("/usr/share/assimp/models/FBX")
KEY = Key("benchmark000", "thing", 0)


def weights() -> list[str]:
    """Closest points, 50,000 of them on 20,480 triangles, against trimesh; and on triangles flattened to
    needles.
    """
    ball = trimesh.creation.icosphere(5)
    ball.vertices *= 1 + 0.1 * np.sin(ball.vertices[:, [0]] * 7)
    rng = np.random.default_rng(0)
    q = rng.normal(size=(50_000, 3))
    q = q / np.linalg.norm(q, axis=1, keepdims=True) * rng.uniform(0.9, 1.15, (50_000, 1))
    lines = []
    for name, flat, goal in (("plain", 1.0, 2.5), ("thin triangles", 0.02, 1.2)):
        mesh = trimesh.Trimesh(ball.vertices * [1, 1, flat], ball.faces, process=False)
        points = q * [1, 1, flat]
        mine = median(lambda m=mesh, p=points: Surface(m.vertices, m.faces).closest(p))
        theirs = median(lambda m=mesh, p=points: trimesh.proximity.closest_point(m, p))
        found = Surface(mesh.vertices, mesh.faces).closest(points)
        off = trimesh.proximity.closest_point(mesh, points)[1] - found.distance
        lines.append(
            f"| closest points, {name} | {theirs / mine:.2f} × as fast as trimesh ({mine * 1000:.0f} ms; goal ≥ {goal}); "
            f"trimesh is up to {off.max():.1g} too far, ours never by more than {max(-off.min(), 0):.1g} |"
        )
    return lines


def skinning() -> str:
    """50,000 vertices of four influences and 60 joints, against a copy of the same bytes."""
    rng = np.random.default_rng(1)
    v, j = 50_000, 60
    share = rng.uniform(0, 1, (v, 4)).astype(np.float32)
    share /= share.sum(axis=1, keepdims=True)
    p = Primitive(
        KEY,
        frozen(rng.normal(size=(v, 3))),
        joints=frozen(rng.integers(0, j, (v, 4)), np.uint16),
        weights=frozen(share),
    )
    nodes = (*(Node(KEY, f"j{k}") for k in range(j)), Node(KEY, "mesh", mesh=0, skin=0))
    inverse = frozen(np.tile(np.eye(4), (j, 1, 1)), np.float64)
    scene = Scene("s", "d", nodes, tuple(range(j + 1)), skins=(Skin(KEY, "s", tuple(range(j)), inverse),))
    world = [np.eye(4) for _ in nodes]
    # What is read and what is written: places, weights, joints, and the posed places in float64.
    data = [p.positions, p.weights, p.joints, posed_positions(scene, j, p, world)]
    floor, mine = in_turn(
        lambda: [np.array(a, copy=True) for a in data],
        lambda: posed_positions(scene, j, p, world),
        rounds=101,
    )
    return f"| skinning, 50,000 × 4 × 60 | {mine / floor:.1f} × memcpy of the bytes read and written ({mine * 1000:.1f} ms; goal ≤ 16) |"


def keys() -> str:
    """60 joints of 10,000 keys each."""
    t = frozen(np.arange(10_000) / 60)
    rng = np.random.default_rng(1)
    channels = []
    for joint in range(60):
        phase, pace = rng.uniform(0, 6, 3), rng.uniform(0.2, 2, 3)
        vector = np.stack([np.sin(t * pace[k] * 2 + phase[k]) * 0.6 for k in range(3)], axis=1)
        channels.append(Channel(joint, "rotation", t, frozen(Rotation.from_rotvec(vector).as_quat())))
    clip = Clip(KEY, "c", tuple(channels))
    seconds = median(lambda: reduced(clip, Tolerance(degrees=0.2)))
    left, worst = reduced(clip, Tolerance(degrees=0.2))
    count = sum(len(c.times) for c in left.channels)
    return (
        f"| key reduction, 60 joints × 10,000 keys, 0.2° | {seconds:.2f} s (goal < 1 s); 600,000 → {count:,} keys, "
        f"largest error {np.degrees(worst['rotation']):.3f}° |"
    )


def interchange() -> list[str]:
    """FBX in, against the program assimp alone reading the same file."""
    library = find_library()
    assert library is not None
    program = library.parents[1] / "bin" / "assimp"
    env = os.environ | {"LD_LIBRARY_PATH": str(library.parent)}
    lines = []
    for name in ("spider.fbx", "animation_with_skeleton.fbx"):
        path = MODELS / name

        def alone(path: Path = path) -> None:
            subprocess.run(
                [program, "info", path],
                env=env,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                check=True,
            )

        theirs, handed, whole = in_turn(
            alone, lambda p=path: import_through(p, PROPERTIES), lambda p=path: take(p)
        )
        lines.append(
            f"| {name} in | {handed / theirs:.2f} × the program assimp ({theirs * 1000:.0f} ms) with arrays handed over (goal ≤ 2); "
            f"{whole / theirs:.2f} × with our scene and the textures near it ({whole * 1000:.0f} ms) |"
        )
    return lines


def donors() -> list[str]:
    """The A-pose body on the donor's skeleton: stretch at the 99.9th percentile of edges, the worst frame of
    each clip.
    """
    donor = make_donor(people.warden())
    step = get_step("donor")
    began = time.perf_counter()
    out = step.apply(
        people.lighter(), step.settings(donor=donor.digest), {donor.digest: donor.data}, Job()
    ).scene
    lines = [f"| lamplighter on the house warden's skeleton | {time.perf_counter() - began:.2f} s |"]
    own = people.warden()
    for clip in donor.scene.clips:
        mine, theirs = stretch(out, donor.scene, clip), stretch(own, donor.scene, clip)
        lines.append(
            f"| edge stretch in {clip.name} | × {mine:.2f} at 99.9 % (goal ≤ 1.5); the donor's own body × {theirs:.2f} |"
        )
    return lines


def main() -> None:
    """Measure and print, and write where asked."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--write", type=Path)
    options = parser.parse_args()
    head = f"# Motion\n\nMade by `benchmarks/motion.py` on {os.cpu_count()} cores; read the ratios, the machine is noisy (about 30 %).\n"
    lines = [
        head,
        "| what | measured |",
        "|---|---|",
        *weights(),
        skinning(),
        keys(),
        *interchange(),
        *donors(),
        *playing(),
    ]
    print("\n".join(lines))
    if options.write:
        options.write.write_text("\n".join(lines) + "\n", "utf-8")


if __name__ == "__main__":
    main()
