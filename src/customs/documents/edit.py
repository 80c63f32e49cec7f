"""Changes to a document at single places: what is there already is left alone, so that a second run changes nothing."""

from __future__ import annotations

import difflib
import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from customs.documents.encoded import read_text, written
from customs.documents.splice import Splice, indented, line_indent, spliced
from customs.documents.syntax import Syntax, Where, syntaxes
from customs.errors import ReadError, WriteError

Do = Literal["insert", "set", "replace", "blank", "copy"]


@dataclass(frozen=True)
class Edit:
    """What is done: `insert` a block (`text`) `where` `at` says, told by `same`; `set` the values `at` a path to `text`; `replace`
    every value that is exactly `at` by `text`; `blank` all values `at` a path but those that are `text`; `copy` the block `at` a
    path behind it, with each text of `swap` exchanged for another.
    """

    do: Do
    at: str
    text: str = ""
    where: Where = "last"
    same: str = ""
    swap: Sequence[Sequence[str]] = ()


def edited(data: bytes, edits: Sequence[Edit], syntax: str, file: str | Path, codec: str = "") -> bytes:
    """A document with all edits, one after another; the same object where none changes anything.

    Raises ReadError for a document that is not well formed, before or after, and for a path that leads nowhere; WriteError for what
    its encoding cannot hold.
    """
    known = syntaxes.get(syntax)
    if known is None:
        raise ReadError(f"the syntax {syntax}", " or ".join(syntaxes.all()), "Mend it in the sheet.", file)
    text = read_text(data, file, codec)
    if not edits:
        # Every edit reads the whole document, and says where it is not well formed.
        known.check(text.body, file)
    body = text.body
    for edit in edits:
        body = _one(body, edit, known, text.newline, file)
    if body is text.body or body == text.body:
        return data
    try:
        known.check(body, file)
    except ReadError as problem:
        raise WriteError(
            f"it would no longer be well formed ({problem.found})",
            "a document its destination can read",
            "Nothing was changed: mend what the sheet inserts.",
            file,
        ) from None
    return written(text, body, file, known.references)


def _one(body: bytes, edit: Edit, syntax: Syntax, newline: bytes, file: str | Path) -> bytes:
    if edit.do == "insert":
        return _inserted(body, edit, syntax, newline, file)
    if edit.do == "copy":
        return _copied(body, edit, syntax, newline, file)
    if edit.do == "replace":
        spans = syntax.every(body, edit.at, file) if edit.at != edit.text else []
        return spliced(body, [Splice(s.start, s.end, syntax.written(edit.text, s, body)) for s in spans])
    spans = syntax.values(body, edit.at, file)
    if not spans:
        raise _nowhere(edit, file)
    if edit.do == "blank":
        if all(s.value not in (edit.text, "") for s in spans):
            raise ReadError(
                f"{edit.text!r} is none of the values at {edit.at}",
                "the one that stays",
                "Nothing was changed.",
                file,
            )
        return spliced(
            body,
            [
                Splice(s.start, s.end, syntax.written("", s, body))
                for s in spans
                if s.value not in (edit.text, "")
            ],
        )
    return spliced(
        body,
        [Splice(s.start, s.end, syntax.written(edit.text, s, body)) for s in spans if s.value != edit.text],
    )


def _inserted(body: bytes, edit: Edit, syntax: Syntax, newline: bytes, file: str | Path) -> bytes:
    block = edit.text.strip("\n").encode()
    gap = syntax.gap(body, edit.at, edit.where, block, edit.same, newline, file)
    if gap is None:
        raise _nowhere(edit, file)
    mine = indented(block, gap.indent, newline)
    if gap.there is None:
        return spliced(body, [Splice(gap.start, gap.end, gap.lead + mine + gap.tail)])
    was = body[gap.there.start : gap.there.end]
    if was.split() == mine.split():
        return body
    return spliced(body, [Splice(gap.there.start, gap.there.end, mine)])


def _copied(body: bytes, edit: Edit, syntax: Syntax, newline: bytes, file: str | Path) -> bytes:
    """One that is there by the new name already stays as it is."""
    span = syntax.block(body, edit.at, file)
    if span is None:
        raise _nowhere(edit, file)
    own = line_indent(body, span.start)
    lines = body[span.start : span.end].replace(b"\r\n", b"\n").split(b"\n")
    block = b"\n".join([lines[0], *(x.removeprefix(own) for x in lines[1:])])
    # Longer names first: one may be part of another.
    for old, new in sorted(edit.swap, key=lambda pair: -len(pair[0])):
        block = _swapped(block, old, new.encode()) if old else block
    gap = syntax.gap(body, edit.at, "after", block, edit.same, newline, file)
    if gap is None:
        raise _nowhere(edit, file)
    if gap.there is not None:
        return body
    return spliced(
        body, [Splice(gap.start, gap.end, gap.lead + indented(block, gap.indent, newline) + gap.tail)]
    )


def _swapped(block: bytes, old: str, new: bytes) -> bytes:
    """`old` exchanged where it stands by itself: "lamp" is no part of "clamp"; it is one of "fern_lamp"."""
    whole = rb"(?<![A-Za-z0-9])" + re.escape(old.encode()) + rb"(?![A-Za-z0-9])"
    return re.sub(whole, lambda _: new, block)


def _nowhere(edit: Edit, file: str | Path) -> ReadError:
    return ReadError(
        f"{edit.at} leads nowhere in it",
        "a document of the kit this sheet is for",
        "Choose the right kit folder, or mend the sheet. Nothing was changed.",
        file,
    )


@dataclass(frozen=True)
class Pair:
    """A line as it is beside what it becomes: numbers from 1, None where there is none on that side; `kind` is same, changed, gone,
    new, or skipped for lines left out between.
    """

    kind: Literal["same", "changed", "gone", "new", "skipped"]
    old_number: int | None
    old: str
    new_number: int | None
    new: str


def side_by_side(before: bytes, after: bytes, codec: str = "", around: int = 3) -> list[Pair]:
    """The lines of a document that change, with `around` lines about them."""
    a, b = (read_text(d, "", codec).body.decode("utf-8", "replace").splitlines() for d in (before, after))
    out = list[Pair]()
    for number, group in enumerate(
        difflib.SequenceMatcher(None, a, b, autojunk=False).get_grouped_opcodes(around)
    ):
        if number:
            out.append(Pair("skipped", None, "", None, ""))
        for tag, i1, i2, j1, j2 in group:
            for k in range(max(i2 - i1, j2 - j1)):
                i, j = (i1 + k if i1 + k < i2 else None), (j1 + k if j1 + k < j2 else None)
                kind: Literal["same", "changed", "gone", "new"] = (
                    "same" if tag == "equal" else "new" if i is None else "gone" if j is None else "changed"
                )
                out.append(
                    Pair(
                        kind,
                        None if i is None else i + 1,
                        "" if i is None else a[i],
                        None if j is None else j + 1,
                        "" if j is None else b[j],
                    )
                )
    return out


def difference(before: bytes, after: bytes, name: str, codec: str = "") -> str:
    """A document as it was and as it becomes, as a unified difference (IEEE Std 1003.1, diff -u)."""
    old, new = (
        read_text(d, name, codec).body.decode("utf-8", "replace").splitlines() for d in (before, after)
    )
    return "\n".join(difflib.unified_diff(old, new, name, name, lineterm="", n=2))
