"""The menu Shipment: what is opened, copied, handed on as one file, and taken in."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog, QMenu, QWidget

from customs.errors import ShipmentError
from customs.job import Job
from customs.shipment.copies import PACKED, Unpacked, save_copy
from customs.shipment.file import Shipment
from customs.words import byte_text
from customs.work.shipments import forget_recent, is_packed, keep_recent, pack_up, recent, unpack_here
from customs_desktop.desk import Command
from customs_desktop.office import Office
from customs_desktop.worker import Task

KIND = "Shipments (*.customs)"
ONE_FILE = f"Shipments in one file (*{PACKED})"


class Shipments:
    """What the menu does; each `…` asks for a file first."""

    def __init__(self, session: Office, parent: QWidget) -> None:
        self.session, self.parent = session, parent
        session.opened.connect(self._opened)

    @property
    def commands(self) -> tuple[tuple[Command, ...], ...]:
        """Groups of commands for the menu."""
        s = self.session
        return (
            (("New shipment …", self.new, "Ctrl+N"), ("Open shipment …", self.choose, "Ctrl+O"),
             ("Open the demo", s.open_demo, "Ctrl+Shift+D")),
            (("Save a copy …", self.save_copy, "Ctrl+Shift+S"), ("Pack into one file …", self.pack, ""),
             ("Unpack one file …", self.unpack, "")),
            (("Take in files …", self.take_files, "Ctrl+I"), ("Look again at all goods", lambda: s.looks.again(), "F5")),
        )  # fmt: skip

    # -- opening

    def new(self) -> None:
        """Start a new one."""
        name, _ = QFileDialog.getSaveFileName(self.parent, "New shipment", "", KIND)
        if name:
            self.session.open(Path(name).with_suffix(".customs"), create=True)

    def choose(self) -> None:
        """Open one."""
        name, _ = QFileDialog.getOpenFileName(self.parent, "Open shipment", "", f"{KIND};;{ONE_FILE}")
        if name:
            self.open(Path(name))

    def open(self, path: Path) -> None:
        """Open a shipment; one in one file is unpacked first, to where a person says."""
        if is_packed(path):
            self.unpack(path)
        else:
            self.session.open(path)

    def drop(self, paths: Sequence[Path]) -> None:
        """What was dropped: a shipment is opened, anything else taken in with the last origin."""
        if len(paths) == 1 and _is_shipment(paths[0]):
            self.open(paths[0])
        elif paths:
            self.session.arrived.emit(list(paths))

    def take_over(self, paths: Sequence[Path]) -> bool:
        """Files another start was asked to open: models are taken in here, a shipment is shown where it is the open one or
        none is. False leaves them to a window of their own.
        """
        ours = self.session.shipment.path if self.session.shipment is not None else None
        shipments = [p for p in paths if _is_shipment(p)]
        if shipments and (len(paths) > 1 or ours not in (None, shipments[0].resolve())):
            return False
        if not shipments or ours is None:
            self.drop(paths)
        window = self.parent
        window.setWindowState(window.windowState() & ~Qt.WindowState.WindowMinimized)
        window.raise_()
        window.activateWindow()
        return True

    def fill_recent(self, menu: QMenu) -> None:
        """Shipments opened last, by name, as they are now."""
        menu.clear()
        found = recent()
        for path in found:
            action = menu.addAction(f"{path.stem}   ·   {path.parent}")
            assert action is not None
            action.triggered.connect(lambda _=False, p=path: self.session.open(p))
        if not found:
            nothing = menu.addAction("None yet")
            assert nothing is not None
            nothing.setEnabled(False)
            return
        menu.addSeparator()
        forget = menu.addAction("Forget these")
        assert forget is not None
        forget.triggered.connect(lambda _=False: forget_recent())

    def _opened(self) -> None:
        if self.session.shipment is not None:
            keep_recent(self.session.shipment.path)

    def take_files(self) -> None:
        """Choose models and take them in with the chosen origin."""
        names, _ = QFileDialog.getOpenFileNames(self.parent, "Take in files")
        if names:
            self.session.arrived.emit([Path(n) for n in names])

    # -- copies

    def save_copy(self, target: Path | None = None) -> None:
        """The shipment with its sources under another name; the open one stays open."""
        shipment = self._open_one()
        if shipment is None:
            return
        target = target or self._free_place(
            "Save a copy", shipment.path.with_stem(f"{shipment.path.stem} copy")
        )
        if target is not None:
            self._work(
                "Copying the shipment", target, lambda job: self._copied(shipment, target, job), self._told
            )

    @staticmethod
    def _copied(shipment: Shipment, target: Path, job: Job) -> str:
        save_copy(shipment, target, job)
        return f"A copy with its sources is kept as {target}."

    def pack(self, target: Path | None = None) -> None:
        """The shipment with its sources as one file to hand on."""
        shipment = self._open_one()
        if shipment is None:
            return
        if target is None:
            # A file that is there is asked about by the window that asks for the name.
            usual = str(shipment.path.with_suffix(PACKED))
            name, _ = QFileDialog.getSaveFileName(self.parent, "Pack into one file", usual, ONE_FILE)
            if not name:
                return
            target = Path(f"{name.removesuffix('.zip').removesuffix('.customs')}{PACKED}")
        place = target

        def run(job: Job) -> str:
            return f"{place.name}: the shipment with its sources, {byte_text(pack_up(shipment, place, job))}."

        self._work("Packing the shipment", place, run, self._told)

    def unpack(self, archive: Path | None = None, target: Path | None = None) -> None:
        """A shipment in one file laid out beside it, or where a person says, and opened."""
        if archive is None:
            name, _ = QFileDialog.getOpenFileName(self.parent, "Unpack one file", "", ONE_FILE)
            archive = Path(name) if name else None
        if archive is None:
            return
        source = archive
        stem = source.name[: -len(PACKED)] if is_packed(source) else source.stem
        place = target or self._free_place("Unpack as", source.with_name(f"{stem}.customs"))
        if place is None:
            return

        def done(found: tuple[Unpacked, str]) -> None:
            self.session.open(place)
            if found[1]:
                self.session.said.emit(found[1], "query")

        self._work("Unpacking the shipment", place, lambda job: unpack_here(source, place, job), done)

    def _free_place(self, title: str, usual: Path) -> Path | None:
        """A shipment's name that a person types; one that is taken is told afterwards, and never written over."""
        free = QFileDialog.Option.DontConfirmOverwrite
        name, _ = QFileDialog.getSaveFileName(self.parent, title, str(usual), KIND, options=free)
        return Path(name).with_suffix(".customs") if name else None

    def _open_one(self) -> Shipment | None:
        shipment = self.session.shipment
        if shipment is None:
            self.session.fail(ShipmentError("none is open", "an open shipment", "Open one, or start a new one."))  # fmt: skip
        return shipment

    def _told(self, text: str) -> None:
        self.session.said.emit(text, "note")

    def _work(
        self, title: str, place: Path, run: Callable[[Job], Any], done: Callable[[Any], object]
    ) -> None:
        """In the background; two that write to different places are both done."""
        task = Task(0, key=f"to {place}", title=title, run=run, done=done, failed=self.session.fail)
        self.session.worker.submit(task)


def _is_shipment(path: Path) -> bool:
    return path.suffix == ".customs" or is_packed(path)
