"""One chunk of whole OBJ lines into arrays: a pure function, so chunks can be read side by side."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.errors import ReadError
from customs.formats.obj.corners import read_corners
from customs.formats.source import decode_text
from customs.formats.text_lines import (
    blank,
    line_bounds,
    parse_floats,
    parse_numbers,
    pick_lines,
    rows_of,
    token_starts,
)

Array = npt.NDArray[Any]
OTHER, V, VT, VN, F, L, P = range(7)
WIDTHS = {V: 3, VT: 2, VN: 3}
LETTERS = {F: b"f", L: b"l", P: b"p"}
SHORTEST = {F: 3, L: 2, P: 1}

State = tuple[str | None, str | None, int | None]
"""(group, material, smoothing); None is what an earlier chunk left in force."""


@dataclass
class Elements:
    """Faces, lines or points: `corners` three (C,) int64 of v, vt, vn as written (0 where absent), `sizes`
    (E,), `state` (E,) numbers of states. Where some numbers are relative, `before` (E, 3) says how many v,
    vt, vn the chunk held before each, and `begins` (E,) the byte of the text its line begins at."""

    corners: tuple[Array, Array, Array]
    sizes: Array
    state: Array
    before: Array | None = None
    begins: Array | None = None


@dataclass
class Chunk:
    """All a chunk says."""

    vectors: dict[int, Array] = field(default_factory=dict)
    colours: Array | None = None
    elements: dict[int, Elements] = field(default_factory=dict)
    states: list[State] = field(default_factory=lambda: [(None, None, None)])
    libraries: list[str] = field(default_factory=list)
    ignored: set[str] = field(default_factory=set)
    short: int = 0

    def count(self, kind: int) -> int:
        """How many v, vt or vn it holds."""
        return len(self.vectors.get(kind, ()))


class Lines:
    """The lines of a chunk of `text`: where each starts and ends within the chunk, and its kind."""

    def __init__(self, text: bytes, at: int, end: int) -> None:
        self.text, self.at = text, at
        self.data = np.frombuffer(text, np.uint8, end - at, at)
        self.starts, self.ends = line_bounds(self.data)
        self.kinds = _kinds(self.data, self.starts, self.ends)

    def error(self, line: int, found: str, expected: str) -> ReadError:
        """A ReadError at line `line` of this chunk; the file is added by who knows it."""
        return ReadError(
            found, expected, "Mend that line.", where=f"line {line_number(self.text, self.at) + line}"
        )

    def line(self, k: int) -> bytes:
        """The text of a line."""
        return self.text[self.at + int(self.starts[k]) : self.at + int(self.ends[k])]

    def words(self, line: int) -> list[bytes]:
        """The words of a line after the first."""
        return self.line(line).split()[1:]


def line_number(text: bytes, at: int) -> int:
    """Number, from 1, of the line that begins at byte `at`; counted only when there is an error to tell."""
    return 1 + text.count(b"\n", 0, at)


def read_chunk(text: bytes, at: int, end: int) -> Chunk:
    """Parse the whole lines in bytes `at`..`end` of `text`. Raises ReadError without the file's name."""
    lines, out = Lines(text, at, end), Chunk()
    state = _statements(lines, out)
    for kind in (V, VT, VN):
        if (chosen := lines.kinds == kind).any():
            _vectors(lines, chosen, kind, out)
    for kind in (F, L, P):
        if (chosen := lines.kinds == kind).any():
            _corners(lines, chosen, kind, state[chosen], out)
    return out


def _kinds(data: Array, starts: Array, ends: Array) -> Array:
    """(L,) kind of each line, by its first letters; leading blanks are passed over."""
    room = np.append(data, np.zeros(4, np.uint8))
    first = starts.copy()
    for _ in range(64):
        indented = (room[first] <= 32) & (first < ends)
        if not indented.any():
            break
        first[indented] += 1
    a, b, c = room[first], room[first + 1], room[first + 2]
    out = np.zeros(len(starts), dtype=np.uint8)
    gap = b <= 32
    out[(a == 118) & gap] = V
    out[(a == 118) & (b == 116) & (c <= 32)] = VT
    out[(a == 118) & (b == 110) & (c <= 32)] = VN
    out[(a == 102) & gap] = F
    out[(a == 108) & gap] = L
    out[(a == 112) & gap] = P
    return out


def _statements(lines: Lines, out: Chunk) -> Array:
    """Reads o, g, s, usemtl, mtllib; returns (L,) the number of the state in force on each line."""
    at = np.flatnonzero(lines.kinds == OTHER)
    states = read_statements((lines.line(int(k)) for k in at), out)
    change_at, change_to = np.append(0, at), np.append(0, states)
    return change_to[np.searchsorted(change_at, np.arange(len(lines.starts)), side="right") - 1]


