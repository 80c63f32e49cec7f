"""Demo goods sent into the made-up kits, for the tests of all of them."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from customs.demo.kits import KITS
from customs.sheet.form import text_of
from customs.work.asset import Request, Result, run
from customs.work.lookup import find_origin, find_sheet
from tests.conftest import good
from tests.planning.test_demo_table import FORMS

POST = 'posts.posts=[["hook", [0, 1, 0], [0, 0, 1], "", ""]]'


def form_for(sheet: str, number: int = 10, **more: Any) -> tuple[tuple[str, str], ...]:
    """A sheet's form filled in, as typed."""
    values = {**FORMS.get(sheet, {}), **({"number": number} if sheet == "numbered-item-kit" else {}), **more}
    return tuple((k, text_of(v)) for k, v in values.items())


def into_kit(
    asset: str,
    sheet: str,
    goods: dict[str, Path],
    out: Path,
    kit: Path | None,
    number: int = 10,
    replace: bool = False,
    **more: Any,
) -> Result:
    """One of the demo's goods, dispatched; its form is filled in, it has a post where the sheet takes one."""
    path, sets = goods[asset], (POST,) if sheet == "attachment-kit" else ()
    return run(
        Request(path, path.parent, find_sheet(sheet), find_origin(good(asset).origin), sets, out, replace, form=form_for(sheet, number, **more), kit=kit)
    )  # fmt: skip


def new_kit(sheet: str, folder: Path) -> Path:
    """A made-up kit."""
    return KITS[sheet](folder)
