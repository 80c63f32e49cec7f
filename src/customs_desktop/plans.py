"""Planning routes: one task an asset, the selected one first, each shown as it comes; together one decision."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from customs.errors import Cancelled
from customs.job import Job
from customs.shipment.file import Shipment
from customs.shipment.state import Asset, State
from customs.work.requests.evaluate import Evaluated, asked_of
from customs.work.requests.plan import PlanRequest, run_plan
from customs.work.today import put_in_today
from customs_desktop.looks import FIRST, LATER, Looks
from customs_desktop.session import Session
from customs_desktop.worker import Task


class Decision:
    """A decision whose parts come one after another: what comes while nothing else has been decided is added
    to it, so that all is undone at once; else it begins anew under the same name.

    `place` is that of the shipment where it has begun already.
    """

    def __init__(self, session: Session, label: str, place: int | None = None) -> None:
        self._session, self._label, self._place = session, label, place

    def add(self, change: Callable[[State], State]) -> bool:
        """One part more. False (and said) when it cannot be kept."""
        shipment = self._session.shipment
        if shipment is None:
            return False
        if self._place is not None and shipment.place == self._place:
            return self._session.amend(change)
        kept = self._session.edit(self._label, change)
        self._place = shipment.place
        return kept


class Plans:
    """Puts planning in line for a session."""

    def __init__(self, session: Session, looks: Looks) -> None:
        self._session, self._looks = session, looks
        self._latest: dict[str, tuple[Task, str]] = {}
        """What plans an asset, and for which destination, by the asset's id."""

    def plan(self, ids: Sequence[str], label: str = "Plan route", place: int | None = None) -> None:
        """Plan the routes of some assets, as one decision, or as a part of the one made at `place`: then an
        asset that a person changes meanwhile is planned as it is by then, else it stays as it was left.
        """
        shipment = self._session.shipment
        wanted = set(ids)
        assets = [a for a in self._session.state.goods if a.id in wanted]
        if shipment is None or not assets:
            return
        what = assets[0].name if len(assets) == 1 else f"{len(assets)} goods"
        decision = Decision(self._session, f"{label}: {what}", place)
        for asset in assets:
            self._plan(asset, decision, shipment, again=place is not None)

    def decide(self, label: str, change: Callable[[State], State], ids: Sequence[str]) -> bool:
        """A decision after which the routes of some assets are planned anew, as part of it: none of them is
        looked at before that. False (and said) when it cannot be kept.
        """
        self._looks.leave(ids, self)
        shipment = self._session.shipment
        if shipment is not None and self._session.edit(label, change):
            self.plan(ids, place=shipment.place)
            return True
        for left in ids:
            self._looks.take_up(left, self)
        return False

    def _plan(self, asset: Asset, decision: Decision, shipment: Shipment, again: bool) -> None:
        s = self._session
        store, sheet, cache, kit = shipment.store, s.sheet, s.cache, s.kit
        digest = s.mark

        def run(job: Job) -> Evaluated:
            request = PlanRequest(asked_of(asset, store, sheet, kit))
            taken = s.taken.get(asset.digest)
            return run_plan(request, cache, taken, job, lambda seen: self._looks.show(seen, digest, job))

        def done(planned: Evaluated) -> None:
            self._over(asset.id, task)
            ours = self._looks.take_up(asset.id, task)
            now = s.state.asset(asset.id)
            if s.shipment is not shipment or now is None:
                return
            if s.mark != digest:
                # Undone meanwhile: it is looked at by the sheet it goes to now.
                if ours:
                    self._looks.ask()
            elif now is asset:
                self._planned(now, planned, digest, decision)
            elif again:
                # A person was quicker: what they decided is planned with.
                self._plan(now, decision, shipment, again)
            elif ours:
                self._looks.ask()

        def failed(problem: Exception) -> None:
            if not self._over(asset.id, task) and isinstance(problem, Cancelled):
                return  # No person cancelled it: another destination did.
            if self._looks.take_up(asset.id, task) and not isinstance(problem, Cancelled):
                self._looks.ask()
            s.fail(problem)

        rank = FIRST if asset.id == s.current else LATER
        key, title = f"plan {asset.id}", f"Planning {asset.name}"
        task = Task(rank, key=key, title=title, run=run, done=done, failed=failed, apart=True)
        # One that waited for a plan which this one takes the place of waits for this one.
        if again or self._looks.is_left(asset.id):
            self._looks.leave([asset.id], task)
        # What is under way for another destination is wanted by nobody any more, and would take a core from this one.
        before, other = self._latest.get(asset.id, (None, ""))
        if before is not None and other != digest:
            s.worker.cancel(before)
        self._latest[asset.id] = (task, digest)
        s.worker.submit(task)

    def _over(self, id_: str, task: Task) -> bool:
        """Forget a task that has ended; False where another has taken its place."""
        latest = self._latest.get(id_, (None, ""))[0] is task
        if latest:
            del self._latest[id_]
        return latest

    def _planned(self, now: Asset, planned: Evaluated, digest: str, decision: Decision) -> None:
        after = put_in_today(planned)
        same = after.stops == now.stops and after.waivers == now.waivers
        result = replace(planned, asset=now if same else after)
        self._looks.give(result, digest)
        if not same:
            decision.add(lambda state: state.with_asset(result.asset))
        self._session.evaluated.emit(now.id)
