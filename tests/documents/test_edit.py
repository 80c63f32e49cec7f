"""Edits to documents: single places change, everything else stays byte for byte; what comes out is read by other people's parsers."""

from __future__ import annotations

import configparser
import json
from pathlib import Path

import pytest
from lxml import etree

from customs.documents.edit import Edit, difference, edited
from customs.errors import ReadError, UnsupportedError, WriteError

XML = """<?xml version="1.0"?>
<!-- things of the east wing, ümlaut -->
<things version="7">
\t<thing name='fern'   file="props/fern.glb">
\t\t<post name="hook" path="0/3"/><!-- keep -->
\t</thing>
\t<thing name="pot" file="props/pot.glb"/>
\t<note><![CDATA[ <thing name="pot"/> & so on ]]></note>
\t<default>1</default><default>2</default>
</things>
"""
BLOCK = '<thing name="lamp" file="props/lamp.glb">\n  <post name="hook" path="0/29"/>\n</thing>'
CODECS = {
    "utf-8": ("utf-8", b""), "utf-8 with a mark": ("utf-8", b"\xef\xbb\xbf"), "utf-16": ("utf-16-le", b"\xff\xfe"),
    "utf-16 the other way": ("utf-16-be", b"\xfe\xff"), "latin-1": ("latin-1", b""),
}  # fmt: skip


def as_bytes(text: str, how: str, newline: str) -> bytes:
    codec, mark = CODECS[how]
    stated = (
        text.replace('version="1.0"?', 'version="1.0" encoding="ISO-8859-1"?') if how == "latin-1" else text
    )
    return mark + stated.replace("\n", newline).encode(codec)


@pytest.mark.parametrize("newline", ["\n", "\r\n"])
@pytest.mark.parametrize("how", CODECS)
def test_only_the_lines_meant_differ(how: str, newline: str) -> None:
    data = as_bytes(XML, how, newline)
    new = edited(data, [Edit("insert", "/things", BLOCK, "last", "name")], "xml", "things.xml")
    wide = len("\n".encode(CODECS[how][0]))
    was, now = (d.split(newline.encode(CODECS[how][0])) for d in (data, new))
    assert [x for x in now if x not in was] != [] and len(now) == len(was) + 3
    start = len(was) - 2
    assert now[:start] == was[:start] and now[start + 3 :] == was[start:] and wide in (1, 2)
    root = etree.fromstring(new, etree.XMLParser(resolve_entities=False))
    assert [t.get("name") for t in root.findall("thing")] == ["fern", "pot", "lamp"]
    assert root.find("thing[@name='lamp']/post").get("path") == "0/29"
    added = now[start].decode(CODECS[how][0])
    assert added.startswith("\t<thing name=") and not added.endswith("\r")


@pytest.mark.parametrize(
    "edit",
    [
        Edit("insert", "/things", BLOCK, "last", "name"), Edit("insert", "/things", BLOCK, "first", "name"),
        Edit("insert", "/things/thing[@name='pot']", BLOCK, "before", "name"), Edit("insert", "/things/thing[1]", BLOCK, "after", "name"),
        Edit("insert", "/things/thing[@name='pot']", '<post name="x"/>', "last", "name"), Edit("set", "/things/@version", "8"),
        Edit("set", "/things/thing[@name='fern']/@file", 'a "b" & <c>'), Edit("replace", "props/pot.glb", "props/jug.glb"),
        Edit("blank", "/things/default", "2"), Edit("set", "/things/note", "plain & short"),
    ],
    ids=lambda e: f"{e.do} {e.at} {e.where}",
)  # fmt: skip
def test_a_second_run_changes_nothing(edit: Edit) -> None:
    data = XML.encode()
    once = edited(data, [edit], "xml", "things.xml")
    assert once != data and edited(once, [edit], "xml", "things.xml") is once
    etree.fromstring(once)
    assert b"<!-- keep -->" in once and (b"<![CDATA[" in once or edit.at == "/things/note")


