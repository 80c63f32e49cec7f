"""Weight tools: the map of a joint's weights, choosing vertices, changing them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PyQt6.QtGui import QPolygonF
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from customs.geometry.outline import inside_outline
from customs.geometry.triangles import triangles_of
from customs.ledger.shapes import ranges_of
from customs.motion.posing.pose import posed_scene_points
from customs.motion.weights.paint import grown, island, moved_by, with_seams
from customs.picture.camera import project
from customs.picture.heat import heat_scene
from customs.scene.model import Primitive, Scene
from customs.scene.selection import ranges_of_rows
from customs.scene.tree import mesh_nodes
from customs.work.motion import weights_scene
from customs.work.selections import keep_selection
from customs_desktop.desks.motion.bench import Bench
from customs_desktop.style.theme import span
from customs_desktop.widgets.basics import Flow, NameLabel, NumberField, button, label, row

Chosen = dict[str, np.ndarray]


class WeightTools(QWidget):
    """Vertices are chosen on the scene the stop Paint counts in; each change is one edit of that stop."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.session, self.bench = bench.session, bench
        self.chosen: Chosen = {}
        self.locked: set[str] = set()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        self.joint = NameLabel()
        self.map = button("Show weights", self._map, "chip")
        self.map.setCheckable(True)
        self.lock = button("Lock", self._lock, "chip", "", "Its weights stay when others change")
        self.lock.setCheckable(True)
        box.addWidget(row(self.joint, self.lock, self.map))
        choose = QWidget()
        flow = Flow(choose, 4)
        self.lasso = button("Lasso", self._lasso, "chip", "", "Draw round vertices in the right half")
        self.lasso.setCheckable(True)
        flow.addWidget(button("By joint", self.by_joint, "chip", "", "All vertices the picked joint moves"))
        flow.addWidget(self.lasso)
        for text, action in (
            ("Island", self.islands),
            ("Grow", lambda: self.grow(1)),
            ("Shrink", lambda: self.grow(-1)),
            ("None", self.none),
        ):
            flow.addWidget(button(text, action, "chip"))
        box.addWidget(choose)
        self.count = label("", "soft", -0.5)
        self.dual = button(
            "Dual quaternions",
            self._dual,
            "chip",
            "",
            "Draw the right half blended by dual quaternions: where it looks other, weights squeeze a twist. "
            "What is delivered stays as it is.",
        )
        self.dual.setCheckable(True)
        box.addWidget(row(self.count, 1, self.dual))
        self.amount = NumberField(-1, 10, 2, "Amount")
        self.amount.setFixedWidth(span(58))
        self.amount.show_value(0.5)
        change = QWidget()
        flow = Flow(change, 4)
        flow.addWidget(self.amount)
        for kind, text in (
            ("set", "Set"),
            ("add", "Add"),
            ("scale", "Scale"),
            ("blend", "Blend"),
            ("mirror", "Mirror"),
        ):
            flow.addWidget(button(text, lambda k=kind: self.change(k), "chip"))
        box.addWidget(change)
        bench.twin.lassoed.connect(self._lassoed)
        self.refresh()

    @property
    def scene(self) -> Scene | None:
        """The scene whose vertices are counted."""
        result = self.bench.result
        return weights_scene(result.passed) if result is not None else None

    def said(self) -> str:
        """Its state in words."""
        return self.count.text() if any(len(v) for v in self.chosen.values()) else self.joint.text()

    def refresh(self) -> None:
        """The picked joint, the choice, the map."""
        scene = self.scene
        keys = {str(p.key) for m in scene.meshes for p in m.primitives} if scene is not None else set()
        self.chosen = {k: v for k, v in self.chosen.items() if k in keys}
        joint = self.bench.overlay.joint
        self.joint.setText(joint or "No joint picked")
        self.lock.setChecked(joint in self.locked)
        total = sum(len(v) for v in self.chosen.values())
        self.count.setText(f"{total:,} vertices chosen" if total else "No vertices chosen")
        if self.bench.open:
            self.show_heat(self.map.isChecked())
            self._marks()

    def _map(self) -> None:
        self.show_heat(self.map.isChecked())

    def show_heat(self, on: bool) -> None:
        """Weights of the picked joint as colours on the right half."""
        right = self.bench.twin.right
        self.bench.overlay.scale = on and bool(self.bench.overlay.joint)
        scene = self.scene if on else None
        if on and right is not None and scene is not None and self.bench.overlay.joint:
            coloured = heat_scene(scene, self.bench.overlay.joint)
            # Its clips are those of the half it stands for, so that it plays along; another tree stays at
            # rest.
            same = len(scene.nodes) == len(right.scene.nodes)
            self.bench.twin.show_drawn({"right": replace(coloured, clips=right.scene.clips if same else ())})
        else:
            self.bench.twin.show_drawn({})
        self.bench.twin.update()

    def _dual(self) -> None:
        self.bench.twin.set_look(dual=self.dual.isChecked())

    def _lock(self) -> None:
        joint = self.bench.overlay.joint
        if joint:
            self.locked ^= {joint}

    def _parts(self) -> list[tuple[int, Primitive, list[str]]]:
        """(place in the walk, primitive, names of its joints) of every skinned primitive."""
        scene, out, k = self.scene, [], 0
        if scene is None:
            return []
        for n in mesh_nodes(scene):
            node = scene.nodes[n]
            names = (
                [scene.nodes[j].name for j in scene.skins[node.skin].joints] if node.skin is not None else []
            )
            for p in scene.meshes[node.mesh or 0].primitives:
                if names:
                    out.append((k, p, names))
                k += 1
        return out

    def by_joint(self) -> None:
        """All vertices the picked joint moves."""
        joint = self.bench.overlay.joint
        self.chosen = {
            str(p.key): rows
            for _, p, names in self._parts()
            if joint in names and len(rows := moved_by(p, names.index(joint)))
        }
        self.refresh()

    def grow(self, rounds: int) -> None:
        """The choice one ring larger or smaller."""
        self.chosen = {
            str(p.key): rows
            for _, p, _ in self._parts()
            if str(p.key) in self.chosen and len(rows := grown(p, self.chosen[str(p.key)], rounds))
        }
        self.refresh()

    def islands(self) -> None:
        """Whole connected pieces."""
        self.chosen = {
            str(p.key): island(p, self.chosen[str(p.key)])
            for _, p, _ in self._parts()
            if str(p.key) in self.chosen
        }
        self.refresh()

    def none(self) -> None:
        """Nothing chosen."""
        self.chosen = {}
        self.refresh()

    def _lasso(self) -> None:
        self.bench.twin.lasso = QPolygonF() if self.lasso.isChecked() else None

    def _lassoed(self, outline: QPolygonF) -> None:
        """Vertices inside a line drawn round them in the right half, those behind too."""
        if not self.bench.open:
            return
        self.lasso.setChecked(False)
        twin, scene = self.bench.twin, self.scene
        areas = twin.areas()
        if scene is None or twin.right is None or "right" not in twin.pictures or "right" not in areas:
            return
        rect = areas["right"]
        # The line was drawn round what the picture shows, which a slow driver brings later than time runs.
        _, orbit, drawn, clip, seconds = twin.pictures["right"]
        if drawn.scene is not scene:
            clip, seconds = twin.pose("right", scene)
        places = posed_scene_points(scene, scene.clips[clip] if clip is not None else None, seconds)
        ring = [(point.x(), point.y()) for point in outline]
        self.chosen = {}
        for k, p, _ in self._parts():
            flat = project(places[k], orbit, int(rect.width()), int(rect.height()))
            inside = inside_outline(flat + (rect.x(), rect.y()), ring)
            if inside.any():
                self.chosen[str(p.key)] = with_seams(p, np.flatnonzero(inside))
        self.refresh()

    def _marks(self) -> None:
        marks = {}
        for _, p, _ in self._parts():
            rows = self.chosen.get(str(p.key))
            if rows is not None:
                mask = np.zeros(len(p.positions), dtype=bool)
                mask[rows] = True
                marks[str(p.key)] = ranges_of(mask[triangles_of(p)].all(axis=1)) or ((0, 0),)
        if marks != self.bench.twin.marks:
            self.bench.twin.marks = marks
            self.bench.twin.ask()

    def change(self, kind: str) -> None:
        """One edit on all chosen vertices."""
        joint, amount, asset = self.bench.overlay.joint, self.amount.value(), self.session.asset
        if asset is None or amount is None or not joint:
            self.session.said.emit("Pick a joint first: in the view, or under Joints.", "query")
            return
        if kind == "mirror":
            keys = {str(p.key): np.zeros(0, np.intp) for _, p, names in self._parts() if joint in names}
        else:
            keys = self.chosen
        if not keys:
            self.session.said.emit("Choose vertices first: by joint, by lasso, or an island.", "query")
            return
        stop = asset.route.of_step("paint")
        old = tuple(dict(stop.values).get("edits", ())) if stop is not None else ()
        shipment, new = self.session.shipment, list[tuple[str, str, str, float, str]]()
        if shipment is None or not self.session.guard(
            lambda: new.extend(
                (k, joint, kind, float(amount), keep_selection(shipment.store, ranges_of_rows(v)))
                for k, v in keys.items()
            )
        ):
            return
        self.session.set_step("paint", edits=(*old, *new), locked=tuple(sorted(self.locked)))
