"""Putting a package in its place: all of it or none of it."""

from __future__ import annotations

import ctypes
import errno
import hashlib
import os
import shutil
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from customs.dispatch.bundle import BUNDLES, bundled
from customs.dispatch.deliver import Deliverable
from customs.dispatch.docket import docket_json, docket_page
from customs.dispatch.standing import check_free
from customs.errors import WriteError
from customs.files import why_no_part
from customs.job import Job
from customs.parts import new_folder

RENAME_EXCHANGE = 2
AT_FDCWD = -100
"""Linux renameat2(2): swaps two paths in one step."""


@dataclass(frozen=True)
class Written:
    """A package in place: its folder, its files (path, kind, size, sha256), its docket."""

    folder: Path
    files: tuple[dict[str, Any], ...]
    docket: dict[str, Any]


def write_package(
    target: Path,
    files: Sequence[Deliverable],
    docket: Callable[[Sequence[dict[str, Any]], Path], dict[str, Any]],
    check: Callable[[Path], None] = lambda folder: None,
    job: Job | None = None,
    replace_existing: bool = False,
    bundle: str = "",
) -> Written:
    """Write `files`, all of them once more as the archive `bundle` where it is named, and then the docket to a hidden folder beside
    `target`, `check` it, and move it there in one rename.

    Raises WriteError; Cancelled when the job is. Either way the target is as it was and nothing is left
    beside it.
    """
    job = job or Job()
    check_free(target, replace_existing)
    staging = _staging(target)
    try:
        records = [_write_file(staging, f, i, len(files), job) for i, f in enumerate(files)]
        if bundle:
            records.append(_write_file(staging, _bundle(staging, bundle, records), 0, 1, job))
        body = docket([*records], staging)
        page = docket_page(body)
        (staging / "docket.html").write_bytes(page)
        _flush(staging / "docket.html")
        (staging / "docket.json").write_bytes(docket_json(body))
        _flush(staging / "docket.json")
        job.check()
        check(staging)
        job.check()
        # Asked again: the work took its time, and somebody may have put something there.
        check_free(target, replace_existing)
        put_in_place(staging, target)
    except OSError as problem:
        raise WriteError(
            f"cannot be written ({problem.strerror})",
            "room and permission",
            _advice(problem),
            problem.filename or target,
        ) from None
    finally:
        shutil.rmtree(staging, ignore_errors=True)
    job.progress(1.0, "In place")
    return Written(target, tuple(records), body)


def _bundle(staging: Path, path: str, records: Sequence[dict[str, Any]]) -> Deliverable:
    form = next(f for f in BUNDLES if path.endswith(f".{f}"))
    return Deliverable(
        path,
        "bundle",
        lambda tick: [bundled({r["path"]: (staging / r["path"]).read_bytes() for r in records}, form)],
    )


def _staging(target: Path) -> Path:
    try:
        return new_folder(target)
    except OSError as problem:
        raise WriteError(
            f"cannot be written to ({problem.strerror})",
            "a folder that can be",
            _advice(problem),
            target.parent,
        ) from None


def _advice(problem: OSError) -> str:
    return {
        errno.ENOSPC: "The disk is full: make room and dispatch again.",
        errno.EROFS: "The folder is read-only: choose another.",
        errno.EACCES: "You may not write there: choose another folder.",
        errno.ENOTDIR: "Part of the path is a file: choose another folder.",
    }.get(problem.errno or 0, "What was there before is untouched.")


def _write_file(staging: Path, item: Deliverable, index: int, count: int, job: Job) -> dict[str, Any]:

    def tick(share: float) -> None:
        job.check()
        job.progress((index + share) / (count + 1), item.path)

    tick(0.0)
    path = staging / item.path
    if staging.resolve() not in path.resolve().parents:
        raise WriteError(
            f"path {item.path} leaves the package", "a path inside it", "Mend the sheet's layout."
        )
    for name in item.path.split("/"):
        if why := why_no_part(name):
            raise WriteError(
                f"“{name}” in the path {item.path} {why}",
                "a name every system takes",
                "Add Names to the route.",
            )
    path.parent.mkdir(parents=True, exist_ok=True)
    state, size = hashlib.sha256(), 0
    with path.open("wb") as out:
        for part in item.make(tick):
            job.check()
            out.write(part)
            state.update(part)
            size += len(part)
        out.flush()
        os.fsync(out.fileno())
    return {"path": item.path, "kind": item.kind, "size": size, "sha256": state.hexdigest()}


def _flush(path: Path) -> None:
    with path.open("rb") as f:
        os.fsync(f.fileno())


def put_in_place(staging: Path, target: Path) -> None:
    """One rename; where something is there already the two are swapped in one step, and the old one removed
    after.
    """
    os.chmod(staging, 0o755)
    if not target.exists():
        os.rename(staging, target)
    elif not _exchange(staging, target):
        aside = staging.with_suffix(".old")
        os.rename(target, aside)
        os.rename(staging, target)
        shutil.rmtree(aside, ignore_errors=True)
    folder = os.open(target.parent, os.O_RDONLY)
    try:
        os.fsync(folder)
    finally:
        os.close(folder)


def _exchange(a: Path, b: Path) -> bool:
    """Swap two paths; False where the file system cannot."""
    libc = ctypes.CDLL(None, use_errno=True)
    if not hasattr(libc, "renameat2"):
        return False
    result: int = libc.renameat2(AT_FDCWD, os.fsencode(a), AT_FDCWD, os.fsencode(b), RENAME_EXCHANGE)
    return result == 0
