"""JSON (RFC 8259); paths are JSON Pointers (RFC 6901): `/things/0/file`, `` the whole."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

from customs.documents.splice import line_indent
from customs.documents.syntax import Gap, Span, Where, syntaxes
from customs.errors import ReadError

TOKEN = re.compile(rb'[\s]*("(?:[^"\\]|\\.)*"|[-+0-9.eE]+|true|false|null|[\[\]{},:])', re.DOTALL)
STRING = re.compile(rb'"(?:[^"\\]|\\.)*"', re.DOTALL)
Member = tuple[str, int, int, int]
"""What a member is called, where its key and its value begin, where it ends."""


def _once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    names = [k for k, _ in pairs]
    if len(set(names)) < len(names):
        raise ValueError(f"{next(n for n in names if names.count(n) > 1)!r} stands twice")
    return dict(pairs)


def _token(body: bytes, at: int) -> tuple[int, int]:
    match = TOKEN.match(body, at)
    return (match.start(1), match.end(1)) if match is not None else (len(body), len(body))


def _value_end(body: bytes, at: int) -> int:
    """Where the value that begins at or behind a place ends."""
    depth = 0
    while True:
        start, at = _token(body, at)
        sign = body[start : start + 1]
        depth += (sign in (b"{", b"[")) - (sign in (b"}", b"]"))
        if depth <= 0 or start >= len(body):
            return at


def _members(body: bytes, at: int) -> Iterator[Member]:
    """The members of the object or array that begins at a place."""
    start, at = _token(body, at)
    kind, number = body[start : start + 1], 0
    while True:
        key, after = _token(body, at)
        if body[key : key + 1] in (b"}", b"]") or key >= len(body):
            return
        name, value = str(number), key
        if kind == b"{":
            name = json.loads(body[key:after])
            value = _token(body, _token(body, after)[1])[0]
        end = _value_end(body, value)
        yield name, key, value, end
        number += 1
        comma, at = _token(body, end)
        if body[comma : comma + 1] != b",":
            return


def _inside(body: bytes, at: int) -> list[tuple[str, int, int, int]]:
    """The members of an object or array, none of anything else."""
    return list(_members(body, at)) if body[at : at + 1] in (b"{", b"[") else []


def _told(raw: bytes) -> str:
    value = json.loads(raw)
    return value if isinstance(value, str) else raw.decode()


class Json:
    """The syntax as others ask for it."""

    id, references = "json", False

    def check(self, body: bytes, file: str | Path) -> None:
        """Nothing where it is well formed and no name stands twice in an object. Raises ReadError."""
        try:
            json.loads(body, object_pairs_hook=_once)
        except json.JSONDecodeError as problem:
            raise ReadError(
                f"line {problem.lineno}, column {problem.colno}: {problem.msg}",
                "JSON that is well formed",
                "Mend that line; nothing was changed.",
                file,
                line=problem.lineno,
            ) from None
        except (ValueError, RecursionError) as problem:
            found = str(problem) if isinstance(problem, ValueError) else "brackets too deep in one another"
            raise ReadError(
                found, "JSON with each name once", "Mend it; nothing was changed.", file
            ) from None

    def _find(self, body: bytes, path: str, file: str | Path) -> tuple[int, int, int] | None:
        """(where its key begins, its value begins, it ends) of what a pointer leads to."""
        if path and not path.startswith("/"):
            raise ReadError(
                f"the path {path!r}", "a JSON Pointer like /things/0", "Mend it in the sheet.", file
            )
        at = _token(body, 0)[0]
        found = (at, at, _value_end(body, at))
        for part in path.split("/")[1:]:
            name = part.replace("~1", "/").replace("~0", "~")
            if body[found[1] : found[1] + 1] not in (b"{", b"["):
                return None
            member = next((m for m in _members(body, found[1]) if m[0] == name), None)
            if member is None:
                return None
            found = member[1:]
        return found

    def values(self, body: bytes, path: str, file: str | Path) -> Sequence[Span]:
        """The value as text: a string's own characters, anything else as it is written. A part * is every member."""
        self.check(body, file)
        first, star, rest = path.partition("/*")
        found = self._find(body, first, file)
        if found is None:
            return []
        places = [(found[1], found[2])]
        for part in rest.split("/") if star else ():
            # The part in front of the first slash is the star itself.
            places = [m[2:] for at, _ in places for m in _inside(body, at) if part in ("", "*", m[0])]
        return [Span(a, b, _told(body[a:b])) for a, b in places]

    def block(self, body: bytes, path: str, file: str | Path) -> Span | None:
        """A member, with its key where it has one."""
        self.check(body, file)
        found = self._find(body, path, file)
        return Span(found[0], found[2], "") if found is not None else None

    def gap(
        self, body: bytes, path: str, where: Where, block: bytes, same: str, newline: bytes, file: str | Path
    ) -> Gap | None:
        """In an object a block is `"key": value`, told by its key; in an array a value, told by its member `same`."""
        self.check(body, file)
        found = self._find(body, path, file)
        if where in ("before", "after"):
            above = self._find(body, path.rpartition("/")[0], file) if path else None
            if found is None or above is None:
                return None
            twin = _twin(body, above[1], block, same, file)
            pad = _pad(body, found[0], newline)
            if where == "before":
                return Gap(found[0], found[0], b"", b"," + pad, line_indent(body, found[0]), twin)
            return Gap(found[2], found[2], b"," + pad, b"", line_indent(body, found[0]), twin)
        if found is None or body[found[1] : found[1] + 1] not in (b"{", b"["):
            return None
        members, twin = list(_members(body, found[1])), _twin(body, found[1], block, same, file)
        if members:
            indent, pad = line_indent(body, members[0][1]), _pad(body, members[0][1], newline)
            if where == "first":
                return Gap(members[0][1], members[0][1], b"", b"," + pad, indent, twin)
            return Gap(members[-1][3], members[-1][3], b"," + pad, b"", indent, twin)
        own = line_indent(body, found[1])
        unit = re.search(rb"\n([ \t]+)\S", body)
        deeper = own + (unit[1] if unit is not None else b"  ")
        return Gap(found[1] + 1, found[2] - 1, newline + deeper, newline + own, deeper, twin)

    def every(self, body: bytes, name: str, file: str | Path) -> Sequence[Span]:
        """Every string, keys too, that is exactly `name`."""
        self.check(body, file)
        return [
            Span(m.start(), m.end(), name) for m in STRING.finditer(body) if json.loads(m.group()) == name
        ]

    def written(self, value: str, span: Span, body: bytes) -> bytes:
        """As a string where one stood, else as what it is: a number, true, false, null, or a string."""
        if body[span.start : span.start + 1] != b'"':
            try:
                json.loads(value)
                return value.encode()
            except ValueError:
                pass
        return json.dumps(value, ensure_ascii=False).encode()


def _pad(body: bytes, at: int, newline: bytes) -> bytes:
    """What stands between two members: a new line where the one at a place begins one, else a blank."""
    begin = body.rfind(b"\n", 0, at) + 1
    alone = begin > 0 and not body[begin:at].strip()
    return newline + line_indent(body, at) if alone else b" "


def _twin(body: bytes, at: int, block: bytes, same: str, file: str | Path) -> Span | None:
    """The member of a container that has a block's identity."""
    if body[at : at + 1] == b"{":
        key = STRING.match(block.strip())
        if key is None:
            raise ReadError("what is inserted", '"key": value', "Mend it in the sheet.", file)
        name = json.loads(key.group())
        return next((Span(k, e, name) for n, k, _, e in _members(body, at) if n == name), None)
    new = json.loads(block)
    for _, _, value, end in _members(body, at):
        old = json.loads(body[value:end])
        if same and isinstance(old, dict) and isinstance(new, dict) and same in new:
            if old.get(same) == new[same]:
                return Span(value, end, "")
        elif old == new:
            return Span(value, end, "")
    return None


syntaxes.add(Json())