def test_what_is_set_is_what_is_read() -> None:
    data, path = XML.encode(), "/things/thing[@name='fern']/@file"
    for value in ('a "b"', "a 'b'", "a & <b>", "ü"):
        root = etree.fromstring(edited(data, [Edit("set", path, value)], "xml", "f"))
        assert root.find("thing").get("file") == value
        root = etree.fromstring(edited(data, [Edit("set", "/things/default[2]", value)], "xml", "f"))
        assert root.findall("default")[1].text == value
    one = etree.fromstring(edited(data, [Edit("blank", "/things/default", "2")], "xml", "f"))
    assert [d.text for d in one.findall("default")] == [None, "2"]


def test_a_block_of_the_same_identity_is_exchanged_not_doubled() -> None:
    data = XML.encode()
    new = edited(
        data, [Edit("insert", "/things", '<thing name="pot" file="new.glb"/>', "last", "name")], "xml", "f"
    )
    assert [t.get("file") for t in etree.fromstring(new).findall("thing")] == ["props/fern.glb", "new.glb"]
    assert len(new.split(b"\n")) == len(data.split(b"\n"))


def test_names_are_replaced_where_they_are_whole() -> None:
    data = b'<a x="pot" y="pots"><!-- pot --><b>pot</b><c> pot </c><d>pot pie</d></a>'
    new = edited(data, [Edit("replace", "pot", "jug")], "xml", "f")
    assert new == b'<a x="jug" y="pots"><!-- pot --><b>jug</b><c> jug </c><d>pot pie</d></a>'


def test_characters_an_encoding_lacks_become_references_where_there_are_any() -> None:
    latin = as_bytes(XML, "latin-1", "\n")
    new = edited(latin, [Edit("set", "/things/@version", "Ω")], "xml", "f")
    assert b"&#937;" in new and etree.fromstring(new).get("version") == "Ω"
    with pytest.raises(WriteError, match="cannot be written in LATIN-1"):
        edited("[a]\nx = ü\n".encode("latin-1"), [Edit("set", "a/x", "Ω")], "ini", "f", "latin-1")


BOMB = '<!DOCTYPE a [<!ENTITY x "y"><!ENTITY z "&x;&x;&x;">]><a>&z;</a>'


@pytest.mark.parametrize(
    ("data", "syntax", "told"),
    [
        (b"<a><b></a>", "xml", "line 1, column 9: mismatched tag"), (b"<a x='1' x='2'/>", "xml", "duplicate attribute"),
        (b"", "xml", "no element found"), (BOMB.encode(), "xml", "has the entity x"), (b"<a>\xff</a>", "xml", "byte 3 is no UTF-8"),
        (b'<!DOCTYPE a SYSTEM "file:///etc/passwd"><a>&x;</a>', "xml", "has the entity x"),
        (b'<?xml version="1.0" encoding="ebcdic"?><a/>', "xml", "states the encoding ebcdic"), (b'{"a": 1, "a": 2}', "json", "'a' stands twice"),
        (b'{"a": 1,}', "json", "line 1"), (b"[" * 100_000 + b"]" * 100_000, "json", "too deep"), (b"[a]\nx=1\nx=2\n", "ini", "line 3: a/x stands on line 2"),
        (b"[a]\nx=1\n[a]\n", "ini", r"\[a\] stands on line 1"), (b"what is this\n", "ini", "line 1: what is this"), (b"a {\n b [\n}\n", "bracketed", "line 3: } closes nothing"),
        (b"a {\n", "bracketed", "line 1: { is not closed"), (b'a "b\n', "bracketed", "line 1: \" is not closed"), (b"}", "bracketed", "line 1"), (b"/* x", "bracketed", "is not closed"),
        (b"x", "rhyme", "the syntax rhyme"),
    ],
)  # fmt: skip
def test_what_is_not_well_formed_is_said_with_its_line(data: bytes, syntax: str, told: str) -> None:
    with pytest.raises((ReadError, UnsupportedError), match=told) as found:
        edited(data, [], syntax, Path("data/kit.txt"))
    assert "kit.txt" in str(found.value)


