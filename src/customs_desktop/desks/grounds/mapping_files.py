"""Mappings as files: opened, saved, and figures of boxes taken in through one."""

from __future__ import annotations

from pathlib import Path
from typing import Any, Protocol

from PyQt6.QtWidgets import QFileDialog

from customs.errors import CustomsError
from customs.formats.figure.mapping import FigureMapping, read_figure_mapping
from customs.levels.mapping import Mapping, mapping_text, read_mapping
from customs.words import many
from customs.work.levels import Composed, composed_figure
from customs_desktop.jobs import Wanted
from customs_desktop.office import Office
from customs_desktop.worker import Task

FILTER = "Mappings (*.toml)"


class HasMapping(Protocol):
    """A page on which a mapping is made; `paths` are the files that are chosen."""

    session: Office
    paths: list[Path]

    def mapping(self) -> Mapping:
        """What is chosen. Raises ValueError."""

    def want(self, mapping: Mapping) -> None:
        """Show the choices of a mapping."""


def plain(problem: ValueError) -> str:
    """What a mapping still wants, in words."""
    errors = getattr(problem, "errors", None)
    first = errors()[0] if errors is not None else {"loc": (), "msg": str(problem)}
    where = str(first["loc"][-1]) if first["loc"] else ""
    text = str(first["msg"]).removeprefix("Value error, ")
    return f"The mapping wants {where + ': ' if where else ''}{text}."


class MappingFiles:
    """The page's mapping on the disk."""

    def __init__(self, page: Any) -> None:
        self.page: HasMapping = page
        self._widget = page

    def ask_open(self) -> None:
        """Ask which mapping to open."""
        name, _ = QFileDialog.getOpenFileName(self._widget, "Open a mapping", "", FILTER)
        if name:
            self.open(Path(name))

    def open(self, path: Path) -> None:
        """The choices of a mapping's file; through one of figures the files that are chosen are taken in as figures."""
        try:
            boxes = read_figure_mapping(path)
            if boxes is not None:
                self._figures(path, boxes)
            else:
                self._lists(path, read_mapping(path))
        except CustomsError as problem:
            self.page.session.fail(problem)

    def _lists(self, path: Path, mapping: Mapping) -> None:
        self.page.want(mapping)
        self.page.session.said.emit(f"{path.name} is the mapping", "note")

    def _figures(self, path: Path, mapping: FigureMapping) -> None:
        session = self.page.session
        if not self.page.paths:
            session.said.emit(
                f"{path.name} is a mapping of figures: choose their files under Lists first.", "query"
            )
            return
        paths = list(self.page.paths)

        def done(made: list[Composed]) -> None:
            session.jobs.take_models([Wanted(m.path, m.path.parent, dict(m.given)) for m in made], None)
            session.said.emit(f"{many(len(made), 'figure')} taken in through {path.name}", "note")

        session.worker.submit(
            Task(
                0, key="figures", title="Reading figures", run=lambda job: [composed_figure(p, mapping) for p in paths],
                done=done, failed=session.fail, apart=True,
            )
        )  # fmt: skip

    def ask_save(self) -> None:
        """Ask where the mapping goes."""
        page = self.page
        try:
            text = mapping_text(page.mapping())
        except ValueError as problem:
            page.session.said.emit(plain(problem), "query")
            return
        name, _ = QFileDialog.getSaveFileName(self._widget, "Save the mapping", "mapping.toml", FILTER)
        if name:
            self.save(Path(name), text)

    def save(self, path: Path, text: str) -> None:
        """Write a mapping."""
        try:
            path.write_text(text, "utf-8")
        except OSError as problem:
            self.page.session.said.emit(f"{path} cannot be written ({problem.strerror}).", "held")
            return
        self.page.session.said.emit(f"Saved {path.name}", "note")
