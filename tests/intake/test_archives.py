"""Archives of all kinds, made by others: what they hold, name by name and byte by byte, and what is refused.

Judges: Python's zipfile and tarfile, Info-ZIP's zip, GNU tar, zstd, xz, py7zr.
"""

from __future__ import annotations

import bz2
import gzip
import io
import lzma
import os
import stat
import struct
import tarfile
import unicodedata
import zipfile
import zlib
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path

import numpy as np
import py7zr
import pytest
import zstandard
from hypothesis import given
from hypothesis import strategies as st

from customs.errors import Cancelled, CustomsError, LimitError, ReadError
from customs.intake.archives import limits, streams
from customs.intake.archives.limits import check_total, overlapping
from customs.intake.archives.names import apart, clean_name
from customs.intake.heap import Entry, Heap
from customs.intake.spill import Spill, key_of
from customs.job import Job
from tests.intake.made import HELLO, by_program, goods, seven_of, tar_of, zip_of, zstd_of

Make = Callable[[Path, Mapping[str, bytes]], Path]


@pytest.fixture(autouse=True)
def _own_cache(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("customs.intake.spill.spill_folder", lambda: tmp_path / "cache")


def heap_of(path: Path) -> Heap:
    heap = Heap()
    heap.add(path)
    return heap


def files(heap: Heap) -> dict[str, Entry]:
    """Entries by path within what was added, archives left out."""
    return {e.shown: e for e in heap.entries if e.kind != "archive"}


def content(heap: Heap) -> dict[str, bytes | None]:
    return {name: heap.read(e.place, 1 << 30) for name, e in files(heap).items()}


MADE: dict[str, Make] = {
    "zip": zip_of,
    "stored": lambda p, f: zip_of(p, f, zipfile.ZIP_STORED),
    "bzip2 zip": lambda p, f: zip_of(p, f, zipfile.ZIP_BZIP2),
    "lzma zip": lambda p, f: zip_of(p, f, zipfile.ZIP_LZMA),
    "tar": tar_of,
    "gz": lambda p, f: tar_of(p, f, "w:gz"),
    "bz2": lambda p, f: tar_of(p, f, "w:bz2"),
    "xz": lambda p, f: tar_of(p, f, "w:xz"),
    "zst": zstd_of,
    "7z": seven_of,
}


@pytest.mark.parametrize("kind", MADE)
def test_what_python_packed_is_listed_and_read(kind: str, tmp_path: Path) -> None:
    wanted = goods(tmp_path / "goods")
    # By content: the ending is nobody's.
    heap = heap_of(MADE[kind](tmp_path / "stores.data", wanted))
    assert content(heap) == wanted and not heap.remarks
    assert {n: e.size for n, e in files(heap).items()} == {n: len(d) for n, d in wanted.items()}
    assert files(heap)["stork/body.glb"].takeable and files(heap)["readme.txt"].kind == "text"


PROGRAMS = {
    "zip": ("zip", "-qr", "out", "."), "zip stored": ("zip", "-qr0", "out", "."),
    "gnu tar": ("tar", "-cf", "out", "."), "ustar": ("tar", "--format=ustar", "-cf", "out", "."),
    "pax": ("tar", "--format=posix", "-cf", "out", "."), "v7": ("tar", "--format=v7", "-cf", "out", "."),
    "tar.gz": ("tar", "-czf", "out", "."), "tar.xz": ("tar", "-cJf", "out", "."),
    "tar.zst": ("tar", "--zstd", "-cf", "out", "."),
    "7z": ("7zz", "a", "-bso0", "-t7z", "out", "."), "7z solid": ("7zz", "a", "-bso0", "-t7z", "-ms=on", "-mx=9", "out", "."),
    "7z of PPMd": ("7zz", "a", "-bso0", "-t7z", "-m0=PPMd", "out", "."),
}  # fmt: skip


@pytest.mark.parametrize("what", PROGRAMS)
def test_what_programs_packed_is_listed_and_read(what: str, tmp_path: Path) -> None:
    wanted = goods(tmp_path / "goods")
    place = tmp_path / "out.bin"
    by_program(*(place if w == "out" else w for w in PROGRAMS[what]), cwd=tmp_path / "goods")
    made = next(p for e in ("", ".zip", ".7z") if (p := place.with_name(place.name + e)).exists())
    assert content(heap_of(made)) == wanted


def test_what_is_packed_in_a_way_python_does_not_know_is_named(tmp_path: Path) -> None:
    goods(tmp_path / "goods")
    by_program("7zz", "a", "-bso0", "-tzip", "-mm=Deflate64", tmp_path / "a.zip", ".", cwd=tmp_path / "goods")
    by_program(
        "7zz",
        "a",
        "-bso0",
        "-tzip",
        "-psecret",
        "-mem=AES256",
        tmp_path / "b.zip",
        ".",
        cwd=tmp_path / "goods",
    )
    problems = {e.problem for e in files(heap_of(tmp_path / "a.zip")).values()}
    assert any("Deflate64, which is not read" in p for p in problems)
    assert {e.problem for e in files(heap_of(tmp_path / "b.zip")).values()} == {
        "packed by AES, which is not read"
    }


@pytest.mark.parametrize(
    ("ending", "pack"),
    [(".gz", gzip.compress), (".bz2", bz2.compress), (".xz", lzma.compress),
     (".zst", lambda d: zstandard.ZstdCompressor().compress(d))],
)  # fmt: skip
def test_one_file_compressed_by_itself(ending: str, pack: Callable[[bytes], bytes], tmp_path: Path) -> None:
    path = tmp_path / f"note.txt{ending}"
    path.write_bytes(pack(HELLO))
    assert content(heap_of(path)) == {"note.txt": HELLO}


def test_any_of_them_inside_another_and_no_deeper_than_four(tmp_path: Path) -> None:
    inner = goods(tmp_path / "goods")
    at = zip_of(tmp_path / "a.zip", inner)
    for level, make in enumerate((seven_of, zstd_of, tar_of)):
        at = make(tmp_path / f"level{level}.pak", {at.name: at.read_bytes()})
    heap = heap_of(at)
    body = next(e for e in heap.entries if e.place.endswith("stork/body.glb"))
    assert body.shown == "level1.pak/level0.pak/a.zip/stork/body.glb"
    assert heap.read(body.place, 1 << 20) == inner["stork/body.glb"]
    deeper = heap_of(zip_of(tmp_path / "deeper.zip", {at.name: at.read_bytes()}))
    stopped = [e for e in deeper.entries if e.problem]
    assert (
        len(stopped) == 1
        and "more than 4 archives" in stopped[0].problem
        and not any(e.takeable for e in deeper.entries)
    )


def test_nothing_is_written_beside_a_source_nor_unpacked_before_it_is_wanted(tmp_path: Path) -> None:
    path = zip_of(
        tmp_path / "in" / "a.zip" if (tmp_path / "in").mkdir() is None else tmp_path,
        {"a.txt": HELLO, "b.txt": b"b"},
    )
    heap = heap_of(path)
    assert os.listdir(path.parent) == ["a.zip"]
    spilled = [p for p in (tmp_path / "cache").rglob("*") if p.is_file() and p.name != ".used"]
    assert spilled == []
    assert heap.on_disk(f"{path}/b.txt").read_bytes() == b"b"
    assert [p.name for p in (tmp_path / "cache").rglob("*.txt")] == ["b.txt"]


# -- names


def test_names_of_other_systems(tmp_path: Path) -> None:
    apart_ = unicodedata.normalize("NFD", "größe")
    raw = {"a": "figür.txt".encode("cp437"), "b": "größe.txt".encode(), "c": f"{apart_}2.txt".encode()}
    found = set(files(heap_of(_rebuilt(tmp_path / "c.zip", raw))))
    assert found == {"figür.txt", "größe.txt", f"{apart_}2.txt"}
    with tarfile.open(tmp_path / "a.tar", "w", encoding="cp437") as made:
        made.addfile(tarfile.TarInfo("figür.txt"))
    assert set(files(heap_of(tmp_path / "a.tar"))) == {"figür.txt"}


def _rebuilt(path: Path, names: Mapping[str, bytes], extra: Mapping[str, bytes] | None = None) -> Path:
    """A zip written byte by byte, names as they are and no flag: APPNOTE.TXT 4.3.7, 4.3.12, 4.3.16."""
    out, central = bytearray(), bytearray()
    for key, name in names.items():
        more = (extra or {}).get(key, b"")
        fixed = struct.pack("<HHHHHLLLHH", 20, 0, 0, 0, 33, zlib.crc32(b"x"), 1, 1, len(name), len(more))
        central += (
            b"PK\x01\x02"
            + struct.pack("<H", 20)
            + fixed
            + struct.pack("<HHHLL", 0, 0, 0, 0, len(out))
            + name
            + more
        )
        out += b"PK\x03\x04" + fixed + name + more + b"x"
    end = struct.pack("<HHHHLLH", 0, 0, len(names), len(names), len(central), len(out), 0)
    path.write_bytes(bytes(out + central) + b"PK\x05\x06" + end)
    return path


def test_a_name_in_unicode_beside_one_in_a_code_page(tmp_path: Path) -> None:
    plain, real = b"fig?r.txt", "figır.txt".encode()
    body = struct.pack("<BL", 1, zlib.crc32(plain)) + real
    extra = struct.pack("<HH", 0x7075, len(body)) + body
    stale = struct.pack("<HH", 0x7075, len(body)) + struct.pack("<BL", 1, 7) + real
    assert set(files(heap_of(_rebuilt(tmp_path / "a.zip", {"a": plain}, {"a": extra})))) == {"figır.txt"}
    assert set(files(heap_of(_rebuilt(tmp_path / "b.zip", {"a": plain}, {"a": stale})))) == {"fig?r.txt"}


@pytest.mark.parametrize(
    ("name", "clean", "why"),
    [
        ("a/b.txt", "a/b.txt", ""), ("./a//b.txt", "a/b.txt", ""), ("a\\b.txt", "a/b.txt", ""),
        ("../../etc/passwd", "etc/passwd", "leads out"), ("/etc/passwd", "etc/passwd", "leads out"),
        ("C:\\a.txt", "a.txt", "leads out"), ("a/../../b", "a/b", "leads out"), ("..", "?", "leads out"), ("", "?", "no name"), ("./", "?", "no name"),
        ("a\0b", "a?b", "no file"), ("x" * 300, "x" * 300, "no file"), ("/".join("d" * 80), "/".join("d" * 80), "folders"),
    ],
)  # fmt: skip
def test_names_that_could_be_no_place(name: str, clean: str, why: str) -> None:
    found, problem = clean_name(name)
    assert found == clean and (why in problem if why else not problem)


@given(st.lists(st.sampled_from(["a", "A", "a (2)", "a.png", "b/a.png", "b/a (2).png"]), max_size=12))
def test_no_two_names_are_alike_and_the_first_keeps_its_own(names: list[str]) -> None:
    out, said = apart(names)
    assert len(set(out)) == len(out) == len(names) and len(set(names)) == sum(
        a == b for a, b in zip(names, out)
    )
    assert any("has" in s or "have" in s for s in said) == (len(set(names)) < len(names))


def test_doubled_names_are_both_there_and_case_is_remarked(tmp_path: Path) -> None:
    with zipfile.ZipFile(tmp_path / "a.zip", "w") as made, pytest.warns(UserWarning):
        for data in (b"one", b"two"):
            made.writestr("copper.png", data)
        made.writestr("Copper.png", b"three")
    heap = heap_of(tmp_path / "a.zip")
    assert content(heap) == {"copper.png": b"one", "copper (2).png": b"two", "Copper.png": b"three"}
    assert any("name of another" in r for r in heap.remarks) and any("capital" in r for r in heap.remarks)


def test_links_and_devices_are_rows_that_say_so(tmp_path: Path) -> None:
    with tarfile.open(tmp_path / "a.tar", "w") as made:
        for name, kind, to in (
            ("link", tarfile.SYMTYPE, "/etc/passwd"),
            ("hard", tarfile.LNKTYPE, "x"),
            ("pipe", tarfile.FIFOTYPE, ""),
        ):
            info = tarfile.TarInfo(name)
            info.type, info.linkname = kind, to
            made.addfile(info)
        info = tarfile.TarInfo("../out.txt")
        info.size = 1
        made.addfile(info, io.BytesIO(b"x"))
    with zipfile.ZipFile(tmp_path / "b.zip", "w") as zipped:
        link = zipfile.ZipInfo("link")
        link.external_attr = (stat.S_IFLNK | 0o777) << 16
        zipped.writestr(link, "/etc/passwd")
    heap = heap_of(tmp_path / "a.tar")
    problems = {n: e.problem for n, e in files(heap).items()}
    assert (
        problems["link"] == "a link to /etc/passwd"
        and "link" in problems["hard"]
        and problems["pipe"] == "a device"
    )
    assert "leads out" in problems["out.txt"]
    with pytest.raises(CustomsError, match="leads out"):
        heap.on_disk(f"{tmp_path}/a.tar/out.txt")
    assert files(heap_of(tmp_path / "b.zip"))["link"].problem == "a link"


def test_an_entry_without_a_name_is_a_row_that_says_so(tmp_path: Path) -> None:
    zip_of(tmp_path / "a.zip", {"pot.txt": b"of clay", "urn.txt": b"of brass"})
    whole = (tmp_path / "a.zip").read_bytes()
    # In the zip's list, what zipfile takes for no name at all: found by mutated archives.
    at = whole.rindex(b"pot.txt")
    (tmp_path / "a.zip").write_bytes(whole[:at] + b"\0" + whole[at + 1 :])
    heap = heap_of(tmp_path / "a.zip")
    found = files(heap)
    assert found["?ot.txt"].problem == "no file can have this name"
    assert not found["urn.txt"].problem and heap.read(f"{tmp_path}/a.zip/urn.txt", 99) == b"of brass"


# -- bombs and lies


def test_a_bomb_is_refused_before_it_fills_anything(tmp_path: Path) -> None:
    with pytest.raises(LimitError, match="would fill the disk"):
        check_total(limits.NO_BOMB * 3, 1000, "a.zip")
    check_total(limits.NO_BOMB * 3, limits.NO_BOMB, "a.zip")
    path = zip_of(tmp_path / "a.zip", {"a": b"x"})
    data = bytearray(path.read_bytes())
    at = data.find(b"PK\x01\x02")
    struct.pack_into("<L", data, at + 24, 0xFFFFFFF0)
    path.write_bytes(data)
    row = heap_of(path).entries[0]
    assert "out of" in row.problem and len(heap_of(path).entries) == 1


def test_a_stream_that_never_ends_is_stopped(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("customs.intake.archives.streams.NO_BOMB", 1 << 20)
    monkeypatch.setattr("customs.intake.archives.limits.NO_BOMB", 1 << 20)
    monkeypatch.setattr("customs.intake.archives.streams.RATIO", 10)
    monkeypatch.setattr("customs.intake.archives.limits.RATIO", 10)
    path = tmp_path / "zeros.gz"
    path.write_bytes(gzip.compress(bytes(1 << 24)))
    assert "out of" in heap_of(path).entries[0].problem
    left = [p.name for p in (tmp_path / "cache").rglob("*") if p.is_file()]
    assert left == [".used"], "nothing half unpacked stays"


def test_entries_that_share_their_bytes_are_not_read(tmp_path: Path) -> None:
    path = zip_of(tmp_path / "a.zip", {"a.txt": HELLO, "b.txt": HELLO, "c.txt": HELLO}, zipfile.ZIP_STORED)
    data = bytearray(path.read_bytes())
    second = data.find(b"PK\x01\x02", data.find(b"PK\x01\x02") + 4)
    struct.pack_into("<L", data, second + 42, 0)
    path.write_bytes(data)
    problems = {n: e.problem for n, e in files(heap_of(path)).items()}
    assert (
        "also another's" in problems["a.txt"]
        and "also another's" in problems["b.txt"]
        and not problems["c.txt"]
    )


@given(st.lists(st.tuples(st.integers(0, 50), st.integers(0, 12)), max_size=12))
def test_stretches_that_overlap_are_those_two_by_two_comparing_finds(
    stretches: list[tuple[int, int]],
) -> None:
    begins = np.array([a for a, _ in stretches], np.int64)
    ends = begins + np.array([n for _, n in stretches], np.int64)
    found = overlapping(begins, ends)
    pairs = [
        (i, j) for i in range(len(begins)) for j in range(i)
        if max(begins[i], begins[j]) < min(ends[i], ends[j])
    ]  # fmt: skip
    # All that overlap are found; one may be marked for the sake of an earlier, longer one.
    assert all(found[i] or found[j] for i, j in pairs) and (
        bool(pairs) or not found.any() or (ends == begins).any()
    )


@pytest.mark.parametrize("kind", ["zip", "tar", "gz", "xz", "zst", "7z"])
def test_an_archive_that_ends_early_says_so(kind: str, tmp_path: Path) -> None:
    whole = MADE[kind](tmp_path / "a.bin", {f"{k}.txt": os.urandom(3000) for k in range(9)})
    cut = tmp_path / f"cut.{kind}"
    cut.write_bytes(whole.read_bytes()[: whole.stat().st_size * 2 // 3])
    heap = heap_of(cut)
    if kind == "tar":
        assert (0 < len(files(heap)) < 9 and any("ends early" in r for r in heap.remarks)) or any(
            "cut off" in e.problem for e in heap.entries
        )
        assert all(heap.read(e.place, 1 << 20) is not None for e in files(heap).values() if not e.problem)
    else:
        assert (
            len(heap.entries) == 1 and heap.entries[0].problem and "Fetch it again" in heap.entries[0].problem
        )


@pytest.mark.parametrize("at", [0.2, 0.5, 0.8])
@pytest.mark.parametrize("kind", ["zip", "bzip2 zip", "lzma zip", "7z"])
def test_a_damaged_entry_is_named_and_the_others_are_read(kind: str, at: float, tmp_path: Path) -> None:
    path = MADE[kind](tmp_path / "a.bin", {f"{k}.txt": os.urandom(400) for k in range(5)})
    data = bytearray(path.read_bytes())
    data[int(len(data) * at * 0.6)] ^= 0xFF
    path.write_bytes(data)
    heap = heap_of(path)
    bad = 0
    for entry in files(heap).values():
        try:
            heap.read(entry.place, 1 << 20)
        except CustomsError as problem:
            bad += 1
            assert "unforeseen" not in str(problem) and str(path) in str(problem)
    assert bad or heap.entries[0].problem
    assert not [p for p in (tmp_path / "cache").rglob(".part*")]


@given(st.data())
def test_no_archive_of_drawn_bytes_is_more_than_refused(
    tmp_path_factory: pytest.TempPathFactory, data: st.DataObject
) -> None:
    """Cut, flipped, repeated: whatever comes is rows, and reading them a clear error."""
    folder = tmp_path_factory.mktemp("drawn")
    kind = data.draw(st.sampled_from(["zip", "tar", "gz", "zst", "7z", "bzip2 zip"]))
    whole = MADE[kind](folder / "a.bin", {"a.txt": HELLO, "b/c.txt": b"x" * 70, "d.bin": bytes(50)})
    raw = bytearray(whole.read_bytes())
    # As shares of the length, which hangs on the time it was packed at.
    share = st.floats(0, 1, exclude_max=True)
    for at, value in data.draw(st.lists(st.tuples(share, st.integers(0, 255)), min_size=1, max_size=6)):
        raw[int(at * len(raw))] = value
    raw = raw[: int(data.draw(st.just(1.0) | share) * len(raw)) + 1]
    (folder / "b.bin").write_bytes(raw)
    heap = heap_of(folder / "b.bin")
    for entry in heap.entries:
        try:
            assert entry.item is None or entry.problem or heap.read(entry.place, 1 << 22) is not None
        except CustomsError as problem:
            assert "\n" not in str(problem)
    heap.close()


# -- locked


@pytest.mark.parametrize("kind", ["zip", "7z", "7z with its list"])
def test_an_encrypted_archive_is_opened_by_its_password(kind: str, tmp_path: Path) -> None:
    wanted = goods(tmp_path / "goods")
    path = tmp_path / "locked.bin"
    if kind == "zip":
        by_program("zip", "-qrP", "verdigris", path, ".", cwd=tmp_path / "goods")
        path = path if path.exists() else path.with_name("locked.bin.zip")
    else:
        seven_of(path, wanted, "verdigris", kind != "7z")
    outer = tar_of(tmp_path / "stores.tar", {"keepers.pak": path.read_bytes()})
    heap = heap_of(outer)
    place = f"{outer}/keepers.pak"
    assert any(e.locked for e in heap.entries) and not any(e.takeable for e in heap.entries)
    before = list(heap.entries)
    with pytest.raises(ReadError, match=r"password|encrypted"):
        heap.unlock(place, "copper")
    assert heap.entries == before and place not in heap.passwords
    heap.unlock(place, "verdigris")
    assert {
        e.shown.removeprefix("keepers.pak/"): heap.read(e.place, 1 << 20) for e in files(heap).values()
    } == wanted
    heap.close()
    left = b"".join(p.read_bytes() for p in (tmp_path / "cache").rglob("*") if p.is_file())
    assert HELLO not in left, "what a password opened does not stay in the cache"


# -- the cache


def test_the_cache_keeps_to_its_limit_and_gives_up_the_longest_unused(tmp_path: Path) -> None:
    base = tmp_path / "cache"

    def made(key: str, size: int, limit: int = 3000) -> Path:
        spill = Spill(key, limit, base)
        path = spill.made("a.bin", lambda out: out.write(bytes(size)), size)
        spill.close()
        os.utime(base / key / ".used", (len(list(base.iterdir())),) * 2)
        return path

    first, second = made("one", 1200), made("two", 1200)
    held = Spill("two", 3000, base)
    third = made("three", 1200)
    assert not first.exists() and second.exists() and third.exists(), "the longest unused went"
    with pytest.raises(LimitError, match="Preferences"):
        made("four", 4000)
    with pytest.raises(LimitError):
        Spill("five", 3000, base).made(
            "a.bin", lambda out: [out.write(bytes(1000)) for _ in range(9)] and None
        )
    assert second.exists(), "what somebody holds stays"
    held.close()
    assert not list(base.rglob(".part*"))


@pytest.mark.parametrize("kind", ["gz", "xz", "zst"])
def test_a_compressed_tar_larger_than_the_cache_is_listed_and_what_is_wanted_unpacked(
    kind: str, tmp_path: Path
) -> None:
    wanted = {f"{k:02}.bin": os.urandom(900) for k in range(30)} | {"deep/Größe.txt": HELLO}
    path = MADE[kind](tmp_path / "large.tar.x", wanted)
    heap = Heap(limit=9_000)
    heap.add(path)
    assert {n: e.size for n, e in files(heap).items()} == {n: len(d) for n, d in wanted.items()}
    assert any("larger than the cache" in r for r in heap.remarks)
    for name in ("29.bin", "deep/Größe.txt", "00.bin"):
        item = heap.entry(f"{path}/{name}")
        assert item is not None and item.item is not None
        assert heap.read(item.place, 1 << 20) == wanted[name]
    left = [p.name for p in (tmp_path / "cache").rglob("*") if p.is_file() and p.name != ".used"]
    assert "unpacked" not in left and not any(n.startswith(".part") for n in left)
    # Its list is kept: opened again, it is not gone through.
    heap.close()
    again = Heap(limit=9_000)
    with pytest.MonkeyPatch.context() as m:
        m.setattr(streams.Streamed, "_list", lambda *_: pytest.fail("it is gone through again"))
        again.add(path)
    assert [e[:5] for e in again.entries] == [e[:5] for e in heap.entries] and again.remarks == heap.remarks
    again.close()
    # A list that is damaged is made anew, and where there is room after all, it is unpacked.
    (kept,) = (tmp_path / "cache").rglob("list")
    kept.write_bytes(b"[[1")
    torn = Heap(limit=9_000)
    torn.add(path)
    assert [e[:5] for e in torn.entries] == [e[:5] for e in heap.entries]
    torn.close()
    roomy = Heap(limit=1 << 20)
    roomy.add(path)
    assert not roomy.remarks and content(roomy) == wanted
    alone = tmp_path / "one.bin.gz"
    alone.write_bytes(gzip.compress(os.urandom(20_000)))
    single = Heap(limit=9_000)
    single.add(alone)
    assert "Preferences" in single.entries[0].problem


def test_a_cache_that_cannot_be_written_is_said(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "cache").write_bytes(b"a file in its place")
    row = heap_of(zip_of(tmp_path / "a.zip", {"a.txt": b"x"})).entries[0]
    assert "cannot be written" in row.problem and "CUSTOMS_CACHE" in row.problem


def test_cancelling_leaves_nothing_half_unpacked(tmp_path: Path) -> None:
    path = tar_of(tmp_path / "a.tar.gz", {"a.bin": os.urandom(3 << 20)}, "w:gz")

    def told() -> Iterator[bool]:
        yield False
        while True:
            yield True

    asks, heap = told(), Heap()
    heap.add(zip_of(tmp_path / "b.zip", {"b.txt": b"b"}))
    with pytest.raises(Cancelled):
        heap.add(path, Job(cancelled=lambda: next(asks)))
    assert not [p for p in (tmp_path / "cache").rglob("*") if p.is_file() and p.name != ".used"]
    # What was listed before is there still; half a folder is not taken for all of it, and may be asked for again.
    for k in range(600):
        (tmp_path / "many" / f"{k:03}.txt").parent.mkdir(exist_ok=True)
        (tmp_path / "many" / f"{k:03}.txt").write_bytes(b"")
    asks = told()
    with pytest.raises(Cancelled):
        heap.add(tmp_path / "many", Job(cancelled=lambda: next(asks)))
    assert [e.path.name for e in heap.entries] == ["b.zip", "b.txt"]
    heap.add(tmp_path / "many")
    heap.add(path)
    assert len(heap.entries) == 2 + 600 + 2 and heap.read(f"{path}/a.bin", 4 << 20) is not None


def test_names_a_7z_has_twice_are_said(tmp_path: Path) -> None:
    path = tmp_path / "a.7z"
    with py7zr.SevenZipFile(path, "w") as made:
        for data, name in ((b"one", "a.txt"), (b"two", "a.txt"), (b"three", "b.txt")):
            made.writestr(data, name)
    heap = heap_of(path)
    rows = [e for e in heap.entries if e.kind != "archive"]
    assert [bool(e.problem) for e in rows] == [True, True, False] and "more than once" in rows[0].problem
    assert heap.read(f"{path}/b.txt", 100) == b"three"
    with pytest.raises(CustomsError, match="more than once"):
        heap.on_disk(rows[0].place)


def test_a_changed_archive_is_another_one(tmp_path: Path) -> None:
    path = zip_of(tmp_path / "a.zip", {"a.txt": b"one"})
    before = key_of(path)
    assert content(heap_of(path)) == {"a.txt": b"one"}
    zip_of(path, {"a.txt": b"two"})
    os.utime(path, ns=(1, 1))
    assert key_of(path) != before and content(heap_of(path)) == {"a.txt": b"two"}
