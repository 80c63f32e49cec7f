"""The page Learn: what packages of a destination tell of its rules, each key to take or leave, the packages beside with their verdicts."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QSplitter, QTableWidgetItem, QVBoxLayout, QWidget

from customs.errors import CustomsError
from customs.job import Job
from customs.learning.found import Found
from customs.parts import write_whole
from customs.sheet.load import sheet_texts
from customs.words import many
from customs.work.places import sheets_folder
from customs.work.requests.learn import Learned, LearnRequest, run_learn, with_taken, written_with
from customs_desktop.office import Office
from customs_desktop.style.theme import colour, font, span
from customs_desktop.widgets.basics import button, combo, label, row
from customs_desktop.widgets.marks import Mark
from customs_desktop.widgets.tables import listing
from customs_desktop.worker import Task

ORDER = ("cleared", "query", "held")


class LearningPage(QWidget):
    """Opened from the destination's menu; closed by a person, or by using what was learned."""

    heard = pyqtSignal(object)

    def __init__(self, session: Office, close: Callable[[], object]) -> None:
        super().__init__()
        self.session, self._close = session, close
        self.paths: tuple[Path, ...] = ()
        self.learned: Learned | None = None
        self.found: list[Found] = []
        self.taken: set[str] = set()
        self.id = QLineEdit("learned")
        self.id.setAccessibleName("Name of the sheet")
        self.id.setMaximumWidth(span(130, 0.5))
        self.told = label("", "soft", -0.5)
        self.group = combo((), "Which destination", lambda _: self._one_group())
        self.group.setVisible(False)
        self.save = button("Save and use", self._save, "main")
        self.keys = listing(
            ["", "Key", "Value", "Evidence", "How sure"], "What was learned", (28, 122, 128, 112)
        )
        self.keys.itemChanged.connect(self._ticked)
        self.goods = listing(["", "Package", "By this sheet"], "Examples", (28, 92))
        head = row(label("Kept as"), self.id, self.told, 1, button("Close", close, "flat"), self.save)
        head.setContentsMargins(10, 4, 10, 2)
        halves = QSplitter(Qt.Orientation.Horizontal)
        halves.setChildrenCollapsible(False)
        halves.addWidget(self.keys)
        halves.addWidget(self.goods)
        halves.setSizes([470, 210])
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(head)
        box.addWidget(self.group)
        box.addWidget(halves, 1)
        self.heard.connect(self._hear)

    def learn(self, paths: Sequence[Path]) -> None:
        """Learn from packages, or folders of them; each key is shown as it is found."""
        self.paths, self.learned, self.found = tuple(paths), None, []
        self.group.setVisible(False)
        self._show("Reading the packages …")
        request = LearnRequest(self.paths, self.id.text() or "learned")

        def failed(problem: Exception) -> None:
            self._show(str(problem))

        task = Task(
            1,
            key="learn",
            title="Learning from packages",
            run=lambda job: run_learn(request, job, self.heard.emit),
            done=self._done,
            failed=failed,
        )
        self.session.worker.submit(task)

    def _hear(self, found: Found) -> None:
        if self.learned is None:
            self.found.append(found)
            self._fill_keys()

    def _done(self, learned: Learned) -> None:
        self.learned, self.found, self.taken = learned, list(learned.found), set(learned.taken)
        several = len(learned.groups) > 1
        self.group.setVisible(several)
        if several:
            self.group.clear()
            self.group.addItem("These are of several destinations: which?", "")
            for k, g in enumerate(learned.groups):
                first = g[0].main
                axes = f"{first.format.upper()}, {first.convention.axes_text()}"
                self.group.addItem(f"{axes}: {', '.join(e.folder.name for e in g)}"[:90], str(k))
        self._show("")

    def _one_group(self) -> None:
        chosen = str(self.group.currentData() or "")
        if self.learned is not None and chosen.isdigit():
            self.learn([e.folder for e in self.learned.groups[int(chosen)]])

    def _show(self, told: str) -> None:
        learned = self.learned
        self._fill_keys()
        self._fill_goods()
        held = (
            sum(any(r.verdict == "held" for r in rows) for rows in learned.verdicts.values())
            if learned
            else 0
        )
        if learned is not None and not told and learned.sheet is not None:
            count = many(len(learned.verdicts), "package")
            told = f"{many(len(self.taken), 'key')} taken, {held} of {count} held by it"
        self.told.setText(told)
        self.told.setToolTip(told)
        self.save.setEnabled(learned is not None and learned.sheet is not None)

    def _fill_keys(self) -> None:
        self.keys.blockSignals(True)
        self.keys.setRowCount(len(self.found))
        group = ""
        for i, f in enumerate(self.found):
            tick = QTableWidgetItem("")
            if f.value is not None:
                tick.setFlags(tick.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                tick.setCheckState(Qt.CheckState.Checked if f.key in self.taken else Qt.CheckState.Unchecked)
            self.keys.setItem(i, 0, tick)
            value = "not told" if f.value is None else str(f.value)
            mine = f.key.partition(".")[0]
            texts = (
                f.key if mine != group else f"   {f.key.partition('.')[2] or f.key}",
                value,
                f.evidence,
                f.sure,
            )
            for j, text in enumerate(texts, start=1):
                item = QTableWidgetItem(text)
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                item.setFont(
                    font(0, 600 if (j == 1 and mine != group) or (j == 2 and f.key in self.taken) else 400)
                )
                if f.value is None or f.sure == "undecided":
                    item.setForeground(colour("soft"))
                elif j == 4:
                    item.setForeground(colour("cleared" if f.sure == "sure" else "query"))
                item.setToolTip(f"{f.key}: {value}\n{f.evidence}\n{f.why}")
                self.keys.setItem(i, j, item)
            group = mine
        self.keys.blockSignals(False)

    def _fill_goods(self) -> None:
        examples = self.learned.examples if self.learned is not None else ()
        self.goods.setRowCount(len(examples))
        for i, e in enumerate(examples):
            rows = self.learned.verdicts.get(e.name, ()) if self.learned is not None else ()
            known = self.learned is not None and self.learned.sheet is not None
            verdict = max((r.verdict for r in rows), key=ORDER.index, default="cleared" if known else "")
            told = "; ".join(f"{r.title}: {r.delivering}" for r in rows) or ("as it asks" if known else "")
            verdict, told = (verdict, told) if e.models else ("held", e.problem)
            holder = QWidget()
            box = QHBoxLayout(holder)
            box.setContentsMargins(6, 0, 0, 0)
            box.addWidget(Mark(verdict, 15))
            self.goods.setCellWidget(i, 0, holder)
            for j, text in enumerate((e.folder.name, told), start=1):
                item = QTableWidgetItem(text)
                item.setFont(font())
                item.setToolTip(text)
                self.goods.setItem(i, j, item)

    def _ticked(self, item: QTableWidgetItem) -> None:
        if item.column() != 0 or self.learned is None or item.row() >= len(self.found):
            return
        key = self.found[item.row()].key
        (self.taken.add if item.checkState() == Qt.CheckState.Checked else self.taken.discard)(key)
        self._judge()

    def _judge(self) -> None:
        """The packages by the sheet as it stands now."""
        learned, taken, id_ = self.learned, frozenset(self.taken), self.id.text() or "learned"
        if learned is None:
            return

        def run(job: Job) -> Learned | str:
            try:
                return with_taken(learned, taken, id_, job=job)
            except CustomsError as problem:
                return str(problem)

        def done(found: Learned | str) -> None:
            if frozenset(self.taken) != taken:
                return
            if isinstance(found, Learned):
                self.learned = found
            self._show(found if isinstance(found, str) else "")
            if isinstance(found, str):
                self.save.setEnabled(False)

        self.session.worker.submit(
            Task(1, key="learn", title="Judging the packages", run=run, done=done, failed=self.session.fail)
        )

    def _save(self) -> None:
        learned, id_, folder = self.learned, self.id.text().strip(), sheets_folder()
        if learned is None or learned.sheet is None:
            return
        if id_ in sheet_texts(folder):
            self.told.setText(f"There is a sheet called {id_} already: give this one another name.")
            return
        try:
            text, _ = written_with(learned, self.taken, id_)
            write_whole(folder / f"{id_}.toml", text.encode())
        except (CustomsError, OSError) as problem:
            self.told.setText(str(problem))
            return
        self.session.set_sheet(id_)
        self._close()
