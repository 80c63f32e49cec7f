"""Several files of a kit changed as one: intents and originals are written down first, then one rename each, then that it is done.
What a killed process left half done is finished or rolled back by the next one.
"""

from __future__ import annotations

import fcntl
import json
import os
import shutil
import time
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from customs.errors import WriteError
from customs.kit.changes import OURS, Change, Wanted, check_places, digest_at
from customs.kit.hashes import KEPT

Json = Mapping[str, Any]
BACK = "-back"
"""Behind the name of a journal: the one that undoes it."""
SPARE = 1 << 20
"""Bytes of the disk that stay free."""


@dataclass(frozen=True)
class Journal:
    """One dispatch into a kit, or one withdrawn: its folder, its changes, the folders it makes, what it is `about`, whether it
    is done.
    """

    folder: Path
    changes: tuple[Change, ...]
    made: tuple[str, ...]
    about: Json
    done: bool

    @property
    def id(self) -> str:
        """What it is called."""
        return self.folder.name

    @property
    def kit(self) -> Path:
        """The kit it belongs to."""
        return self.folder.parent.parent


@contextmanager
def held(kit: Path, patience: float = 0.0) -> Iterator[None]:
    """The kit for this process alone, after `patience` seconds at most. Raises WriteError where another is at it, or nothing can be
    written.
    """
    ours, until = kit / OURS, time.monotonic() + patience
    try:
        while (lock := _locked(ours)) < 0:
            if time.monotonic() >= until:
                raise WriteError(
                    "another dispatch is at work in this kit", "one at a time", "Wait for it to end.", kit
                )
            time.sleep(0.05)
    except OSError as problem:
        raise _cannot(problem, kit) from None
    try:
        yield
    finally:
        with suppress(OSError):
            left = {p.name for p in ours.iterdir()} - {"lock", KEPT}
            if not _journals(kit) and not left:
                (ours / KEPT).unlink(missing_ok=True)
                (ours / "lock").unlink()
                ours.rmdir()
        os.close(lock)


def _locked(ours: Path) -> int:
    """The lock, open and held; −1 where another process has it. Raises OSError."""
    ours.mkdir(exist_ok=True)
    lock = os.open(ours / "lock", os.O_RDWR | os.O_CREAT, 0o644)
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        # Whoever had it may have taken it away with the folder: then it is a lock of nothing.
        if os.fstat(lock).st_ino == os.stat(ours / "lock").st_ino:
            return lock
    except OSError:
        pass
    os.close(lock)
    return -1


def _cannot(problem: OSError, kit: Path) -> WriteError:
    return WriteError(
        f"cannot be written ({problem.strerror})",
        "room and permission",
        "Nothing was changed.",
        problem.filename or kit,
    )


def prepare(
    kit: Path, id_: str, wanted: Sequence[Wanted], may: Collection[str], about: Json
) -> Journal | None:
    """Everything written down and lying ready; the kit itself is as it was. None where nothing changes. Within `held`.

    Raises WriteError.
    """
    changes = check_places(kit, wanted, may)
    if not changes:
        return None
    data = {w.path: w.data for w in wanted}
    need = 2 * sum(len(d) for p in (c.path for c in changes) if (d := data[p]) is not None)
    folder = kit / OURS / id_
    part = folder.with_name(f"{id_}.part")
    try:
        if shutil.disk_usage(kit).free < need + SPARE:
            raise WriteError(
                f"{need / 1e6:,.1f} MB do not fit on the disk",
                "room for them and their originals",
                "Make room.",
                kit,
            )
        shutil.rmtree(part, ignore_errors=True)
        (part / "new").mkdir(parents=True)
        (part / "was").mkdir()
        for n, c in enumerate(changes):
            if (new := data[c.path]) is not None:
                _write(part / "new" / str(n), new)
            if c.before is not None:
                shutil.copy2(kit / c.path, part / "was" / str(n))
                _flush(part / "was" / str(n))
                if new is not None:
                    # Who may read and write it stays as it was.
                    shutil.copymode(kit / c.path, part / "new" / str(n))
        made = _folders(kit, changes)
        body = {"changes": [c.as_dict() for c in changes], "made": made, "about": dict(about), "done": False}
        _write(part / "journal.json", json.dumps(body, indent=1, ensure_ascii=False).encode())
        _flush(part)
        os.rename(part, folder)
        _flush(folder.parent)
    except OSError as problem:
        shutil.rmtree(part, ignore_errors=True)
        raise _cannot(problem, kit) from None
    return Journal(folder, tuple(changes), tuple(made), about, False)


