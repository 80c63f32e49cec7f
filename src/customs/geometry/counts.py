"""Plain counts of what a scene holds: the figures of a docket."""

from __future__ import annotations

from customs.geometry.triangles import triangles_of
from customs.scene.folding import shown_times
from customs.scene.model import Scene
from customs.scene.prune import prune


def counts(scene: Scene) -> dict[str, int]:
    """Counts of what is in use; triangles of meshes shown twice count twice, joints of several skins once."""
    used = prune(scene)
    return {
        "vertices": sum(len(p.positions) for m in used.meshes for p in m.primitives),
        "triangles": sum(
            n * len(triangles_of(p)) for n, m in zip(shown_times(used), used.meshes) for p in m.primitives
        ),
        "nodes": len(used.nodes) + len(used.placements),
        "meshes": len(used.meshes),
        "materials": len(used.materials),
        "textures": len(used.images),
        "joints": len({j for s in used.skins for j in s.joints}),
        "clips": len(used.clips),
    }
