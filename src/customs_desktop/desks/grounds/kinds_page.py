"""The page Kinds: how many of each, what they weigh, how they are looked at and whether they are left out."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QAbstractItemView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from customs.grounds.rules import KINDS, TITLES
from customs.words import byte_text
from customs.work.fittings import settings_at
from customs.work.grounds import KindRow
from customs_desktop.desks.grounds.looking import Looking
from customs_desktop.office import Office
from customs_desktop.style.theme import colour, span
from customs_desktop.widgets.basics import Chips, row
from customs_desktop.widgets.tables import LastColumn, listing

HEADS = ("Kind", "Count", "Triangles", "Textures", "Share", "In the view", "In the delivery")
LOOKS = (("shown", "shown"), ("faint", "faint"), ("hidden", "hidden"))


class Share(QWidget):
    """A bar of a share of the whole."""

    def __init__(self, share: float) -> None:
        super().__init__()
        self.share = share
        self.setAccessibleName(f"{share:.0%}")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        body = QRectF(self.rect()).adjusted(4, self.height() / 2 - 4, -14, -self.height() / 2 + 4)
        painter.fillRect(body, colour("rule"))
        body.setWidth(max(body.width() * self.share, 2.0))
        painter.fillRect(body, colour("teal"))
        painter.end()


class KindsPage(QWidget):
    """Left out is a setting of the stop Kinds; shown, faint and hidden are how it is looked at."""

    def __init__(self, session: Office, looking: Looking) -> None:
        super().__init__()
        self.session, self.looking = session, looking
        self.rows: list[KindRow] = []
        self._told: tuple[object, ...] = ()
        self.table: QTableWidget = listing(HEADS, "Kinds", (104, 50, 70, 62, 96, 158))
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.verticalHeader().setDefaultSectionSize(span(28))  # type: ignore[union-attr]
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 4)
        box.addWidget(self.table, 1)
        looking.found.connect(self.refresh)
        looking.changed.connect(self._show_states)
        self.looks: dict[str, Chips] = {}
        self.outs: dict[str, Chips] = {}

    @property
    def left_out(self) -> tuple[str, ...]:
        """Kinds the stop leaves out."""
        asset = self.session.asset
        return tuple(getattr(settings_at(asset.route, "kinds"), "left_out", ())) if asset is not None else ()

    def refresh(self) -> None:
        """All kinds there are, and those that were left out."""
        ground = self.looking.ground
        if (ground, self.left_out) == self._told:
            return
        self._told = (ground, self.left_out)
        there = {r.kind: r for r in ground.kinds} if ground is not None else {}
        gone = [k for k in self.left_out if k not in there]
        self.rows = [
            there.get(k) or KindRow(k, TITLES[k], 0, 0, 0, 0.0) for k in KINDS if k in there or k in gone
        ]
        # Without rows first: what sat in them goes with them.
        self.table.setRowCount(0)
        self.table.setRowCount(len(self.rows))
        self.looks, self.outs = {}, {}
        for at, r in enumerate(self.rows):
            texts = (
                r.title,
                f"{r.count:,}",
                f"{r.triangles:,}" if r.triangles else "",
                byte_text(r.texture_bytes) if r.texture_bytes else "",
            )
            for column, text in enumerate(texts):
                item = QTableWidgetItem(text)
                if column:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(at, column, item)
            self.table.setCellWidget(at, 4, Share(r.share))
            looks = self.looks[r.kind] = Chips(LOOKS, True, "cell")
            looks.chosen.connect(lambda state, k=r.kind: self.looking.set_state(k, state))
            self.table.setCellWidget(at, 5, row(looks, 1))
            out = self.outs[r.kind] = Chips((("kept", "kept"), ("left out", "left out")), True, "cell")
            out.chosen.connect(lambda what, k=r.kind: self.leave_out(k, what == "left out"))
            self.table.setCellWidget(at, 6, row(out, 1))
        if self.outs:
            last = self.table.findChild(LastColumn)
            last.least = out.sizeHint().width() + 12
            last.fit()
        self._show_states()

    def _show_states(self) -> None:
        left = set(self.left_out)
        for kind, chips in self.looks.items():
            chips.show_chosen(self.looking.state(kind))
            chips.setEnabled(kind not in left or any(r.kind == kind and r.count for r in self.rows))
            self.outs[kind].show_chosen("left out" if kind in left else "kept")

    def leave_out(self, kind: str, out: bool) -> None:
        """A decision: a kind is left out, or is not."""
        left = tuple(k for k in self.left_out if k != kind) + ((kind,) if out else ())
        self.session.set_step("kinds", left_out=left)

    @property
    def current(self) -> str:
        """The kind that is picked."""
        at = self.table.currentRow()
        return self.rows[at].kind if 0 <= at < len(self.rows) else ""

    def solo(self) -> None:
        """The picked kind alone."""
        if self.current:
            self.looking.set_solo(self.current)