def _folders(kit: Path, changes: Sequence[Change]) -> list[str]:
    """Folders that have to be made, outer ones first."""
    out = dict[str, None]()
    for c in changes:
        for parent in reversed(Path(c.path).parents[:-1]):
            if c.after is not None and not (kit / parent).exists():
                out[parent.as_posix()] = None
    return list(out)


def carry_out(journal: Journal) -> Journal:
    """Every change that is not done yet; a second time changes nothing. Raises WriteError where a file is neither as it was nor as
    it is to be: somebody else changed it meanwhile; what was done is rolled back then.
    """
    kit = journal.kit
    strange = [c.path for c in journal.changes if _state(kit, c) == "strange"]
    if strange:
        roll_back(journal)
        raise WriteError(
            f"{', '.join(strange[:3])} changed meanwhile",
            "the kit as it was looked at",
            "Look again and dispatch again.",
            kit,
        )
    try:
        for folder in journal.made:
            (kit / folder).mkdir(exist_ok=True)
        for n, c in enumerate(journal.changes):
            if _state(kit, c) == "before":
                _exchange(kit / c.path, journal.folder / "new" / str(n) if c.after is not None else None)
        return _told_done(journal)
    except OSError as problem:
        roll_back(journal)
        raise _cannot(problem, kit) from None


def _state(kit: Path, c: Change) -> str:
    try:
        now = digest_at(kit / c.path)
    except OSError:
        return "strange"
    return "after" if now == c.after else "before" if now == c.before else "strange"


def _exchange(place: Path, new: Path | None) -> None:
    if new is None:
        place.unlink()
    else:
        # The journal keeps what it needs to finish: a copy beside it is what moves.
        moving = new.with_suffix(".moving")
        shutil.copy2(new, moving)
        _flush(moving)
        os.rename(moving, place)
    _flush(place.parent)


def _told_done(journal: Journal) -> Journal:
    body = json.loads((journal.folder / "journal.json").read_text("utf-8")) | {"done": True}
    _write(journal.folder / "journal.new", json.dumps(body, indent=1, ensure_ascii=False).encode())
    os.rename(journal.folder / "journal.new", journal.folder / "journal.json")
    _flush(journal.folder)
    shutil.rmtree(journal.folder / "new", ignore_errors=True)
    return Journal(journal.folder, journal.changes, journal.made, journal.about, True)


def roll_back(journal: Journal) -> None:
    """The kit as it was before a journal that is not done; files somebody else changed meanwhile stay as they are. Raises OSError."""
    kit = journal.kit
    for n, c in enumerate(journal.changes):
        if _state(kit, c) == "after":
            _exchange(kit / c.path, journal.folder / "was" / str(n) if c.before is not None else None)
    _unmake(kit, journal.made)
    _discard(journal.folder)


def _unmake(kit: Path, made: Sequence[str]) -> None:
    for folder in reversed(made):
        with suppress(OSError):
            (kit / folder).rmdir()


def _journals(kit: Path) -> list[Path]:
    ours = kit / OURS
    return sorted(p for p in ours.iterdir() if (p / "journal.json").is_file()) if ours.is_dir() else []


