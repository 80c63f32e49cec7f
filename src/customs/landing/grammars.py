"""Documents by their own grammars, as a destination would read them: with parsers that share nothing with what wrote them."""

from __future__ import annotations

import configparser
import json
import re
from collections.abc import Iterator
from typing import Any

from customs.landing.log import Log
from customs.patterns import search
from customs.sheet.documents import DocumentRules


def parsed(data: bytes, path: str, rules: DocumentRules, log: Log) -> Any:
    """What a grammar makes of a document, None after a refusal."""
    try:
        out = PARSERS[rules.syntax](data, rules.codec)
    except Exception as problem:  # noqa: BLE001 (each grammar has errors of its own)
        log.refuse(path, f"cannot be read as {rules.syntax}: {problem}")
        return None
    log.note("reads", path, f"{rules.syntax}, {len(data):,} bytes")
    return out


def values(document: Any, path: str, syntax: str, at: str, log: Log) -> list[str]:
    """The values at a place of a document; none after a refusal."""
    try:
        return VALUES[syntax](document, at)
    except Exception as problem:  # noqa: BLE001 (each grammar has errors of its own)
        log.refuse(path, f"{at} cannot be followed: {problem}")
        return []


def _xml(data: bytes, codec: str) -> Any:
    # Loaded where a kit is read: lists and plain packages need none.
    from lxml import etree

    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False)
    return etree.fromstring(data, parser)


def _json(data: bytes, codec: str) -> Any:
    def once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
        if len({k for k, _ in pairs}) < len(pairs):
            raise ValueError("a name stands twice in one object")
        return dict(pairs)

    return json.loads(data.decode(codec or "utf-8-sig"), object_pairs_hook=once)


def _ini(data: bytes, codec: str) -> Any:
    read = configparser.RawConfigParser(strict=True)
    read.optionxform = str  # type: ignore[assignment,method-assign]
    read.read_string("[\x00]\n" + data.decode(codec or "utf-8-sig"))
    return read


def _bracketed(data: bytes, codec: str) -> str:
    """The text, its brackets and quotes counted: by each character, which is not how they were counted before."""
    text = data.decode(codec or "utf-8-sig")
    bare = re.sub(r'"(?:[^"\\\n]|\\.)*"|//[^\n]*|/\*[\s\S]*?\*/|(?m:^|(?<=\s))#[^\n]*', "", text)
    if '"' in bare:
        raise ValueError("a quote is not closed")
    while (less := re.sub(r"\{[^][(){}]*\}|\[[^][(){}]*\]|\([^][(){}]*\)", "", bare)) != bare:
        bare = less
    if left := re.search(r"[][(){}]", bare):
        raise ValueError(f"the bracket {left[0]} has no other half")
    return text


def _of_xml(parsed: Any, at: str) -> list[str]:
    return [str(x if isinstance(x, str) else x.text or "") for x in parsed.xpath(at)]


def _of_json(parsed: Any, at: str) -> list[str]:
    """A pointer in which * stands for every member."""
    found = [parsed]
    for part in at.split("/")[1:]:
        name = part.replace("~1", "/").replace("~0", "~")
        members = [x.values() if isinstance(x, dict) else x for x in found if isinstance(x, dict | list)]
        if name == "*":
            found = [v for m in members for v in m]
        else:
            found = [
                x[name] if isinstance(x, dict) else x[int(name)]
                for x in found
                if name in x or isinstance(x, list)
            ]
    return [str(x) for x in found]


def _of_ini(parsed: Any, at: str) -> list[str]:
    section, _, key = at.rpartition("/")
    names = parsed.sections() if section == "*" else [section or "\x00"]
    if key == "*":
        return [v for n in names if parsed.has_section(n) for _, v in parsed.items(n)]
    return [parsed.get(n, key) for n in names if parsed.has_option(n, key)]


def _of_text(parsed: str, at: str) -> list[str]:
    """What the last expression finds at the beginning of lines inside the blocks that the others lead to; one alone is looked for
    in every line.
    """
    *above, last = at.split(" >> ")
    if not above:
        return [m for line in parsed.splitlines() if (m := search(last, line.strip()))]
    heads = [f"^(?:{part})" for part in above]
    return [
        m
        for inside, line in _lines_in_blocks(parsed)
        if len(inside) == len(heads)
        and all(search(h, words) for h, words in zip(heads, inside))
        and (m := search(f"^(?:{last})", line))
    ]


def _lines_in_blocks(text: str) -> Iterator[tuple[list[str], str]]:
    """Each line, with the words in front of the curly brackets it stands in."""
    inside, words = list[str](), ""
    for raw in text.splitlines():
        line = raw.strip()
        bare = re.sub(r'"(?:[^"\\]|\\.)*"|//.*', "", line).strip()
        own = bare.partition("{")[0].strip()
        if own and own[0] not in "})":
            words = line.partition("{")[0].strip()
            yield list(inside), line
        for sign in re.findall(r"[{}]", bare):
            if sign == "{":
                inside.append(words)
            elif inside:
                inside.pop()


PARSERS = {"xml": _xml, "json": _json, "ini": _ini, "bracketed": _bracketed}
VALUES = {"xml": _of_xml, "json": _of_json, "ini": _of_ini, "bracketed": _of_text}