@pytest.mark.parametrize(
    ("syntax", "data", "edit", "error"),
    [
        ("xml", b"<a>" * 600 + b"</a>" * 600, Edit("set", "/a/@x", "1"), "deep in one another"),
        ("xml", b"<a/>", Edit("set", "/b/@x", "1"), "leads nowhere"), ("xml", b"<a/>", Edit("insert", "/b", "<c/>"), "leads nowhere"),
        ("xml", b"<a/>", Edit("set", "a/b", "1"), "begins with /"), ("xml", b"<a/>", Edit("set", "/a[b]", "1"), "steps like"),
        ("xml", b"<a/>", Edit("insert", "/a", "<c>"), "what is inserted"), ("xml", b"<a/>", Edit("insert", "/a/@x", "<c/>"), "leads to an element"),
        ("xml", b"<a><d>1</d></a>", Edit("blank", "/a/d", "7"), "none of the values"), ("json", b"{}", Edit("set", "/x", "1"), "leads nowhere"),
        ("json", b"{}", Edit("set", "x", "1"), "JSON Pointer"), ("json", b"{}", Edit("insert", "", "1"), "what is inserted"),
        ("ini", b"[a]\nx=1\n", Edit("set", "a/y", "1"), "leads nowhere"), ("ini", b"[a]\nx=1\n", Edit("set", "a/x", "1\n2"), "a single line"),
        ("bracketed", b"a { }\n", Edit("set", "b", "1"), "leads nowhere"), ("bracketed", b"a { }\n", Edit("insert", "a", "b {"), "is not closed"),
        ("bracketed", b"a { }\n", Edit("set", "(a", "1"), "regular expression"),
    ],
)  # fmt: skip
def test_an_edit_that_cannot_be_is_said(syntax: str, data: bytes, edit: Edit, error: str) -> None:
    with pytest.raises(ReadError, match=error):
        edited(data, [edit], syntax, "kit.txt")


JSON = '{\n    "things": [\n        {"name": "fern", "n": 1},\n        {"name": "pot"}\n    ],\n    "empty": {}, "list": [1, 2],\n    "a/b": "x"\n}\n'


@pytest.mark.parametrize(
    ("edit", "path", "value"),
    [
        (Edit("insert", "/things", '{"name": "lamp"}', "last", "name"), ("things", 2), {"name": "lamp"}),
        (Edit("insert", "/things", '{"name": "pot", "n": 2}', "first", "name"), ("things", 1), {"name": "pot", "n": 2}),
        (Edit("insert", "/things/1", '{"name": "lamp"}', "before", "name"), ("things", 1), {"name": "lamp"}),
        (Edit("insert", "/empty", '"k": [1]'), ("empty", "k"), [1]), (Edit("insert", "/list", "3"), ("list", 2), 3),
        (Edit("insert", "", '"new": {"x": 1}'), ("new", "x"), 1), (Edit("set", "/things/0/n", "7"), ("things", 0, "n"), 7),
        (Edit("set", "/a~1b", 'q "u"'), ("a/b",), 'q "u"'), (Edit("replace", "pot", "jug"), ("things", 1, "name"), "jug"),
    ],
)  # fmt: skip
def test_json_is_what_json_reads(edit: Edit, path: tuple[str | int, ...], value: object) -> None:
    data = JSON.encode()
    new = edited(data, [edit], "json", "f.json")
    found = json.loads(new)
    for part in path:
        found = found[part]
    assert found == value and edited(new, [edit], "json", "f.json") is new
    kept = [x for x in data.split(b"\n") if x in new.split(b"\n")]
    assert len(kept) >= len(data.split(b"\n")) - 2


INI = "; head of it\nversion = 3\n\n[first]\nx = 1\ny: two words\n; of y\n\n[second]\nx = 5\n"


def test_ini_is_what_configparser_reads() -> None:
    edits = [
        Edit("set", "first/x", "9"), Edit("insert", "first", "z = new"), Edit("insert", "second", "x = 6"), Edit("insert", "", "[third]\nq = 1"),
        Edit("set", "/version", "4"), Edit("replace", "two words", "three"),
    ]  # fmt: skip
    for newline in ("\n", "\r\n"):
        data = INI.replace("\n", newline).encode()
        new = edited(data, edits, "ini", "f.ini")
        read = configparser.ConfigParser(strict=True)
        read.read_string("[top]\n" + new.decode().replace("\r\n", "\n"))
        assert {s: dict(read[s]) for s in read.sections()} == {
            "top": {"version": "4"}, "first": {"x": "9", "y": "three", "z": "new"}, "second": {"x": "6"}, "third": {"q": "1"},
        }  # fmt: skip
        assert (
            edited(new, edits, "ini", "f.ini") is new
            and b"; of y" in new
            and new.count(b"\r") in (0, new.count(b"\n"))
        )


