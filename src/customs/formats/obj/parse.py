"""OBJ text into arrays, in chunks of whole lines."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.errors import LimitError
from customs.formats.source import Source, decode_text
from customs.formats.text_lines import blank, line_bounds, parse_floats, parse_numbers, pick_lines, sums_from, tokens_per_line
from customs.tolerances import ELEMENTS

Array = npt.NDArray[Any]
CHUNK = 8 * 1024 * 1024
OTHER, V, VT, VN, F, L, P = range(7)
WIDTHS = {V: 3, VT: 2, VN: 3}


@dataclass
class Elements:
    """Faces, lines or points: `corners` (C, 3) one-based v, vt, vn (0 where absent), `sizes` (E,), `state` (E,)."""

    corners: list[Array] = field(default_factory=list)
    sizes: list[Array] = field(default_factory=list)
    state: list[Array] = field(default_factory=list)


@dataclass
class ObjText:
    """All an OBJ says, still in its own index space. `states` are (group, material, smoothing)."""

    positions: list[Array] = field(default_factory=list)
    colours: list[Array] = field(default_factory=list)
    texcoords: list[Array] = field(default_factory=list)
    normals: list[Array] = field(default_factory=list)
    counts: dict[int, int] = field(default_factory=lambda: {V: 0, VT: 0, VN: 0})
    elements: dict[int, Elements] = field(default_factory=lambda: {F: Elements(), L: Elements(), P: Elements()})
    states: list[tuple[str, str, int]] = field(default_factory=lambda: [("", "", -1)])
    libraries: list[str] = field(default_factory=list)
    ignored: set[str] = field(default_factory=set)


def prepared(data: bytes) -> bytes:
    """Bytes in one-byte text with plain line ends and no continued lines."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        data = decode_text(data).encode("utf-8")
    if data[:3] == b"\xef\xbb\xbf":
        data = data[3:]
    if b"\\" in data:
        data = data.replace(b"\\\r\n", b" ").replace(b"\\\n", b" ")
    if b"\r" in data:
        data = data.replace(b"\r\n", b"\n").replace(b"\r", b"\n")
    return data


def parse(source: Source) -> ObjText:
    """The whole text. Raises ReadError with the line, LimitError."""
    data = prepared(source.data)
    out = ObjText()
    at, line = 0, 1
    while at < len(data):
        end = len(data) if len(data) - at <= CHUNK else data.rfind(b"\n", at, at + CHUNK) + 1
        if end <= at:
            end = data.find(b"\n", at) + 1 or len(data)
        line += _chunk(data[at:end], line, out, source)
        at = end
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


def _chunk(text: bytes, line: int, out: ObjText, source: Source) -> int:
    """Parse whole lines; returns how many."""
    data = np.frombuffer(text, np.uint8)
    starts, ends = line_bounds(data)
    kinds = _kinds(data, starts, ends)
    state = _statements(text, starts, ends, kinds, out)
    before = {k: out.counts[k] + np.cumsum(kinds == k) for k in (V, VT, VN)}
    for kind in (V, VT, VN):
        chosen = kinds == kind
        if chosen.any():
            _vectors(data, starts, ends, chosen, kind, line, out, source)
    for kind in (F, L, P):
        chosen = kinds == kind
        if chosen.any():
            counts = np.stack([before[k][chosen] for k in (V, VT, VN)], axis=1)
            _corners(data, starts, ends, chosen, kind, line, counts, state[chosen], out, source)
    if sum(out.counts.values()) > ELEMENTS:
        raise LimitError(f"more than {ELEMENTS:,} vertices", "fewer", "Split the file.", source.path)
    return len(starts) - (1 if text.endswith(b"\n") and starts[-1] == len(data) else 0)


def _statements(text: bytes, starts: Array, ends: Array, kinds: Array, out: ObjText) -> Array:
    """Reads o, g, s, usemtl, mtllib; returns (L,) the number of the state in force on each line."""
    change_at, change_to = [0], [len(out.states) - 1]
    group, material, smooth = out.states[-1]
    for k in np.flatnonzero(kinds == OTHER):
        words = text[starts[k] : ends[k]].strip()
        if not words or words.startswith(b"#"):
            continue
        name, _, rest = decode_text(words).partition(" ")
        rest = rest.strip()
        if name in ("o", "g"):
            group = rest
        elif name == "usemtl":
            material = rest
        elif name == "s":
            smooth = int(rest) if rest.isdigit() else 0
        elif name == "mtllib":
            out.libraries.append(rest)
            continue
        else:
            out.ignored.add(name[:20])
            continue
        out.states.append((group, material, smooth))
        change_at.append(int(k))
        change_to.append(len(out.states) - 1)
    place = np.searchsorted(np.array(change_at), np.arange(len(starts)), side="right") - 1
    return np.array(change_to)[place]


