"""What stands where a package is to go: nothing, a package of ours that may be replaced, or something that
may not.
"""

from __future__ import annotations

import json
import os
from pathlib import Path

from customs.dispatch.docket import digest_of
from customs.errors import WriteError
from customs.files import read_regular

DOCKETS = ("docket.json", "docket.html")
MOST = 1 << 28
"""Bytes of the largest docket that is looked at."""
SHOWN = 3


def check_free(target: Path, replace_existing: bool) -> None:
    """Raises WriteError unless `target` is free, or is a package that may be replaced and `replace_existing`
    says so.

    A package is a folder with a docket of ours that is whole, and with no files but those it lists. What else
    lies in it is somebody's, and it is not replaced; neither is a plain file, nor what a link leads to.
    """
    if not os.path.lexists(target):
        return
    if target.is_symlink() or not target.is_dir():
        what = "a link" if target.is_symlink() else "a file"
        raise WriteError(
            f"there is {what} of that name", "a free name, or a package to replace", "Move it away.", target
        )
    if not replace_existing:
        raise WriteError(
            "there is something of that name already",
            "a free name",
            "Choose to replace it, or another folder.",
            target,
        )
    strangers = others(target, listed(target))
    if strangers:
        more = f" and {len(strangers) - SHOWN} more" if len(strangers) > SHOWN else ""
        raise WriteError(
            f"the package there holds {', '.join(strangers[:SHOWN])}{more}, which its docket does not list",
            "only what was dispatched",
            "Move it away, or dispatch to another folder.",
            target,
        )


def listed(target: Path) -> set[str]:
    """Paths of a package's own files, by its docket. Raises WriteError when it is no package of ours."""
    paths = None
    try:
        body = json.loads(read_regular(target / DOCKETS[0], MOST) or b"")
        if str(body["made_by"]).startswith("Customs") and digest_of(body) == body["digest"]:
            paths = {str(f["path"]) for f in body["files"]}
    except (OSError, ValueError, KeyError, TypeError, RecursionError):
        pass
    if paths is None:
        raise WriteError(
            "the folder there is no package of ours",
            "a folder with a whole docket.json",
            "Move it away, or dispatch to another folder.",
            target,
        )
    return {*paths, *DOCKETS}


def others(target: Path, own: set[str]) -> list[str]:
    """What lies in a folder beside its own files, sorted; folders count where they hold nothing, or are
    links.
    """
    out = []
    for place, folders, files in os.walk(target):
        here = Path(place)
        for name in files + [f for f in folders if (here / f).is_symlink()]:
            path = (here / name).relative_to(target).as_posix()
            if path not in own or (here / name).is_symlink():
                out.append(path)
    return sorted(out)