TEXT = """// kit of the west wing
items
{
\titem "fern"   // green
\t{
\t\tfile "a.glb"; size 3
\t\tmake { by "hand" }
\t}

\titem "pot" { file "b.glb" }
}
# the last
limit = 12;
"""


@pytest.mark.parametrize(
    ("edit", "line"),
    [
        (Edit("insert", "items", 'item "lamp" {\n\tfile "c.glb"\n}'), '\titem "lamp" {'), (Edit("insert", 'items >> item "pot"', 'item "jug" { }', "before"), '\titem "jug" { }'),
        (Edit("insert", 'items >> item "fern"', 'item "jug" { }', "after"), '\titem "jug" { }'), (Edit("insert", 'items >> item "fern"', 'weight 2', "last"), "\t\tweight 2"),
        (Edit("set", 'items >> item "fern" >> file "([^"]*)"', "new.glb"), '\t\tfile "new.glb"; size 3'), (Edit("set", "limit =", "40"), "limit = 40;"),
        (Edit("replace", "fern", "moss"), '\titem "moss"   // green'), (Edit("insert", "", 'wing "east" {\n\tn 1\n}'), 'wing "east" {'),
    ],
)  # fmt: skip
def test_bracketed_text_changes_at_one_place(edit: Edit, line: str) -> None:
    data = TEXT.encode()
    new = edited(data, [edit], "bracketed", "kit.txt")
    assert line in new.decode().split("\n") and edited(new, [edit], "bracketed", "kit.txt") is new
    gone = [x for x in data.split(b"\n") if x not in new.split(b"\n")]
    assert len(gone) <= 1


def test_a_difference_names_the_lines() -> None:
    new = edited(XML.encode(), [Edit("set", "/things/@version", "8")], "xml", "things.xml")
    told = difference(XML.encode(), new, "things.xml").split("\n")
    assert told[:2] == ["--- things.xml", "+++ things.xml"]
    assert [x for x in told[2:] if x[:1] in "+-"] == ['-<things version="7">', '+<things version="8">']


def test_twenty_megabytes_are_edited() -> None:
    many = "".join(
        f'\t<thing name="t{n}" file="props/t{n}.glb"><post name="p" path="0/{n}"/></thing>\n'
        for n in range(20_000)
    )
    data = f"<things>\n{many}</things>\n".encode()
    new = edited(data, [Edit("insert", "/things", BLOCK, "last", "name")], "xml", "things.xml")
    assert len(etree.fromstring(new)) == 20_001 and new.startswith(data[:-11])


@pytest.mark.parametrize(
    ("syntax", "text", "at", "told"),
    [
        ("xml", '<a>\r\n\t<t n="lamp" f="lamp/clamp_lamp.glb">\r\n\t\t<p/>\r\n\t</t>\r\n</a>\r\n', "/a/t", '<t n="urn" f="urn/clamp_urn.glb">\r\n\t\t<p/>\r\n\t</t>'),
        ("json", '{\n  "lamp": {"f": "lamp.glb"},\n  "z": 1\n}', "/lamp", '"urn": {"f": "urn.glb"}'),
        ("ini", "[lamp]\nf = lamp.glb\n\n[z]\na = 1\n", "lamp", "[urn]\nf = urn.glb"),
        ("bracketed", "things\n{\n    lamp { f clamp } // the lamp\n    z\n}\n", "things >> lamp", "urn { f clamp }"),
    ],
)  # fmt: skip
def test_a_block_is_copied_under_another_name_and_only_once(
    syntax: str, text: str, at: str, told: str
) -> None:
    edit = Edit("copy", at, same="n" if syntax == "xml" else "", swap=(("lamp", "urn"),))
    once = edited(text.encode(), [edit], syntax, "x")
    assert told.encode() in once and edited(once, [edit], syntax, "x") == once
    # All that was there is there still, in its order.
    left = iter(once.splitlines())
    assert all(
        any(line.rstrip(b",") == has.rstrip(b",") for has in left) for line in text.encode().splitlines()
    )
    with pytest.raises(ReadError, match="leads nowhere"):
        edited(
            text.encode(),
            [Edit("copy", at.replace("lamp", "bell").replace("/t", "/u"), swap=(("a", "b"),))],
            syntax,
            "x",
        )
