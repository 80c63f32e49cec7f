"""The sections by hand: choosing faces, taking them away, cutting, moving softly, closing holes."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from customs.changes.soft import Pull
from customs.intake.rights import Slip
from customs.work.by_hand import UNITS, SoftHold, own_file, soft_values
from customs_desktop.jobs import Wanted
from customs_desktop.style.theme import span
from customs_desktop.views.handles import Handles
from customs_desktop.views.handwork import Handwork
from customs_desktop.widgets.basics import Chips, Flow, NumberField, button, label, row


def column(widget: QWidget) -> QVBoxLayout:
    """A narrow column without margins."""
    box = QVBoxLayout(widget)
    box.setContentsMargins(0, 0, 0, 0)
    box.setSpacing(5)
    return box


def three(name: str, value: float, decimals: int = 3, wide: int = 64) -> list[NumberField]:
    """Three fields for X, Y, Z."""
    out = []
    for axis in "XYZ":
        field = NumberField(-1e6, 1e6, decimals, f"{name} {axis}")
        field.setFixedWidth(span(wide, 0.5))
        field.show_value(value)
        out.append(field)
    return out


def values_of(fields: list[NumberField]) -> tuple[float, float, float] | None:
    """The three numbers, or None where one is wrong."""
    found = [f.value() for f in fields]
    return None if None in found else tuple(float(v) for v in found if v is not None)  # type: ignore[return-value]


class ChooseTools(QWidget):
    """Choosing, and what is done with whole faces."""

    def __init__(self, work: Handwork) -> None:
        super().__init__()
        self.work = work
        self._told: tuple[object, object] = (self, None)
        box = column(self)
        self.pick = button("Pick", self._pick, "chip", "", "Point at faces in the right half")
        self.lasso = button(
            "Lasso", self._lasso, "chip", "", "Draw round faces in the right half, those behind too"
        )
        self.more = button(
            "Add to choice", self._more, "chip", "", "What is pointed at is added, or let go again"
        )
        for tool in (self.pick, self.lasso, self.more):
            tool.setCheckable(True)
        box.addWidget(row(self.pick, self.lasso, self.more, 1))
        self.units = Chips(UNITS, across=True)
        self.units.show_chosen(work.unit)
        self.units.chosen.connect(lambda unit: setattr(work, "unit", unit))
        box.addWidget(self.units)
        around = QWidget()
        flow = Flow(around, 4)
        for text, action, tip in (
            ("Grow", lambda c: c.grow(1), "A ring of faces more"),
            ("Shrink", lambda c: c.grow(-1), "A ring of faces fewer"),
            ("Mirror", lambda c: c.mirror(), "The faces on the other side of X = 0 too"),
            ("Rest", lambda c: c.invert(), "All faces that are not chosen"),
            ("None", lambda c: c.none(), "Choose nothing"),
        ):
            flow.addWidget(button(text, lambda a=action: self._change(a), "chip", "", tip))
        box.addWidget(around)
        self.count = label("", "", 0, 500)
        self.hangs = label("", "soft", -0.5, wrap=True)
        box.addWidget(self.count)
        box.addWidget(self.hangs)
        self.close_holes = QCheckBox("Close the holes that leaves")
        self.close_holes.setChecked(True)
        box.addWidget(self.close_holes)
        self.away = button("Take away", self._away, "main")
        self.own = button(
            "Own asset", self._own, "", "", "The chosen faces as an asset of their own, beside this one"
        )
        box.addWidget(row(self.away, self.own, 1))
        box.addWidget(row(button("Close all holes", self._holes), 1))
        work.changed.connect(self.refresh)
        work.twin.lassoed.connect(lambda _: self.lasso.setChecked(False))
        self.refresh()

    def said(self) -> str:
        """Its state in words."""
        return self.count.text()

    def refresh(self) -> None:
        """The count, and what hangs on it."""
        self.pick.setChecked(self.work.pointing == "pick")
        chooser = self.work.chooser if self.work.count else None
        told = (chooser, chooser.mask if chooser is not None else None)
        if all(a is b for a, b in zip(told, self._told)):
            return
        self._told = told
        self.count.setText(chooser.words() if chooser is not None else "Nothing chosen")
        self.hangs.setText(chooser.hanging() if chooser is not None else "")
        self.hangs.setVisible(chooser is not None)
        for press in (self.away, self.own):
            press.setEnabled(chooser is not None)

    def let_go(self) -> None:
        """Point and draw no more."""
        self.lasso.setChecked(False)
        self.work.lasso(False)
        self.work.point("")

    def _pick(self) -> None:
        self.work.point("pick" if self.pick.isChecked() else "")

    def _lasso(self) -> None:
        self.work.lasso(self.lasso.isChecked())

    def _more(self) -> None:
        self.work.more = self.more.isChecked()

    def _change(self, action: object) -> None:
        chooser = self.work.chooser
        if chooser is not None:
            action(chooser)  # type: ignore[operator]
            self.work.show()

    def _away(self) -> None:
        faces = self.work.kept()
        if faces:
            self.work.stop("Take away", "take-away", {"faces": faces, "close": self.close_holes.isChecked()})

    def _own(self) -> None:
        session, chooser = self.work.session, self.work.chooser
        asset, shipment = session.asset, session.shipment
        if chooser is None or asset is None or shipment is None:
            return
        slip = Slip(asset.author, asset.licence, asset.use, asset.name)

        def done(path: Path) -> None:
            session.jobs.take_models([Wanted(path, path.parent, slip=slip)], None)

        mask = chooser.mask
        self.work.aside("own", "Own asset", lambda: own_file(shipment.store, chooser, mask, asset.id), done)

    def _holes(self) -> None:
        self.work.stop("Close holes", "close-holes", {})


class CutTools(QWidget):
    """A plane or a box: choosing by it, or cutting along it."""

    def __init__(self, work: Handwork) -> None:
        super().__init__()
        self.work = work
        box = column(self)
        self.shape = Chips((("plane", "Plane"), ("box", "Box")), across=True)
        self.shape.show_chosen("plane")
        self.shape.chosen.connect(lambda _: self.refresh())
        box.addWidget(self.shape)
        self.first, self.second = three("First", 0.0), three("Second", 0.0)
        self.second[0].show_value(1.0)
        self.names = (label("Point (m)"), label("Towards"))
        for name, fields in zip(self.names, (self.first, self.second)):
            box.addWidget(name)
            box.addWidget(row(*fields, 1))
        self.around = button("Around choice", self._around, "chip", "", "The box of the chosen faces")
        box.addWidget(
            row(
                button("Choose", self._choose, "chip", "", "Faces beyond the plane, or inside the box"),
                self.around,
                1,
            )
        )
        self.close_holes = QCheckBox("Close the holes that leaves")
        self.close_holes.setChecked(True)
        box.addWidget(self.close_holes)
        box.addWidget(row(button("Cut off", self._cut, "main"), 1))
        self.refresh()

    @property
    def is_box(self) -> bool:
        """True for a box."""
        return self.shape.buttons["box"].isChecked()

    def said(self) -> str:
        """Its state in words."""
        return "box" if self.is_box else "plane"

    def refresh(self) -> None:
        """Names of the numbers."""
        texts = (
            ("One corner (m)", "Other corner (m)")
            if self.is_box
            else ("Point on it (m)", "What lies towards (direction) goes")
        )
        for name, text in zip(self.names, texts):
            name.setText(text)
        self.around.setVisible(self.is_box)

    def _six(self) -> tuple[float, ...] | None:
        a, b = values_of(self.first), values_of(self.second)
        if a is None or b is None or (not self.is_box and not any(b)):
            self.work.session.said.emit("Six numbers are needed, and a direction that is not zero.", "query")
            return None
        return (*a, *b)

    def _choose(self) -> None:
        six, chooser = self._six(), self.work.chooser
        if six is None or chooser is None:
            return
        (chooser.box if self.is_box else chooser.beside)(six[:3], six[3:], self.work.more)
        self.work.show()

    def _around(self) -> None:
        chooser = self.work.chooser
        if chooser is None or not chooser.count:
            return
        points = chooser.whole.points[chooser.whole.faces[chooser.mask]].reshape(-1, 3)
        for fields, corner in ((self.first, points.min(axis=0)), (self.second, points.max(axis=0))):
            for field, value in zip(fields, corner):
                field.show_value(float(value))

    def _cut(self) -> None:
        six = self._six()
        if six is not None:
            name = "boxes" if self.is_box else "planes"
            self.work.stop("Cut off", "cut-off", {name: (six,), "close": self.close_holes.isChecked()})


def same(a: tuple[object, float, bool], b: tuple[object, float, bool]) -> bool:
    """True where the same choice is to be held in the same way."""
    return a[0] is b[0] and a[1:] == b[1:]


class SoftTools(QWidget):
    """A soft move: numbers, and handles in the view whose numbers they are."""

    def __init__(self, work: Handwork) -> None:
        super().__init__()
        self.work = work
        self.hold: SoftHold | None = None
        self._of: tuple[object, float, bool] = (None, 0.0, False)
        """What is held, or about to be: the choice, how far along, on both sides."""
        box = column(self)
        self.move_by, self.turn_by = three("Move", 0.0), three("Turn", 0.0, 1)
        self.scale_by = NumberField(1e-3, 1e3, 3, "Scale")
        self.reach = NumberField(0.0, 1e4, 3, "Follows up to")
        for field, value in ((self.scale_by, 1.0), (self.reach, 0.2)):
            field.setFixedWidth(span(64, 0.5))
            field.show_value(value)
        box.addWidget(label("Move X Y Z (m)"))
        box.addWidget(row(*self.move_by, 1))
        box.addWidget(label("Turn about X Y Z (°)"))
        box.addWidget(row(*self.turn_by, 1))
        box.addWidget(row(label("Scale"), self.scale_by, label("Follows (m)"), self.reach, 1))
        self.both = QCheckBox("On both sides of X = 0")
        self.take = button(
            "Hold the choice", self._take, "chip", "", "Handles in the view move what is chosen"
        )
        self.take.setCheckable(True)
        box.addWidget(self.both)
        box.addWidget(row(self.take, 1))
        self.apply = button("Keep as a stop", self._keep, "main")
        box.addWidget(row(self.apply, 1))
        for field in (*self.move_by, *self.turn_by, self.scale_by):
            field.entered.connect(lambda _: self._typed())
        self.reach.entered.connect(lambda _: self._anew())
        self.both.toggled.connect(lambda _: self._anew())
        work.changed.connect(self._anew)

    def said(self) -> str:
        """Its state in words."""
        return "held" if self.hold is not None else ""

    @property
    def pull(self) -> Pull | None:
        """What the numbers say, or None where one is wrong."""
        move, turn, scale, reach = (
            values_of(self.move_by),
            values_of(self.turn_by),
            self.scale_by.value(),
            self.reach.value(),
        )
        if move is None or turn is None or scale is None or reach is None:
            return None
        return Pull(move, turn, scale, reach)

    def _take(self) -> None:
        if not self.take.isChecked():
            self.let_go()
        elif not self.work.count:
            self.take.setChecked(False)
            self.work.session.said.emit(
                "Choose faces first: press Pick and point at a part, or draw a lasso.", "query"
            )
        else:
            self._anew()

    def _anew(self) -> None:
        """Take hold of what is chosen now, with the numbers there are."""
        if not self.take.isChecked():
            return
        chooser, reach, both = self.work.chooser, self.reach.value(), self.both.isChecked()
        if chooser is None or not self.work.count or reach is None:
            self.let_go()
            return
        mask = chooser.mask
        if not same((mask, reach, both), self._of):
            self._of = (mask, reach, both)
            self.work.aside("hold", "Taking hold", lambda: SoftHold(chooser, mask, reach, both), self._held)

    def _held(self, hold: SoftHold) -> None:
        """What follows the choice is known."""
        if not self.take.isChecked() or not same(hold.of, self._of):
            return
        self.hold = hold
        handles = Handles(hold.middle)
        pull = self.pull
        if pull is not None:
            handles.move[:] = pull.move
        handles.moved.connect(self._dragged)
        handles.dropped.connect(lambda: self._show(False))
        self.work.twin.handles = handles
        self._show(False)

    def _dragged(self, move: object) -> None:
        for field, value in zip(self.move_by, move):  # type: ignore[call-overload]
            field.show_value(float(value))
        self._show(True)

    def _typed(self) -> None:
        pull, handles = self.pull, self.work.twin.handles
        if pull is not None and handles is not None:
            handles.move[:] = pull.move
            self._show(False)

    def _show(self, moving: bool) -> None:
        pull, twin = self.pull, self.work.twin
        if self.hold is not None and pull is not None:
            twin.drawn = {**twin.drawn, "right": self.hold.at(pull)}
            twin.ask(moving)

    def let_go(self) -> None:
        """No handles, and the view as it is."""
        self.take.setChecked(False)
        self.hold, self.work.twin.handles, self._of = None, None, (None, 0.0, False)
        if "right" in self.work.twin.drawn:
            self.work.twin.show_drawn({})
        self.work.twin.update()

    def _keep(self) -> None:
        pull = self.pull
        faces = self.work.kept() if pull is not None else ()
        if not faces or pull is None:
            return
        self.let_go()
        if self.work.stop("Soft move", "soft-move", soft_values(faces, pull, self.both.isChecked())):
            for field in (*self.move_by, *self.turn_by):
                field.show_value(0.0)
            self.scale_by.show_value(1.0)
