"""The page Mistakes: every kind of fault, tried on a copy, and what landing says of it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtWidgets import QTableWidgetItem, QWidget

from customs.errors import CustomsError
from customs.job import Job
from customs.later import later
from customs.work.kits import stands_in
from customs_desktop.office import Office
from customs_desktop.style.theme import colour, font
from customs_desktop.widgets.basics import button, label, lines_of, page_of
from customs_desktop.widgets.tables import listing
from customs_desktop.worker import Task

NONE = "nothing of the kind here"
landing = later("customs.landing.mistakes")


class MistakesPage(QWidget):
    """A row for each kind; the package and the kit are not touched."""

    def __init__(self, session: Office, told: Callable[[], object]) -> None:
        super().__init__()
        self.session, self._told = session, told
        self.answers: dict[str, str] = {}
        """What was said of each kind; nothing before the page is shown or anything is tried."""
        self.table = listing(["Mistake", "What the destination says"], "Mistakes", (240,))
        self.table.itemDoubleClicked.connect(lambda item: self.try_some([landing.MISTAKES[item.row()].id]))
        self.every = button("Try every kind", self.try_all, "chip")
        self.one = button("Try the chosen", self._chosen, "chip")
        head = lines_of(
            label("On a copy; nothing is touched.", "soft", -0.5),
            1,
            self.one,
            self.every,
        )
        head.setContentsMargins(10, 4, 10, 4)
        page_of(self, head, self.table)

    def showEvent(self, event: object) -> None:
        self._fill()

    @property
    def caught(self) -> int:
        """How many kinds were tried and refused."""
        return sum(a.startswith("refused") for a in self.answers.values())

    def clear(self) -> None:
        """Another asset, or another dispatch: nothing has been tried yet."""
        self.answers = dict.fromkeys(self.answers, "")
        if self.answers:
            self._fill()

    def try_all(self) -> None:
        """Every kind, one after another."""
        self.try_some([m.id for m in landing.MISTAKES])

    def _chosen(self) -> None:
        rows = sorted({i.row() for i in self.table.selectedIndexes()})
        self.try_some([landing.MISTAKES[r].id for r in rows])

    def try_some(self, ids: Sequence[str]) -> None:
        """Plant faults in copies, each in its own, and see that they are caught."""
        s = self.session
        folder, sheet, current = s.packages.get(s.current), s.sheet, s.current
        if folder is None:
            self.answers |= dict.fromkeys(ids, "dispatch first")
            self._fill()
            return
        kit = s.kit

        def run(job: Job) -> dict[str, str]:
            there = kit if stands_in(folder, kit) else None
            out = {}
            for k, id_ in enumerate(ids):
                job.check()
                job.progress(k / len(ids), id_)
                try:
                    lines = landing.tried(folder, id_, sheet, there)
                except (CustomsError, OSError) as problem:
                    out[id_] = str(problem)
                    continue
                if lines is None:
                    out[id_] = NONE
                else:
                    line = landing.telling(lines) if lines else None
                    out[id_] = f"refused: {line.file}: {line.text}" if line is not None else "not caught"
            return out

        def done(found: dict[str, str]) -> None:
            if s.current == current:
                self.answers |= found
                self._fill()

        s.worker.submit(Task(1, key="mistakes", title="Trying mistakes", run=run, done=done, failed=s.fail))

    def _fill(self) -> None:
        self._paint()
        self._told()

    def _paint(self) -> None:
        self.table.setRowCount(len(landing.MISTAKES))
        for i, m in enumerate(landing.MISTAKES):
            answer = self.answers.get(m.id, "")
            role = (
                "soft"
                if not answer.startswith(("refused", "not caught"))
                else "held"
                if answer == "not caught"
                else "cleared"
            )
            for j, text in enumerate((m.title, answer)):
                item = QTableWidgetItem(text)
                item.setFont(font(0, 600 if j == 0 else 400))
                item.setForeground(colour("ink" if j == 0 else role))
                item.setToolTip(text)
                self.table.setItem(i, j, item)
