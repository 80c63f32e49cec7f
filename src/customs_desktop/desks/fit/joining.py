"""The section From other goods: which asset, which of its parts, where they go and what moves them."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QWidget

from customs.later import later
from customs.route.route import Stop
from customs.route.step import get_step, make_settings
from customs.scene.model import Scene
from customs.shipment.state import Asset
from customs_desktop.desks.fit.by_hand import column, three, values_of
from customs_desktop.style.theme import span
from customs_desktop.views.handwork import Handwork
from customs_desktop.views.joined_rows import JoinedRows
from customs_desktop.widgets.basics import (
    Chips,
    NumberField,
    button,
    combo,
    fill_combo,
    label,
    row,
    show_choice,
)

if TYPE_CHECKING:
    from customs.picture.pick import Met

mixing = later("customs.work.mixing")
BINDS = (("names", "By names"), ("surface", "Surface"), ("rigid", "Rigid"), ("none", "Not bound"))
NOTHING = ("", "–")
HIGH = 96
"""Pixels of the list of parts."""


class JoinTools(QWidget):
    """Numbers belong to the stop that brings parts of the chosen asset, or where there is none to the next join."""

    def __init__(self, work: Handwork) -> None:
        super().__init__()
        self.work, self.session = work, work.session
        self._offered: list[tuple[str, str]] = []
        self._parts: tuple[object, ...] = ()
        self._looked_at: str | None = None
        box = column(self)
        self.other = combo((), "Other goods", lambda _: self._chosen())
        box.addWidget(self.other)
        self.parts = QListWidget()
        self.parts.setAccessibleName("Its parts")
        self.parts.itemChanged.connect(lambda _: self._offer())
        box.addWidget(self.parts)
        self.binds = Chips(BINDS)
        self.binds.chosen.connect(lambda bind: self._set(bind=bind))
        box.addWidget(self.binds)
        self.joint = combo((), "Joint it is rigid on", lambda name: self._set(joint=name))
        self.own, self.theirs = (
            combo((), name, lambda _: self._laid()) for name in ("Own joint", "Its joint")
        )
        self.rigid = row(label("On joint"), self.joint)
        box.addWidget(self.rigid)
        self.laid = row(label("Lay"), self.theirs, label("on"), self.own)
        box.addWidget(self.laid)
        self.move_by, self.turn_by = three("Move", 0.0, wide=54), three("Turn", 0.0, 1, wide=54)
        self.scale_by = NumberField(1e-6, 1e6, 4, "Scale")
        self.scale_by.setFixedWidth(span(64, 0.5))
        self.scale_by.show_value(1.0)
        for text, fields in (("Move m", self.move_by), ("Turn °", self.turn_by), ("Scale", [self.scale_by])):
            named = label(text)
            named.setFixedWidth(span(46, 0.5))
            box.addWidget(row(named, *fields, 1))
        self.soften = NumberField(0, 100, 0, "Rounds of evening weights out")
        self.soften.setFixedWidth(span(44, 0.5))
        self.soften.show_value(0)
        self.soften.entered.connect(lambda v: self._set(soften=int(v)))
        self.evening = row(label("Even weights out"), self.soften, label("rounds", "soft"), 1)
        box.addWidget(self.evening)
        for field in (*self.move_by, *self.turn_by, self.scale_by):
            field.entered.connect(lambda _: self._placed())
        self.join = button("Join", self._join, "main")
        self.match = button(
            "Match faces",
            self._match,
            "",
            "",
            "Lay it on the surface where faces of both match, from where it is",
        )
        box.addWidget(row(self.join, self.match, 1))
        self.joined = JoinedRows(self._anew)
        box.addWidget(self.joined)
        self.binds.show_chosen("names")
        work.twin.beside_met.connect(self._pointed)

    # -- what is shown

    def said(self) -> str:
        """Its state in words."""
        asset = self.session.asset
        stops = [s for s in asset.stops if s.step == mixing.STEP] if asset is not None else []
        return ", ".join(str(dict(s.values).get("name", "")) for s in stops)

    @property
    def stop(self) -> Stop | None:
        """The stop whose numbers are shown: of those of the chosen asset the one looked at, or the last."""
        asset, id_ = self.session.asset, str(self.other.currentData() or "")
        mine = (
            [s for s in asset.stops if s.step == mixing.STEP and mixing.source_of(s) == id_]
            if asset is not None
            else []
        )
        return next((s for s in mine if s.id == self.session.stop), mine[-1] if mine else None)

    @property
    def source(self) -> tuple[Asset, Scene] | None:
        """The asset chosen, with its scene at the end of its route."""
        return self._at_its_end(str(self.other.currentData() or ""))

    def _at_its_end(self, id_: str) -> tuple[Asset, Scene] | None:
        asset, result = self.session.state.asset(id_), self.session.results.get(id_)
        scene = result.at(None) if result is not None else None
        return (asset, scene) if asset is not None and scene is not None else None

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.refresh()

    def refresh(self) -> None:
        """Goods, parts, joints and the numbers of the stop; nobody needs them while the section is folded."""
        if not self.isVisible():
            return
        goods = [(a.id, a.name) for a in self.session.state.goods if a.id != self.session.current]
        if goods != self._offered:
            self._offered, chosen = goods, self.other.currentData()
            fill_combo(self.other, goods)
            show_choice(self.other, str(chosen or ""))
        self._follow()
        self._show_parts()
        right = self.work.twin.right
        own = joints_of(right.scene) if right is not None else []
        found = self.source
        for box, names in ((self.joint, own), (self.own, [NOTHING[0], *own]),
                           (self.theirs, [NOTHING[0], *(joints_of(found[1]) if found is not None else [])])):  # fmt: skip
            chosen = str(box.currentData() or "")
            fill_combo(box, [(n, n or NOTHING[1]) for n in names])
            show_choice(box, chosen)
        self._offer()
        stop = self.stop
        if stop is not None:
            said: Any = make_settings(get_step(mixing.STEP), dict(stop.values))
            for fields, values in (
                (self.move_by, said.move),
                (self.turn_by, said.turn),
                ((self.scale_by,), (said.scale,)),
            ):
                for field, value in zip(fields, values):
                    if not field.hasFocus():
                        field.show_value(float(value))
            self.binds.show_chosen(said.bind)
            if not self.soften.hasFocus():
                self.soften.show_value(said.soften)
            for box, name in (
                (self.joint, said.joint),
                (self.own, said.own_joint),
                (self.theirs, said.their_joint),
            ):
                show_choice(box, name)
        self.match.setVisible(stop is not None)
        self.rigid.setVisible(self._bind() == "rigid")
        self.evening.setVisible(self._bind() in ("names", "surface"))
        asset = self.session.asset
        stops = [s for s in asset.stops if s.step == mixing.STEP] if asset is not None else []
        self.joined.show_stops(stops, self.session.state)

    def _follow(self) -> None:
        """Another stop that joins something is looked at: its asset is the chosen one."""
        asset, at = self.session.asset, self.session.stop
        if at == self._looked_at:
            return
        self._looked_at = at
        stop = (
            next((s for s in asset.stops if s.id == at and s.step == mixing.STEP), None)
            if asset is not None
            else None
        )
        if stop is not None:
            show_choice(self.other, mixing.source_of(stop))

    def _show_parts(self) -> None:
        found = self.source
        wanted = (found[0].id, found[1]) if found is not None else ()
        if wanted == self._parts:
            return
        self._parts = wanted
        self.parts.blockSignals(True)
        self.parts.clear()
        for node, name in mixing.parts_of(found[1]) if found is not None else ():
            item = QListWidgetItem(name)
            item.setData(Qt.ItemDataRole.UserRole, node)
            item.setCheckState(Qt.CheckState.Checked)
            self.parts.addItem(item)
        self.parts.blockSignals(False)
        self.parts.setVisible(self.parts.count() > 0)
        tall = self.parts.sizeHintForRow(0) * self.parts.count() + 4
        self.parts.setFixedHeight(min(span(HIGH), max(tall, 1)))

    def chosen_parts(self) -> list[int]:
        """Nodes of the parts that are chosen."""
        items = (self.parts.item(k) for k in range(self.parts.count()))
        return [
            i.data(Qt.ItemDataRole.UserRole)
            for i in items
            if i is not None and i.checkState() == Qt.CheckState.Checked
        ]

    def _offer(self) -> None:
        self.join.setEnabled(self.source is not None and bool(self.chosen_parts()))

    def beside(self) -> None:
        """The chosen asset in a small picture beside."""
        found = self.source if self.work.open and self.isVisible() else None
        self.work.twin.show_beside(
            found[1] if found is not None else None, found[0].name if found is not None else ""
        )

    # -- wishes

    def _bind(self) -> str:
        return self.binds.current() or "names"

    def _chosen(self) -> None:
        found, right = self.source, self.work.twin.right
        if self.stop is None:
            # What joins next stands where it stands, until a person says otherwise.
            for field in (*self.move_by, *self.turn_by, self.soften):
                field.show_value(0.0)
            self.scale_by.show_value(1.0)
            if found is not None and right is not None:
                self.binds.show_chosen(mixing.bind_for(right.scene, found[1]))
        self.refresh()
        self.beside()

    def _values(self) -> dict[str, Any]:
        move, turn = values_of(self.move_by) or (0.0,) * 3, values_of(self.turn_by) or (0.0,) * 3
        joint = str(self.joint.currentData() or "") if self._bind() == "rigid" else ""
        own, theirs = str(self.own.currentData() or ""), str(self.theirs.currentData() or "")
        laid: dict[str, Any] = {"soften": int(self.soften.value() or 0)}
        laid |= {"own_joint": own, "their_joint": theirs} if own and theirs else {}
        return {
            "move": move,
            "turn": turn,
            "scale": self.scale_by.value() or 1.0,
            "bind": self._bind(),
            "joint": joint,
            **laid,
        }

    def _pointed(self, met: Met | None) -> None:
        """A part pointed at in the small picture is chosen, or let go."""
        found = self.source if self.work.open and met is not None else None
        for k in range(self.parts.count()) if found is not None else ():
            item = self.parts.item(k)
            if item is not None and found[1].nodes[item.data(Qt.ItemDataRole.UserRole)].key == met.key:
                on = item.checkState() == Qt.CheckState.Checked
                item.setCheckState(Qt.CheckState.Unchecked if on else Qt.CheckState.Checked)

    def _bring(
        self, found: tuple[Asset, Scene], nodes: list[int] | None, done: Callable[[dict[str, Any]], object]
    ) -> None:
        """The snapshot is made beside the window's own work: textures are packed for it."""
        shipment, (asset, scene) = self.session.shipment, found
        if shipment is not None:
            store, title = shipment.store, f"Bringing {asset.name}"
            self.work.aside("bring", title, lambda: mixing.bring(store, asset, scene, nodes), done)

    def _join(self) -> None:
        found, nodes, where, values = self.source, self.chosen_parts(), self.work.here, self._values()
        if found is None or not nodes:
            return
        name, every = found[0].name, len(nodes) == self.parts.count()

        def done(brought: dict[str, Any]) -> None:
            self.work.stop(f"Join {name}", mixing.STEP, {**brought, **values}, where)
            # What has joined is seen where it is now.
            self.work.twin.show_beside(None, "")

        self._bring(found, None if every else nodes, done)

    def _anew(self, stop: Stop) -> None:
        found, id_ = self._at_its_end(mixing.source_of(stop)), self.session.current
        if found is not None:
            self._bring(
                found, mixing.again(stop, found[1]), lambda brought: self._changed(id_, stop, brought)
            )

    def _changed(self, id_: str, stop: Stop, values: dict[str, Any]) -> bool:
        """Change a stop that was looked at when something was begun, whatever is looked at now."""
        asset = self.session.state.asset(id_)
        there = asset is not None and any(s.id == stop.id for s in asset.stops)
        return there and self.session.change_route(
            "Change settings", lambda r: r.changed(stop.id, **values).by_person(stop.id), id_
        )

    def _match(self) -> None:
        stop, result, shipment = self.stop, self.session.result, self.session.shipment
        if stop is None or result is None or shipment is None:
            return
        ids = [at.stop.id for at in result.passed]
        if stop.id not in ids[1:]:
            return
        before, store = result.passed[ids.index(stop.id) - 1].scene, shipment.store
        id_ = self.session.current

        def done(found: tuple[dict[str, Any], float]) -> None:
            values, off = found
            if self._changed(id_, stop, values):
                self.session.said.emit(
                    f"Matched: {off * 1000:.1f} mm off on average where it lies nearest.", "note"
                )

        self.work.aside("match", "Matching faces", lambda: mixing.matched(stop, before, store), done)

    def _placed(self) -> None:
        if self.stop is not None:
            values = self._values()
            self._set(**{k: values[k] for k in ("move", "turn", "scale")})

    def _laid(self) -> None:
        own, theirs = str(self.own.currentData() or ""), str(self.theirs.currentData() or "")
        if bool(own) == bool(theirs):
            self._set(own_joint=own, their_joint=theirs)

    def _set(self, **values: Any) -> None:
        stop = self.stop
        if stop is not None:
            self.session.set_stop(stop.id, **values)
        self.refresh()


def joints_of(scene: Scene) -> list[str]:
    """Names of all joints of a scene, each once."""
    return list(dict.fromkeys(scene.nodes[j].name for s in scene.skins for j in s.joints))
