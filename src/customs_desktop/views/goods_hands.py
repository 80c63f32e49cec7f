"""What a person does to the goods in their list: renamed, duplicated, told as text, taken out; one of them or several."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QListView, QMenu

from customs.shipment.state import Asset
from customs.words import many
from customs.work.shipments import duplicated, goods_text, renamed
from customs_desktop.office import Office


class GoodsHands:
    """`rename` opens the name of an asset for typing."""

    def __init__(self, session: Office, view: QListView, rename: Callable[[Asset], object]) -> None:
        self.session, self.view, self._rename = session, view, rename

    @property
    def commands(self) -> tuple[tuple[str, Callable[[], object], str], ...]:
        """Commands for the menu Edit: name, what it does, its shortcut."""
        return (
            ("Rename …", self.rename, "Shift+F2"), ("Duplicate", self.duplicate, "Ctrl+Shift+U"),
            ("Copy as text", self.copy, "Ctrl+Shift+C"), ("Take out of the shipment", self.take_out, "Ctrl+Del"),
            ("Pick all goods", self.view.selectAll, "Ctrl+Shift+A"),
        )  # fmt: skip

    def picked(self) -> list[Asset]:
        """The goods that are picked, in their order; the selected one where none is."""
        selection = self.view.selectionModel()
        ids = (
            {i.data(Qt.ItemDataRole.UserRole).id for i in selection.selectedIndexes()}
            if selection is not None
            else set()
        )
        ids = ids or {self.session.current}
        return [a for a in self.session.state.goods if a.id in ids]

    def menu(self, place: QPoint) -> None:
        """The menu of the goods that are picked, or of the one at `place`."""
        asset = self.view.indexAt(place).data(Qt.ItemDataRole.UserRole)
        if not isinstance(asset, Asset):
            return
        picked = self.picked()
        goods = picked if any(a.id == asset.id for a in picked) else [asset]
        menu, s = QMenu(self.view), self.session
        entries: list[tuple[str, Callable[[], object]]] = [
            ("Plan route" if len(goods) == 1 else f"Plan {len(goods)} routes", lambda: s.plans.plan([a.id for a in goods])),
            ("Take again from its file", lambda: s.jobs.take_again(asset)),
            ("Rename …", lambda: self._rename(asset)),
            ("Duplicate", lambda: self.duplicate(goods)),
            ("Copy as text", lambda: self.copy(goods)),
            ("Take out of the shipment", lambda: self.take_out(goods)),
        ]  # fmt: skip
        done = dict[object, Callable[[], object]]()
        for name, action in entries:
            if len(goods) == 1 or name not in ("Take again from its file", "Rename …"):
                done[menu.addAction(name)] = action
        chosen = menu.exec(self.view.mapToGlobal(place))
        if chosen is not None:
            done[chosen]()

    def rename(self) -> None:
        """Type another name for the selected asset."""
        if self.session.asset is not None:
            self._rename(self.session.asset)

    def call(self, asset: Asset, name: str) -> None:
        """The asset has another name from now on."""
        self.session.edit(
            f"Rename {asset.name}: {' '.join(name.split())}", lambda s: renamed(s, asset.id, name)
        )

    def duplicate(self, goods: list[Asset] | None = None) -> None:
        """Each of them twice, with all that was decided about it; the second of the first one is selected."""
        wanted = goods or self.picked()
        new: list[str] = []

        def change(state):  # type: ignore[no-untyped-def]
            after, ids = duplicated(state, [a.id for a in wanted])
            new.extend(ids)
            return after

        if wanted and self.session.edit(f"Duplicate {_told(wanted)}", change):
            self.session.select(new[0])

    def copy(self, goods: list[Asset] | None = None) -> None:
        """The goods that are picked as a table in the clipboard."""
        wanted, results = goods or self.picked(), self.session.results
        clipboard = QGuiApplication.clipboard()
        if wanted and clipboard is not None:
            judged = [(a, r.ledger.verdict if (r := results.get(a.id)) and r.judged else "") for a in wanted]
            clipboard.setText(goods_text(judged))
            self.session.said.emit(f"{many(len(wanted), 'line')} copied.", "note")

    def take_out(self, goods: list[Asset] | None = None) -> None:
        """The goods that are picked go, as one decision; their files stay where they are."""
        wanted = goods or self.picked()
        if wanted:
            self.session.edit(f"Take out {_told(wanted)}", lambda s: s.without(*(a.id for a in wanted)))


def _told(goods: list[Asset]) -> str:
    return goods[0].name if len(goods) == 1 else many(len(goods), "asset")
