"""Wrote `first/` and `second/`: shipments as editions of Customs kept them. Run again only to add an edition
of its own, when the form of what is kept has changed. Later editions are of the goods of the first, and of
fewer sheets.

python -m tests.kept.write FOLDER SHEET …
"""

from __future__ import annotations

import json
import sys
import tarfile
import tempfile
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from customs.demo.write import GOODS, write_goods
from customs.ledger.row import requirements
from customs.ledger.waiver import Waiver, waiver
from customs.route.route import Route, SceneCache, evaluate
from customs.route.step import steps
from customs.scene.arrays import frozen
from customs.scene.model import Camera, Channel, Clip, Light, Material, Mesh, Node, Scene, Skin
from customs.scene.transforms import compose
from customs.sheet.load import shipped_texts
from customs.shipment.file import Shipment
from customs.shipment.state import Asset, State
from customs.work.donors import keep_donor, read_donor
from customs.work.goods import take_in
from customs.work.lookup import find_origin, find_sheet
from customs.work.requests.dispatch import DispatchRequest, run_dispatch
from customs.work.requests.evaluate import about_of, asked_of, run_evaluate
from customs.work.requests.plan import PlanRequest, run_plan
from customs.work.requests.take import kept_copy
from tests.assets import DIGEST, cube, key, letter_primitive, quaternion

FIRST = Path(__file__).parent / "first"

