"""What is put where, and taken away again.

Sources: Desktop Entry Specification 1.5, Icon Theme Specification 0.13, Shared MIME-info Database 0.21, AppStream 0.16, XDG Base
Directory Specification 0.8.
"""

from __future__ import annotations

import json
import os
import shutil
import subprocess
from collections.abc import Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass
from importlib import resources
from pathlib import Path

from customs import __version__
from customs.errors import WriteError
from customs.parts import sweep, write_whole

ID, FILE_ICON = "local.customs.Customs", "local.customs.Shipment"
SIZES = (48, 128, 256)
RECORD = "customs-integration.json"
TOOLS = {
    "mime": ("update-mime-database", "mime"),
    "applications": ("update-desktop-database", "applications"),
}
"""What brings the desktop's own lists up to date, by the folder it is told of."""
MADE_BY_TOOLS = {
    "mime": (
        "XMLnamespaces", "aliases", "generic-icons", "globs", "globs2", "icons", "magic", "mime.cache", "subclasses", "treemagic", "types", "version",
    ),
    "applications": ("mimeinfo.cache",),
}  # fmt: skip
PATIENCE = 60
"""Seconds one of those may take."""


@dataclass(frozen=True)
class Integrated:
    """Files that were put there or taken away, and what a person is to know."""

    files: tuple[Path, ...]
    told: tuple[str, ...]


def data_home() -> Path:
    """Where a person's own entries lie: `$XDG_DATA_HOME`, `~/.local/share` where that says nothing."""
    said = os.environ.get("XDG_DATA_HOME", "")
    return Path(said) if said.startswith("/") else Path.home() / ".local" / "share"


def integrate(run: Path, home: Path | None = None) -> Integrated:
    """Put the entry, icons, kinds of files and metainfo below `home`, in the place of older ones; `run` is the program
    they start. Raises WriteError, with what was written before taken away again.
    """
    home = home or data_home()
    before, entries = _record(home), list(_entries(run))
    new = [name for name, _ in entries]
    folders = list(dict.fromkeys([*before["folders"], *_missing(new, home)]))
    try:
        # Written down first: after a kill, whoever takes it away finds all that may be there.
        _write_down(home, [*dict.fromkeys([*before["files"], *new])], folders)
        for name, data in entries:
            write_whole(home / name, data)
        for old in set(before["files"]) - set(new):
            with suppress(OSError):
                (home / old).unlink()
        _write_down(home, new, folders)
    except OSError as problem:
        for name in [] if before["files"] else [*new, RECORD]:
            with suppress(OSError):
                (home / name).unlink()
        _sweep(home, folders if not before["files"] else [])
        raise WriteError(
            f"cannot be written ({problem.strerror})", "a folder that can be written", "Nothing was put on the desktop.",
            problem.filename or home,
        ) from None  # fmt: skip
    return Integrated(tuple(home / n for n in new), _brought_up(home))


def withdraw(home: Path | None = None) -> Integrated:
    """Take away all that was put below `home`, and the folders and lists that came with it. Raises WriteError."""
    home = home or data_home()
    record = _record(home)
    gone = list[Path]()
    try:
        for name in record["files"]:
            with suppress(FileNotFoundError):
                (home / name).unlink()
                gone.append(home / name)
        for folder in {home, *((home / name).parent for name in record["files"])}:
            with suppress(FileNotFoundError):
                sweep(folder)
        told = _brought_up(home) if gone else ("Nothing of Customs was there.",)
        _sweep(home, record["folders"])
        # The record goes last: after a kill, what is left is still known to be ours.
        with suppress(FileNotFoundError):
            (home / RECORD).unlink()
    except OSError as problem:
        raise WriteError(
            f"cannot be taken away ({problem.strerror})", "a folder that can be written", file=problem.filename or home
        ) from None  # fmt: skip
    if "." in record["folders"]:
        with suppress(OSError):
            home.rmdir()
    return Integrated(tuple(gone), told)


