"""Pictures: how each one the sheet asks for is taken."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, remedy, said


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    wish = case.delivering.wishes.picture
    for picture in case.sheet.pictures:
        asked = f"{picture.width} × {picture.height} {picture.format.upper()}"
        common = {"subject": picture.name, "subject_name": picture.name}
        if wish is None:
            backdrop = "clear" if picture.clear else "paper"
            fix = remedy("picture", f"Take it {picture.angle}", True, angle=picture.angle, backdrop=backdrop)
            yield rule.row("–", asked, "none", "held", remedy=fix, **common)
            continue
        empty = not case.after.used_meshes and not wish.text
        shown = f"words: {wish.text}" if wish.text else f"{wish.angle}, {wish.backdrop}"
        note = "There is nothing to be seen of it: say words that stand in for a picture." if empty else ""
        yield rule.row("–", asked, said(shown, shown), "query" if empty else "cleared", note=note, **common)


register(Requirement("pictures", "Pictures", "fittings", _judge, step="picture"))