STOPS: dict[str, tuple[str, dict[str, Any]]] = {
    "weightless": ("moss_keeper", {}), "weight-sums": ("moss_keeper", {}), "turn-axes": ("odd", {"up": "+Z", "faces": "-Y"}),
    "turn": ("odd", {}), "scale": ("hedgehog", {"factor": 2.5}), "pose": ("gardener", {"seconds": 0.1}),
    "static": ("watering_stork", {}), "drop-colours": ("fern_bed", {}),
    "leave-out": ("gardener", {"morphs": True, "cameras": True, "lights": True, "texcoord_sets": 1}),
    "rigid": ("hedgehog", {}), "leftovers": ("moss_keeper", {"skeletons": True, "joints": True, "outlines": True}),
    "bind-pose": ("moss_keeper", {}), "common-root": ("odd", {}), "settle": ("odd", {}),
    "flatten": ("seed_cart", {}), "drop-empties": ("seed_cart", {}), "triangulate": ("bell_lantern", {}),
    "weld": ("spring_basin", {}), "drop-broken": ("pane_wall", {}), "turn-outward": ("pane_wall", {}),
    "take-away": ("bell_lantern", {"faces": "@faces"}), "cut-off": ("pane_wall", {"planes": ((0, 0.5, 0, 0, 1, 0),)}),
    "close-holes": ("pane_wall", {}), "from-goods": ("pane_wall", {}), "soft-move": ("hedgehog", {"moves": "@moves"}),
    "simplify": ("spring_basin", {"ratio": 0.5}), "lods": ("pane_wall", {}), "shapes": ("pane_wall", {"hits": "hull"}), "plot": ("pane_wall", {"rows": ("AB",)}), "finest-levels": ("pane_wall", {}), "kept-levels": ("pane_wall", {}), "picture": ("pane_wall", {"angle": "front"}),
    "kinds": ("pane_wall", {"left_out": ("prop",)}), "small": ("seed_cart", {"least": 0.1}), "terrain": ("mosaic_floor", {}),
    "tool-faces": ("pane_wall", {"words": ("glass",)}), "faces-between": ("pane_wall", {}), "modules": ("pane_wall", {"grid": 2.1}), "regions": ("pane_wall", {}), "voxels": ("pane_wall", {"side": 16}), "parts": ("pane_wall", {"by": "squares", "edge": 1.0}), "merge-cells": ("seed_cart", {}), "rig": ("pane_wall", {}), "light-units": ("bell_lantern", {}), "glow-lights": ("bell_lantern", {}),
    "posts": ("pane_wall", {"posts": (("hook", (0.0, 1.0, 0.0), (0.0, 0.0, 1.0), "", "props/lantern.glb"),)}),
    "join": ("pane_wall", {}), "donor": ("lamplighter", {"donor": "@donor"}), "split-material": ("odd", {}),
    "unwrap": ("bell_lantern", {"only_missing": False, "targets": ("*ring*",)}), "footing": ("watering_stork", {}),
    "merge-joints": ("watering_stork", {"limit": 20}), "normals": ("bell_lantern", {"only": "all"}),
    "bind": ("lamplighter", {}), "paint": ("lamplighter", {"edits": "@edits"}),
    "retarget": ("lamplighter", {"donor": "@donor"}), "humanoid": ("lamplighter", {"bones": (("hips", "pelvis"),)}),
    "weights": ("watering_stork", {"limit": 2}), "find-textures": ("potting_bench", {"pairs": "@pairs"}),
    "roles": ("potting_bench", {"uses": "@uses"}), "colour-space": ("mosaic_floor", {}), "light": ("gardener", {}),
    "nearest-look": ("mosaic_floor", {}),
    "spec-gloss": ("mosaic_floor", {}), "alpha": ("fern_bed", {}), "merge-alpha": ("bell_lantern", {}),
    "complete-normal": ("mosaic_floor", {}), "height-normal": ("mosaic_floor", {}), "green": ("watering_stork", {}),
    "renormalise": ("watering_stork", {}), "detail": ("bell_lantern", {"texture": "@image"}),
    "glow": ("bell_lantern", {"colours": ("#c8a050",), "tolerance": 0.4}), "tint": ("bell_lantern", {}),
    "preset": ("bell_lantern", {"preset": "leaf"}), "copy-settings": ("bell_lantern", {"source": "@material"}),
    "fold-flat": ("mosaic_floor", {}), "fill-roles": ("watering_stork", {"roles": ("base_colour", "normal", "occlusion")}),
    "merge-textures": ("mosaic_floor", {}), "merge-materials": ("bell_lantern", {}),
    "variants": ("bell_lantern", {"uses": "@variants"}), "atlas": ("bell_lantern", {}), "split": ("watering_stork", {}),
    "pack": ("watering_stork", {"always": True}), "drop-roles": ("watering_stork", {"roles": ("normal",)}),
    "bleed": ("fern_bed", {}), "resize": ("watering_stork", {"limit": 64}), "drop-alpha": ("fern_bed", {"only_solid": False}),
    "lay-uvs": ("mosaic_floor", {}), "bake-factors": ("bell_lantern", {}),
    "convert-textures": ("watering_stork", {"form": "dds", "block": "bc1", "mips": True}),
    "split-joints": ("watering_stork", {"limit": 12}), "tangents": ("watering_stork", {"where": "all"}),
    "merge-clips": ("lamplighter", {"targets": ("*",)}), "clips": ("watering_stork", {"ranges": (("one", 0.0, 10.0, ""), ("two", 12.0, 30.0, ""))}),
    "retime": ("watering_stork", {"rate": 24.0}), "loop": ("watering_stork", {}), "travel": ("lamplighter", {"way": "above"}),
    "still": ("watering_stork", {"joints": ("*",)}), "reduce": ("watering_stork", {}), "clip-files": ("lamplighter", {"how": "each"}),
    "numbers": ("watering_stork", {"version_number": 3}), "rename": ("watering_stork", {"asset": "stork", "mesh": "{asset}_{index}"}),
}  # fmt: skip
FOLLOW = {"meshes": "drop-colours", "clips": "reduce", "materials": "alpha", "images": "resize"}
"""A step that is kept by Key to what another one made."""


def keys_of(scene: Scene) -> list[str]:
    """Keys of everything in a scene."""
    kinds = ("nodes", "meshes", "materials", "images", "skins", "clips", "cameras", "lights")
    own = [str(x.key) for k in kinds for x in getattr(scene, k)]
    return [*own, *(str(p.key) for m in scene.meshes for p in m.primitives)]


