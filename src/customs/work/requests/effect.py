"""What a changed sheet would say of goods as they stand: nothing is planned or run anew."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from customs.job import Job
from customs.ledger.ledger import judge
from customs.ledger.row import Row
from customs.sheet.known import for_asset, known_of
from customs.sheet.model import Sheet
from customs.work.requests.evaluate import Evaluated

ORDER = ("cleared", "query", "held")


@dataclass(frozen=True)
class Effect:
    """An asset: its verdict as it is and by the changed sheet, rows that are open by that one and were not before."""

    name: str
    before: str
    after: str
    rows: tuple[Row, ...]

    @property
    def worse(self) -> bool:
        """True where its verdict is graver than before."""
        return ORDER.index(self.after) > ORDER.index(self.before)


def effects(goods: Iterable[Evaluated], sheet: Sheet, job: Job | None = None) -> list[Effect]:
    """The effect of a sheet on goods that have been looked at. Raises Cancelled."""
    job, out = job or Job(), list[Effect]()
    for done in goods:
        if done.taken is None or not done.passed:
            continue
        job.check()
        asset = done.asset
        own = for_asset(sheet, known_of(sheet, asset.form, asset.source))
        ledger = judge(done.taken.scene, done.passed, own, done.about, asset.waivers)
        known = {r.id for r in done.ledger.open()}
        new = tuple(r for r in ledger.open() if r.id not in known)
        out.append(Effect(asset.name, done.ledger.verdict, ledger.verdict, new))
    return out


def effect_text(found: list[Effect]) -> str:
    """In words: "3 of 13 would be held (1 now): Names, Textures"."""
    count = {v: sum(e.after == v for e in found) for v in ORDER}
    now = sum(e.before == "held" for e in found)
    titles = list(dict.fromkeys(r.title for e in found for r in e.rows if r.verdict == "held"))
    more = f": {', '.join(titles[:3])}{' …' if len(titles) > 3 else ''}" if titles else ""
    return f"{count['held']} of {len(found)} would be held ({now} now), {count['query']} with queries{more}"