def _vectors(data: Array, starts: Array, ends: Array, chosen: Array, kind: int, line: int, out: ObjText,
             source: Source) -> None:  # fmt: skip
    part = pick_lines(data, starts, ends, chosen)
    counts = tokens_per_line(part, line_bounds(part)[0])[: int(chosen.sum())] - 1
    need = WIDTHS[kind] if kind != VT else 1
    values = parse_floats(blank(part.tobytes(), b"vtn"), int(counts.sum())) if (counts >= need).all() else None
    if values is None:
        _complain(data, starts, ends, chosen, line, need, source)
        raise AssertionError("unreachable")
    table = _table(values, counts, WIDTHS[kind]).astype(np.float32)
    if kind == V:
        out.colours.append(_colours(values, np.cumsum(counts) - counts, counts))
    {V: out.positions, VT: out.texcoords, VN: out.normals}[kind].append(table)
    out.counts[kind] += len(table)


def _table(values: Array, counts: Array, width: int) -> Array:
    """The first `width` of each row's `counts` (R,) numbers, (R, width), zero where a row has fewer."""
    per = int(counts[0]) if len(counts) else width
    if (counts == per).all() and per >= width:
        return values.reshape(-1, per)[:, :width]
    first = np.cumsum(counts) - counts
    out = np.zeros((len(counts), width), dtype=values.dtype)
    for c in range(width):
        has = counts > c
        out[has, c] = values[first[has] + c]
    return out


def _colours(values: Array, first: Array, counts: Array) -> Array:
    """(N, 3) colours written after positions; NaN where a vertex has none."""
    table = np.full((len(counts), 3), np.nan, dtype=np.float32)
    has = counts >= 6
    for c in range(3):
        table[has, c] = values[first[has] + 3 + c]
    return table


def _complain(data: Array, starts: Array, ends: Array, chosen: Array, line: int, need: int, source: Source) -> None:
    """Find the line that is wrong and raise."""
    for k in np.flatnonzero(chosen):
        words = data[starts[k] : ends[k]].tobytes().split()[1:]
        numbers = parse_numbers(b" ".join(words))
        if numbers is None or len(numbers) != len(words) or len(words) < need:
            shown = decode_text(data[starts[k] : ends[k]].tobytes()).strip()[:60]
            raise source.error(f"line {line + int(k)}", shown, f"at least {need} numbers", "Mend that line.")
    raise source.error(f"line {line}", "numbers that cannot be read", "numbers", "Export the file again.")


def _corners(data: Array, starts: Array, ends: Array, chosen: Array, kind: int, line: int, counts: Array,
             state: Array, out: ObjText, source: Source) -> None:  # fmt: skip
    part = pick_lines(data, starts, ends, chosen)
    sizes = tokens_per_line(part, line_bounds(part)[0])[: int(chosen.sum())] - 1
    text = blank(part.tobytes(), {F: b"f", L: b"l", P: b"p"}[kind] + b"\t\r\n\v\f") + b" "
    if b"//" in text:
        text = text.replace(b"//", b"/0/")
    if b"/ " in text:
        text = text.replace(b"/ ", b"/0 ")
    slashes = _slashes(np.frombuffer(text, np.uint8), int(sizes.sum()))
    values = parse_numbers(blank(text, b"/"), np.int64)
    if values is None or slashes is None or len(values) != int(slashes.sum()) + len(slashes):
        raise _bad_corner(data, starts, ends, chosen, line, source)
    table = _table(values, slashes + 1, 3)
    if (table < 0).any():
        _absolute(table, np.repeat(counts, sizes, axis=0))
    short = {F: 3, L: 2, P: 1}[kind]
    if (table[:, 0] < 1).any():
        bad = int(np.repeat(np.flatnonzero(chosen), sizes)[int((table[:, 0] < 1).argmax())])
        raise source.error(f"line {line + bad}", "a vertex number before the first", "1 or more", "Mend that line.")
    keep = sizes >= short
    if not keep.all():
        source.remark(f"{int((~keep).sum())} elements with too few corners left out")
        table = table[np.repeat(keep, sizes)]
    e = out.elements[kind]
    e.corners.append(table)
    e.sizes.append(sizes[keep])
    e.state.append(state[keep])


def _slashes(text: Array, tokens: int) -> Array | None:
    """(T,) how many slashes each token holds; None when some token has more than two."""
    gap = text == 32
    begins = ~gap
    begins[1:] &= gap[:-1]
    starts = np.flatnonzero(begins)
    if len(starts) != tokens:
        return None
    if not tokens:
        return np.zeros(0, dtype=np.int64)
    out = sums_from(text == 47, starts)
    return out if int(out.max(initial=0)) <= 2 else None


def _absolute(table: Array, counts: Array) -> None:
    """Relative (negative) numbers counted back from what stood before their line, in place."""
    for c in range(3):
        back = table[:, c] < 0
        if back.any():
            table[back, c] += counts[back, c] + 1
            table[back & (table[:, c] < 1), 0] = 0


def _bad_corner(data: Array, starts: Array, ends: Array, chosen: Array, line: int, source: Source) -> Exception:
    for k in np.flatnonzero(chosen):
        words = data[starts[k] : ends[k]].tobytes().split()[1:]
        for word in words:
            parts = word.split(b"/")
            if len(parts) > 3 or not all(p.lstrip(b"-").isdigit() or (i and not p) for i, p in enumerate(parts)):
                return source.error(f"line {line + int(k)}", decode_text(word)[:40], "v, v/vt, v//vn or v/vt/vn")
    return source.error(f"line {line}", "corners that cannot be read", "v/vt/vn")
