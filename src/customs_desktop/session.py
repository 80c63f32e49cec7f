"""What the window works on: the open shipment, what is picked, and the answers of the core so far."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from customs.conventions.origin import Origin, parse_origin
from customs.errors import CustomsError
from customs.intake.take import Taken
from customs.landing.log import Log
from customs.ledger.row import Row
from customs.ledger.waiver import waiver
from customs.preferences import preferences
from customs.route.route import Route, SceneCache
from customs.scene.model import Scene
from customs.sheet.known import for_asset, known_of
from customs.sheet.load import sheet_digest
from customs.sheet.model import Sheet
from customs.shipment.file import Shipment
from customs.shipment.history import Decision
from customs.shipment.state import Asset, State, changed_places
from customs.surface.blocks.encode import close_workers
from customs.work.lookup import all_origins, find_sheet
from customs.work.requests.evaluate import Evaluated
from customs_desktop.painter import Painter
from customs_desktop.worker import Worker, explain

if TYPE_CHECKING:
    from customs.work.requests.land import Landed


class Session(QObject):
    """Signals tell what changed; views ask for the rest. `evaluated` names the asset that was looked at, `seen`
    says that it was the selected one. `asked` is what a person wants explained: a page of the guide, a section, a term.
    """

    opened = pyqtSignal()
    changed = pyqtSignal()
    expected = pyqtSignal()
    evaluated = pyqtSignal(str)
    seen = pyqtSignal()
    selected = pyqtSignal(str)
    picked = pyqtSignal(str)
    said = pyqtSignal(str, str)
    dispatched = pyqtSignal(str)
    landed = pyqtSignal(str)
    place = pyqtSignal(object)
    arrived = pyqtSignal(object)
    met = pyqtSignal(object)
    asked = pyqtSignal(str, str, str)

    def __init__(self) -> None:
        super().__init__()
        self.worker, self.painter = Worker(), Painter()
        self.shipment: Shipment | None = None
        self.sheet: Sheet = find_sheet("metre-yup-pbr")
        self.cache = SceneCache()
        self.results: dict[str, Evaluated] = {}
        self.taken: dict[str, Taken] = {}
        self.packages: dict[str, Path] = {}
        self.logs: dict[str, Log] = {}
        self.landed_scenes: dict[str, Scene] = {}
        self.landed_whole: dict[str, Landed] = {}
        self.coming: dict[object, str] = {}
        """Names of what is being read and is not among the goods yet, by who reads it."""
        self.at_close: list[Callable[[], None]] = []
        """What is let go of when no thread works any more."""
        self.current = ""
        self.stop: str | None = None
        self._before: tuple[Asset, ...] = ()
        # What shows the selected asset alone has nothing to do when another has been looked at.
        self.evaluated.connect(lambda id_: self.seen.emit() if id_ == self.current else None)
        self._origins: tuple[object, dict[str, Origin]] | None = None

    # -- shipments

    @property
    def state(self) -> State:
        """The shipment's state, or an empty one."""
        return self.shipment.state if self.shipment else NOTHING

    @property
    def asset(self) -> Asset | None:
        """The selected asset."""
        return self.state.asset(self.current)

    @property
    def kit(self) -> Path | None:
        """The kit folder of the destination, where it has one and a person has chosen it."""
        folder = self.state.kits.get(self.sheet.id, "") if self.sheet.goes_into_kit else ""
        return Path(folder).expanduser() if folder else None

    @property
    def mark(self) -> str:
        """Tells where the goods go: an answer for another destination, or another kit folder, is none."""
        return f"{sheet_digest(self.sheet)} {self.kit or ''}"

    @property
    def own_sheet(self) -> Sheet:
        """The destination's sheet as it stands for the selected asset: with its number, its file's name, its folders."""
        asset = self.asset
        return (
            self.sheet
            if asset is None
            else for_asset(self.sheet, known_of(self.sheet, asset.form, asset.source))
        )

    @property
    def result(self) -> Evaluated | None:
        """The selected asset as last evaluated."""
        return self.results.get(self.current)

    def open(self, path: Path, create: bool = False) -> None:
        """Open a shipment, or make one; the one that is open stays as it is."""
        if self.shipment is not None and not create and os.path.realpath(path) == str(self.shipment.path):
            self.said.emit("This shipment is open already.", "note")
            return
        self.guard(lambda: self.show_shipment(new_shipment(path) if create else Shipment(path)))

    def show_shipment(self, shipment: Shipment) -> None:
        """Work on another shipment from here on; the one before is closed."""
        if self.shipment is not None:
            self.shipment.close()
        self.shipment = shipment
        self.cache = SceneCache()
        for table in (
            self.results,
            self.taken,
            self.packages,
            self.logs,
            self.landed_scenes,
            self.landed_whole,
        ):
            table.clear()
        self.current, self.stop = "", None
        self._use_sheet(shipment.state.sheet)
        self.opened.emit()
        if shipment.lost:
            self.said.emit(shipment.lost, "query")
        elif not shipment.writable:
            self.said.emit(
                "Another copy of Customs has this shipment open: it is shown for reading only.", "query"
            )
        if shipment.state.goods:
            self.select(shipment.state.goods[0].id)
        self._changed()

    def _use_sheet(self, id_: str) -> None:
        try:
            self.sheet = find_sheet(id_)
        except CustomsError as problem:
            self.said.emit(f"{problem} The open PBR sheet is used meanwhile.", "held")
            self.sheet = find_sheet("metre-yup-pbr")

    def close(self) -> None:
        """Stop the threads and close the file."""
        self.worker.close()
        self.painter.close()
        for let_go in self.at_close:
            let_go()
        close_workers()
        if self.shipment is not None:
            self.shipment.close()
            self.shipment = None

    def expect(self, reader: object, name: str) -> None:
        """Something is being read, and has a row from now on; or no longer, for an empty name."""
        self.coming.pop(reader, None)
        if name:
            self.coming[reader] = name
        self.expected.emit()

    # -- decisions

    def edit(self, label: str, change: Callable[[State], State]) -> bool:
        """One decision. False (and said) when it cannot be kept."""
        if self.shipment is None:
            return False
        if self.guard(lambda: self._edit(label, change)):
            self._changed()
            return True
        return False

    def _edit(self, label: str, change: Callable[[State], State]) -> None:
        assert self.shipment is not None
        self.shipment.edit(label, change)

    def amend(self, change: Callable[[State], State]) -> bool:
        """Something that belongs to the last decision, and is undone with it."""
        shipment = self.shipment
        if shipment is None or not self.guard(lambda: shipment.refresh(change)):
            return False
        self._changed()
        return True

    def change_asset(self, label: str, change: Callable[[Asset], Asset], id_: str | None = None) -> bool:
        """One decision about one asset (the selected one unless named)."""
        asset = self.state.asset(id_ or self.current)
        if asset is None:
            return False
        return self.edit(f"{label}: {asset.name}", lambda s: s.with_asset(change(asset)))

    def change_route(self, label: str, change: Callable[[Route], Route], id_: str | None = None) -> bool:
        """One decision about the route of an asset."""
        return self.change_asset(label, lambda a: replace(a, stops=change(a.route).stops), id_)

    def set_stop(self, stop_id: str, **values: Any) -> bool:
        """Change settings of a stop; it counts as made by a person from then on."""

        return self.change_route("Change settings", lambda r: r.changed(stop_id, **values).by_person(stop_id))

    def set_step(self, step: str, **values: Any) -> bool:
        """Change the stop of a step, or add one."""
        asset = self.asset
        if asset is None:
            return False
        label = "Change settings" if asset.route.of_step(step) is not None else "Add a stop"
        return self.change_route(label, lambda r: r.set(step, values))

    def waive(self, row: Row, reason: str) -> bool:
        """Accept a query with a reason, or take the waiver back with an empty one."""

        def change(asset: Asset) -> Asset:
            rest = {k: w for k, w in asset.waivers.items() if k != row.id}
            return replace(asset, waivers=rest | ({row.id: waiver(row, reason)} if reason else {}))

        return self.change_asset("Waiver" if reason else "Waiver taken back", change)

    def undo(self) -> None:
        """Back by one decision."""
        self._step(lambda s: s.undo(), "Undone")

    def redo(self) -> None:
        """Forward by one decision."""
        self._step(lambda s: s.redo(), "Done again")

    def go_to(self, decision: Decision) -> None:
        """To the state after any decision of the history."""

        def move(shipment: Shipment) -> str:
            shipment.go(decision)
            return decision.label

        self._step(move, "As it was after")

    def _step(self, move: Callable[[Shipment], str | None], word: str) -> None:
        if self.shipment is None:
            return
        shipment = self.shipment
        label: list[str | None] = []
        if self.guard(lambda: label.append(move(shipment))) and label and label[0]:
            self._use_sheet(shipment.state.sheet)
            self.said.emit(f"{word}: {label[0]}", "note")
            self._changed()

    # -- origins

    def origins(self) -> dict[str, Origin]:
        """Origins by id: shipped, kept, kept with this shipment, and sheets."""
        if self._origins is None or self._origins[0] is not self.state.origins:
            self._origins = (self.state.origins, self._find_origins())
        return self._origins[1]

    def _find_origins(self) -> dict[str, Origin]:
        out = all_origins()
        for id_, table in self.state.origins.items():
            if id_ not in out:
                try:
                    out[id_] = parse_origin(dict(table), id_)
                except CustomsError:
                    continue
        return out

    # -- picking

    def select(self, id_: str) -> None:
        """Select an asset; its last stop is picked."""
        if id_ == self.current:
            return
        self.current, self.stop = id_, None
        self.selected.emit(id_)

    def pick(self, stop_id: str | None) -> None:
        """Pick a stop; None is the end of the route."""
        self.stop = stop_id
        self.picked.emit(stop_id or "")

    def show_place(self, row: Row) -> None:
        """Show where a row points."""
        self.place.emit(row.place)

    # -- within

    def _changed(self) -> None:
        asset = self.asset
        if asset is None:
            goods = self.state.goods
            self.current = goods[0].id if goods else ""
            self.stop = None
            self.selected.emit(self.current)
        elif self.stop is not None and all(s.id != self.stop or not s.on for s in asset.stops):
            self.stop = None
        self._forget_gone()
        self.changed.emit()

    def _forget_gone(self) -> None:
        """What was found out of goods that are no longer there goes too."""
        goods, before = self.state.goods, self._before
        self._before = goods
        there = len(goods) == len(before)
        if there and all(goods[k].id == before[k].id for k in changed_places(goods, before)):
            return
        for gone in set(self.results) - {a.id for a in goods}:
            self.results.pop(gone, None)

    def guard(self, action: Callable[[], object]) -> bool:
        """True when `action` went well; a problem of our own is said."""
        try:
            action()
        except CustomsError as problem:
            self.said.emit(str(problem), "held")
            return False
        return True

    def fail(self, problem: Exception) -> None:
        """Say why something went wrong."""
        self.said.emit(explain(problem), "held")


def new_shipment(path: Path) -> Shipment:
    """A shipment whose packages go where a person prefers. Raises ShipmentError."""
    return Shipment.create(path, State(out=preferences().out))


NOTHING = State()
