"""What the sections by hand share: the choice of faces on what the right half shows, and the stop a press makes."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Any, Literal

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QPolygonF

from customs.work.by_hand import Chooser, Unit
from customs_desktop.office import Office
from customs_desktop.views.twin import TwinView
from customs_desktop.views.twin_hands import Pointed
from customs_desktop.worker import Task

if TYPE_CHECKING:
    from customs.picture.pick import Met

PLACED = "This is one of many placements. Settle them as copies first: by hand works on what stands as nodes."
Pointing = Literal["", "pick", "measure", "post"]


class Handwork(QObject):
    """A choice lives as long as the scene it was made on is shown. Emits `changed` whenever it is another one."""

    changed = pyqtSignal()

    def __init__(self, session: Office, twin: TwinView) -> None:
        super().__init__()
        self.session, self.twin = session, twin
        self.open = False
        self.pointing: Pointing = ""
        self.more = False
        self.unit: Unit = "part"
        self._chooser: Chooser | None = None
        session.met.connect(self._met)
        twin.lassoed.connect(self._lassoed)

    @property
    def chooser(self) -> Chooser | None:
        """The choice on the scene of the right half; a new one, with what still answers, where that has changed."""
        right = self.twin.right
        if right is None or self.twin.landing:
            return None
        if self._chooser is None or self._chooser.scene is not right.scene:
            old, self._chooser = self._chooser, Chooser(right.scene)
            if old is not None and old.count and old.scene.digest == right.scene.digest:
                self._chooser.like(old)
        return self._chooser

    @property
    def count(self) -> int:
        """Faces chosen, without looking at the scene."""
        right = self.twin.right
        known = self._chooser
        return known.count if known is not None and right is not None and known.scene is right.scene else 0

    def point(self, what: Pointing) -> None:
        """What pointing does from here on; one thing at a time."""
        self.pointing = what
        self.changed.emit()

    def lasso(self, on: bool) -> None:
        """The next line drawn in the view chooses what lies inside it."""
        self.twin.lasso = QPolygonF() if on else None

    def show(self) -> None:
        """The choice as marks in the view."""
        chooser = self._chooser
        marks = chooser.marks() if self.open and chooser is not None and self.count else {}
        if marks != self.twin.marks:
            self.twin.marks = marks
            self.twin.ask()
        self.changed.emit()

    def pointed_by(self, what: Pointing) -> Pointed | None:
        """Where a hand pointed in the right half, while pointing does `what`."""
        where = self.twin.pointed if self.open and self.pointing == what else None
        return where if where is not None and where.half == "right" else None

    def _met(self, found: Met | None) -> None:
        chooser = self.chooser if self.pointed_by("pick") is not None else None
        if chooser is None:
            return
        if found is None:
            chooser.none()
        elif not chooser.pick({str(found.prim.key)}, found.face, self.unit, self.more):
            self.session.said.emit(PLACED, "query")
        self.show()

    def _lassoed(self, outline: QPolygonF) -> None:
        chooser, rect = self.chooser if self.open else None, self.twin.areas().get("right")
        picture = self.twin.pictures.get("right")
        if chooser is None or rect is None or picture is None:
            return
        ring = [(point.x() - rect.x(), point.y() - rect.y()) for point in outline]
        chooser.lasso(picture.orbit, (max(int(rect.width()), 2), max(int(rect.height()), 2)), ring, self.more)
        self.show()

    @property
    def here(self) -> tuple[str, str | None]:
        """The asset and the stop that are looked at."""
        return self.session.current, self.session.stop

    def stop(
        self, label: str, step: str, values: Mapping[str, Any], where: tuple[str, str | None] | None = None
    ) -> bool:
        """A stop right after the one that is looked at, or that was (`where`); it is looked at from then on."""
        id_, at = where or self.here
        asset = self.session.state.asset(id_)
        if asset is None or (at is not None and at not in {s.id for s in asset.stops}):
            return False
        new = asset.route.new_id(step)
        if not self.session.change_route(label, lambda r: r.after(at, step, values), id_):
            return False
        if at is not None and (id_, at) == self.here:
            self.session.pick(new)
        return True

    def aside(self, key: str, title: str, run: Callable[[], Any], done: Callable[[Any], object]) -> None:
        """Work that takes longer than a turn of the window: a newer one of its `key` takes the place of what waits."""
        self.session.worker.submit(
            Task(
                0,
                key=key,
                title=title,
                run=lambda job: run(),
                done=done,
                failed=self.session.fail,
                apart=True,
            )
        )

    def kept(self) -> tuple[tuple[str, str], ...]:
        """The choice as a stop names it; nothing (and said) where none is made or it cannot be kept."""
        chooser, shipment, out = self.chooser, self.session.shipment, list[tuple[str, str]]()
        if chooser is None or shipment is None or not chooser.count:
            self.session.said.emit(
                "Choose faces first: press Pick and point at a part, or draw a lasso.", "query"
            )
            return ()
        self.session.guard(lambda: out.extend(chooser.kept(shipment.store)))
        return tuple(out)
