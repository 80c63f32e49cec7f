"""Looking at goods: every asset is evaluated as it stands, the selected one first, and what comes of it is
kept in the session.
"""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QObject, pyqtSignal

from customs.job import Job
from customs.sheet.load import sheet_digest
from customs.shipment.state import Asset, changed_places
from customs.work.requests.evaluate import Evaluated, asked_of, run_evaluate
from customs.work.today import put_in_today
from customs_desktop.session import Session
from customs_desktop.workers import Task


class Looks(QObject):
    """Asks for whatever has changed, each time the session says so."""

    looked = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._asked: dict[str, tuple[Asset, str]] = {}
        self._before: tuple[tuple[Asset, ...], str] = ((), "")
        self.looked.connect(self._looked)
        session.opened.connect(self._asked.clear)
        session.changed.connect(self.ask)
        session.selected.connect(lambda _: self.ask())

    def again(self) -> None:
        """Look at everything again (a source may have changed on disk)."""
        self._asked.clear()
        self.ask()

    def fresh(self, result: Evaluated) -> bool:
        """True when a result is of the asset as it stands, and of the destination that is chosen."""
        asset = self.session.state.asset(result.asset.id)
        return asset is result.asset and self._asked.get(result.asset.id) == (
            asset,
            sheet_digest(self.session.sheet),
        )

    def ask(self) -> None:
        """Ask for every asset not evaluated as it is now."""
        if self.session.shipment is None:
            return
        digest, goods = sheet_digest(self.session.sheet), self.session.state.goods
        # One that has gone may come back as the very same asset: then it is asked about again.
        if len(self._asked) > len(goods):
            for gone in set(self._asked) - {a.id for a in goods}:
                del self._asked[gone]
        # Of a thousand goods a decision changes one; all are gone through where anything else has changed.
        before, self._before = self._before, (goods, digest)
        same = bool(self._asked) and before[1] == digest and len(before[0]) == len(goods)
        for asset in [goods[k] for k in changed_places(goods, before[0])] if same else goods:
            known = self._asked.get(asset.id)
            if known is None or known[0] is not asset or known[1] != digest:
                self._asked[asset.id] = (asset, digest)
                self._ask(asset, digest)

    def _ask(self, asset: Asset, digest: str) -> None:
        s = self.session
        assert s.shipment is not None
        store, sheet, cache, taken = s.shipment.store, s.sheet, s.cache, s.taken.get(asset.digest)

        def run(job: Job) -> Evaluated:
            return run_evaluate(asked_of(asset, store, sheet), cache, taken, job, self.looked.emit)

        def done(result: Evaluated) -> None:
            if self._asked.get(asset.id) != (asset, digest):
                return
            if result.taken is not None:
                s.taken[asset.digest] = result.taken
            s.results[asset.id] = self._brought_up(result)
            s.evaluated.emit(asset.id)

        rank = 4 if asset.id == s.current else 6
        s.worker.submit(
            Task(
                rank,
                key=f"look {asset.id}",
                title=f"Looking at {asset.name}",
                run=run,
                done=done,
                failed=s.fail,
            )
        )

    def _brought_up(self, result: Evaluated) -> Evaluated:
        """What earlier editions kept is put in today's terms at the first look: no decision, so nothing to
        undo.
        """
        asset, shipment = put_in_today(result), self.session.shipment
        if asset is result.asset or shipment is None or not shipment.writable:
            return result
        if self.session.guard(lambda: shipment.refresh(lambda s: s.with_asset(asset))):
            self._asked[asset.id] = (asset, self._asked[asset.id][1])
            return replace(result, asset=asset)
        return result

    def _looked(self, result: Evaluated) -> None:
        """The route has been run and is not judged yet: enough for a first picture."""
        known = self._asked.get(result.asset.id)
        if known is not None and known[0] is result.asset and result.asset.id not in self.session.results:
            self.session.results[result.asset.id] = result
            self.session.evaluated.emit(result.asset.id)
