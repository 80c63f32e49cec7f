"""Skeletons and clips: every clip is played, and files that belong together fit each other."""

from __future__ import annotations

import fnmatch
from dataclasses import replace

import numpy as np

from customs.landing.log import Log
from customs.motion.clips.loop import seam
from customs.motion.curves.track import spread_times
from customs.motion.posing.bounds import world_bounds
from customs.motion.posing.pose import posed_scene_points
from customs.scene.model import Clip, Scene
from customs.scene.tree import joint_nodes, local_matrix, parents
from customs.sheet.model import Sheet

PLAYED = 5
"""Times of a clip at which every vertex is posed."""
BURST = 20.0
"""A mesh that reaches this many times its size at rest while a clip plays is torn (ratio)."""
SEAM = 0.002
"""How far a clip that loops may be from closed, as a share of the asset's size (ratio)."""


def play_all(scene: Scene, sheet: Sheet, file: str, log: Log) -> None:
    """Every clip of a file with a mesh, posed at PLAYED times: finite, not torn, closed where the sheet asks
    for loops.
    """
    box = world_bounds(scene)
    size = max(float(np.linalg.norm(box[1] - box[0])), 1e-9) if box is not None else 0.0
    for clip in scene.clips:
        text = f"{clip.seconds:.2f} s, {len(clip.channels)} channels"
        if size:
            far = max(_reach(scene, clip, float(t)) for t in spread_times(clip, PLAYED))
            log.check(np.isfinite(far), file, f"clip {clip.name} moves vertices to where no number is")
            log.check(
                not far > BURST * size,
                file,
                f"clip {clip.name} tears the mesh: it reaches {far / size:.0f} times its size",
            )
        most = sheet.rig.max_clip_seconds
        log.check(
            most is None or clip.seconds <= most + 1e-3,
            file,
            f"clip {clip.name} lasts {clip.seconds:.2f} s, at most {most}",
        )
        if any(fnmatch.fnmatchcase(clip.name, pattern) for pattern in sheet.rig.loops) and size:
            off = seam(scene, clip, travel=False) / size
            log.check(
                off <= SEAM,
                file,
                f"clip {clip.name} does not close: its seam is {off:.1%} of the asset's size",
            )
        log.note("plays", clip.name, text)


def _reach(scene: Scene, clip: Clip, seconds: float) -> float:
    points = [p for p in posed_scene_points(scene, clip, seconds) if len(p)]
    every = np.concatenate(points) if points else np.zeros((1, 3))
    return float(np.linalg.norm(np.ptp(every, axis=0))) if np.isfinite(every).all() else float("inf")


def fits(main: Scene, other: Scene, file: str, log: Log) -> None:
    """A file of skeleton or clips against the one with the mesh: every joint is there, under the same parent,
    at the same rest.
    """
    mine = {n.name: i for i, n in enumerate(main.nodes)}
    above, theirs = parents(main), parents(other)
    for i, node in enumerate(other.nodes):
        at = mine.get(node.name)
        if at is None:
            log.refuse(file, f"moves {node.name}, which the mesh's skeleton does not have")
            continue
        up = main.nodes[above[at]].name if above[at] >= 0 else ""
        said = other.nodes[theirs[i]].name if theirs[i] >= 0 else ""
        log.check(
            up == said,
            file,
            f"{node.name} hangs under {said or 'the root'}, in the mesh's file under {up or 'the root'}",
        )
        off = float(np.abs(local_matrix(node) - local_matrix(main.nodes[at])).max())
        scale = max(1.0, float(np.abs(local_matrix(main.nodes[at])).max()))
        log.check(
            off <= 1e-4 * scale, file, f"{node.name} rests elsewhere than in the mesh's file ({off:.3g})"
        )
    lost = sorted(
        main.nodes[j].name
        for j in joint_nodes(main)
        if main.nodes[j].name not in {n.name for n in other.nodes}
    )
    log.check(not lost, file, f"joints are missing in it: {', '.join(lost[:3])}")


def names_others(scene: Scene, names: set[str], file: str, log: Log) -> None:
    """A file of a split delivery says which files it belongs with, and they are there."""
    table = next((n.extras for n in scene.nodes if "skeleton_file" in n.extras), None)
    if table is None:
        log.refuse(file, "does not say which files it belongs with")
        return
    said = [str(table.get("skin_file", "")), str(table.get("skeleton_file", ""))]
    said += [c for c in str(table.get("clip_files", "")).split(";") if c]
    missing = [s for s in said if s not in names]
    log.check(not missing, file, f"names {', '.join(missing[:3])}, which is not in the package")


def whole_motion(main: Scene, others: list[Scene]) -> Scene:
    """The mesh's scene with the clips of the other files, brought onto its nodes by name."""
    mine = {n.name: i for i, n in enumerate(main.nodes)}
    clips = list(main.clips)
    for other in others:
        for clip in other.clips:
            channels = tuple(
                replace(c, node=mine[other.nodes[c.node].name])
                for c in clip.channels
                if other.nodes[c.node].name in mine
            )
            clips.append(replace(clip, channels=channels))
    return replace(main, clips=tuple(clips))
