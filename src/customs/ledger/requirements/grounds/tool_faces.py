"""Faces with textures for tools among those that are seen."""

from __future__ import annotations

from collections.abc import Iterator

from customs.grounds.faces import TOOL_WORDS, tool_faces
from customs.grounds.rules import TOOL
from customs.ledger.grounds import asked
from customs.ledger.row import Case, Requirement, Row, register, remedy, said


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if not asked(case) or TOOL not in case.sheet.grounds.leave_out:
        return
    before, now = tool_faces(case.arrived, TOOL_WORDS), tool_faces(case.delivering, TOOL_WORDS)
    if before or now:
        yield rule.row(
            f"{before:,} triangles", "none", said(now, f"{now:,} triangles"), "held" if now else "cleared",
            note="Their textures are for tools: nobody is to see them." if now else "",
            remedy=remedy("tool-faces", "Leave tool faces out") if now else None,
        )  # fmt: skip


register(Requirement("tool-faces", "Tool faces", "grounds", _judge, step="tool-faces"))
