"""Every kernel against the numpy way, on random and on spiteful input, with indices checked."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path
from types import ModuleType
from typing import Any

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from customs.errors import ReadError
from customs.formats.obj.chunk import Chunk, read_chunk
from customs.formats.obj.quick import read_quickly
from customs.formats.text_lines import parse_numbers
from customs.geometry.polygons import _clip_ears, _turn
from customs.geometry.weld import by_chains, by_rounds
from customs.kernels import store
from customs.surface.files.png import by_diagonals


@pytest.fixture(scope="module", autouse=True)
def compiled() -> None:
    if not store.ready():
        subprocess.run([sys.executable, "-m", "customs.kernels"], check=True)
    assert store.bounds_checked() and store.ready()


def got(name: str) -> ModuleType:
    """A kernel that must be there."""
    module = store.kernel(name)
    assert module is not None
    return module


def test_all_that_is_asked_for_is_compiled_ahead() -> None:
    asked = {
        name
        for path in Path(store.__file__).parents[1].rglob("*.py")
        for name in re.findall(r"kernel(?:_for)?\(\"([a-z_]+)\"", path.read_text("utf-8"))
    }
    assert {"rows", "closest", "text"} <= asked <= set(store.names())
    # What is in the cache after compiling, and not what a first use would add inside the window.
    there = {p.name.split(".")[0] for p in store.folder().rglob("*.nbi")}
    assert set(store.names()) <= there


def test_indices_are_checked_here() -> None:
    with pytest.raises(IndexError):
        got("text").read_lines(
            np.frombuffer(b"v 1 2 3\n", np.uint8), 0, 8, *(np.empty((0, w), np.float32) for w in (3, 2, 3, 3)),
            *(np.empty(0, np.int32) for _ in range(4)), np.empty((0, 4), np.int32), np.empty((0, 3), np.int64),
        )  # fmt: skip


def same(a: Any, b: Any) -> bool:
    """Equal as what a chunk says, whatever its integers are kept in."""
    if a is None or b is None:
        return a is b
    if isinstance(a, np.ndarray):
        return a.shape == b.shape and bool(np.array_equal(a, b, equal_nan=a.dtype.kind == "f"))
    if isinstance(a, dict):
        return set(a) == set(b) and all(same(a[k], b[k]) for k in a)
    if isinstance(a, tuple):
        return len(a) == len(b) and all(same(x, y) for x, y in zip(a, b))
    if hasattr(a, "__dict__"):
        return all(same(getattr(a, k), getattr(b, k)) for k in vars(a))
    return bool(a == b)


def told(chunk: Chunk) -> Chunk:
    """With the state of each face by what it says, not by its number."""
    for e in chunk.elements.values():
        e.state = np.array([chunk.states.index(chunk.states[s]) for s in e.state], dtype=np.int64)
    return chunk


WORDS = [
    "1",
    "-2",
    "0.5",
    "3/1",
    "-1//-1",
    "2/2/2",
    "1e-3",
    "1,5",
    "/",
    "v",
    "0",
    "99999999999",
    "2.",
    ".",
    "nan",
    "\x00",
    "\x0c",
    "é",
]
LINES = st.lists(
    st.one_of(
        st.sampled_from(["v 0 0 0", "v 1 0 0 1 0.5 0", "vt 0 1", "vn 0 0 1", "f 1 1 1", "f 1/1 1/1 1/1 1/1", "f -1 -1 -1",
                         "g one", "usemtl brass", "s 1", "o", "# said", "", "  ", "f 1 1", "l 1 1", "mtllib a.mtl", "odd thing"]),
        st.tuples(st.sampled_from(["v", "vt", "vn", "f", " f", "g", "v1", "p"]), st.lists(st.sampled_from(WORDS), max_size=6)).map(
            lambda pair: f"{pair[0]} {' '.join(pair[1])}"
        ),
    ),
    max_size=14,
)  # fmt: skip


@given(LINES, st.sampled_from(["\n", " \n", "\t\n"]))
def test_obj_text_as_the_numpy_way_reads_it(lines: list[str], end: str) -> None:
    text = ("v 0 0 0\n" + end.join(lines)).encode()
    quick = read_quickly(got("text"), text, 0, len(text))
    if quick is not None:
        assert same(told(quick), told(read_chunk(text, 0, len(text))))


@given(st.binary(max_size=120), st.integers(0, 200))
def test_obj_text_of_any_bytes_ends_well(odd: bytes, place: int) -> None:
    plain = b"v 0 0 0\nvt 0 1\nvn 0 0 1\nf 1/1/1 1/1/1 1/1/1\ng a\nf 1 1 1\n" * 4
    text = plain[:place] + odd + plain[place:]
    quick = read_quickly(got("text"), text, 0, len(text))
    try:
        slow = read_chunk(text, 0, len(text))
    except ReadError:
        assert quick is None
        return
    assert quick is None or same(told(quick), told(slow))


def test_a_plain_file_goes_the_quick_way_and_pieces_are_read_alike() -> None:
    rng = np.random.default_rng(3)
    rows = "".join(
        f"v {x:.6f} {y:.5g} {z:e}\n"
        for x, y, z in rng.normal(size=(300, 3)) * 10.0 ** rng.integers(-5, 5, (300, 1))
    )
    faces = "".join(f"f {a}//{b} {b}//{a} {c}//{c}\n" for a, b, c in rng.integers(1, 300, (200, 3)))
    text = (rows + "vn 0 0 1\n" * 300 + "g all\nusemtl skin\n" + faces).encode()
    for at, end in ((0, len(text)), (len(rows), len(text)), (0, len(rows))):
        quick = read_quickly(got("text"), text, at, end)
        assert quick is not None and same(told(quick), told(read_chunk(text, at, end)))


@given(st.lists(st.one_of(
    st.floats(allow_nan=False, allow_infinity=False).map(repr), st.integers(-10**25, 10**25).map(str),
    st.decimals(allow_nan=False, allow_infinity=False, places=20).map(str),
), min_size=1, max_size=8))  # fmt: skip
@example(["1.7976931348623147e+308", "1"])
def test_numbers_are_pythons_own(words: list[str]) -> None:
    text = " ".join(words).encode()
    out = np.empty(len(words))
    count = got("text").read_numbers(np.frombuffer(text, np.uint8), 0, len(text), out)
    true = np.array([float(w) for w in words])
    if count < 0:
        assert np.abs(true).max() > 1e307, "only what is near the largest number is left to the slow way"
        return
    assert count == len(words)
    assert np.allclose(out, true, rtol=2e-15, atol=5e-324)
    plain = np.array([len(w) < 16 and "e" not in w for w in words])
    assert (out[plain] == true[plain]).all(), "fifteen digits are exact"


@given(st.text("0123456789.+-eE \n\r\tx\x00,", max_size=30))
def test_what_is_no_number_is_never_taken_for_one(text: str) -> None:
    data = text.encode()
    out = np.empty(len(data) // 2 + 1)
    count = got("text").read_numbers(np.frombuffer(data, np.uint8), 0, len(data), out)
    slow = parse_numbers(data)
    if count >= 0:
        assert slow is not None and np.allclose(out[:count], slow, rtol=1e-14, equal_nan=True)
    elif slow is not None:
        beyond = not np.isfinite(slow).all()
        assert beyond or "\x00" in text or len(slow) > len(out) or not text.isascii(), repr(text)


def ring(rng: np.random.Generator, kind: str, n: int) -> np.ndarray:
    """A loop (n, 2) ccw: a star without crossings, a comb, one that crosses itself, one with points on each
    other.
    """
    turn = np.linspace(0, 2 * np.pi, n, endpoint=False)
    if kind == "comb":
        half = n // 2
        along = np.arange(half) / half
        return np.concatenate(
            [np.c_[along, np.where(np.arange(half) % 2, 1.0, 0.05)], np.c_[along[::-1], np.zeros(half) - 0.1]]
        )[::-1].copy()
    reach = (
        rng.uniform(0.2, 1, n)
        if kind == "star"
        else rng.normal(size=n)
        if kind == "crossed"
        else rng.integers(1, 3, n)
    )
    return np.c_[np.cos(turn) * reach, np.sin(turn) * reach]


@pytest.mark.parametrize("kind", ["star", "comb", "crossed", "touching"])
@pytest.mark.parametrize("n", [3, 4, 5, 12, 60, 200])
def test_the_same_ears_are_cut(kind: str, n: int) -> None:
    for seed in range(4):
        flat = np.ascontiguousarray(
            ring(np.random.default_rng(seed), kind, n - n % 2 if kind == "comb" else n)
        )
        if len(flat) < 3:
            continue
        ours, theirs = got("ears").clip_ears(flat), _clip_ears(flat[None])[0]
        assert np.array_equal(ours, theirs)
        if kind in ("star", "comb"):
            a, b, c = flat[ours[:, 0]], flat[ours[:, 1]], flat[ours[:, 2]]
            x, y = flat.T
            area = 0.5 * float(x @ np.roll(y, -1) - np.roll(x, -1) @ y)
            assert _turn(a, b, c).sum() / 2 == pytest.approx(area) and (_turn(a, b, c) > -1e-12).all()


@pytest.mark.parametrize("step", [4, 6, 8])
def test_png_rows_are_unfiltered_alike(step: int) -> None:
    rng = np.random.default_rng(step)
    for height, width in ((1, 1), (1, 9), (9, 1), (13, 17)):
        rows = rng.integers(0, 256, (height, 1 + width * step)).astype(np.uint8)
        rows[:, 0] = rng.integers(0, 5, height)
        out = np.empty((height, width * step), np.uint8)
        got("png_filters").unfilter(rows, step, out)
        assert np.array_equal(
            out.reshape(height, width, step),
            by_diagonals(rows[:, 0], rows[:, 1:].reshape(height, width, step)),
        )


@pytest.mark.parametrize(
    ("rows", "places", "spread"),
    [(0, 1, 1), (1, 1, 1), (5000, 1, 1), (5000, 900, 1), (5000, 900, 6), (5000, 3, 60), (5000, 5000, 2)],
)
@pytest.mark.parametrize("keys", [0, 1, 2])
def test_distinct_corners_are_those_of_the_numpy_way(rows: int, places: int, spread: int, keys: int) -> None:
    rng = np.random.default_rng(rows + places)
    at, looks = rng.integers(0, places, rows), [rng.integers(0, spread, rows) for _ in range(keys)]
    quick, slow = by_chains(got("corners"), at, looks, places), by_rounds(at, looks, places)
    if spread ** min(keys, 2) > 64 and places < 10:
        assert quick is None, "a place with more corners than are worth looking through"
    else:
        assert quick is not None and same(quick, slow)


@pytest.mark.parametrize("at", [[-1, 0, 1], [0, 1, 3]])
def test_a_place_there_is_not_is_found_before_the_call(at: list[int]) -> None:
    with pytest.raises(IndexError, match="of 3"):
        by_chains(got("corners"), np.array(at), [], 3)


def test_without_a_place_to_keep_them_everything_works(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    (tmp_path / "full").write_text("a file where the folder would be")
    monkeypatch.setenv("CUSTOMS_CACHE", str(tmp_path / "full"))
    store.folder.cache_clear()
    try:
        assert not store.ready() and store.kernel("text") is None
        done = subprocess.run([sys.executable, "-m", "customs.kernels"], capture_output=True, text=True)
        assert done.returncode == 1 and "more slowly" in done.stderr
    finally:
        monkeypatch.undo()
        store.folder.cache_clear()


def test_other_sources_have_another_cache(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    names = set()
    for text in ("a = 1", "a = 2"):
        (tmp_path / "loop.py").write_text(text)
        monkeypatch.setattr(store, "HERE", tmp_path)
        store.folder.cache_clear()
        names.add(store.folder().name)
    monkeypatch.undo()
    store.folder.cache_clear()
    assert len(names) == 2
