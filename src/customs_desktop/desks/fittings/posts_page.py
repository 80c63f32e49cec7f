"""The page Posts: placed by a click on the surface or by numbers, moved by handles, their index paths copied by one press."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from customs.changes.hanging import with_hanging
from customs.errors import StepError
from customs.ledger.row import remedy
from customs.picture.pick import Met
from customs.route.step import get_step, make_settings
from customs.scene.model import Scene
from customs.shipment.state import Asset
from customs.work.fittings import PostRow, post_rows, settings_at
from customs.work.measuring import face_number, place_at, standing_at
from customs.work.mixing import hung
from customs.work.posts import spot_for
from customs_desktop.desks.fittings.sections import looked_at
from customs_desktop.office import Office
from customs_desktop.style.theme import span
from customs_desktop.views.handles import Handles
from customs_desktop.views.handwork import PLACED, Handwork
from customs_desktop.views.twin import TwinView
from customs_desktop.widgets.basics import NumberField, button, combo, label, row
from customs_desktop.widgets.tables import listing
from customs_desktop.worker import Task

HEADS = ("Name", "Position (m)", "Points along", "Index path", "What hangs there")
ON = (
    ("surface", "On the surface"),
    ("vertex", "On a vertex"),
    ("centre", "In the part's middle"),
    ("joint", "On the nearest joint"),
)
LONG = 0.12
"""Length of the line that shows where a post points, of the size of the view."""
Said = tuple[str, tuple[float, float, float], tuple[float, float, float], str, str]
Thing = tuple[str, str, str, str, str, str]


class PostsPage(QWidget):
    """What a person does here becomes the posts of the stop Posts."""

    def __init__(self, session: Office, twin: TwinView) -> None:
        super().__init__()
        self.session, self.twin, self.work = session, twin, Handwork(session, twin)
        self.rows: tuple[PostRow, ...] = ()
        self._of: tuple[object, ...] = ()
        self._seen: Scene | None = None
        self._moved = np.zeros(3)
        self.table = listing(HEADS, "Posts", (110, 150, 130, 80))
        self.table.itemSelectionChanged.connect(self._picked)
        self.place = button(
            "Place by a click", self._point, "main", "", "Click on the surface in the right half"
        )
        self.place.setCheckable(True)
        self.on = combo(ON, "Where a click places it", lambda _: None)
        self.on.setFixedWidth(span(134, 0.5))
        self.copy = button("Copy path", self._copy, "chip", "", "Copy the index path")
        self.drop = button("Remove", self._remove, "flat")
        self.hang = button("Hang goods there …", self._offer, "chip", "", "Another asset, seen in place")
        self.unhang = button("Take it down", lambda: self._hang(None), "flat")
        self.name, self.attached = QLineEdit(), QLineEdit()
        self.name.setAccessibleName("Name of the post")
        self.attached.setAccessibleName("Path of what hangs there")
        self.attached.setPlaceholderText("path in the kit of what hangs there")
        for field in (self.name, self.attached):
            field.editingFinished.connect(self._typed)
        self.at = [NumberField(-1e6, 1e6, 3, f"Position {axis} (m)") for axis in "XYZ"]
        self.way = [NumberField(-1, 1, 3, f"Direction {axis}") for axis in "XYZ"]
        for field in (*self.at, *self.way):
            field.setFixedWidth(span(52, 0.5))
            field.entered.connect(lambda _: self._typed())
        self.name.setFixedWidth(span(110, 0.5))
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 6)
        box.addWidget(self.table, 1)
        for line in (
            row(self.place, self.on, self.copy, self.drop, 1),
            row(self.hang, self.unhang, 1),
            row(label("Name"), self.name, label("Holds"), self.attached),
            row(label("At"), *self.at, label("along"), *self.way, 1),
        ):
            holder = QHBoxLayout()
            holder.setContentsMargins(12, 0, 12, 0)
            holder.addWidget(line, 1)
            box.addLayout(holder)
        session.met.connect(self._met)
        self._picked()

    # -- what is shown

    def opened(self) -> None:
        """Pointing goes by the right half from here on."""
        self.work.open = True
        self._of = ()

    def left(self) -> None:
        """Nothing is pointed at or held."""
        self.work.point("")
        self.place.setChecked(False)
        self.work.open = False
        self.twin.lines = []
        self.twin.show_drawn({})

    def refresh(self) -> None:
        """The posts of what is looked at; paths take a while where levels and rows are many."""
        scene, sheet = looked_at(self.session, self.twin), self.session.sheet
        told = (scene, sheet.id)
        if told == self._of or not self.work.open:
            return
        self._of = told
        if scene is None:
            self._show((), None, told)
            return
        self.session.worker.submit(
            Task(
                0,
                key="posts",
                title="Index paths",
                run=lambda job: (post_rows(scene, sheet), with_hanging(scene)),
                done=lambda found: self._show(*found, told),
                failed=self.session.fail,
                apart=True,
            )
        )

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self._over_view()

    def hideEvent(self, event: QHideEvent | None) -> None:
        super().hideEvent(event)
        self.twin.handles, self.twin.lines = None, []
        self.twin.show_drawn({})
        self.twin.update()

    def _show(self, rows: tuple[PostRow, ...], seen: Scene | None, told: tuple[object, ...]) -> None:
        if told != self._of:
            return
        was, self.rows, self._seen = self.picked, rows, seen
        self.table.blockSignals(True)
        self.table.setRowCount(len(rows))
        for k, r in enumerate(rows):
            hangs = " · ".join(x for x in (r.thing, r.attached) if x) or "–"
            texts = (r.name, numbers(r.at), numbers(r.points), r.path or "none asked", hangs)
            for c, text in enumerate(texts):
                self.table.setItem(k, c, QTableWidgetItem(text))
        self.table.blockSignals(False)
        names = [r.name for r in rows]
        if names:
            self.table.selectRow(
                names.index(was.name) if was is not None and was.name in names else len(names) - 1
            )
        self._picked()

    @property
    def picked(self) -> PostRow | None:
        """The post that is picked."""
        found = self.table.selectedItems()
        at = found[0].row() if found else -1
        return self.rows[at] if 0 <= at < len(self.rows) else None

    def _picked(self) -> None:
        post = self.picked
        for widget in (self.copy, self.drop, self.hang, self.name, self.attached, *self.at, *self.way):
            widget.setEnabled(post is not None)
        self.unhang.setVisible(post is not None and bool(post.thing))
        self.copy.setEnabled(post is not None and bool(post.path))
        if post is not None:
            self.name.setText(post.name)
            self.attached.setText(post.attached)
            for field, value in zip((*self.at, *self.way), (*post.at, *post.points)):
                field.show_value(value)
        self._over_view()

    def _over_view(self) -> None:
        """A line for each post along its direction, handles at the picked one, what hangs there in place."""
        if not self.work.open or not self.isVisible():
            return
        hangs = self._seen is not None and self._of and self._seen is not self._of[0]
        self.twin.show_drawn({"right": self._seen} if hangs else {})
        orbit = self.twin.orbits().get("right")
        reach = LONG * (orbit.distance if orbit is not None else 1.0)
        self.twin.lines = [
            (
                (r.at, tuple(a + b * reach for a, b in zip(r.at, r.points))),
                f"{r.name} · {r.path}" if r.path else r.name,
            )
            for r in self.rows
        ]
        post = self.picked
        if post is not None:
            handles = Handles(post.at)
            handles.moved.connect(self._dragged)
            handles.dropped.connect(self._dropped)
            self.twin.handles = handles
        else:
            self.twin.handles = None
        self.twin.update()

    # -- wishes

    def _said(self) -> list[Said]:
        asset = self.session.asset
        return list(getattr(settings_at(asset.route, "posts"), "posts", ())) if asset is not None else []

    def _things(self) -> list[Thing]:
        asset = self.session.asset
        return list(getattr(settings_at(asset.route, "posts"), "things", ())) if asset is not None else []

    def _press(self, text: str, posts: list[Said], things: list[Thing] | None = None) -> bool:
        hanging = self._things() if things is None else things
        hanging = [t for t in hanging if t[0] in {p[0] for p in posts}]
        try:
            make_settings(get_step("posts"), {"posts": posts, "things": hanging})
        except StepError as problem:
            self.session.said.emit(f"A post takes {problem.expected}.", "query")
            return False
        fix = remedy("posts", text, True, posts=tuple(posts), things=tuple(hanging))
        return (
            fix is not None
            and self.session.asset is not None
            and self.session.press(fix, [self.session.current])
        )

    def _point(self) -> None:
        self.work.point("post" if self.place.isChecked() else "")

    def _met(self, found: Met | None) -> None:
        where, scene = self.work.pointed_by("post"), self._of[0] if self._of else None
        chooser = self.work.chooser
        if where is None or found is None or chooser is None or scene is None:
            return
        names = {str(found.prim.key)}
        whole = standing_at(chooser.scene, chooser.whole, names, found.key)
        face = face_number(whole, names, found.face) if whole is not None else None
        place = (
            place_at(whole, face, where.orbit, where.size, where.x, where.y)
            if whole is not None and face is not None
            else None
        )
        if whole is None or face is None or place is None:
            self.session.said.emit(PLACED, "query")
            return
        spot = spot_for(self.on.currentData(), scene, whole, names, face, place)
        if spot is None:
            self.session.said.emit("There is no joint with a name of its own.", "query")
            return
        said = self._said()
        taken = {s[0] for s in said}
        name = next(f"post {k}" for k in range(1, len(taken) + 2) if f"post {k}" not in taken)
        self._press(f"Place {name}", [*said, (name, three(spot.at), three(spot.points), spot.joint, "")])

    def _change(self, text: str, post: PostRow, **changed: Any) -> None:
        """The picked post otherwise, in the list of all."""
        new = replace(post, **changed)
        said = self._said()
        at = next((k for k, s in enumerate(said) if s[0] == post.name), None)
        joint = said[at][3] if at is not None else ""
        entry = (new.name, new.at, new.points, joint, new.attached)
        posts = [entry if k == at else s for k, s in enumerate(said)] if at is not None else [*said, entry]
        self._press(text, posts, [(new.name, *t[1:]) if t[0] == post.name else t for t in self._things()])

    def _typed(self) -> None:
        post = self.picked
        values = [f.value() for f in (*self.at, *self.way)]
        if post is None or any(v is None for v in values):
            return
        # A field shows three digits: what it shows as it was is what it was.
        was = (*post.at, *post.points)
        v = [w if abs(float(x or 0.0) - w) <= 0.5e-3 else float(x or 0.0) for x, w in zip(values, was)]
        changed = {
            "name": self.name.text().strip(),
            "attached": self.attached.text().strip(),
            "at": (v[0], v[1], v[2]),
            "points": (v[3], v[4], v[5]),
        }
        if any(getattr(post, k) != new for k, new in changed.items()):
            self._change(f"Post {post.name}", post, **changed)

    def _dragged(self, move: object) -> None:
        post = self.picked
        if post is not None:
            self._moved = np.asarray(move, dtype=float)
            for field, value in zip(self.at, np.array(post.at) + self._moved):
                field.show_value(float(value))

    def _dropped(self) -> None:
        post, move = self.picked, self._moved.copy()
        self._moved = np.zeros(3)
        if post is not None and move.any():
            self._change(f"Move {post.name}", post, at=three(np.array(post.at) + move))

    def _offer(self) -> None:
        """The other goods, to choose what hangs there."""
        menu = QMenu(self)
        ready = [a for a in self.session.state.goods if a.id != self.session.current and self._at_end(a)]
        for asset in ready:
            menu.addAction(asset.name, lambda asset=asset: self._hang(asset))
        if not ready:
            self.session.said.emit("There are no other goods to hang there: take them in first.", "query")
            return
        menu.exec(self.hang.mapToGlobal(self.hang.rect().bottomLeft()))

    def _at_end(self, asset: Asset) -> Scene | None:
        result = self.session.results.get(asset.id)
        return result.at(None) if result is not None else None

    def _hang(self, other: Asset | None) -> None:
        """Hang another asset at the picked post, its snapshot made beside the window's work; or take it down."""
        post, shipment = self.picked, self.session.shipment
        if post is None:
            return
        rest = [t for t in self._things() if t[0] != post.name]
        if other is None:
            self._press(f"Take down {post.thing}", self._said(), rest)
            return
        scene = self._at_end(other)
        if shipment is None or scene is None:
            return
        store, here, posts = shipment.store, self.session.current, self._said()

        def done(thing: Thing) -> None:
            if self.session.current == here and self._said() == posts:
                self._press(f"Hang {other.name} at {post.name}", posts, [*rest, thing])

        self.work.aside("hang", f"Hanging {other.name}", lambda: hung(store, other, scene, post.name), done)

    def _copy(self) -> None:
        post, board = self.picked, QApplication.clipboard()
        if post is not None and board is not None:
            board.setText(post.path)
            self.session.said.emit(f"Copied {post.path}", "note")

    def _remove(self) -> None:
        post = self.picked
        if post is not None:
            self._press(f"Remove {post.name}", [s for s in self._said() if s[0] != post.name])


def three(values: Any) -> tuple[float, float, float]:
    """Three numbers to a micrometre."""
    return round(float(values[0]), 6), round(float(values[1]), 6), round(float(values[2]), 6)


def numbers(values: tuple[float, float, float]) -> str:
    """Three numbers as they are read."""
    return "  ".join(f"{v + 0.0:.3f}" for v in values)
