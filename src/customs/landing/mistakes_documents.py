"""Faults in documents, of a package or of the kit it went into."""

from __future__ import annotations

import re
from pathlib import Path

from customs.landing.grammars import PARSERS, VALUES
from customs.landing.planting import Copy, Mistake
from customs.sheet.documents import DocumentRules, NamesWhat

CLOSING = {"xml": b"</", "json": b"}", "bracketed": b"}", "ini": b"]"}
TWIN = {"a": "\u0430", "e": "\u0435", "o": "\u043e", "c": "\u0441", "p": "\u0440"}
"""Latin letters and Cyrillic ones that look the same."""


def _bracket(copy: Copy) -> bool:
    """The last closing bracket is dropped."""
    for rules, place in copy.documents():
        data, sign = place.read_bytes(), CLOSING[rules.syntax]
        at = data.rfind(sign)
        if at >= 0:
            copy.write(place, data[:at] + data[at + len(sign) :])
            return True
    return False


def _quote(copy: Copy) -> bool:
    for rules, place in copy.documents():
        data = place.read_bytes()
        at = data.rfind(b'"')
        if rules.syntax != "ini" and at >= 0:
            copy.write(place, data[:at] + data[at + 1 :])
            return True
    return False


def _encoding(copy: Copy) -> bool:
    """A byte that is none of its encoding."""
    for rules, place in copy.documents():
        if rules.codec in ("", "utf-8"):
            data = place.read_bytes()
            copy.write(place, data[:-1] + b"\xff" + data[-1:])
            return True
    return False


def _named(copy: Copy, *kinds: NamesWhat) -> tuple[DocumentRules, Path, str] | None:
    """A document with a value that names something of some kind."""
    for rules, place in copy.documents():
        for reference in rules.references:
            if reference.names not in kinds:
                continue
            at = reference.where(str(copy.body["asset"]))
            values = VALUES[rules.syntax](PARSERS[rules.syntax](place.read_bytes(), rules.codec), at)
            if values and values[-1]:
                return rules, place, values[-1]
    return None


def _exchange(copy: Copy, kinds: tuple[NamesWhat, ...], change: str) -> bool:
    """The last value of a kind becomes another; `change` is "more", "twin" or "next"."""
    found = _named(copy, *kinds)
    if found is None:
        return False
    rules, place, value = found
    new = {"more": f"{value}x", "twin": _twin(value), "next": _next(value)}[change]
    codec = rules.codec or "utf-8"
    try:
        old_bytes, new_bytes = value.encode(codec), new.encode(codec)
    except UnicodeEncodeError:
        return False
    return new != value and _put(copy, place, old_bytes, new_bytes)


def _put(copy: Copy, place: Path, old: bytes, new: bytes) -> bool:
    """The last place where a value stands by itself holds another."""
    data = place.read_bytes()
    found = list(re.finditer(rb"(?<![\w./-])" + re.escape(old) + rb"(?![\w./-])", data))
    if not found:
        return False
    copy.write(place, data[: found[-1].start()] + new + data[found[-1].end() :])
    return True


def _twin(value: str) -> str:
    at = max((value.rfind(c) for c in TWIN), default=-1)
    return value if at < 0 else value[:at] + TWIN[value[at]] + value[at + 1 :]


def _next(value: str) -> str:
    return re.sub(r"\d+", lambda m: str(int(m[0]) + 1), value, count=1)


def _twice(copy: Copy, kind: NamesWhat) -> bool:
    """A value that may stand once stands twice: the last one is as the first."""
    for rules, place in copy.documents():
        for reference in (r for r in rules.references if r.names == kind):
            codec, asset = rules.codec, str(copy.body["asset"])
            data = place.read_bytes()
            values = VALUES[rules.syntax](PARSERS[rules.syntax](data, codec), reference.where(asset))
            if len(values) < 2 or values[0] == values[-1]:
                continue
            first, last = (v.encode(codec or "utf-8") for v in (values[0], values[-1]))
            if _put(copy, place, last, first):
                return True
    return False


def _gone(copy: Copy) -> bool:
    for _, place in reversed(copy.documents()):
        place.unlink()
        return True
    return False


NAMES: tuple[NamesWhat, ...] = ("node", "mesh", "material", "texture", "clip")
MISTAKES = (
    Mistake("bracket", "Drop a bracket", _bracket),
    Mistake("quote", "Lose a quote", _quote),
    Mistake("encoding", "A byte of another encoding", _encoding),
    Mistake("reference", "Name a file that is not there", lambda c: _exchange(c, ("file",), "more")),
    Mistake(
        "look-alike", "A letter that only looks the same", lambda c: _exchange(c, ("file", *NAMES), "twin")
    ),
    Mistake("named", "Name a thing the model has not", lambda c: _exchange(c, NAMES, "more")),
    Mistake("index-path", "An index path one further", lambda c: _exchange(c, ("index-path",), "next")),
    Mistake("own-number", "Another number in a document", lambda c: _exchange(c, ("number",), "next")),
    Mistake("version", "Another version in a document", lambda c: _exchange(c, ("version",), "next")),
    Mistake("order", "An order number doubled", lambda c: _twice(c, "order")),
    Mistake("twice", "A name that stands twice", lambda c: _twice(c, "unique")),
    Mistake("document", "Take a document away", _gone),
)