def _entries(run: Path) -> Iterator[tuple[str, bytes]]:
    """(place below the data folder, bytes) of each file."""
    source = resources.files("customs.integration") / "files"

    def text(name: str) -> str:
        return (source / name).read_text("utf-8")

    entry = text(f"{ID}.desktop").replace("@RUN@", quoted(str(run))).replace("@TRY@", _escaped(str(run)))
    yield f"applications/{ID}.desktop", entry.encode()
    yield f"mime/packages/{ID}.xml", text(f"{ID}.mime.xml").encode()
    yield f"metainfo/{ID}.metainfo.xml", text(f"{ID}.metainfo.xml").replace("@VERSION@", __version__).encode()
    for icon, kind in ((ID, "apps"), (FILE_ICON, "mimetypes")):
        yield f"icons/hicolor/scalable/{kind}/{icon}.svg", (source / f"{icon}.svg").read_bytes()
        for size in SIZES:
            yield (
                f"icons/hicolor/{size}x{size}/{kind}/{icon}.png",
                (source / f"{icon}-{size}.png").read_bytes(),
            )


def quoted(argument: str) -> str:
    """One argument of a desktop entry's Exec: in quotes, what counts inside them behind a backslash, percent signs doubled,
    and the whole a string of the file (Desktop Entry Specification 1.5, "The Exec key").
    """
    inner = "".join(f"\\{c}" if c in '"`$\\' else c for c in argument).replace("%", "%%")
    return _escaped(f'"{inner}"')


def _escaped(text: str) -> str:
    """As a value of type string: backslashes doubled, no line ends."""
    return text.replace("\\", "\\\\").replace("\n", "\\n").replace("\t", "\\t").replace("\r", "\\r")


def _record(home: Path) -> dict[str, list[str]]:
    """What an earlier integration says it put there: nothing outside `home` is believed."""
    try:
        told = json.loads((home / RECORD).read_text("utf-8"))
        return {
            k: [n for n in told.get(k, ()) if isinstance(n, str) and n and not n.startswith("/") and ".." not in Path(n).parts]
            for k in ("files", "folders")
        }  # fmt: skip
    except (OSError, ValueError, AttributeError, TypeError):
        return {"files": [], "folders": []}


def _write_down(home: Path, files: list[str], folders: list[str]) -> None:
    write_whole(home / RECORD, json.dumps({"files": files, "folders": folders}, indent=1).encode())


def _missing(names: Sequence[str], home: Path) -> list[str]:
    """The folders that are to be made for files, outermost first; `home` itself as "."."""
    of = {f for name in names for f in (home / name).parents if f.is_relative_to(home) and not f.is_dir()}
    return [f.relative_to(home).as_posix() for f in sorted(of)]


def _brought_up(home: Path) -> tuple[str, ...]:
    """The desktop's own lists after files have come or gone; in words what could not be brought up to date."""
    told = list[str]()
    for tool, folder in TOOLS.values():
        if not (home / folder).is_dir():
            continue
        found = shutil.which(tool)
        if found is None:
            told.append(
                f"{tool} is not on this machine: the desktop may know of it only after the next login."
            )
            continue
        try:
            done = subprocess.run([found, str(home / folder)], capture_output=True, timeout=PATIENCE)
            if done.returncode:
                told.append(f"{tool}: {done.stderr.decode('utf-8', 'replace').strip()[:200]}")
        except (OSError, subprocess.TimeoutExpired) as problem:
            told.append(f"{tool}: {problem}")
    return tuple(told)


def _sweep(home: Path, folders: list[str]) -> None:
    """Folders that were made for Customs, where nothing but the lists of the desktop's tools is left in them."""
    for name, made in MADE_BY_TOOLS.items():
        folder = home / name
        if name in folders and folder.is_dir():
            left = [p for p in folder.rglob("*") if p.is_file()]
            # Each kind of a file has its own small file beside the lists.
            ours = [p for p in left if p.parent == folder and p.name in made]
            if len(ours) == len(left):
                for p in [*ours, *sorted((q for q in folder.rglob("*") if q.is_dir()), reverse=True)]:
                    with suppress(OSError):
                        p.rmdir() if p.is_dir() else p.unlink()
    for made_folder in sorted(folders, key=len, reverse=True):
        with suppress(OSError):
            (home / made_folder).rmdir()
