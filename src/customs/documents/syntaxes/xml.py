"""XML 1.0: positions by expat, paths by a part of XPath 1.0: `/a/b[@name='x'][2]`, `/a/*/@file`, `/a/b/text()`."""

from __future__ import annotations

import gc
import re
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from xml.parsers import expat
from xml.sax.saxutils import escape, unescape

from customs.documents.splice import line_indent
from customs.documents.syntax import Gap, Span, Where, syntaxes
from customs.errors import ReadError

DEEPEST = 512
"""Elements within one another that are still read."""
TAG = re.compile(rb"""<[^>"']*(?:"[^"]*"[^>"']*|'[^']*'[^>"']*)*>""")
ATTRIBUTE = re.compile(rb"""([^\s=<>"'/]+)\s*=\s*("[^"]*"|'[^']*')""")
STEP = re.compile(r"(?P<name>\*|[\w.:-]+)(?P<tests>(?:\[[^\]]*\])*)")
TEST = re.compile(
    r"""\[(?:@(?P<attribute>[\w.:-]+)\s*=\s*(?:'(?P<one>[^']*)'|"(?P<two>[^"]*)")|(?P<number>[1-9]\d*))\]"""
)
Attributes = dict[str, str]
QUOTED = {"&quot;": '"', "&apos;": "'"}


@dataclass(frozen=True)
class Step:
    """One step of a path: a name or *, attributes with their values, which of those that fit (0: all)."""

    name: str
    attributes: tuple[tuple[str, str], ...]
    number: int


@dataclass
class Found:
    """An element: where its first tag begins and ends, where its last one does, and what is directly in it."""

    name: str
    attributes: Attributes
    start: int
    inner: int = 0
    close: int = 0
    end: int = 0
    rows: list[tuple[str, Attributes, int, int]] = field(default_factory=list)
    number: dict[int, int] = field(default_factory=dict)

    def child(self, k: int, body: bytes) -> Found:
        """One of the elements directly in it; `rows` are (name, attributes, where its first tag begins, where its last one does)."""
        name, attributes, start, close = self.rows[k]
        end = max(_tag_end(body, close), _tag_end(body, start))
        return Found(name, attributes, start, end=end)


def parsed_path(path: str, file: str | Path) -> tuple[list[Step], str]:
    """(steps, what is asked of the last: "" the element, "@name" an attribute, "text()"). Raises ReadError."""
    parts = re.findall(r"(?:\[[^\]]*\]|[^/\[])+", path)
    asked = parts.pop() if parts and (parts[-1].startswith("@") or parts[-1] == "text()") else ""
    steps = []
    for part in parts:
        match = STEP.fullmatch(part)
        tests = TEST.findall(match["tests"]) if match is not None else []
        if match is None or "".join(m.group() for m in TEST.finditer(match["tests"])) != match["tests"]:
            raise ReadError(
                f"the path {path}",
                "steps like /name[@key='value'][2], @key or text() last",
                "Mend it in the sheet.",
                file,
            )
        wanted = tuple((a, one or two) for a, one, two, _ in tests if a)
        steps.append(Step(match["name"], wanted, next((int(n) for *_, n in tests if n), 0)))
    if not steps or not path.startswith("/"):
        raise ReadError(
            f"the path {path!r}", "one that begins with / and names elements", "Mend it in the sheet.", file
        )
    return steps, asked


