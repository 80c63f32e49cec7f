"""The desk Landing: what the destination would say."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QFileDialog,
    QHBoxLayout,
    QTableWidgetItem,
    QTreeWidget,
    QVBoxLayout,
    QWidget,
)

from customs.landing.destination_log import read_destination_log
from customs.landing.log import Log
from customs.ledger.row import requirements
from customs.words import byte_text, many
from customs_desktop.desk import DeskPanel
from customs_desktop.desks.landing.clips import LandedClips
from customs_desktop.desks.landing.fittings import LandedFittings
from customs_desktop.desks.landing.mistakes_page import MistakesPage
from customs_desktop.office import Office
from customs_desktop.style.theme import colour, colours, font, is_evening, span
from customs_desktop.views.shape_overlay import ShapeOverlay
from customs_desktop.views.twin import TwinView
from customs_desktop.widgets.basics import button, label, row
from customs_desktop.widgets.marks import Mark
from customs_desktop.widgets.tables import fill_tree, listing
from customs_desktop.worker import Task

LEVELS = {"note": "", "remark": "query", "refusal": "held"}


def title_of(requirement: str) -> str:
    """What the ledger calls a requirement that a sheet's pattern names."""
    known = requirements().get(requirement)
    return known.title if known is not None else requirement


class LogPage(QWidget):
    """The landing log, line by line."""

    def __init__(self) -> None:
        super().__init__()
        self.table = listing(["", "Seconds", "", "File", "What it says"], "Landing log", (34, 66, 84, 190))
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.table)

    def show_log(self, log: Log | None) -> None:
        """Show a log, refusals first seen by their marks."""
        lines = log.lines if log else []
        self.table.setRowCount(len(lines))
        for i, line in enumerate(lines):
            verdict = "cleared" if line.verb == "accepts" else LEVELS[line.level]
            if verdict:
                holder = QWidget()
                box = QHBoxLayout(holder)
                box.setContentsMargins(9, 0, 0, 0)
                box.addWidget(Mark(verdict, 15))
                self.table.setCellWidget(i, 0, holder)
            else:
                self.table.removeCellWidget(i, 0)
            said = f"{line.text}  → {title_of(line.row)}" if line.row else line.text
            for j, text in enumerate((f"{line.seconds:.3f}", line.verb, line.file, said), start=1):
                item = QTableWidgetItem(text)
                item.setFont(font(0, 600 if j == 2 else 400))
                item.setForeground(colour("soft" if j == 1 else "held" if line.level == "refusal" else "ink"))
                item.setToolTip(text)
                self.table.setItem(i, j, item)
        first = next((i for i, line in enumerate(lines) if line.verb == "said"), -1)
        if first >= 0:
            # The table knows its rows' places a turn later.
            top = QAbstractItemView.ScrollHint.PositionAtTop
            QTimer.singleShot(0, lambda: self.table.scrollToItem(self.table.item(first, 4), top))


