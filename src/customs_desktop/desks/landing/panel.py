"""The desk Landing: what the destination would say."""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QTableWidgetItem,
    QTreeWidget,
    QVBoxLayout,
    QWidget,
)

from customs.job import Job
from customs.landing.land import land
from customs.landing.log import Log
from customs.landing.mistakes import MISTAKES, plant
from customs_desktop.desk import DeskPanel
from customs_desktop.desks.landing.clips import LandedClips
from customs_desktop.desks.landing.fittings import LandedFittings
from customs_desktop.office import Office
from customs_desktop.style.theme import colour, colours, font, is_evening
from customs_desktop.views.shape_overlay import ShapeOverlay
from customs_desktop.views.twin import TwinView
from customs_desktop.widgets.basics import button, label, row
from customs_desktop.widgets.marks import Mark
from customs_desktop.widgets.tables import fill_tree, listing
from customs_desktop.worker import Task

LEVELS = {"note": "", "remark": "query", "refusal": "held"}


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
            for j, text in enumerate((f"{line.seconds:.3f}", line.verb, line.file, line.text), start=1):
                item = QTableWidgetItem(text)
                item.setFont(font(0, 600 if j == 2 else 400))
                item.setForeground(colour("soft" if j == 1 else "held" if line.level == "refusal" else "ink"))
                item.setToolTip(text)
                self.table.setItem(i, j, item)


class LandingPanel(DeskPanel):
    """Verdict, package tree with marks, and mistakes to try."""

    def __init__(self, session: Office, twin: TwinView) -> None:
        super().__init__("Landing", "what the destination would say")
        self.session, self.twin = session, twin
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
        self.tree.setColumnWidth(0, 176)
        self.tree.setIndentation(12)
        self.tree.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.tree.setMinimumHeight(150)
        self.add(self.tree)
        self.section("TRY A MISTAKE", self._mistakes_said)
        self.answers = {}
        for id_, name in MISTAKES:
            answer = label("", "soft", -0.5)
            self.answers[id_] = answer
            self.add(row(button(name, lambda i=id_: self.try_mistake(i), "chip"), 1, answer))
        self.add(label("On a copy; the package is not touched.", "soft", -0.5))
        self.finish()
        self.follow(session.selected, session.landed, session.changed, session.opened)
        self._told: tuple[str, bool, bool] | None = None
        self._log: Log | None = None
        self.refresh()

    def _package_said(self) -> str:
        log = self._log
        return log.folder.name if log is not None else ""

    def _mistakes_said(self) -> str:
        caught = sum(a.text().startswith("refused") for a in self.answers.values())
        return f"{caught} tried and caught" if caught else "none tried"

    def pages(self) -> list[tuple[str, QWidget]]:
        return [("Log", self.log_page)]

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
            there = {self.clip_fold: self.clips.any, self.fitting_fold: self.fittings.any}.get(fold, True)
            fold.setVisible(log is not None and there)
        self.arrange_soon()
        for answer in self.answers.values():
            answer.setText("")
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
            seconds = log.lines[-1].seconds if log.lines else 0.0
            self.about.setText(f"{log.refusals} refusals · {log.remarks} remarks · read in {seconds:.2f} s")
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
            item.setText(1, "refused" if path in bad else f"{size / 1000:,.0f} kB  ✓")
            item.setForeground(1, colour("held" if path in bad else "cleared"))

    def try_mistake(self, id_: str) -> None:
        """Plant a fault in a copy of the package and see that it is caught."""
        folder, sheet = self.session.packages.get(self.session.current), self.session.sheet
        if folder is None:
            self.answers[id_].setText("dispatch first")
            return

        def run(job: Job) -> str:
            with tempfile.TemporaryDirectory() as place:
                copy = Path(place) / folder.name
                shutil.copytree(folder, copy)
                done = plant(copy, id_)
                if not done:
                    return "nothing of the kind here"
                log = land(copy, lambda name: sheet)
                first = next((i for i, x in enumerate(log.lines) if x.level == "refusal"), None)
                return f"refused, line {first + 1}" if first is not None else "not caught"

        task = Task(
            1,
            title="Trying a mistake",
            run=run,
            done=self.answers[id_].setText,
            failed=lambda p: self.answers[id_].setText(str(p)),
        )
        self.session.worker.submit(task)
