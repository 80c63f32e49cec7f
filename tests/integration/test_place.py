"""Customs on the desktop: put there, judged by the desktop's own tools, taken away without a trace."""

from __future__ import annotations

import configparser
import json
import os
import shutil
import subprocess
from pathlib import Path

import pytest

from customs.errors import WriteError
from customs.integration import place
from customs.integration.place import ID, RECORD, integrate, quoted, withdraw
from customs.shipment.copies import pack
from customs.shipment.file import Shipment
from customs.shipment.state import State


def there(home: Path) -> set[str]:
    return {p.relative_to(home).as_posix() for p in home.rglob("*")}


def tool(name: str) -> str:
    found = shutil.which(name)
    assert found is not None, f"{name} is needed: scripts/test installs it"
    return found


def test_the_desktops_own_tools_accept_it(tmp_path: Path) -> None:
    home, run = tmp_path / "share", tmp_path / "a $trange `place`" / "100 % customs"
    run.parent.mkdir()
    run.write_text("#!/bin/sh\n")
    run.chmod(0o755)
    done = integrate(run, home)
    assert done.told == () and all(f.is_file() for f in done.files)
    # desktop-file-utils, the validator of the Desktop Entry Specification.
    entry = home / f"applications/{ID}.desktop"
    judged = subprocess.run([tool("desktop-file-validate"), str(entry)], capture_output=True, text=True)
    assert (judged.returncode, judged.stdout, judged.stderr) == (0, "", "")
    # The AppStream project's validator.
    metainfo = home / f"metainfo/{ID}.metainfo.xml"
    told = subprocess.run([tool("appstreamcli"), "validate", "--no-net", str(metainfo)], capture_output=True, text=True)  # fmt: skip
    assert told.returncode == 0 and "W:" not in told.stdout and "E:" not in told.stdout, told.stdout
    # shared-mime-info by way of xdg-utils: by what is in the file, and by its name.
    shipment = Shipment.create(tmp_path / "house.customs", State())
    pack(shipment, tmp_path / "house.customs.zip", {})
    shipment.close()
    shutil.copy(tmp_path / "house.customs", tmp_path / "no-ending")
    environment = os.environ | {"XDG_DATA_HOME": str(home), "HOME": str(tmp_path), "XDG_CURRENT_DESKTOP": ""}

    def asked(*words: str) -> str:
        return subprocess.run(words, env=environment, capture_output=True, text=True).stdout.strip()

    # GLib's reading of the shared database: by what is in a file, and by its name.
    for name, kind in (
        ("house.customs", "shipment"),
        ("no-ending", "shipment"),
        ("house.customs.zip", "packed-shipment"),
    ):
        told_kind = asked(tool("gio"), "info", "-a", "standard::content-type", str(tmp_path / name))
        assert told_kind.endswith(f"application/x-customs-{kind}"), told_kind
        # xdg-utils: what such a file is opened with.
        opener = asked(tool("xdg-mime"), "query", "default", f"application/x-customs-{kind}")
        assert opener == f"{ID}.desktop"
    lists = (home / "mime" / "magic").read_bytes()
    assert b"application/x-customs-shipment" in lists
    if shutil.which("update-desktop-database"):
        assert ID in (home / "applications/mimeinfo.cache").read_text()


def test_taken_away_without_a_trace(tmp_path: Path) -> None:
    home = tmp_path / "share"
    integrate(Path("/usr/bin/true"), home)
    integrate(Path("/usr/bin/false"), home)
    assert "/usr/bin/false" in (home / f"applications/{ID}.desktop").read_text(), "over an older one"
    withdraw(home)
    assert not home.exists()
    # Where others have theirs, theirs stay.
    (home / "applications").mkdir(parents=True)
    (home / "applications/other.desktop").write_text(
        "[Desktop Entry]\nType=Application\nName=Other\nExec=true\n"
    )
    (home / "icons/hicolor/48x48/apps").mkdir(parents=True)
    before = there(home)
    integrate(Path("/usr/bin/true"), home)
    withdraw(home)
    assert there(home) - {"applications/mimeinfo.cache"} == before
    again = withdraw(home)
    assert again.files == () and "Nothing" in again.told[0]


def test_an_older_one_leaves_nothing_behind_and_a_forged_record_harms_nobody(tmp_path: Path) -> None:
    home = tmp_path / "share"
    integrate(Path("/usr/bin/true"), home)
    record = json.loads((home / RECORD).read_text())
    (home / "applications/older.desktop").write_text("x")
    (tmp_path / "mine.txt").write_text("mine")
    record["files"] += ["applications/older.desktop", "../mine.txt", str(tmp_path / "mine.txt"), 3]
    record["folders"] += ["..", "/"]
    (home / RECORD).write_text(json.dumps(record))
    integrate(Path("/usr/bin/true"), home)
    assert (
        not (home / "applications/older.desktop").exists() and (tmp_path / "mine.txt").read_text() == "mine"
    )
    for broken in ("{", "[]", '{"files": 3}'):
        (home / RECORD).write_text(broken)
        withdraw(home)
    assert (tmp_path / "mine.txt").exists()


def test_where_nothing_can_be_written_nothing_is_left(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    home = tmp_path / "share"
    (tmp_path / "share").write_text("a file in the way")
    with pytest.raises(WriteError, match="Nothing was put on the desktop"):
        integrate(Path("/usr/bin/true"), home)
    home.unlink()
    # Half way: the fourth file cannot be written.
    real, count = place.write_whole, iter(range(9))

    def full(path: Path, data: bytes) -> None:
        if next(count) == 3:
            raise OSError(28, "No space left on device", str(path))
        real(path, data)

    monkeypatch.setattr(place, "write_whole", full)
    with pytest.raises(WriteError, match="No space left"):
        integrate(Path("/usr/bin/true"), home)
    assert not home.exists()


def test_without_the_desktops_tools_it_says_so(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(shutil, "which", lambda name: None)
    done = integrate(Path("/usr/bin/true"), tmp_path / "share")
    assert len(done.told) == 2 and all("is not on this machine" in t for t in done.told)


@pytest.mark.parametrize(
    ("argument", "written"),
    [
        # Worked from the rules of the Desktop Entry Specification 1.5, "Quoting" and "String escapes".
        ("/usr/bin/customs", '"/usr/bin/customs"'), ("/a b/c", '"/a b/c"'), ("/100%/c", '"/100%%/c"'), ('/q"t/c', '"/q\\\\"t/c"'),
        ("/d$r/c", '"/d\\\\$r/c"'), ("/b\\s/c", '"/b\\\\\\\\s/c"'),
    ],
)  # fmt: skip
def test_programs_of_any_name_are_quoted(argument: str, written: str) -> None:
    assert quoted(argument) == written


def test_the_entry_opens_what_it_claims(tmp_path: Path) -> None:
    integrate(Path("/usr/bin/true"), tmp_path)
    entry = configparser.ConfigParser(interpolation=None)
    entry.read(tmp_path / f"applications/{ID}.desktop")
    claimed = set(entry["Desktop Entry"]["MimeType"].strip(";").split(";"))
    assert entry["Desktop Entry"]["Exec"].endswith(" open %F")
    assert {"application/x-customs-shipment", "model/gltf-binary"} <= claimed