class LandingPanel(DeskPanel):
    """Verdict, package tree with marks, and mistakes to try."""

    def __init__(self, session: Office, twin: TwinView) -> None:
        super().__init__("Landing", "what the destination would say")
        self.session, self.twin = session, twin
        self._told: tuple[str, bool, bool] | None = None
        self._log: Log | None = None
        self._landed_at = 0.0
        self.log_page = LogPage()
        self.shapes = ShapeOverlay()
        self.card = QWidget()
        self.card.setObjectName("verdict")
        self.mark, self.word, self.about = Mark("", 22), label("", "", 4, 700), label("", "", -0.5, wrap=True)
        box = QVBoxLayout(self.card)
        box.setContentsMargins(12, 9, 12, 9)
        box.addWidget(row(self.mark, self.word, 1))
        box.addWidget(self.about)
        self.add(self.card)
        self.again = button("Land again", lambda: session.jobs.land(session.current))
        self.go = button("To the desk Dispatch", lambda: self.desk_wanted.emit("dispatch"), "main", "stamp")
        self.add(row(self.again, self.go, 1))
        self.clips = LandedClips(session, twin)
        self.player = self.clips.player
        self.clip_fold = self.section("CLIPS AS LANDED", lambda: self.clips.choice.currentText())
        self.add(self.clips)
        self.fittings = LandedFittings(session, twin)
        self.fitting_fold = self.section("FITTINGS AS LANDED", self.fittings.said)
        self.add(self.fittings)
        self.section("PACKAGE", self._package_said)
        self.tree = QTreeWidget()
        self.tree.setAccessibleName("Landed package")
        self.tree.setHeaderHidden(True)
        self.tree.setColumnCount(2)
        self.tree.setColumnWidth(0, span(176, 0.5))
        self.tree.setIndentation(12)
        self.tree.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.tree.setMinimumHeight(150)
        self.add(self.tree)
        self.log_fold = self.section("THE DESTINATION'S LOG", self._said_said)
        self.said = label("", "soft", -0.5, wrap=True)
        self.read = button(
            "Read a log …",
            self._read_log,
            "",
            "",
            "A log the destination itself wrote: its lines are put beside the file and row they concern",
        )
        self.add(row(self.read, 1))
        self.add(self.said)
        self.mistakes = MistakesPage(session, self._show_tried)
        self.section("TRY A MISTAKE", self._mistakes_said)
        self.tried = label("", "soft", -0.5, wrap=True)
        self.try_all = button("Try every kind", self.mistakes.try_all)
        self.add(row(self.try_all, 1))
        self.add(self.tried)
        self.finish()
        self.follow(session.selected, session.landed, session.changed, session.opened)
        self.refresh()

    def _package_said(self) -> str:
        log = self._log
        return log.folder.name if log is not None else ""

    def _mistakes_said(self) -> str:
        caught = self.mistakes.caught
        return f"{caught} tried and caught" if caught else "none tried"

    def _show_tried(self) -> None:
        answers = list(self.mistakes.answers.values())
        done = [a for a in answers if a.startswith(("refused", "not caught"))]
        if done:
            missed = sum(a == "not caught" for a in done)
            self.tried.setText(
                f"{len(done)} kinds planted, {len(done) - missed} caught. The page Mistakes says by what."
            )
        else:
            self.tried.setText("Plants faults in a copy, and shows that they are caught.")

        self.arrange_soon()

    def _said_said(self) -> str:
        log = self._log
        lines = sum(x.verb == "said" for x in log.lines) if log is not None else 0
        return many(lines, "line") if lines else "none read"

    def _read_log(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, "A log the destination wrote", "", "Logs (*.log *.txt);;All files (*)"
        )
        if name:
            self.read_log(Path(name))

    def read_log(self, path: Path) -> None:
        """Add the lines of a destination's own log that concern the selected package."""
        s = self.session
        folder, known, current, sheet = s.packages.get(s.current), s.logs.get(s.current), s.current, s.sheet
        if folder is None or known is None:
            return
        log = Log(folder, [x for x in known.lines if x.verb != "said"], known.started)

        def done(others: int) -> None:
            s.logs[current] = log
            mine = sum(x.verb == "said" for x in log.lines)
            self.said.setText(
                f"{path.name}: {many(mine, 'line')} about this package, {others:,} about others."
            )
            s.landed.emit(current)

        s.worker.submit(
            Task(
                1,
                title="Reading a log",
                run=lambda job: read_destination_log(path, folder, sheet, log),
                done=done,
                failed=s.fail,
            )
        )

    def pages(self) -> list[tuple[str, QWidget]]:
        return [("Log", self.log_page), ("Mistakes", self.mistakes)]

    def opened(self) -> None:
        self.twin.set_landing(True)
        self.twin.set_overlay(self.shapes)
        self.clips.set_open(True)
        self.fittings.set_open(True)

    def left(self) -> None:
        self.clips.set_open(False)
        self.fittings.set_open(False)
        self.twin.show_poses({}, False)
        self.twin.set_overlay(None)
        self.twin.set_landing(False)

    def refresh(self, *_: object) -> None:
        """Show the log of the selected asset."""
        log = self.session.logs.get(self.session.current)
        self.log_page.show_log(log)
        self.clips.refresh()
        self.fittings.refresh()
        self._show(log)

    def _show(self, log: Log | None) -> None:
        """The files of a package are looked through once for each log, not at every decision."""
        there = self.session.current in self.session.packages
        told = (self.session.current, there, is_evening())
        if told == self._told and log is self._log:
            return
        self._told, self._log = told, log
        self.again.setVisible(there)
        self.go.setVisible(not there)
        for fold in self.folds:
            asked = {
                self.clip_fold: self.clips.any,
                self.fitting_fold: self.fittings.any,
                self.log_fold: bool(self.session.sheet.log),
            }
            fold.setVisible(log is not None and asked.get(fold, True))
        self.arrange_soon()
        if log is None or log.started != self._landed_at:
            self._landed_at = log.started if log is not None else 0.0
            self.mistakes.clear()
        if log is None or not any(x.verb == "said" for x in log.lines):
            self.said.setText("")
        c = colours()
        good = log is not None and log.accepted
        ground = c.cleared_soft if good else c.card
        edge = c.cleared if good else c.rule if log is None else c.held
        self.card.setStyleSheet(
            f"#verdict {{ background: {ground}; border: 1px solid {edge}; border-radius: 4px; }}"
        )
        if log is None:
            self.mark.show_verdict("")
            self.word.setText("Nothing landed")
            self.about.setText("Dispatch this asset; its package is then read here.")
        else:
            self.mark.show_verdict("cleared" if good else "held")
            self.word.setText("Accepted" if good else "Refused")
            seconds = max((x.seconds for x in log.lines if x.verb != "said"), default=0.0)
            self.about.setText(
                f"{many(log.refusals, 'refusal')} · {many(log.remarks, 'remark')} · read in {seconds:.2f} s"
            )
        self._show_tree(log)

    def _show_tree(self, log: Log | None) -> None:
        self.tree.clear()
        if log is None or not log.folder.is_dir():
            return
        files = sorted(p.relative_to(log.folder).as_posix() for p in log.folder.rglob("*") if p.is_file())
        kinds = [(f, "texture" if f.endswith((".png", ".jpg", ".tga")) else "") for f in files]
        items = fill_tree(self.tree, log.folder.name, kinds)
        bad = {line.file for line in log.lines if line.level == "refusal"}
        for path, item in items.items():
            size = (log.folder / path).stat().st_size
            item.setText(1, "refused" if path in bad else f"{byte_text(size)}  ✓")
            item.setForeground(1, colour("held" if path in bad else "cleared"))
