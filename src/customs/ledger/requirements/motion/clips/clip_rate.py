"""Every clip has its keys on the frames of the rate the sheet asks for."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy, said
from customs.motion.curves.track import frame_rate


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    rate = case.sheet.rig.rate
    if rate is None or case.sheet.rig.clips == "forbidden" or not case.delivering.clips:
        return
    before = sorted({frame_rate(c) for c in case.arrived.clips})
    off = [c for c in case.delivering.clips if c.extras.get("rate", frame_rate(c)) != rate]
    yield rule.row(
        ", ".join(f"{r:g}/s" for r in before[:3]) or "–",
        said(rate, f"{rate:g}/s"),
        said(len(off), f"{len(off)} at other rates") if off else said(0, f"{rate:g}/s"),
        "held" if off else "cleared",
        note="Clips of another rate play too fast or too slow there." if off else "",
        remedy=remedy("retime", f"Set keys at {rate:g}/s", rate=rate, targets=tuple(str(c.key) for c in off))
        if off
        else None,
    )


register(Requirement("clip-rate", "Frame rate of clips", "motion", _judge, step="retime"))
