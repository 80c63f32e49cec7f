"""A kit folder: files changed as one, originals kept, undone byte for byte; killed at any moment it is old or new after that."""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from customs.errors import WriteError
from customs.kit.changes import OURS, Wanted, check_places
from customs.kit.journal import carry_out, held, journals, prepare, recover, withdraw

OLD = {"things.xml": b"<things/>\n", "data/list.txt": b"one\r\n", "props/pot.glb": b"\0\1\2"}
NEW = {
    "things.xml": b"<things><a/></things>\n",
    "props/pot.glb": None,
    "props/lamp/lamp.glb": b"lamp",
    "more/deep/x.txt": b"",
}


def made(folder: Path) -> Path:
    for path, data in OLD.items():
        (folder / path).parent.mkdir(parents=True, exist_ok=True)
        (folder / path).write_bytes(data)
    return folder


def now(kit: Path) -> dict[str, bytes | None]:
    """Everything in a kit but what is ours; folders count."""
    return {
        p.relative_to(kit).as_posix(): p.read_bytes() if p.is_file() else None
        for p in sorted(kit.rglob("*"))
        if OURS not in p.relative_to(kit).parts
    }


def wanted() -> list[Wanted]:
    return [Wanted(k, v) for k, v in NEW.items()]


def dispatched(kit: Path, id_: str = "d1") -> None:
    with held(kit):
        recover(kit, lambda about: True)
        journal = prepare(kit, id_, wanted(), ["things.xml", "props/pot.glb"], {"asset": "lamp"})
        assert journal is not None
        carry_out(journal)


def test_all_of_it_is_there_and_all_of_it_goes(tmp_path: Path) -> None:
    kit = made(tmp_path / "kit")
    (kit / "things.xml").chmod(0o600)
    before = now(kit)
    dispatched(kit)
    after = now(kit)
    assert after["things.xml"] == NEW["things.xml"] and "props/pot.glb" not in after
    assert after["props/lamp/lamp.glb"] == b"lamp" and after["data/list.txt"] == b"one\r\n"
    assert (kit / "things.xml").stat().st_mode & 0o777 == 0o600
    assert [j.id for j in journals(kit)] == ["d1"] and journals(kit)[0].about["asset"] == "lamp"
    with held(kit):
        assert set(withdraw(kit, "d1")) == set(NEW)
    assert (
        now(kit) == before
        and not (kit / OURS).exists()
        and (kit / "things.xml").stat().st_mode & 0o777 == 0o600
    )


def test_a_second_time_changes_nothing(tmp_path: Path) -> None:
    kit = made(tmp_path / "kit")
    dispatched(kit)
    with held(kit):
        assert prepare(kit, "d2", wanted(), [], {}) is None


@pytest.mark.parametrize(
    ("want", "may", "told"),
    [
        (Wanted("things.xml", b"x"), (), "there already"), (Wanted("props/pot.glb", None), (), "there already"),
        (Wanted("../out.txt", b"x"), (), "a path inside the kit"), (Wanted("/abs.txt", b"x"), (), "inside the kit"),
        (Wanted("Props/new.glb", b"x"), (), "by its case alone"), (Wanted("THINGS.XML", b"x"), (), "by its case alone"),
        (Wanted("data", b"x"), (), "is no file"), (Wanted(".customs/x", b"x"), (), "of the kit's own"),
        (Wanted("con.txt", b"x"), (), "path"), (Wanted("link/x.txt", b"x"), (), "leads out of the kit"),
        (Wanted("here.txt", b"x"), ("here.txt",), "is a link"),
    ],
)  # fmt: skip
def test_what_is_not_ours_is_left_alone(
    want: Wanted, may: tuple[str, ...], told: str, tmp_path: Path
) -> None:
    kit = made(tmp_path / "kit")
    (tmp_path / "elsewhere").mkdir()
    (kit / "link").symlink_to(tmp_path / "elsewhere")
    (kit / "here.txt").symlink_to(kit / "things.xml")
    before = now(kit)
    with pytest.raises(WriteError, match=told):
        check_places(kit, [want], may)
    assert now(kit) == before


def test_two_for_one_place_are_refused(tmp_path: Path) -> None:
    kit = made(tmp_path / "kit")
    for pair in (("a.txt", "a.txt"), ("a.txt", "A.txt")):
        with pytest.raises(WriteError, match="twice"):
            check_places(kit, [Wanted(p, b"x") for p in pair], ())


def test_new_folders_that_differ_by_case_are_refused(tmp_path: Path) -> None:
    kit = made(tmp_path / "kit")
    for pair in (
        ("New/a.txt", "new/b.txt"),
        ("more/X/a.txt", "more/x/b.txt"),
        ("Data/new/a.txt", "other.txt"),
    ):
        with pytest.raises(WriteError, match="by its case alone"):
            check_places(kit, [Wanted(p, b"x") for p in pair], ())
    assert len(check_places(kit, [Wanted(f"data/n{n}/a.txt", b"x") for n in range(50)], ())) == 50