class _Reader:
    """One pass over a document; keeps the elements a path leads to, and what is directly in them and in those above."""

    def __init__(self, body: bytes, steps: Sequence[Step], file: str | Path) -> None:
        self.body, self.steps, self.file = body, steps, file
        self.depth, self.matched = 0, 0
        self.open: list[Found] = []
        self.found: list[Found] = []

    def run(self) -> list[Found]:
        """The elements, in order. Raises ReadError."""
        parser = expat.ParserCreate("utf-8")
        if self.steps:
            parser.StartElementHandler, parser.EndElementHandler = self._start, self._stop
        parser.EntityDeclHandler = self._entity
        parser.ExternalEntityRefHandler = self._outside
        parser.SkippedEntityHandler = self._entity
        self.parser = parser
        try:
            # Of very many small things nothing is let go before the end: looking through them again and again is in vain.
            with _uncollected():
                parser.Parse(self.body, True)
        except expat.ExpatError as problem:
            raise ReadError(
                f"line {problem.lineno}, column {problem.offset + 1}: {expat.ErrorString(problem.code)}",
                "XML that is well formed",
                "Mend that line; nothing was changed.",
                self.file,
                line=problem.lineno,
            ) from None
        return self.found

    def _entity(self, name: str, *_: object) -> None:
        self._refuse(f"it has the entity {name}", "a document without entities of its own")

    def _outside(self, *_: object) -> int:
        self._refuse("it leads to another file", "a document that is whole")
        return 0

    def _refuse(self, found: str, expected: str) -> None:
        raise ReadError(found, expected, "Such documents are not read: mend it first.", self.file)

    def _start(self, name: str, attributes: Attributes) -> None:
        self.depth += 1
        if self.depth > DEEPEST:
            self._refuse(f"elements stand {self.depth} deep in one another", f"{DEEPEST} at most")
        above = self.depth - 1
        if above != self.matched or above >= len(self.steps):
            return
        here = Found(name, attributes, self.parser.CurrentByteIndex)
        if not self._fits(here, self.steps[above], above):
            return
        self.matched += 1
        self.open.append(here)
        if self.matched == len(self.steps):
            here.inner = _tag_end(self.body, here.start)
            self._within(here)

    def _within(self, here: Found) -> None:
        """What is directly in an element is written down by handlers that do nothing else: there may be hundreds of thousands."""
        parser, rows, depth, most = self.parser, here.rows, 0, DEEPEST - self.depth
        begun: tuple[str, Attributes, int] = ("", {}, 0)

        def start(name: str, attributes: Attributes) -> None:
            nonlocal depth, begun
            depth += 1
            if depth == 1:
                begun = (name, attributes, parser.CurrentByteIndex)
            elif depth > most:
                self._refuse(f"elements stand {depth + self.depth} deep in one another", f"{DEEPEST} at most")

        def stop(name: str) -> None:
            nonlocal depth
            if depth == 1:
                rows.append((*begun, parser.CurrentByteIndex))
            elif not depth:
                parser.StartElementHandler, parser.EndElementHandler = self._start, self._stop
                self._stop(name)
                return
            depth -= 1

        parser.StartElementHandler, parser.EndElementHandler = start, stop

    def _fits(self, here: Found, step: Step, above: int) -> bool:
        if step.name not in ("*", here.name) or any(here.attributes.get(a) != v for a, v in step.attributes):
            return False
        if not step.number:
            return True
        counts = self.open[-1].number if self.open else {}
        counts[above] = counts.get(above, 0) + 1
        return counts[above] == step.number

    def _stop(self, name: str) -> None:
        if self.depth == self.matched and self.open:
            here, at = self.open.pop(), self.parser.CurrentByteIndex
            if self.matched == len(self.steps):
                here.close = at if at != here.start else here.inner
                here.end = _tag_end(self.body, at)
                self.found.append(here)
            self.matched -= 1
        self.depth -= 1


@contextmanager
def _uncollected() -> Iterator[None]:
    on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if on:
            gc.enable()


def _tag_end(body: bytes, at: int) -> int:
    match = TAG.match(body, at)
    return match.end() if match is not None else at


class Xml:
    """The syntax as others ask for it."""

    id, references = "xml", True

    def check(self, body: bytes, file: str | Path) -> None:
        """Nothing where it is well formed. Raises ReadError."""
        _Reader(body, (), file).run()

    def values(self, body: bytes, path: str, file: str | Path) -> Sequence[Span]:
        """Attributes or texts; an element without either asked for is its text."""
        steps, asked = parsed_path(path, file)
        out = []
        for e in _Reader(body, steps, file).run():
            if asked.startswith("@"):
                out += [s for s in _attributes(body, e.start) if s[0] == asked[1:]]
            elif not e.rows:
                out.append(("", Span(e.inner, e.close, _plain(body[e.inner : e.close]))))
        return [span for _, span in out]

    def block(self, body: bytes, path: str, file: str | Path) -> Span | None:
        """An element with all that is in it."""
        steps, _ = parsed_path(path, file)
        found = _Reader(body, steps, file).run()
        return Span(found[0].start, found[0].end, "") if found else None

    def gap(
        self, body: bytes, path: str, where: Where, block: bytes, same: str, newline: bytes, file: str | Path
    ) -> Gap | None:
        """`same` is an attribute two elements of one name are told apart by, or "" for the name alone."""
        steps, asked = parsed_path(path, file)
        if asked:
            raise ReadError(f"the path {path}", "one that leads to an element", "Mend it in the sheet.", file)
        found = _Reader(body, steps, file).run()
        if not found:
            return None
        name, attributes = _root_of(block, file)

        def twins(e: Found) -> list[Found]:
            wanted = attributes.get(same)
            mine = [
                k
                for k, (n, a, _, _) in enumerate(e.rows)
                if n == name and (not same or a.get(same) == wanted)
            ]
            return [e.child(k, body) for k in mine]

        if where in ("before", "after"):
            parents = _Reader(body, steps[:-1], file).run() if len(steps) > 1 else []
            there = _span([c for p in parents for c in twins(p)])
            e = found[0] if where == "before" else found[-1]
            indent, at = line_indent(body, e.start), e.start if where == "before" else e.end
            ends = (b"", newline + indent) if where == "before" else (newline + indent, b"")
            return Gap(at, at, *ends, indent, there)
        return _inside(body, found[0], where, _span(twins(found[0])), newline)

    def every(self, body: bytes, name: str, file: str | Path) -> Sequence[Span]:
        """Every attribute and text that is exactly `name`."""
        out = list[Span]()
        self.check(body, file)
        blank = re.compile(rb"<!--.*?-->|<!\[CDATA\[.*?\]\]>|<\?.*?\?>", re.DOTALL)
        hidden = [(m.start(), m.end()) for m in blank.finditer(body)]
        plain = re.sub(blank, lambda m: b" " * len(m.group()), body)
        for tag in TAG.finditer(plain):
            out += [s for _, s in _attributes(plain, tag.start()) if s.value == name]
        for match in re.finditer(rb">([^<>]*)<", plain):
            text = match[1].strip()
            start = match.start(1) + len(match[1]) - len(match[1].lstrip())
            if unescape(text.decode(), QUOTED) == name and not any(a <= start < b for a, b in hidden):
                out.append(Span(start, start + len(text), name))
        return out

    def written(self, value: str, span: Span, body: bytes) -> bytes:
        """In an attribute with its own quotes kept, else as text."""
        before = body[span.start - 1 : span.start]
        if before in (b'"', b"'") and body[span.end : span.end + 1] == before:
            return escape(value, {before.decode(): "&quot;" if before == b'"' else "&apos;"}).encode()
        return escape(value).encode()


