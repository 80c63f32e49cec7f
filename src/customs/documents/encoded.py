"""Text as a file has it: its encoding, its mark, its line ends, all of which stay."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

from customs.errors import ReadError, UnsupportedError, WriteError

MARKS = ((b"\xef\xbb\xbf", "utf-8"), (b"\xff\xfe", "utf-16-le"), (b"\xfe\xff", "utf-16-be"))
"""Byte order marks (Unicode Standard, 23.8)."""
CODECS = {
    "utf-8": "utf-8", "utf8": "utf-8", "us-ascii": "ascii", "ascii": "ascii", "utf-16": "utf-16-le", "utf-16le": "utf-16-le",
    "utf-16be": "utf-16-be", "iso-8859-1": "latin-1", "latin-1": "latin-1", "latin1": "latin-1", "windows-1252": "cp1252",
    "cp1252": "cp1252", "iso-8859-15": "iso8859-15",
}  # fmt: skip
"""Names of encodings as documents state them (IANA), and Python's."""
STATED = re.compile(rb"""\A\s*<\?xml[^>]*?\bencoding\s*=\s*["']([A-Za-z0-9._-]+)["']""")
UTF16 = {b"<\0?\0": "utf-16-le", b"\0<\0?": "utf-16-be"}


@dataclass(frozen=True)
class Encoded:
    """A text as UTF-8 bytes without a mark, and what it takes to write it as it was: `codec`, `mark`, and the line end `newline`
    it has most of.
    """

    body: bytes
    codec: str
    mark: bytes
    newline: bytes


def read_text(data: bytes, file: str | Path, codec: str = "") -> Encoded:
    """A document's text. What the file says of its encoding counts before `codec`, what a sheet says; without either it is UTF-8.

    Raises ReadError with the place of bytes that are none of that encoding, UnsupportedError for an encoding not known here.
    """
    mark, found = next(((m, c) for m, c in MARKS if data.startswith(m)), (b"", ""))
    found = found or UTF16.get(data[:4], "") or _stated(data, file) or codec or "utf-8"
    plain = data[len(mark) :]
    try:
        text = plain.decode(found)
    except UnicodeDecodeError as problem:
        raise ReadError(
            f"byte {len(mark) + problem.start} is no {found.upper()}",
            f"{found.upper()} throughout",
            "Write the file again in its encoding, or state the one it has.",
            file,
        ) from None
    body = text.encode("utf-8", "surrogatepass")
    if text.encode(found, "surrogatepass") != plain:
        raise ReadError(
            f"it is {found.upper()} that cannot be written back as it is",
            "text that reads and writes alike",
            "Write the file again in its encoding.",
            file,
        )
    return Encoded(body, found, mark, b"\r\n" if body.count(b"\r\n") * 2 > body.count(b"\n") else b"\n")


def _stated(data: bytes, file: str | Path) -> str:
    match = STATED.match(data[:400])
    if match is None:
        return ""
    name = match[1].decode("ascii").lower()
    if name not in CODECS:
        raise UnsupportedError(
            f"it states the encoding {name}", ", ".join(sorted(CODECS)), "Write it in UTF-8.", file
        )
    # A UTF-16 statement in bytes that can be read as ASCII is not true.
    return "utf-8" if CODECS[name].startswith("utf-16") else CODECS[name]


def written(text: Encoded, body: bytes, file: str | Path, references: bool = False) -> bytes:
    """The bytes of a document whose text has become `body` (UTF-8); characters its encoding lacks become character `references`
    where its syntax has them, else they are an error. Raises WriteError.
    """
    try:
        changed = body.decode("utf-8", "surrogatepass")
        return text.mark + changed.encode(text.codec, "xmlcharrefreplace" if references else "strict")
    except UnicodeEncodeError as problem:
        raise WriteError(
            f"{changed[problem.start]!r} cannot be written in {text.codec.upper()}",
            f"text that {text.codec.upper()} has",
            "Change the name, or the document's encoding.",
            file,
        ) from None
