"""The ledger view: rows with remedies to press, for this asset and for all goods."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QModelIndex, QPoint, Qt
from PyQt6.QtGui import QAction, QGuiApplication, QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QButtonGroup,
    QHBoxLayout,
    QInputDialog,
    QMenu,
    QPushButton,
    QStackedWidget,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from customs.guide.places import about_row
from customs.ledger.ledger import effective, judge
from customs.ledger.row import Row
from customs.words import many
from customs_desktop.office import Office
from customs_desktop.style.theme import font, span
from customs_desktop.views.ledger_cells import CellDelegate, CountButton, RowDelegate
from customs_desktop.views.ledger_model import GoodsLedgerModel, LedgerModel
from customs_desktop.widgets.basics import NameLabel, button, combo, search_field
from customs_desktop.widgets.tables import dressed, head_width
from customs_desktop.worker import Task

if TYPE_CHECKING:
    from customs.picture.pick import Met

DESK_NAMES = (
    ("", "every desk"),
    ("intake", "Intake"),
    ("fit", "Fit"),
    ("surface", "Surface"),
    ("motion", "Motion"),
    ("fittings", "Fittings"),
    ("dispatch", "Dispatch"),
)


class LedgerView(QWidget):
    """Head, filters and the two tables."""

    def __init__(self, session: Office) -> None:
        super().__init__()
        self.session = session
        self._wide = (0, 0)
        self.model, self.goods_model = LedgerModel(session), GoodsLedgerModel(session)
        self.table, self.goods_table = (
            dressed(QTableView(), "Ledger of this asset"),
            dressed(QTableView(), "Ledger of all goods"),
        )
        self.table.setModel(self.model)
        self.delegate = RowDelegate()
        self.table.setItemDelegate(self.delegate)
        self.delegate.pressed.connect(self.press)
        self.table.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.table.customContextMenuRequested.connect(self._menu)
        selection = self.table.selectionModel()
        assert selection is not None
        selection.currentRowChanged.connect(self._row_picked)
        self.goods_table.setModel(self.goods_model)
        self.goods_table.setItemDelegate(CellDelegate())
        self.goods_table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectItems)
        chosen = self.goods_table.selectionModel()
        assert chosen is not None
        chosen.selectionChanged.connect(self._cells_picked)
        self.goods_table.doubleClicked.connect(self._open_cell)
        self.stack = QStackedWidget()
        self.stack.addWidget(self.table)
        self.stack.addWidget(self.goods_table)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self._head())
        box.addWidget(self.stack, 1)
        for signal in (session.changed, session.selected, session.seen, session.opened):
            signal.connect(self.refresh)
        session.evaluated.connect(self._another)
        session.picked.connect(self._at_stop)
        session.met.connect(self._met)
        self.refresh()

    def _head(self) -> QWidget:
        head = QWidget()
        line = QHBoxLayout(head)
        line.setContentsMargins(8, 3, 8, 3)
        line.setSpacing(3)
        self.scope = QButtonGroup(self)
        self.one = QPushButton("This asset")
        self.all = QPushButton("All goods")
        for i, made in enumerate((self.one, self.all)):
            made.setProperty("kind", "flat")
            made.setCheckable(True)
            made.setFont(font(0, 600))
            self.scope.addButton(made, i)
            line.addWidget(made)
        self.one.setChecked(True)
        self.scope.idClicked.connect(self._scope)
        self.about = NameLabel(0, 400, whole=True)
        self.about.setProperty("role", "soft")
        line.addWidget(self.about, 1)
        self.apply = button("Apply", self._apply, "main")
        self.apply.hide()
        line.addWidget(self.apply)
        self.search = search_field("Search the ledger", "search", self._search)
        self.search.setMinimumWidth(span(58))
        self.search.setMaximumWidth(span(88))
        self.desk = combo(DESK_NAMES, "Desk", self._desk)
        self.desk.setFixedWidth(span(96))
        # It has its whole width before anything is said beside it.
        line.addWidget(self.search, 100)
        line.addWidget(self.desk)
        self.counts = {}
        for verdict in ("cleared", "query", "held"):
            made = CountButton(verdict)
            made.toggled.connect(self._filter)
            self.counts[verdict] = made
            line.addWidget(made)
        return head

    # -- keeping up

    def _another(self, id_: str) -> None:
        """One of the others has been looked at: seen where all goods are."""
        if id_ != self.session.current and self.stack.currentWidget() is self.goods_table:
            self.goods_model.refresh()

    def refresh(self, *_: object) -> None:
        """Show the ledgers as they are."""
        keep = self.current_row()
        self.model.refresh()
        if self.stack.currentWidget() is self.goods_table:
            self.goods_model.refresh()
        result = self.session.result
        for verdict, made in self.counts.items():
            made.show_number(result.ledger.count(verdict) if result else 0)  # type: ignore[arg-type]
        number = len({r.requirement for r in result.ledger.rows}) if result else 0
        self.about.setText(many(number, "requirement") if number else "")
        if keep is not None:
            self._select_id(keep.id)
        self._widths()
        self._at_stop(self.session.stop or "")

    def _widths(self) -> None:
        room = max(self.table.width(), 500)
        shares = (0.27, 0.16, 0.15, 0.16) if not self.model.at_stop else (0.24, 0.13, 0.13, 0.12, 0.14)
        for i, share in enumerate(shares):
            self.table.setColumnWidth(i, max(int(room * share), head_width(self.table, i)))
        goods = max(self.goods_model.columnCount() - 1, 1)
        if (room, goods) == self._wide or self.stack.currentWidget() is not self.goods_table:
            return
        self._wide = (room, goods)
        self.goods_table.setColumnWidth(0, span(178))
        for i in range(1, goods + 1):
            self.goods_table.setColumnWidth(i, max(88, (room - 190) // goods))

    def resizeEvent(self, event: object) -> None:
        self._widths()
        for made in self.counts.values():
            made.show_words(self.width() > span(640))
        self.desk.setVisible(self.width() > span(430))

    def _at_stop(self, stop_id: str) -> None:
        """Judge the asset at the picked stop too, in the background."""
        result, sheet = self.session.result, self.session.sheet
        last = result.passed[-1].stop.id if result and result.passed else ""
        if result is None or result.taken is None or not stop_id or stop_id == last:
            if self.model.at_stop:
                self.model.show_at_stop({})
                self._widths()
            return
        taken, asset = result.taken, result.asset

        def done(values: dict[str, str]) -> None:
            if self.session.stop == stop_id and self.session.current == asset.id:
                self.model.show_at_stop(values)
                self._widths()

        def run(job: object) -> dict[str, str]:
            there = judge(taken.scene, result.passed, sheet, result.about, asset.waivers, upto=stop_id)
            return {r.id: r.delivering for r in there.rows}

        self.session.worker.submit(Task(3, key="at stop", title="At the stop", run=run, done=done))

    # -- filters

    def _scope(self, which: int) -> None:
        self.stack.setCurrentIndex(which)
        if which:
            self.goods_model.refresh()
            self._widths()
        self._cells_picked()
        for widget in (self.search, self.desk, *self.counts.values()):
            widget.setVisible(which == 0)

    def _filter(self, _: bool = False) -> None:
        self.model.verdicts = {v for v, made in self.counts.items() if made.isChecked()}
        self.model.refresh()

    def _desk(self, desk: str) -> None:
        self.model.desk = desk
        self.model.refresh()

    def _search(self, text: str) -> None:
        self.model.search = text
        self.model.refresh()

    # -- rows

    def current_row(self) -> Row | None:
        """The row the cursor is on."""
        index = self.table.currentIndex()
        r = index.data(Qt.ItemDataRole.UserRole) if index.isValid() else None
        return r if isinstance(r, Row) else None

    def press(self, row: Row) -> None:
        """Take the remedy of a row."""
        if row.remedy is not None:
            self.session.press(row.remedy, [self.session.current])

    def _row_picked(self, index: QModelIndex, _: QModelIndex) -> None:
        r = index.data(Qt.ItemDataRole.UserRole)
        if isinstance(r, Row):
            self.session.show_place(r)

    def _select_id(self, id_: str) -> None:
        at = next((i for i, r in enumerate(self.model.rows) if r.id == id_), -1)
        selection = self.table.selectionModel()
        if at >= 0 and selection is not None:
            blocked = selection.blockSignals(True)
            self.table.setCurrentIndex(self.model.index(at, 0))
            selection.blockSignals(blocked)

    def _met(self, found: Met | None) -> None:
        """Go to the first open row about what was met in the view: its node, mesh, primitive, material."""
        result = self.session.result
        if found is None or result is None:
            return
        row = next((r for r in result.ledger.open() if r.subject in found.subjects()), None)
        if row is not None:
            self._select_id(row.id)
            self.table.scrollTo(self.table.currentIndex())

    def next_open(self) -> None:
        """Go to the next row that is not cleared, in this asset or the next that has one."""
        goods = [a.id for a in self.session.state.goods]
        here = self.current_row()
        open_ids = [r.id for r in self.session.result.ledger.open()] if self.session.result else []
        later = open_ids[open_ids.index(here.id) + 1 :] if here and here.id in open_ids else open_ids
        if not later:
            at = goods.index(self.session.current) if self.session.current in goods else -1
            for id_ in [*goods[at + 1 :], *goods[: at + 1]]:
                result = self.session.results.get(id_)
                if result is not None and result.ledger.open():
                    self.session.select(id_)
                    later = [r.id for r in result.ledger.open()]
                    break
        if later:
            self.one.click()
            self._select_id(later[0])
            r = self.current_row()
            self.table.scrollTo(self.table.currentIndex())
            self.table.setFocus()
            if r is not None:
                self.session.show_place(r)

    def press_open(self, requirement: str) -> None:
        """Pick the open row of a requirement on the selected asset, and take its remedy."""
        result = self.session.result
        row = (
            next((r for r in result.ledger.open() if r.requirement == requirement), None) if result else None
        )
        if row is not None:
            self.one.click()
            self._select_id(row.id)
            self.press(row)

    def _menu(self, place: QPoint) -> None:
        index = self.table.indexAt(place)
        r = index.data(Qt.ItemDataRole.UserRole) if index.isValid() else None
        if isinstance(r, Row):
            self.menu_for(r, index).exec(self.table.mapToGlobal(place))

    def menu_for(self, row: Row, index: QModelIndex | None = None) -> QMenu:
        """What can be done with a row."""
        menu = QMenu(self)
        entries = [("Show the place", lambda: self.session.show_place(row), row.place is not None)]
        if row.remedy is not None:
            entries.insert(0, (row.remedy.label, lambda: self.press(row), effective(row) != "cleared"))
        if row.waived:
            entries.append(("Take the waiver back", lambda: self.session.waive(row, ""), True))
        else:
            entries.append(("Accept with a reason …", lambda: self._waive(row), row.verdict == "query"))
        text = str(index.data() or "") if index is not None else row.delivering
        entries.append(("Copy cell", lambda: _copy(text), bool(text)))
        entries.append(
            ("What is this?", lambda: self.session.asked.emit(*about_row(row.requirement), ""), True)
        )
        for name, action, on in entries:
            made = QAction(name, menu)
            made.setEnabled(on)
            made.triggered.connect(lambda _=False, a=action: a())
            menu.addAction(made)
        return menu

    def _waive(self, row: Row) -> None:
        reason, given = QInputDialog.getText(
            self, "Accept this query", f"{row.title}: why is {row.delivering} right here?"
        )
        if given and reason.strip():
            self.session.waive(row, reason.strip())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        r = self.current_row()
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and r is not None:
            self.press(r)
            return
        super().keyPressEvent(event)

    # -- all goods

    def picked_remedies(self) -> list[tuple[str, Row]]:
        """(asset, row) pairs of the picked cells that have a remedy to take."""
        pairs = [p for i in self.goods_table.selectedIndexes() for p in self.goods_model.rows_at(i)]
        unique = {(a, r.id): (a, r) for a, r in pairs if r.remedy is not None and effective(r) != "cleared"}
        return list(unique.values())

    def _cells_picked(self, *_: object) -> None:
        pairs = self.picked_remedies() if self.stack.currentIndex() == 1 else []
        count = len({a for a, _ in pairs})
        self.apply.setVisible(count > 0)
        self.apply.setText(f"Apply to {count} goods" if count != 1 else "Apply to 1 asset")

    def _apply(self) -> None:
        self.session.press_rows(self.picked_remedies())

    def _open_cell(self, index: QModelIndex) -> None:
        if index.column() > 0:
            self.session.select(self.goods_model.ids[index.column() - 1])
            self.one.click()


def _copy(text: str) -> None:
    board = QGuiApplication.clipboard()
    if board is not None:
        board.setText(text)
