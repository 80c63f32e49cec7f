"""INI and properties: `[section]`, `key = value` or `key: value`; paths are `section/key`, `/key` before any section, `section`."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from customs.documents.syntax import Gap, Span, Where, syntaxes
from customs.errors import ReadError

LINE = re.compile(rb"[^\n]*\n?")
HEADER = re.compile(rb"\s*\[([^\]\r\n]+)\]\s*\Z")
PAIR = re.compile(rb"\s*([^=:\r\n]+?)\s*[=:][ \t]*([^\r\n]*?)\s*\Z")
COMMENT = (b";", b"#", b"!")


@dataclass(frozen=True)
class Line:
    """A line that says something: its section, its key ("" for a header), the value's place, its own."""

    section: str
    key: str
    start: int
    end: int
    begin: int
    stop: int


def _lines(body: bytes, file: str | Path) -> Iterator[Line]:
    section, number = "", 0
    for match in LINE.finditer(body):
        number += 1
        line = match.group()
        if not line.strip() or line.strip().startswith(COMMENT):
            continue
        header, pair = HEADER.match(line), PAIR.match(line)
        if header is not None:
            section = header[1].decode().strip()
            yield Line(section, "", match.start(), match.end(), match.start(), match.end())
        elif pair is not None:
            yield Line(
                section,
                pair[1].decode(),
                match.start() + pair.start(2),
                match.start() + pair.end(2),
                match.start(),
                match.end(),
            )
        elif not line[:1].isspace():
            raise ReadError(
                f"line {number}: {line.strip().decode('utf-8', 'replace')[:40]}", "[section], key = value, or a comment",
                "Mend that line; nothing was changed.", file, line=number,
            )  # fmt: skip


class Ini:
    """The syntax as others ask for it."""

    id, references = "ini", False

    def check(self, body: bytes, file: str | Path) -> None:
        """Nothing where every line is one of the three and no key stands twice. Raises ReadError."""
        seen = dict[tuple[str, str], int]()
        for line in _lines(body, file):
            number = body.count(b"\n", 0, line.begin) + 1
            first = seen.setdefault((line.section, line.key), number)
            if first != number:
                what = f"{line.section}/{line.key}" if line.key else f"[{line.section}]"
                raise ReadError(
                    f"line {number}: {what} stands on line {first} already", "each once", "Mend that line; nothing was changed.", file, line=number,
                )  # fmt: skip

    def values(self, body: bytes, path: str, file: str | Path) -> Sequence[Span]:
        """The value of a key."""
        self.check(body, file)
        section, _, key = path.rpartition("/")
        return [
            Span(x.start, x.end, body[x.start : x.end].decode())
            for x in _lines(body, file)
            if (x.section, x.key) == (section, key) and key
        ]

    def gap(
        self, body: bytes, path: str, where: Where, block: bytes, same: str, newline: bytes, file: str | Path
    ) -> Gap | None:
        """A block is lines of a section, told by the first one's key; or before, after and at the end a whole section, told by its
        header.
        """
        self.check(body, file)
        lines, new = list(_lines(body, file)), next(_lines(block.strip(), f"{file} (what is inserted)"))
        mine = [x for x in lines if x.section == path]
        if path and not mine:
            return None
        if not new.key:
            own = [x for x in lines if x.section == new.section]
            there = _span(body, own)
        else:
            there = _span(body, [x for x in mine if x.key == new.key])
        if not new.key and not path and where == "last":
            return Gap(len(body), len(body), newline if body.strip() else b"", newline, b"", there)
        # Comments and blank lines behind the last line stay behind what comes.
        if where == "before" or (where == "first" and (not mine or mine[0].key)):
            at = mine[0].begin if mine else 0
            return Gap(at, at, b"", newline, b"", there)
        last = mine[0] if where == "first" else (mine or lines)[-1] if mine or lines else None
        at = last.stop if last is not None else len(body)
        lead = b"" if not at or body[at - 1 : at] == b"\n" else newline
        return Gap(at, at, lead, newline, b"", there)

    def block(self, body: bytes, path: str, file: str | Path) -> Span | None:
        """A section with its header."""
        self.check(body, file)
        return _span(body, [x for x in _lines(body, file) if x.section == path])

    def every(self, body: bytes, name: str, file: str | Path) -> Sequence[Span]:
        """Every value that is exactly `name`."""
        self.check(body, file)
        found = (Span(x.start, x.end, body[x.start : x.end].decode()) for x in _lines(body, file) if x.key)
        return [s for s in found if s.value == name]

    def written(self, value: str, span: Span, body: bytes) -> bytes:
        """As it is. Raises ReadError for a value of several lines."""
        if "\n" in value or "\r" in value:
            raise ReadError(f"the value {value!r}", "a single line", "Shorten it.")
        return value.encode()


def _span(body: bytes, lines: Sequence[Line]) -> Span | None:
    if not lines:
        return None
    end = lines[-1].stop
    while end > lines[0].begin and body[end - 1 : end] in (b"\n", b"\r"):
        end -= 1
    return Span(lines[0].begin, end, "")


syntaxes.add(Ini())