def odd() -> Scene:
    """A mesh of two materials shared by a stretched and a turned node, a moving root, joints side by side,
    light and camera.
    """
    both = (replace(cube(0.4, 0), material=0), replace(cube(0.3, 1), material=1))
    bound = letter_primitive(2)
    joints = np.zeros((len(bound.positions), 4), np.uint16)
    joints[:, 1] = 1
    weights = np.tile(np.array([0.5, 0.5, 0, 0], np.float32), (len(joints), 1))
    skinned = replace(bound, joints=frozen(joints, np.uint16), weights=frozen(weights), material=1)
    nodes = (
        Node(key("node", 0), "wide", mesh=0, scale=np.array([2.0, 1, 1])),
        Node(
            key("node", 1), "leaning", mesh=0, rotation=quaternion("X", 30), translation=np.array([2.0, 0, 0])
        ),
        Node(key("node", 2), "spinner", mesh=0, translation=np.array([0, 2.0, 0])),
        Node(key("node", 3), "left"),
        Node(key("node", 4), "right", translation=np.array([0.5, 0, 0])),
        Node(key("node", 5), "body", mesh=1, skin=0),
        Node(
            key("node", 6),
            "lamp",
            holds=(Light(key("light", 0), "lamp", "spot"),),
            rotation=quaternion("X", -40),
        ),
        Node(key("node", 7), "eye", holds=(Camera(key("camera", 0), "eye"),)),
    )
    turns = np.stack([quaternion("Y", d) for d in (0, 60, 120)])
    spin = Clip(key("clip", 0), "spin", (Channel(2, "rotation", frozen([0.0, 0.5, 1.0]), frozen(turns)),))
    inverse = np.stack(
        [np.eye(4), np.linalg.inv(compose(np.array([0.5, 0, 0]), np.array([0, 0, 0, 1.0]), np.ones(3)))]
    )
    return Scene(
        "odd", DIGEST, nodes, tuple(range(8)),
        (Mesh(key("mesh", 0), "pair", both), Mesh(key("mesh", 1), "body", (skinned,))),
        (Material(key("material", 0), "ink", metallic=0.0), Material(key("material", 1), "bark", metallic=0.0)),
        skins=(Skin(key("skin", 0), "rig", (3, 4), frozen(inverse, np.float64)),), clips=(spin,),
        format="glb",
    )  # fmt: skip


def main(folder: Path, sheets: Sequence[str]) -> None:
    """Write an edition."""
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as work:
        here = Path(work)
        made = write_goods(here / "made")
        for name in ("goods-1", "goods-2"):
            with tarfile.open(FIRST / f"{name}.tar.xz") as packed:
                packed.extractall(here / "goods", filter="data")
        base = _assets(
            here, {id_: here / "goods" / path.relative_to(here / "made") for id_, path in made.items()}
        )
        told: dict[str, Any] = {"sheets": {}, "steps": {}}
        for sheet in sheets:
            told["sheets"][sheet] = _shipment(here, base, sheet)
        told["steps"] = _steps(here, base)
        for name in sheets:
            (here / f"{name}.toml").write_text(shipped_texts()[name])
        kept = sorted(p.name for p in [*here.glob("*.customs"), *here.glob("*.toml")])
        _pack(folder / "shipments.tar.xz", here, [*kept, "store/donors"])
    (folder / "told.json").write_text(json.dumps(told, indent=0, sort_keys=True))


def _pack(path: Path, root: Path, names: list[str]) -> None:
    with tarfile.open(path, "w:xz") as out:
        for name in names:
            out.add(root / name, name)


def _assets(here: Path, files: dict[str, Path]) -> list[Asset]:
    """The goods taken in, each into the store its shipments share."""
    warden = next(g for g in GOODS if g.kind == "donor")
    donor = read_donor(files[warden.id], find_origin(warden.origin))
    keep_donor(here / "store", donor)
    out = []
    for good in GOODS:
        asset = take_in(
            files[good.id], files[good.id].parent, here / "store", good.id, find_origin(good.origin)
        )
        out.append(replace(asset, donor=donor.digest, donor_name=donor.name))
    own = take_in(
        here / "goods" / "odd" / "odd.glb",
        here / "goods" / "odd",
        here / "store",
        "odd",
        find_origin("centimetre-zup"),
    )
    return [*out, own]


def _save(here: Path, name: str, state: State) -> None:
    """A shipment whose paths begin with `@here`, so that it opens wherever it is unpacked."""
    text = json.dumps(state.as_dict()).replace(str(here), "@here")
    ship = Shipment.create(here / f"{name}.customs", State.from_dict(json.loads(text)))
    ship.close()
    (here / f".{name}.customs.lock").unlink(missing_ok=True)