def read_statements(texts: Iterable[bytes], out: Chunk) -> Array:
    """(S,) the number of the state in force after each of some lines that are no numbers; what they say goes
    into `out`.
    """
    group, material, smooth = out.states[0]
    now: list[int] = []
    for text in texts:
        words = text.strip()
        name, _, rest = (
            decode_text(words).partition(" ") if words and not words.startswith(b"#") else ("", "", "")
        )
        rest = rest.strip()
        if name in ("o", "g"):
            group = rest
        elif name == "usemtl":
            material = rest
        elif name == "s":
            smooth = int(rest) if rest.isdecimal() and len(rest) < 10 else 0
        elif name == "mtllib":
            out.libraries.append(rest)
        elif name:
            out.ignored.add(name[:20])
        if (group, material, smooth) != out.states[-1]:
            out.states.append((group, material, smooth))
        now.append(len(out.states) - 1)
    return np.array(now, dtype=np.intp)


def _per_line(part: Array, begins: Array, number: int) -> Array:
    """(R,) how many of the sorted places `begins` lie on each of `number` lines. Lines of one shape need no
    counting.
    """
    starts = line_bounds(part)[0][:number]
    per = len(begins) // number
    if per * number == len(begins) and per:
        table = begins.reshape(number, per)
        if (table[:, 0] >= starts).all() and (table[:-1, -1] < starts[1:]).all():
            return np.full(number, per, dtype=np.int64)
    return np.diff(np.append(np.searchsorted(begins, starts), len(begins)))


def _vectors(lines: Lines, chosen: Array, kind: int, out: Chunk) -> None:
    part = pick_lines(lines.data, lines.starts, lines.ends, chosen)
    counts = _per_line(part, token_starts(part), int(chosen.sum())) - 1
    need = WIDTHS[kind] if kind != VT else 1
    values = (
        parse_floats(blank(part.tobytes(), b"vtn"), int(counts.sum())) if (counts >= need).all() else None
    )
    if values is None:
        raise _bad_vector(lines, chosen, need)
    out.vectors[kind] = rows_of(values, counts, WIDTHS[kind]).astype(np.float32)
    if kind == V and int(counts.max()) >= 6:
        out.colours = _colours(values, counts)


def _colours(values: Array, counts: Array) -> Array:
    """(N, 3) colours written after positions; NaN where a vertex has none."""
    first = np.cumsum(counts) - counts
    table = np.full((len(counts), 3), np.nan, dtype=np.float32)
    has = counts >= 6
    for c in range(3):
        table[has, c] = values[first[has] + 3 + c]
    return table


def _bad_vector(lines: Lines, chosen: Array, need: int) -> ReadError:
    """The error about the first line that is wrong."""
    for k in np.flatnonzero(chosen):
        words = lines.words(int(k))
        numbers = parse_numbers(b" ".join(words))
        if numbers is None or len(numbers) != len(words) or len(words) < need:
            shown = decode_text(lines.line(int(k))).strip()[:60]
            return lines.error(int(k), shown, f"at least {need} numbers")
    return lines.error(0, "numbers that cannot be read", "numbers")


def _corners(lines: Lines, chosen: Array, kind: int, state: Array, out: Chunk) -> None:
    part = pick_lines(lines.data, lines.starts, lines.ends, chosen)
    number = int(chosen.sum())
    found = read_corners(part, LETTERS[kind], number)
    if found is None:
        raise _bad_corner(lines, chosen)
    table, begins = found
    sizes = _per_line(part, begins, number)
    keep = sizes >= SHORTEST[kind]
    if not keep.all():
        out.short += int((~keep).sum())
        table, state = table[np.repeat(keep, sizes)], state[keep]
    at = np.flatnonzero(chosen)[keep]
    zero = table[:, 0] == 0
    if zero.any():
        bad = int(np.repeat(at, sizes[keep])[int(zero.argmax())])
        raise lines.error(bad, "vertex number 0", "1 or more, or a negative number")
    before: Array | None = None
    above: Array | None = None
    if (table < 0).any():
        before = np.stack([np.cumsum(lines.kinds == k)[chosen][keep] for k in (V, VT, VN)], axis=1)
        above = lines.at + lines.starts[at]
    columns = (table[:, 0].copy(), table[:, 1].copy(), table[:, 2].copy())
    out.elements[kind] = Elements(columns, sizes[keep], state, before, above)


def _bad_corner(lines: Lines, chosen: Array) -> ReadError:
    """The error about the first corner that is wrong."""
    for k in np.flatnonzero(chosen):
        for word in lines.words(int(k)):
            parts = word.split(b"/")
            if len(parts) > 3 or not all(
                p.lstrip(b"-").isdigit() or (i and not p) for i, p in enumerate(parts)
            ):
                return lines.error(int(k), decode_text(word)[:40], "v, v/vt, v//vn or v/vt/vn")
    return lines.error(0, "corners that cannot be read", "v/vt/vn")
