"""Any text of lines and brackets. A path is expressions, each for the beginning of a line inside the block before it, between
` >> `; the value is the first group of the last one, or what is behind it on its line.
"""

from __future__ import annotations

import bisect
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import re2

from customs.documents.splice import line_indent
from customs.documents.syntax import Gap, Span, Where, syntaxes
from customs.errors import ReadError
from customs.patterns import problem_of

SKIPPED = re.compile(
    rb"""//[^\n]*|(?:(?<=\s)|\A)\#[^\n]*|/\*.*?\*/|"(?:[^"\\\n]|\\.)*"|[\[\](){}"]|/\*""", re.DOTALL
)
CLOSES = {b"{": b"}", b"[": b"]", b"(": b")"}
BLANK = re.compile(rb"""//[^\n]*|(?:(?<=\s)|\A)\#[^\n]*|/\*.*?\*/""", re.DOTALL)
NEXT = re.compile(rb"""//[^\n]*|(?:(?<=\s)|\A)\#[^\n]*|/\*.*?\*/|"(?:[^"\\\n]|\\.)*"|[\[({;\n]""", re.DOTALL)
GAPS = re.compile(rb"""(?:[\s;,]|//[^\n]*|\#[^\n]*|/\*.*?\*/)*""", re.DOTALL)
COMMENT_BEHIND = re.compile(rb"[ \t]*(?://[^\r\n]*|#[^\r\n]*|/\*[^\r\n]*?\*/[ \t]*)(?=\r?\n|\Z)")
OPENS = re.compile(rb"\s*\{")
WORD = re.compile(rb"""(?<![\w.-])[\w.-]+(?![\w.-])""")
QUOTED = re.compile(rb'"((?:[^"\\\n]|\\.)*)"')


@dataclass(frozen=True)
class Block:
    """A thing that a path leads to: where it begins, what it holds begins and ends (both −1 where it has no curly brackets), where
    all of it ends, and its value.
    """

    start: int
    inner: int
    close: int
    end: int
    value: tuple[int, int]


def brackets(body: bytes, file: str | Path) -> dict[int, int]:
    """The place of each opening bracket with that of its closing one. Raises ReadError for one without, and for a quote that is
    not closed on its line.
    """
    stack, out = list[int](), dict[int, int]()
    for match in SKIPPED.finditer(body):
        sign = match.group()
        if sign in CLOSES:
            stack.append(match.start())
        elif sign in CLOSES.values():
            if not stack or CLOSES[body[stack[-1] : stack[-1] + 1]] != sign:
                raise _unbalanced(body, match.start(), f"{sign.decode()} closes nothing", file)
            out[stack.pop()] = match.start()
        elif sign in (b'"', b"/*"):
            raise _unbalanced(body, match.start(), f"{sign.decode()} is not closed", file)
    if stack:
        raise _unbalanced(body, stack[-1], f"{body[stack[-1] : stack[-1] + 1].decode()} is not closed", file)
    return out


def _unbalanced(body: bytes, at: int, found: str, file: str | Path) -> ReadError:
    line = body.count(b"\n", 0, at) + 1
    return ReadError(
        f"line {line}: {found}", "brackets and quotes that balance", "Mend that line; nothing was changed.", file, line=line
    )  # fmt: skip


class _Text:
    """A text with its brackets."""

    def __init__(self, body: bytes, file: str | Path) -> None:
        self.body, self.pairs = body, brackets(body, file)
        self.curly = sorted(o for o in self.pairs if body[o : o + 1] == b"{")

    def lines(self, begin: int, end: int) -> Iterator[tuple[int, int]]:
        """(begin, end) of the things directly inside a range: lines, or what ends with a semicolon or a curly bracket; what is in
        inner brackets is passed over.
        """
        at = begin
        while True:
            at = GAPS.match(self.body, at, end).end()  # type: ignore[union-attr]
            if at >= end:
                return
            stop = self.thing_end(at, end)
            yield at, stop
            at = max(stop, at + 1)

    def thing_end(self, at: int, end: int) -> int:
        """Where what begins at a place ends: with its line, or with its brackets where those go further. A curly bracket that opens
        on the next line belongs to it.
        """
        while (match := NEXT.search(self.body, at, end)) is not None:
            sign = match.group()
            if match.start() in self.pairs:
                at = self.pairs[match.start()] + 1
                if sign == b"{":
                    return at
            elif sign == b";":
                return match.end()
            elif sign == b"\n":
                following = OPENS.match(self.body, match.end(), end)
                if following is None:
                    return match.start()
                at = following.end() - 1
            else:
                at = match.end()
        return end

    def opens(self, begin: int, end: int) -> int:
        """The first curly bracket in a range, −1 without one."""
        k = bisect.bisect_left(self.curly, begin)
        return self.curly[k] if k < len(self.curly) and self.curly[k] < end else -1

    def find(self, path: str, file: str | Path) -> tuple[list[Block], tuple[int, int]]:
        """(what a path leads to, the range it was looked for in)."""
        ranges, found = [(0, len(self.body))], list[Block]()
        for number, part in enumerate(path.split(" >> ") if path else []):
            if problem := problem_of(part):
                raise ReadError(f"the path {path}: {problem}", "expressions", "Mend it in the sheet.", file)
            wish = re2.compile(part.encode())
            if number:
                ranges = [(b.inner, b.close) for b in found if b.inner >= 0]
            found = [
                b for a, e in ranges for at, stop in self.lines(a, e) if (b := self.block(at, stop, wish))
            ]
        return found, ranges[0] if ranges else (0, 0)

    def block(self, at: int, stop: int, wish: Any) -> Block | None:
        """The thing from a place on where it begins as is wished."""
        match = wish.match(self.body, at, stop)
        if match is None:
            return None
        opens = self.opens(at, stop)
        line = self.body.find(b"\n", match.end(), stop)
        rest = self.body[match.end() : stop if line < 0 else line]
        first = match.end() + len(rest) - len(rest.lstrip())
        value = (first, max(first, match.end() + len(rest.rstrip().rstrip(b";").rstrip())))
        if wish.groups and match.start(1) >= 0:
            value = match.span(1)
        return Block(at, opens + 1 if opens >= 0 else -1, self.pairs.get(opens, -1), stop, value)

    def twin(self, inside: tuple[int, int], block: bytes) -> Span | None:
        """The thing in a range that has a block's own words."""
        head = _head(block.strip())
        for at, end in self.lines(*inside):
            if _head(self.body[at:end]) == head:
                return Span(at, at + len(self.body[at:end].rstrip()), "")
        return None

    def within(
        self, e: Block | None, begin: int, end: int, where: Where, there: Span | None, newline: bytes
    ) -> Gap:
        """Where a block goes in a range, indented as what is there."""
        things = list(self.lines(begin, end))
        own = line_indent(self.body, e.start) if e is not None else b""
        unit = re.search(rb"\n([ \t]+)\S", self.body)
        deeper = own + (unit[1] if unit is not None else b"\t") if e is not None else b""
        if not things:
            empty = not self.body[begin:end].strip()
            lead = newline + deeper if e is not None else b""
            return Gap(begin, end if empty else begin, lead, newline + own, deeper, there)
        indent = line_indent(self.body, things[0][0])
        if where == "first":
            return Gap(things[0][0], things[0][0], b"", newline + indent, indent, there)
        at = _line_end(self.body, things[-1][1])
        return Gap(at, at, newline + indent, b"", indent, there)


