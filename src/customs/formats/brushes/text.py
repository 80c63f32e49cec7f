"""Brush levels as text: entities of keys and values, their solids as planes through three points each. One pattern takes every line
apart; nothing is read face by face.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import numpy.typing as npt

F64 = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]
_NUMBER = r"[-+]?[0-9.][0-9.eE+-]*"
_POINT = rf"\([ \t]*{_NUMBER}[ \t]+{_NUMBER}[ \t]+{_NUMBER}[ \t]*\)"
_FACE = rf"({_POINT}[ \t]*{_POINT}[ \t]*{_POINT})[ \t]*(\"[^\"\n]*\"|[^\s\"]+)[ \t]*"
_PAIR = r"\"((?:[^\"\\\n]|\\.)*)\"[ \t]+\"((?:[^\"\\\n]|\\.)*)\""
_LINE = re.compile(
    rf"(?m)^[ \t]*(?:{_FACE}([^\n]*)|{_PAIR}[ \t]*(?://[^\n]*)?|([{{}}])[ \t]*(?://[^\n]*)?|(?://[^\n]*)?|([^\n]*))$"
)
_TOKEN = re.compile(rf"{_FACE}([^\n(}}]*)|{_PAIR}|([{{}}])()|([^\s{{}}\"][^{{}}\"\n]*)")
_AXES = re.compile(
    rf"(?m)^\[[ \t]*({_NUMBER}[ \t]+{_NUMBER}[ \t]+{_NUMBER}[ \t]+{_NUMBER})[ \t]*\][ \t]*\[[ \t]*({_NUMBER}[ \t]+{_NUMBER}[ \t]+{_NUMBER}[ \t]+{_NUMBER})[ \t]*\]"
    rf"[ \t]*({_NUMBER}[ \t]+{_NUMBER}[ \t]+{_NUMBER})(?![^\s/])[^\n]*$|^([^\n]*)$"
)
_PLAIN = re.compile(
    rf"(?m)^({_NUMBER}[ \t]+{_NUMBER}[ \t]+{_NUMBER}[ \t]+{_NUMBER}[ \t]+{_NUMBER})(?![^\s/])[^\n]*$|^([^\n]*)$"
)


@dataclass(frozen=True, eq=False)
class BrushText:
    """What a file says. Faces F: three points `points` (F, 3, 3), `texture` (F,) places in `textures`, `given` (F,) whether axes of the
    projection are said, `axes` (F, 2, 4) them with their offsets (else zero and the offsets), `turn` (F,) degrees, `scale` (F, 2),
    `lines` (F,), `brush` (F,) numbers of brushes. Brushes B: `entity` (B,), `brush_lines` (B,). `entities` are keys and values.
    `problems` are what could not be read, with its line.
    """

    points: F64
    texture: Ints
    textures: tuple[str, ...]
    given: npt.NDArray[np.bool_]
    axes: F64
    turn: F64
    scale: F64
    lines: Ints
    brush: Ints
    entity: Ints
    brush_lines: Ints
    entities: tuple[dict[str, str], ...]
    problems: tuple[str, ...]


@dataclass
class _Tokens:
    """Columns of a file, one row a token."""

    lines: Ints
    points: npt.NDArray[np.object_]
    textures: npt.NDArray[np.object_]
    rests: npt.NDArray[np.object_]
    keys: npt.NDArray[np.object_]
    values: npt.NDArray[np.object_]
    marks: npt.NDArray[np.object_]
    others: npt.NDArray[np.object_]
    problems: list[tuple[int, str]] = field(default_factory=list)


def parse(text: str) -> BrushText:
    """A file taken apart. Faces, brushes and lines that cannot be read are told in `problems`, the rest goes on."""
    t = _tokens(text.replace("\r\n", "\n").replace("\r", "\n"))
    opens, closes = t.marks == "{", t.marks == "}"
    depth = np.cumsum(opens.astype(np.intp) - closes)
    if (depth < 0).any():
        at = int(np.argmax(depth < 0))
        t.problems.append((int(t.lines[at]), "a bracket closes that none opened; what follows is left out"))
        t, opens, depth = _upto(t, at), opens[:at], depth[:at]
    if len(depth) and depth[-1] > 0:
        t.problems.append((int(t.lines[-1]), "the text is cut off: brackets stay open"))
    entity = np.cumsum(opens & (depth == 1)) - 1
    brush = np.cumsum(opens & (depth == 2)) - 1
    begins = np.flatnonzero(opens & (depth == 2))
    faces = np.flatnonzero(t.points != "")
    astray = faces[depth[faces] != 2]
    if len(astray):
        t.problems.append(
            (
                int(t.lines[astray[0]]),
                f"{len(astray):,} faces outside a brush, or in a form of surface other than planes, left out",
            )
        )
        faces = faces[depth[faces] == 2]
    for k in np.flatnonzero(t.others != "")[:50].tolist():
        t.problems.append(
            (int(t.lines[k]), f"{t.others[k]!r:.60} is no face, key or bracket and is left out")
        )
    return _columns(t, faces, entity, brush, begins, depth)


def _tokens(text: str) -> _Tokens:
    """Every line is one token; those that are several are taken apart once more."""
    rows = _LINE.findall(text)
    table = np.array(rows, dtype=object).reshape(-1, 7)
    # findall may end with one empty match after the last line's end.
    lines = np.arange(1, len(table) + 1)
    crowded = np.flatnonzero(table[:, 6] != "")
    if len(crowded):
        table, lines = _apart(table, lines, crowded)
    filled = (table != "").any(axis=1)
    table, lines = table[filled], lines[filled]
    return _Tokens(lines, *(table[:, k] for k in range(7)))


def _apart(table: Any, lines: Ints, crowded: Ints) -> tuple[Any, Ints]:
    """Lines of several tokens as a row for each of them."""
    said = table[crowded, 6].tolist()
    found = [
        [(a, b, c, k, v, m, o) for a, b, c, k, v, m, _, o in _TOKEN.findall(x.split("//")[0])] for x in said
    ]
    sizes = np.ones(len(table), np.intp)
    sizes[crowded] = [len(f) for f in found]
    out = np.empty((int(sizes.sum()), 7), object)
    ends = np.cumsum(sizes)
    single = np.ones(len(table), bool)
    single[crowded] = False
    out[ends[single] - 1] = table[single]
    rows = [row for f in found for row in f]
    inside = np.ones(len(out), bool)
    inside[ends[single] - 1] = False
    out[inside] = np.array(rows, dtype=object).reshape(-1, 7)
    return out, np.repeat(lines, sizes)


def _upto(t: _Tokens, end: int) -> _Tokens:
    lines, *columns = (t.lines, t.points, t.textures, t.rests, t.keys, t.values, t.marks, t.others)
    out = _Tokens(lines[:end], *(c[:end] for c in columns))  # type: ignore[arg-type]
    out.problems += t.problems
    return out


def _columns(t: _Tokens, faces: Ints, entity: Ints, brush: Ints, begins: Ints, depth: Ints) -> BrushText:
    """Numbers of all faces at once."""
    problems = list(t.problems)
    points, bad = _numbers([p.replace("(", " ").replace(")", " ") for p in t.points[faces].tolist()], 9)
    given, numbers, worse = _projections([r.strip() for r in t.rests[faces].tolist()])
    unread = bad | worse
    for k in faces[unread][:50].tolist():
        problems.append((int(t.lines[k]), "numbers of a face cannot be read; the face is left out"))
    keep = ~unread
    names, which = np.unique(
        np.array([n.strip('"') for n in t.textures[faces].tolist()], str), return_inverse=True
    )
    entities: list[dict[str, str]] = [{} for _ in range(int(entity.max(initial=-1)) + 1)]
    for k in np.flatnonzero((t.keys != "") & (depth == 1)).tolist():
        entities[entity[k]][t.keys[k]] = t.values[k]
    rows = faces[keep]
    n = numbers[keep]
    return BrushText(
        points[keep].reshape(-1, 3, 3), which.reshape(-1)[keep], tuple(names.tolist()), given[keep], n[:, :8].reshape(-1, 2, 4),
        n[:, 8], n[:, 9:11], t.lines[rows], brush[rows], entity[begins], t.lines[begins], tuple(entities),
        tuple(f"line {line:,}: {said}" for line, said in sorted(problems)),
    )  # fmt: skip


def _numbers(texts: list[str], each: int) -> tuple[F64, npt.NDArray[np.bool_]]:
    """(numbers (N, each), which texts (N,) are none or not finite)."""
    if not texts:
        return np.zeros((0, each)), np.zeros(0, bool)
    try:
        out = np.array(" ".join(texts).split(), dtype=np.float64).reshape(len(texts), each)
    except ValueError:
        # Some of them are none: each is asked alone.
        out = np.stack([_one(x, each) for x in texts])
    bad = np.asarray(~np.isfinite(out).all(axis=1))
    return np.where(bad[:, None], 0.0, out), bad


def _one(text: str, each: int) -> F64:
    try:
        found = np.array(text.split(), dtype=np.float64)
    except ValueError:
        found = np.zeros(0)
    return found if len(found) == each else np.full(each, np.nan)


def _projections(rests: list[str]) -> tuple[npt.NDArray[np.bool_], F64, npt.NDArray[np.bool_]]:
    """Of what follows a texture's name (N,): (whether axes are given (N,), axes with offsets, turn and scale (N, 11), which cannot be
    read (N,)).
    """
    if not rests:
        return np.zeros(0, bool), np.zeros((0, 11)), np.zeros(0, bool)
    whole = "\n".join(rests)
    axes = np.array(_AXES.findall(whole), dtype=object).reshape(-1, 4)[: len(rests)]
    plain = np.array(_PLAIN.findall(whole), dtype=object).reshape(-1, 2)[: len(rests)]
    given = axes[:, 0] != ""
    out, bad = np.zeros((len(rests), 11)), np.zeros(len(rests), bool)
    if given.any():
        out[given], bad[given] = _numbers([" ".join(r) for r in axes[given, :3].tolist()], 11)
    usual = ~given & (plain[:, 0] != "")
    if usual.any():
        found, bad[usual] = _numbers(plain[usual, 0].tolist(), 5)
        out[np.ix_(usual, [3, 7, 8, 9, 10])] = found
    return given, out, bad | (~given & ~usual)
