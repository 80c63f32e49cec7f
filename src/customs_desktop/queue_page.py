"""The page Queue: a recipe, its goods and where they go; what runs, waits, is done, needs a person, and what one decision would clear."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QItemSelectionModel, Qt, QTimer, QUrl
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QHeaderView,
    QLineEdit,
    QMenu,
    QSplitter,
    QTableView,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from customs.runs.report import PAGE
from customs.words import many
from customs_desktop.office import Office
from customs_desktop.queue_model import GROUPS as STATES
from customs_desktop.queue_model import QueueModel
from customs_desktop.running import Asked
from customs_desktop.style.theme import font, span
from customs_desktop.widgets.basics import button, combo, label, lines_of, row
from customs_desktop.widgets.marks import mark_icon
from customs_desktop.widgets.tables import dressed, listing

GROUPS = (("all", "All"), ("runs", "Runs"), ("waits", "Waits"), ("person", "For a person"), ("done", "Done"))
SEPARATOR = " ; "
SOON = 150
"""Milliseconds within which changes are shown together."""


class QueuePage(QWidget):
    """Opened from the menu Route, closed by its button; a run goes on while it is closed."""

    def __init__(self, session: Office, show: Callable[[], object], close: Callable[[], object]) -> None:
        super().__init__()
        self.session, self.running, self._show = session, session.running, show
        self._found: list[dict[str, object]] = []
        self.recipe, self.inputs, self.out = (
            self._field("a recipe", "Recipe"),
            self._field("files and folders", "Goods of the run"),
            self._field("a folder", "Folder the run writes to"),
        )
        heads = self._heads(close)
        self._tables()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        for head in heads:
            head.setContentsMargins(10, 3, 10, 2)
            box.addWidget(head)
        box.addWidget(self._halves(), 1)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(SOON)
        self._soon.timeout.connect(self.refresh)
        selection = self.table.selectionModel()
        assert selection is not None
        selection.selectionChanged.connect(lambda *_: self._enable())
        for signal in (self.running.began, self.running.ended):
            signal.connect(self._enable)
        for signal in (self.running.began, self.running.ended, self.running.moved):
            signal.connect(self._later)
        self.refresh()

    def _heads(self, close: Callable[[], object]) -> tuple[QWidget, QWidget]:
        """What is to be run, and how it goes."""
        self.replace = QCheckBox("Replace")
        self.replace.setToolTip("Packages that are there are written anew")
        self.replace.setFont(font())
        self.go = button("Run", self.start, "main")
        self.pause = button("Pause", self._pause, "chip", "", "What runs is finished, nothing else is begun")
        self.pause.setCheckable(True)
        self.stop = button("Cancel", self.running.cancel, "chip")
        self.page = button("Report", self._open_report, "flat", "", "The report of the run, in a browser")
        where = lines_of(
            row(label("Recipe"), self.recipe, button("…", self._choose_recipe, "", "", "Choose a recipe")),
            row(
                label("Goods"),
                self.inputs,
                button("…", self._choose_goods, "", "", "Choose files or a folder"),
            ),
            row(label("To"), self.out, button("…", self._choose_out, "", "", "Choose a folder")),
            self.replace,
            button("Close", close, "flat"),
            grows=True,
        )
        self.groups = combo(GROUPS, "Which goods", self._group)
        self.groups.setMinimumWidth(span(104, 0.5))
        state = lines_of(
            self.groups,
            1,
            self.page,
            self.pause,
            self.stop,
            self.go,
        )
        return where, state

    def _tables(self) -> None:
        """The goods, the decisions, and their buttons."""
        self.model = QueueModel(self.running)
        self.table = dressed(QTableView(), "Goods of the run", ())
        self.table.setModel(self.model)
        self.table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.table.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.table.customContextMenuRequested.connect(self._menu)
        self.decisions = listing(
            ["", "What is open", "Goods", "Remedy"], "What one decision would clear", (28, 116, 46)
        )
        self.decisions.itemSelectionChanged.connect(self._about)
        self.these = button(
            "For these",
            lambda: self._decide(False),
            "chip",
            "",
            "The recipe takes the remedy for these goods, and they are run again",
        )
        self.every = button(
            "For all", lambda: self._decide(True), "chip", "", "The recipe takes the remedy for all its goods"
        )
        self.take = button("Take in", self.take_in, "chip", "", "By hand: into the shipment that is open")
        self.first = button("First", self._first, "chip", "", "Before all others that wait")

    def _field(self, hint: str, name: str) -> QLineEdit:
        field = QLineEdit()
        field.setFont(font())
        field.setPlaceholderText(hint)
        field.setAccessibleName(name)
        field.setMinimumWidth(span(84))
        field.textChanged.connect(lambda _: self._enable())
        return field

    def _halves(self) -> QWidget:
        head = self.table.horizontalHeader()
        assert head is not None
        head.setStretchLastSection(False)
        for k, mode in enumerate((0, 1, 1, 0)):
            head.setSectionResizeMode(
                k, QHeaderView.ResizeMode.Stretch if mode else QHeaderView.ResizeMode.Interactive
            )
        for k, width in enumerate((28, 0, 0, 58)):
            if width:
                self.table.setColumnWidth(k, span(width))
        left = _column(self.table, row(self.first, self.take, 1))
        right = _column(self.decisions, row(self.these, self.every, 1))
        halves = QSplitter(Qt.Orientation.Horizontal)
        halves.setChildrenCollapsible(False)
        halves.addWidget(left)
        halves.addWidget(right)
        halves.setSizes([420, 280])
        return halves

    # -- keeping up

    def _later(self, *_: object) -> None:
        if not self._soon.isActive():
            self._soon.start()

    def refresh(self) -> None:
        """The run as it stands."""
        counts = self.running.counts()
        for group, name in GROUPS:
            count = sum(counts.get(state, 0) for state in STATES[group])
            place = self.groups.findData(group)
            self.groups.setItemText(place, f"{name}: {count:,}" if self.running.rows else name)
        chosen = self._picked()
        self.model.refresh()
        self._pick(chosen)
        self._show_decisions()
        self._enable()

    def _show_decisions(self) -> None:
        found = self.running.decisions()
        if found == self._found:
            return
        self._found = found
        self.decisions.blockSignals(True)
        self.decisions.setRowCount(len(found))
        for k, d in enumerate(found):
            goods = d["goods"]
            assert isinstance(goods, list)
            mark = QTableWidgetItem(mark_icon(str(d["verdict"])), "")
            texts = (str(d["title"]), f"{len(goods):,}", str(d["remedy"] or "by hand"))
            for column, item in enumerate((mark, *map(QTableWidgetItem, texts))):
                item.setToolTip(
                    f"{d['title']}, {many(len(goods), 'asset')}: {d['remedy'] or 'no remedy is known'}"
                )
                self.decisions.setItem(k, column, item)
        self.decisions.clearSelection()
        self.decisions.blockSignals(False)
        self.model.only = None

    def _enable(self) -> None:
        goes, ended = self.running.goes, bool(self.running.rows)
        self.go.setEnabled(not goes and all(f.text().strip() for f in (self.recipe, self.inputs, self.out)))
        self.pause.setEnabled(goes)
        self.stop.setEnabled(goes)
        self.page.setEnabled(ended and not goes)
        decision = self._decision()
        able = decision is not None and decision["step"] is not None and not goes
        self.these.setEnabled(able)
        self.every.setEnabled(able)
        picked = self._picked()
        self.first.setEnabled(goes and any(self.running.state(p) == "waiting" for p in picked))
        self.take.setEnabled(bool(picked) or decision is not None)

    def _picked(self) -> list[str]:
        selection = self.table.selectionModel()
        rows = selection.selectedRows() if selection is not None else []
        return [self.model.paths[i.row()] for i in rows if i.row() < len(self.model.paths)]

    def _pick(self, paths: list[str]) -> None:
        selection = self.table.selectionModel()
        assert selection is not None
        wanted = set(paths)
        if wanted != set(self._picked()):
            flags = QItemSelectionModel.SelectionFlag.Select | QItemSelectionModel.SelectionFlag.Rows
            for k, path in enumerate(self.model.paths):
                if path in wanted:
                    selection.select(self.model.index(k, 0), flags)

    def _decision(self) -> dict[str, object] | None:
        rows = sorted({i.row() for i in self.decisions.selectedIndexes()})
        return self._found[rows[0]] if rows and rows[0] < len(self._found) else None

    # -- wishes

    def run_recipe(self) -> None:
        """Choose a recipe, and show the page on it."""
        self._choose_recipe()
        self._show()

    def keep_recipe(self) -> None:
        """What was decided about the goods, as a recipe."""
        if not self.session.state.goods:
            self.session.said.emit(
                "Nothing is taken in yet: a recipe is made of what was decided about goods.", "query"
            )
            return
        name, _ = QFileDialog.getSaveFileName(self, "Keep as a recipe", "", "Recipes (*.toml)")
        if name:
            self.session.keep_recipe(Path(name).with_suffix(".toml"))

    def open_recipe(self, path: Path) -> None:
        """A recipe to run; what is asked for besides is proposed where nothing was typed."""
        self.recipe.setText(str(path))
        if not self.out.text().strip():
            out = self.session.state.out
            self.out.setText(str(Path(out).expanduser() / path.stem) if out else str(path.with_suffix("")))

    def start(self) -> None:
        """Run what is asked for."""
        inputs = tuple(
            Path(p.strip()).expanduser() for p in self.inputs.text().split(SEPARATOR.strip()) if p.strip()
        )
        gone = next((p for p in inputs if not p.exists()), None)
        if gone is not None:
            self.session.said.emit(f"{gone} is not there. Choose files or folders that are.", "held")
            return
        asked = Asked(
            Path(self.recipe.text().strip()).expanduser(),
            inputs,
            Path(self.out.text().strip()).expanduser(),
            dict(self.session.state.kits),
            self.replace.isChecked(),
        )
        self.pause.setChecked(False)
        self._pause()
        self.running.start(asked)

    def _pause(self) -> None:
        self.running.paused = self.pause.isChecked()
        self.pause.setText("Paused" if self.running.paused else "Pause")

    def _group(self, group: str) -> None:
        self.model.group, self.model.only = group, None
        self.decisions.clearSelection()
        self.model.refresh()

    def _about(self) -> None:
        """The goods a picked decision is about, and no others."""
        decision = self._decision()
        goods = decision["goods"] if decision is not None else None
        self.model.only = frozenset(goods) if isinstance(goods, list) else None
        self.model.refresh()
        self._enable()

    def _decide(self, every: bool) -> None:
        decision = self._decision()
        if (
            decision is not None
            and isinstance(decision["step"], dict)
            and isinstance(decision["goods"], list)
        ):
            self.running.decide(decision["goods"], decision["step"], every)

    def _first(self) -> None:
        self.running.first([p for p in self._picked() if self.running.state(p) == "waiting"])

    def take_in(self) -> None:
        """What is picked, or what a picked decision is about, by hand: into the shipment, as from the recipe's origin."""
        decision = self._decision()
        goods = decision["goods"] if decision is not None else []
        paths = self._picked() or (goods if isinstance(goods, list) else [])
        recipe = self.running.recipe
        origin = self.session.origins().get(recipe.origin) if recipe is not None else None
        self.session.jobs.take_in([Path(p) for p in paths], origin)

    def _menu(self, where: object) -> None:
        menu = QMenu(self)
        for one in (self.first, self.take):
            action = menu.addAction(one.text(), one.click)
            assert action is not None
            action.setEnabled(one.isEnabled())
        menu.exec(self.cursor().pos())

    def _choose_recipe(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Recipe", self.recipe.text(), "Recipes (*.toml)")
        if name:
            self.open_recipe(Path(name))

    def _choose_goods(self) -> None:
        menu = QMenu(self)
        menu.addAction(
            "A folder …", lambda: self._add_goods([QFileDialog.getExistingDirectory(self, "Goods")])
        )
        menu.addAction("Files …", lambda: self._add_goods(QFileDialog.getOpenFileNames(self, "Goods")[0]))
        menu.exec(self.cursor().pos())

    def _add_goods(self, names: list[str]) -> None:
        had = [p.strip() for p in self.inputs.text().split(SEPARATOR.strip()) if p.strip()]
        self.inputs.setText(SEPARATOR.join(dict.fromkeys([*had, *(n for n in names if n)])))

    def _choose_out(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Folder the run writes to", self.out.text())
        if name:
            self.out.setText(name)

    def _open_report(self) -> None:
        page = Path(self.out.text().strip()).expanduser() / PAGE
        if page.is_file():
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(page)))
        else:
            self.session.said.emit(f"{page} is not there yet: it is written when a run has ended.", "query")


def _column(table: QWidget, tools: QWidget) -> QWidget:
    """A table with its buttons below."""
    out = QWidget()
    box = QVBoxLayout(out)
    box.setContentsMargins(0, 0, 0, 0)
    box.setSpacing(0)
    tools.setContentsMargins(8, 3, 8, 3)
    box.addWidget(table, 1)
    box.addWidget(tools)
    return out