def _line_end(body: bytes, at: int) -> int:
    """Behind a comment that stands on the same line: it stays with what it is about."""
    match = COMMENT_BEHIND.match(body, at)
    return match.end() if match is not None else at


def _head(text: bytes) -> bytes:
    """A thing's own words, by which it is told: all before its first curly bracket, blanks evened out."""
    return b" ".join(text.partition(b"{")[0].split())


class Bracketed:
    """The syntax as others ask for it."""

    id, references = "bracketed", False

    def check(self, body: bytes, file: str | Path) -> None:
        """Nothing where brackets and quotes balance. Raises ReadError."""
        brackets(body, file)

    def values(self, body: bytes, path: str, file: str | Path) -> Sequence[Span]:
        """What the first group of the last expression meets, or the rest of its line."""
        return [
            Span(*b.value, body[b.value[0] : b.value[1]].decode())
            for b in _Text(body, file).find(path, file)[0]
        ]

    def gap(
        self, body: bytes, path: str, where: Where, block: bytes, same: str, newline: bytes, file: str | Path
    ) -> Gap | None:
        """A block is told by its own words: all before its first curly bracket."""
        brackets(block, f"{file} (what is inserted)")
        text = _Text(body, file)
        found, inside = text.find(path, file)
        if path and not found:
            return None
        if where in ("before", "after") and found:
            e, there = found[-1] if where == "after" else found[0], text.twin(inside, block)
            indent = line_indent(body, e.start)
            if where == "before":
                return Gap(e.start, e.start, b"", newline + indent, indent, there)
            at = _line_end(body, e.end)
            return Gap(at, at, newline + indent, b"", indent, there)
        block_of = found[0] if found else None
        if block_of is not None and block_of.inner < 0:
            return None
        begin, end = (block_of.inner, block_of.close) if block_of is not None else (0, len(body))
        return text.within(block_of, begin, end, where, text.twin((begin, end), block), newline)

    def block(self, body: bytes, path: str, file: str | Path) -> Span | None:
        """A thing with its brackets."""
        found = _Text(body, file).find(path, file)[0]
        return Span(found[0].start, found[0].end, "") if found else None

    def every(self, body: bytes, name: str, file: str | Path) -> Sequence[Span]:
        """Every quoted text and every bare word that is exactly `name`, outside comments."""
        brackets(body, file)
        plain = BLANK.sub(lambda m: b" " * len(m.group()), body)
        quoted = [Span(m.start(1), m.end(1), name) for m in QUOTED.finditer(plain) if m[1] == name.encode()]
        bare = QUOTED.sub(lambda m: b" " * len(m.group()), plain)
        return sorted(
            [
                *quoted,
                *(Span(m.start(), m.end(), name) for m in WORD.finditer(bare) if m.group() == name.encode()),
            ],
            key=lambda s: s.start,
        )

    def written(self, value: str, span: Span, body: bytes) -> bytes:
        """As it is; in quotes a quote is written behind a backslash. Raises ReadError for a value of several lines."""
        if "\n" in value or "\r" in value:
            raise ReadError(f"the value {value!r}", "a single line", "Shorten it.")
        if body[span.start - 1 : span.start] == b'"':
            return value.replace("\\", "\\\\").replace('"', '\\"').encode()
        return value.encode()


syntaxes.add(Bracketed())