def _shipment(here: Path, base: list[Asset], sheet_id: str) -> dict[str, Any]:
    """The goods planned for a sheet, every query waived; what came of it."""
    sheet, cache, told = find_sheet(sheet_id), SceneCache(), {}
    state = State(sheet=sheet_id, out=str(here / "out"))
    for plain in base:
        asset = run_plan(PlanRequest(asked_of(plain, here / "store", sheet)), cache).asset
        ledger = run_evaluate(asked_of(asset, here / "store", sheet), cache).ledger
        waivers = {r.id: waiver(r, f"seen: {r.title}") for r in ledger.rows if r.verdict == "query"}
        # One of every requirement, whether it has a row here or not.
        waivers |= {f"{r}/nothing": Waiver("none", {"delivering": 2}) for r in requirements()}
        asset = replace(asset, waivers=waivers)
        done = run_evaluate(asked_of(asset, here / "store", sheet), cache)
        record: dict[str, Any] = {
            "verdict": done.ledger.verdict,
            "open": sorted(f"{r.requirement} {r.verdict}" for r in done.ledger.open()),
            "waived": sorted(r.id for r in done.ledger.rows if r.waived),
        }
        if done.ledger.verdict != "held":
            written = run_dispatch(DispatchRequest(done, sheet, here / "out" / sheet_id))
            record |= {k: written.written.docket[k] for k in ("after", "names", "box")}
            record["files"] = {f["path"]: f["sha256"] for f in written.written.files}
        told[asset.id] = record
        state = state.with_asset(asset)
        print(sheet_id, asset.id, record["verdict"], len(record["waived"]), flush=True)
    _save(here, sheet_id, state)
    return told


def _steps(here: Path, base: list[Asset]) -> dict[str, Any]:
    """An asset for every kind of stop, and the Keys it has after it."""
    state, told = State(out=str(here / "out")), {}
    for step, (id_, values) in STOPS.items():
        plain = next(a for a in base if a.id == id_)
        taken = kept_copy(plain, here / "store").run()
        about = about_of(plain, here / "store")
        arrived = evaluate(taken.scene, plain.digest, Route(plain.stops[:1]))[0].scene
        route = Route(plain.stops[:1]).added(step, _resolved(values, arrived, plain), by="person")
        passed = evaluate(taken.scene, plain.digest, route, SceneCache(), about.resources)
        assert passed[-1].error is None, (step, passed[-1].error)
        changed = passed[-1].scene is not arrived
        made = sorted(set(keys_of(passed[-1].scene)) - set(keys_of(arrived)))
        for kind, follow in FOLLOW.items():
            mine = tuple(k for k in made if k in {str(x.key) for x in getattr(passed[-1].scene, kind)})
            if mine:
                route = Route(
                    (
                        *route.stops,
                        *Route(route.stops[:1]).added(follow, {"targets": mine}, "person").stops[1:],
                    )
                )
        state = state.with_asset(replace(plain, id=step, name=step, stops=route.stops))
        told[step] = {"changed": changed, "keys": keys_of(passed[-1].scene), "made": made}
        print(step, id_, "changed" if changed else "-", len(made), made[:2], flush=True)
    assert not set(steps()) - set(STOPS) - {"arrive"}
    _save(here, "steps", state)
    return told


def _resolved(values: dict[str, Any], scene: Scene, asset: Asset) -> dict[str, Any]:
    """Settings with what only the asset knows."""
    image = str(scene.images[0].key) if scene.images else ""
    skinned = next((p for m in scene.meshes for p in m.primitives if p.joints is not None), None)
    joints = [scene.nodes[j].name for s in scene.skins for j in s.joints]
    material = str(scene.materials[0].key) if scene.materials else ""
    missing = next((str(im.key) for im in scene.images if not im.there), image)
    there = next((str(im.key) for im in scene.images if im.there and im.key.kind == "file"), image)
    known = {
        "@donor": asset.donor,
        "@image": image,
        "@material": material,
        "@edits": ((str(skinned.key), joints[2], "add", 0.25, ((0, 40), (60, 90))),)
        if skinned is not None and len(joints) > 2
        else (),
        "@faces": (faces := ((str(scene.meshes[0].primitives[0].key), ((0, 4),)),) if scene.meshes else ()),
        "@moves": ((faces, (0, 0.01, 0), (0, 0, 0), 1.0, 0.05, False),),
        "@pairs": ((missing, there),),
        "@uses": ((material, "occlusion", there),),
        "@variants": (("winter", material, "base_colour", there),),
    }
    return {k: known.get(v, v) if isinstance(v, str) else v for k, v in values.items()}


if __name__ == "__main__":
    main(Path(sys.argv[1]), sys.argv[2:])