def read_journal(folder: Path) -> Journal:
    """A journal as it is written. Raises WriteError for one that is damaged."""
    try:
        body = json.loads((folder / "journal.json").read_text("utf-8"))
        changes = tuple(Change(c["path"], c["before"], c["after"]) for c in body["changes"])
        return Journal(folder, changes, tuple(body["made"]), body["about"], bool(body["done"]))
    except (OSError, ValueError, KeyError, TypeError) as problem:
        raise WriteError(
            f"a journal that cannot be read ({problem})",
            "one of ours",
            "Keep the folder, and look at it by hand.",
            folder,
        ) from None


def journals(kit: Path) -> list[Journal]:
    """All dispatches that stand in a kit, the oldest first. Raises WriteError."""
    found = [read_journal(p) for p in _journals(kit)]
    return [j for j in found if not j.id.endswith(BACK)]


def recover(kit: Path, placed: Callable[[Json], bool]) -> list[str]:
    """What killed processes left half done, finished or rolled back, and what is to be said of it. `placed` tells by what a journal
    is about whether the package that it belongs to is in its place: then the kit is brought there too. Within `held`.

    Raises WriteError where a journal cannot be read, OSError.
    """
    said, ours = list[str](), kit / OURS
    for part in ours.glob("*.part") if ours.is_dir() else ():
        shutil.rmtree(part, ignore_errors=True)
    for folder in _journals(kit):
        journal = read_journal(folder)
        undoes = journal.id.endswith(BACK)
        if journal.done and undoes:
            _forget(journal)
        elif not journal.done and (undoes or placed(journal.about)):
            done = carry_out(journal)
            said.append(f"{journal.id}: finished what had been begun ({len(journal.changes)} files)")
            if undoes:
                _forget(done)
        elif not journal.done:
            roll_back(journal)
            said.append(f"{journal.id}: rolled back what had been begun")
    return said


def withdraw(kit: Path, id_: str) -> tuple[str, ...]:
    """A dispatch undone: every original back, every new file away; the paths. Within `held`.

    Raises WriteError, with the files, where something has changed them since or there is no such dispatch.
    """
    journal = next((j for j in journals(kit) if j.id == id_), None)
    if journal is None:
        raise WriteError(f"no dispatch {id_} stands in it", "one that does", "Look at what does.", kit)
    changed = [c.path for c in journal.changes if _state(kit, c) not in ("after",)]
    if changed:
        raise WriteError(
            f"{', '.join(changed[:5])} changed since",
            "the files as they were dispatched",
            "Undo what came after it first.",
            kit,
        )
    originals = journal.folder / "was"
    wanted = [
        Wanted(c.path, (originals / str(n)).read_bytes() if c.before is not None else None)
        for n, c in enumerate(journal.changes)
    ]
    back = prepare(
        kit,
        id_ + BACK,
        wanted,
        [c.path for c in journal.changes],
        {"made": list(journal.made), **journal.about},
    )
    if back is not None:
        _forget(carry_out(back))
    return tuple(c.path for c in journal.changes)


def _forget(back: Journal) -> None:
    """What an undone dispatch leaves: its folders where they are empty, its journal, the one that undid it."""
    _unmake(back.kit, [str(m) for m in back.about.get("made", [])])
    _discard(back.folder.with_name(back.id.removesuffix(BACK)))
    _discard(back.folder)


def _discard(folder: Path) -> None:
    """A journal is no more: at once, however long it takes to take its files away."""
    part = folder.with_name(f"{folder.name}.part")
    with suppress(OSError):
        os.rename(folder, part)
    shutil.rmtree(part, ignore_errors=True)


def _write(path: Path, data: bytes) -> None:
    with path.open("wb") as f:
        f.write(data)
        f.flush()
        os.fsync(f.fileno())


def _flush(path: Path) -> None:
    opened = os.open(path, os.O_RDONLY)
    try:
        os.fsync(opened)
    finally:
        os.close(opened)
