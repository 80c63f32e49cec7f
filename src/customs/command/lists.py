"""What there is: sheets and steps."""

from __future__ import annotations

from rich.table import Table

from customs.command.printing import console, errors, say, say_json
from customs.work.lookup import read_sheets


def sheets(as_json: bool) -> None:
    """The destination sheets."""
    known, broken = read_sheets()
    for problem in broken.values():
        say(f"customs: passed over: {problem}", errors)
    if as_json:
        say_json({k: s.model_dump(mode="json") for k, s in known.items()})
        return
    table = Table("id", "title", "ticket", "format", box=None)
    for k, s in known.items():
        table.add_row(k, s.title, s.ticket(), s.model.format)
    console.print(table)


def steps() -> None:
    """The steps with their settings."""
    from customs.route.step import steps as all_steps

    for step in all_steps().values():
        say(f"{step.id}  [{step.desk}]  {step.about}")
        for name, field in step.settings.model_fields.items():
            default = "" if field.is_required() else f" = {field.default!r}"
            say(f"    {name}{default}  {field.description or ''}")
