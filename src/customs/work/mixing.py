"""Taking one asset of a shipment into another, or hanging it there: the snapshot, where it is kept, whether its source has gone on."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from customs.changes.matching import laid_on
from customs.changes.standing_parts import whole_of
from customs.errors import StepError
from customs.later import later
from customs.route.route import Stop
from customs.route.steps.fit.from_goods import FromGoods, moved_on, placed
from customs.scene.model import Scene
from customs.scene.tree import mesh_nodes
from customs.shipment.state import Asset, State
from customs.work.selections import keep_packed, kept_selections

snapshots = later("customs.changes.snapshot")
STEP = "from-goods"
AS_IT_WAS, CHANGED, GONE = "as it was", "changed since", "no longer among the goods"


def state_of(asset: Asset) -> str:
    """What an asset's own state is told by: its files, its stops, its rights."""
    stops = json.dumps([s.as_dict() for s in asset.stops if s.on], sort_keys=True, default=str)
    return hashlib.sha256(
        f"{asset.digest}{stops}{asset.author}|{asset.licence}|{asset.use}".encode()
    ).hexdigest()[:16]


def bring(store: Path, other: Asset, scene: Scene, nodes: Sequence[int] | None = None) -> dict[str, Any]:
    """Settings of a stop that brings the meshes at `nodes` of another asset's `scene` (all without them), whose snapshot is
    kept in the store. Raises CustomsError.
    """
    name, data, left = snapshots.make_snapshot(scene, nodes)
    parts = tuple(name for n, name in parts_of(scene) if n in nodes) if nodes is not None else ()
    keep_packed(store, name, data)
    return {
        "part": name, "name": other.name, "source": f"{other.id} {state_of(other)}", "author": other.author,
        "parts": parts, "licence": other.licence or scene.copyright, "use": other.use, "left": left,
    }  # fmt: skip


def hung(store: Path, other: Asset, scene: Scene, post: str) -> tuple[str, str, str, str, str, str]:
    """What a stop Posts says of another asset that hangs at a post, all of it, its snapshot kept in the store. Raises
    CustomsError.
    """
    name, data, _ = snapshots.make_snapshot(scene)
    keep_packed(store, name, data)
    return post, name, other.name, other.author, other.licence or scene.copyright, other.use


def bind_for(scene: Scene, other: Scene) -> str:
    """How parts are best bound: by names where joints have the same, from the surface where there is a skeleton."""
    if not scene.skins:
        return "none"
    mine = {scene.nodes[j].name.casefold() for s in scene.skins for j in s.joints}
    theirs = {other.nodes[j].name.casefold() for s in other.skins for j in s.joints}
    return "names" if mine & theirs else "surface"


def matched(stop: Stop, scene: Scene, store: Path) -> tuple[dict[str, Any], float]:
    """(move and turn that lay what a stop brings on the surface of the `scene` before it, metres it is off then). Raises
    StepError where one of them has no faces.
    """
    settings = stop.settings
    assert isinstance(settings, FromGoods)
    data = kept_selections(store, [stop]).get(settings.part)
    other = snapshots.snapshot_scene(settings.part, data) if data is not None else Scene("", "")
    part, onto = whole_of(other), whole_of(scene)
    if not len(part.faces) or not len(onto.faces):
        raise StepError(
            "there are no faces to match", "faces on both sides", "Place it by numbers or joints."
        )
    place = placed(settings, scene, other)
    points = part.points @ place[:3, :3].T + place[:3, 3]
    step, off = laid_on(points, part.faces, onto.points, onto.faces)
    move, turn = moved_on(settings, scene, other, step)
    return {"move": move, "turn": turn}, off


def again(stop: Stop, scene: Scene) -> list[int] | None:
    """The nodes of a scene that a stop brought parts of before, None for all."""
    names = dict(stop.values).get("parts") or ()
    return [n for n, name in parts_of(scene) if name in names] if names else None


def parts_of(scene: Scene) -> list[tuple[int, str]]:
    """(node, name) of everything of a scene that shows a mesh."""
    return [(n, scene.nodes[n].name) for n in mesh_nodes(scene)]


def source_of(stop: Stop) -> str:
    """The asset in the shipment a stop brings parts of."""
    return str(dict(stop.values).get("source", "")).partition(" ")[0]


def standing_of(stop: Stop, state: State) -> str:
    """Whether the source of what a stop brings is as it was."""
    was = str(dict(stop.values).get("source", "")).partition(" ")[2]
    other = state.asset(source_of(stop))
    return GONE if other is None else AS_IT_WAS if state_of(other) == was else CHANGED