def _span(twins: Sequence[Found]) -> Span | None:
    return Span(twins[0].start, twins[0].end, "") if twins else None


def _inside(body: bytes, e: Found, where: Where, there: Span | None, newline: bytes) -> Gap:
    """Where a block goes among what is in an element, indented as that is."""
    own = line_indent(body, e.start)
    deeper = own + _unit(body)
    if e.rows:
        first, last = e.child(0, body), e.child(-1, body)
        indent = line_indent(body, first.start)
        if where == "first":
            return Gap(first.start, first.start, b"", newline + indent, indent, there)
        return Gap(last.end, last.end, newline + indent, b"", indent, there)
    if e.close == e.end:
        # An element of one tag is opened.
        slash = body.rindex(b"/", e.start, e.end)
        slash -= len(body[e.start : slash]) - len(body[e.start : slash].rstrip())
        closing = newline + own + b"</" + e.name.encode() + b">"
        return Gap(slash, e.end, b">" + newline + deeper, closing, deeper, there)
    if body[e.inner : e.close].strip():
        return Gap(e.close, e.close, newline + deeper, newline + own, deeper, there)
    return Gap(e.inner, e.close, newline + deeper, newline + own, deeper, there)


def _unit(body: bytes) -> bytes:
    """What a document indents by: its first indented line's white space, two blanks without one."""
    match = re.search(rb"\n([ \t]+)<", body)
    return match[1] if match is not None else b"  "


def _plain(text: bytes) -> str:
    """What a text stands for: sections as they are, references as their characters, comments left out."""
    out = []
    for part in re.split(rb"(<!\[CDATA\[.*?\]\]>|<!--.*?-->)", text, flags=re.DOTALL):
        if part.startswith(b"<![CDATA["):
            out.append(part[9:-3].decode())
        elif not part.startswith(b"<!--"):
            out.append(unescape(part.decode(), QUOTED))
    return "".join(out)


def _attributes(body: bytes, at: int) -> list[tuple[str, Span]]:
    """Attributes of the tag that begins at a place, with their values between the quotes."""
    tag = TAG.match(body, at)
    if tag is None:
        return []
    name_end = re.compile(rb"</?[^\s/>]+").match(body, at)
    out = []
    for m in ATTRIBUTE.finditer(body, name_end.end() if name_end is not None else at, tag.end()):
        start, end = m.start(2) + 1, m.end(2) - 1
        out.append((m[1].decode(), Span(start, end, unescape(body[start:end].decode(), QUOTED))))
    return out


def _root_of(block: bytes, file: str | Path) -> tuple[str, Attributes]:
    """(name, attributes) of the one element a block is. Raises ReadError."""
    found = _Reader(block.strip(), [Step("*", (), 0)], f"{file} (what is inserted)").run()
    return found[0].name, found[0].attributes


syntaxes.add(Xml())