def test_what_changed_meanwhile_or_since_is_said_and_kept(tmp_path: Path) -> None:
    kit = made(tmp_path / "kit")
    before = now(kit)
    with held(kit):
        journal = prepare(kit, "d1", wanted(), ["things.xml", "props/pot.glb"], {})
        assert journal is not None
        (kit / "things.xml").write_bytes(b"<mine/>")
        with pytest.raises(WriteError, match=r"things.xml changed meanwhile"):
            carry_out(journal)
    assert now(kit) == before | {"things.xml": b"<mine/>"} and not (kit / OURS).exists()
    (kit / "things.xml").write_bytes(OLD["things.xml"])
    dispatched(kit)
    (kit / "props/lamp/lamp.glb").write_bytes(b"another")
    after = now(kit)
    with held(kit), pytest.raises(WriteError, match=r"props/lamp/lamp.glb changed since"):
        withdraw(kit, "d1")
    assert now(kit) == after
    with held(kit), pytest.raises(WriteError, match="no dispatch d7"):
        withdraw(kit, "d7")


def test_one_at_a_time_and_only_where_it_may(tmp_path: Path) -> None:
    kit = made(tmp_path / "kit")
    with held(kit), pytest.raises(WriteError, match="another dispatch"), held(kit):
        pass
    with pytest.raises(WriteError, match="cannot be written"), held(tmp_path / "nowhere" / "kit"):
        pass


def test_a_journal_that_is_damaged_is_said(tmp_path: Path) -> None:
    kit = made(tmp_path / "kit")
    dispatched(kit)
    (kit / OURS / "d1" / "journal.json").write_text("{")
    with pytest.raises(WriteError, match="a journal that cannot be read"):
        journals(kit)


def _stopped_after(monkeypatch: pytest.MonkeyPatch, count: int) -> None:
    """The disk is full at the `count`th rename."""
    real, left = os.rename, [count]

    def rename(a: Path, b: Path) -> None:
        left[0] -= 1
        if left[0] == 0:
            raise OSError(28, "No space left on device")
        real(a, b)

    monkeypatch.setattr("customs.kit.journal.os.rename", rename)


@pytest.mark.parametrize("count", range(1, 6))
def test_a_full_disk_at_any_rename_leaves_the_kit_as_it_was(
    count: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    kit = made(tmp_path / "kit")
    before = now(kit)
    with monkeypatch.context() as patched:
        _stopped_after(patched, count)
        with pytest.raises(WriteError, match="No space left"):
            dispatched(kit)
    assert now(kit) == before and not (kit / OURS).exists()


def test_begun_is_finished_where_its_package_is_placed_and_rolled_back_where_not(tmp_path: Path) -> None:
    for placed in (True, False):
        kit = made(tmp_path / f"kit{placed}")
        before = now(kit)
        with held(kit):
            journal = prepare(kit, "d1", wanted(), ["things.xml", "props/pot.glb"], {})
            assert journal is not None
            (kit / "things.xml").write_bytes(NEW["things.xml"] or b"")
            (said,) = recover(kit, lambda about, placed=placed: placed)
        assert ("finished" in said) is placed and (now(kit) == before) is not placed
        assert ("more/deep/x.txt" in now(kit)) is placed


CHILD = """
import sys
from pathlib import Path
from customs.kit.journal import held, recover, withdraw, journals
from tests.kit.test_journal import dispatched
kit = Path(sys.argv[1])
print("ready", flush=True)
while True:
    with held(kit):
        recover(kit, lambda about: True)
        standing = [j.id for j in journals(kit)]
    if not standing:
        dispatched(kit)
    else:
        with held(kit):
            withdraw(kit, standing[0])
"""


def killed(kit: Path, child: Callable[[], subprocess.Popen[bytes]], seconds: float) -> None:
    """A child at work in a kit, killed after so long."""
    process = child()
    assert process.stdout is not None
    process.stdout.readline()
    time.sleep(seconds)
    process.send_signal(signal.SIGKILL)
    process.wait()
    process.stdout.close()


def test_killed_at_any_moment_it_is_old_or_new(tmp_path: Path) -> None:
    kit, chance = made(tmp_path / "kit"), random.Random(7)
    before = now(kit)
    dispatched(kit)
    after = now(kit)
    with held(kit):
        withdraw(kit, "d1")
    seen = set()
    for _ in range(int(os.environ.get("CUSTOMS_KILLS", "12"))):
        killed(
            kit,
            lambda: subprocess.Popen([sys.executable, "-c", CHILD, str(kit)], stdout=subprocess.PIPE),
            chance.uniform(0, 0.12),
        )
        with held(kit):
            recover(kit, lambda about: True)
        found = now(kit)
        assert found in (before, after)
        seen.add(found == after)
        assert not list(kit.rglob("*.part")) and not list(kit.rglob("*-back"))
        assert bool(journals(kit)) is (found == after)
