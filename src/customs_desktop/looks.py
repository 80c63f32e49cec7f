"""Looking at goods: every asset is evaluated as it stands, the selected one first, and what comes of it is
kept in the session.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from PyQt6.QtCore import QObject, pyqtSignal

from customs.errors import Cancelled
from customs.job import Job
from customs.ledger.ledger import Ledger
from customs.shipment.state import Asset, changed_places
from customs.work.judged import Judged
from customs.work.requests.evaluate import Evaluated, asked_of, run_evaluate
from customs.work.today import put_in_today
from customs_desktop.session import Session
from customs_desktop.worker import Task

FIRST, LATER = 4, 6
"""Ranks of the selected asset and of others."""


class Looks(QObject):
    """Asks for whatever has changed, each time the session says so."""

    looked = pyqtSignal(object, str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._asked: dict[str, tuple[Asset, str]] = {}
        self._before: tuple[tuple[Asset, ...], str] = ((), "")
        self._opening: object = None
        """The shipment whose kept verdicts are being read: until they are shown only the selected asset is looked at."""
        self._left: dict[str, object] = {}
        """Ids of what is about to be planned, and by whom: planning looks at it on its way."""
        self.looked.connect(self._looked)
        session.opened.connect(self._opened)
        session.changed.connect(self.ask)
        session.selected.connect(self._selected)

    def again(self, ids: Iterable[str] | None = None) -> None:
        """Look at everything again, or at some assets (a source may have changed on disk)."""
        for id_ in list(self._asked) if ids is None else ids:
            self._asked.pop(id_, None)
        # Nothing has been decided, and yet they are to be asked about.
        self._before = ((), "")
        self.ask()

    def fresh(self, result: Evaluated) -> bool:
        """True when a result is of the asset as it stands, and of the destination that is chosen."""
        asset = self.session.state.asset(result.asset.id)
        return asset is result.asset and self._asked.get(result.asset.id) == (
            asset,
            self.session.mark,
        )

    def ask(self) -> None:
        """Ask for every asset not evaluated as it is now."""
        if self.session.shipment is None or self._opening:
            return
        digest, goods = self.session.mark, self.session.state.goods
        # One that has gone may come back as the very same asset: then it is asked about again.
        if len(self._asked) > len(goods):
            for gone in set(self._asked) - {a.id for a in goods}:
                del self._asked[gone]
        # Of a thousand goods a decision changes one; all are gone through where anything else has changed.
        before, self._before = self._before, (goods, digest)
        same = bool(self._asked) and before[1] == digest and len(before[0]) == len(goods)
        for asset in [goods[k] for k in changed_places(goods, before[0])] if same else goods:
            self._ask(asset, digest)

    def give(self, result: Evaluated, digest: str) -> None:
        """What planning found on its way, for the sheet of that digest: the asset is not looked at again."""
        if result.taken is not None:
            self.session.taken[result.asset.digest] = result.taken
        self._asked[result.asset.id] = (result.asset, digest)
        self.session.results[result.asset.id] = result

    def show(self, seen: Evaluated, digest: str, job: Job) -> None:
        """What has been found so far, shown from any thread. The first picture of what is picked is drawn before
        anything else is worked on for it: a software driver needs the cores.
        """
        known = self.session.results.get(seen.asset.id)
        first = seen.asset.id == self.session.current and (known is None or not known.passed)
        self.looked.emit(seen, digest)
        if first and seen.passed:
            self.session.painter.let_draw(job)

    def leave(self, ids: Iterable[str], planner: object) -> None:
        """Leave these alone until `planner` is done with them."""
        self._left |= dict.fromkeys(ids, planner)

    def is_left(self, id_: str) -> bool:
        """True while somebody is about to plan it."""
        return id_ in self._left

    def take_up(self, id_: str, planner: object) -> bool:
        """What was left to `planner` is looked at again whenever it changes. False where it was not, or is
        left to another by now.
        """
        if id_ not in self._left or self._left[id_] is not planner:
            return False
        del self._left[id_]
        self._before = ((), "")
        return True

    # -- within

    def _selected(self, id_: str) -> None:
        for what in ("look", "plan"):
            self.session.worker.hasten(f"{what} {id_}", FIRST)
        asset = self.session.asset
        # One whose look was cancelled is looked at when it is selected again.
        if asset is not None and self.session.shipment is not None:
            self._ask(asset, self.session.mark)

    def _opened(self) -> None:
        """Verdicts of the time before are shown at once; after that each asset is looked at closely."""
        s = self.session
        self._asked.clear()
        self._left.clear()
        assert s.shipment is not None
        shipment, goods, sheet = s.shipment, s.state.goods, s.sheet
        judged = Judged(shipment.store)

        def run(job: Job) -> dict[str, Ledger]:
            judged.sweep()
            found = ((a, judged.glimpse(a, sheet)) for a in goods)
            return {a.id: ledger for a, ledger in found if ledger is not None}

        def closely() -> None:
            if self._opening is shipment:
                self._opening = None
                self._before = ((), "")
                self.ask()

        def failed(problem: Exception) -> None:
            s.fail(problem)
            closely()

        def done(ledgers: dict[str, Ledger]) -> None:
            if s.shipment is not shipment or s.sheet is not sheet:
                closely()
                return
            new = {
                a.id: Evaluated(a, None, (), ledgers[a.id], recalled=True)
                for a in goods
                if a.id in ledgers and a.id not in s.results
            }
            s.results |= new
            # Said once: a thousand are shown in one go.
            if new:
                s.evaluated.emit(s.current if s.current in new else next(iter(new)))
            closely()

        self._opening = shipment if goods else None
        if goods:
            s.worker.submit(Task(0, title="Opening", run=run, done=done, failed=failed))

    def _ask(self, asset: Asset, digest: str) -> None:
        known, s = self._asked.get(asset.id), self.session
        if known is not None and known[0] is asset and known[1] == digest:
            return
        before = s.results.get(asset.id)
        if known is not None and known[1] == digest and before is not None and before.judged:
            if before.asset is known[0] and replace(known[0], plan=asset.plan) == asset:
                # What is drawn on a floor plan changes no verdict.
                self._asked[asset.id] = (asset, digest)
                s.results[asset.id] = replace(before, asset=asset)
                return
        if known is not None and known[1] != digest and before is not None and before.whole:
            # Verdicts by another sheet are none by this one; the scenes may still be looked at.
            s.results[asset.id] = replace(before, ledger=Ledger(()), whole=False)
        if asset.id in self._left:
            # Gone back to before it was planned, it is asked about again: its verdicts have been taken away.
            self._asked.pop(asset.id, None)
            return
        self._asked[asset.id] = (asset, digest)
        assert s.shipment is not None
        store, sheet, cache, taken = s.shipment.store, s.sheet, s.cache, s.taken.get(asset.digest)
        kit = s.kit

        def run(job: Job) -> Evaluated:
            return run_evaluate(
                asked_of(asset, store, sheet, kit),
                cache,
                taken,
                job,
                lambda seen: self.show(seen, digest, job),
            )

        def done(result: Evaluated) -> None:
            if self._asked.get(asset.id) != (asset, digest):
                return
            if result.taken is not None:
                s.taken[asset.digest] = result.taken
            s.results[asset.id] = self._brought_up(result)
            s.evaluated.emit(asset.id)

        def failed(problem: Exception) -> None:
            if isinstance(problem, Cancelled) and self._asked.get(asset.id) == (asset, digest):
                del self._asked[asset.id]
            s.fail(problem)

        rank = FIRST if asset.id == s.current else LATER
        title = f"Looking at {asset.name}"
        s.worker.submit(
            Task(rank, key=f"look {asset.id}", title=title, run=run, done=done, failed=failed, apart=True)
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

    def _looked(self, result: Evaluated, digest: str) -> None:
        """The route has been run and is not judged to the end yet: enough for a first picture, and rows as
        they come.
        """
        s, id_ = self.session, result.asset.id
        if s.state.asset(id_) is not result.asset or digest != s.mark:
            return
        known = s.results.get(id_)
        if known is not None and known.judged:
            if known.asset is result.asset and not known.passed:
                # Opened just now: its scenes, and the verdicts it had when it was closed.
                result = replace(result, ledger=known.ledger, whole=True, recalled=True)
            elif known.asset is result.asset or not result.ledger.filled:
                # Most are judged in no time: what is shown stays until then.
                return
        s.results[id_] = result
        s.evaluated.emit(id_)
