"""The guide against the program: pages made anew, links and pictures there, every key and field explained, commands that run."""

from __future__ import annotations

import re
import shlex
import shutil
import time
from pathlib import Path

import pytest
import typer
from typer.testing import CliRunner

from customs.cli import app
from customs.guide.pages import MADE, ORDER, anchor_of, folder, pages, search, section, sections
from customs.guide.places import about_row, about_stop
from customs.guide.reference import made_pages
from customs.landing.mistakes import MISTAKES
from customs.ledger.row import requirements
from customs.preferences import Preferences
from customs.route.step import steps
from customs.sheet.load import parse_sheet, shipped_texts
from customs.sheet.schema import sheet_keys

ROOT = Path(__file__).parent.parent.parent
SHELL = re.compile(r"^```sh\n(.*?)^```", re.M | re.S)


def test_made_pages_are_of_today() -> None:
    assert set(made_pages()) == set(MADE)
    for id_, text in made_pages().items():
        assert pages()[id_].text == text, "write them anew: python -m customs.guide.reference"


def test_every_page_is_listed_linked_and_shown() -> None:
    files = {p.name[:-3] for p in folder().iterdir() if p.name.endswith(".md")}
    assert files == set(ORDER)
    index = (ROOT / "docs" / "guide.md").read_text("utf-8")
    for page in pages().values():
        assert page.title and f"](../src/customs/guide/pages/{page.id}.md)" in index, page.id
    assert "docs/guide.md" in (ROOT / "README.md").read_text("utf-8")


def test_links_and_pictures_lead_somewhere() -> None:
    shown = set()
    for page in pages().values():
        for target in re.findall(r"\]\(([^)]+)\)", page.text):
            path, _, anchor = target.partition("#")
            if path.endswith(".png"):
                assert (folder() / path).is_file(), f"{page.id}: {target}"
                shown.add(Path(path).name)
                continue
            id_ = path.removesuffix(".md") or page.id
            assert id_ in pages(), f"{page.id}: {target}"
            assert not anchor or section(id_, anchor) is not None, f"{page.id}: {target}"
    there = {p.name for p in (folder() / "pictures").iterdir()}
    assert shown == there, "a picture nobody shows"


def test_everything_that_can_be_asked_about_is_explained() -> None:
    for r in requirements().values():
        assert section(*about_row(r.id)) is not None and len(r.about) > 15, r.id
    for s in steps().values():
        found = section(*about_stop(s.id))
        assert found is not None and s.about.strip() in found.text, s.id
    for key in sheet_keys():
        assert key.meaning and f"`{key.path}`" in pages()["sheet-keys"].text, key.path
    for id_ in shipped_texts():
        assert section("destinations", anchor_of(id_)) is not None, f"work a port for {id_}"
    planted = pages()["landing"].text.lower()
    for m in MISTAKES:
        words = m.title.lower().replace("a file's name", "").split()
        assert all(w in planted for w in words[1:]), m.title
    command = typer.main.get_command(app)
    told = pages()["command-line"].text
    for name in command.commands:  # type: ignore[attr-defined]
        assert f"`customs {name}" in told, name
    assert set(Preferences.__dataclass_fields__) == {
        "unpacked",
        "text",
        "side",
        "memory",
        "out",
        "sheets",
        "origins",
        "keys",
    }


def test_examples_of_sheets_and_origins_are_right() -> None:
    blocks = re.findall(r"^```toml\n(.*?)^```", pages()["sheets"].text, re.M | re.S)
    sheet = parse_sheet(blocks[0], "fern-house.toml")
    assert sheet.textures.max_edge == 1024 and sheet.mesh.max_triangles == 20000


def test_search_finds_headings_first_and_every_word() -> None:
    assert search("texel density")[0].anchor == "uv-density"
    assert search("undo history")[0].page == "window"
    assert all("mirror" in f"{s.title} {s.text}".lower() for s in search("mirror"))
    assert search("   ") == [] and search("qwertzuiop") == []
    began = time.perf_counter()
    for words in ("a", "texture", "joints of the donor"):
        search(words)
    assert time.perf_counter() - began < 2
    numbers: dict[str, int] = {}
    for s in sections():
        assert s.number == numbers.get(s.page, -1) + 1
        numbers[s.page] = s.number


def _lines() -> list[tuple[str, str]]:
    """(section, line) of every command the guide shows, but for those that write the demo goods."""
    return [
        (f"{s.page}-{s.anchor}", line)
        for s in sections() for block in SHELL.findall(s.text) for line in block.splitlines()
        if line.strip() and line != "customs goods demo"
    ]  # fmt: skip


@pytest.mark.parametrize(
    "place", [pytest.param(p, marks=pytest.mark.breadth(2)) for p in dict.fromkeys(p for p, _ in _lines())]
)
def test_every_command_of_the_guide_runs(
    place: str, demo_folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The lines of a section one after the other, in a folder with the demo goods; a line may say how it ends."""
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "share"))
    shutil.copytree(demo_folder, tmp_path / "demo")
    for line in (line for p, line in _lines() if p == place):
        ends = re.search(r"# ends with (\d)", line)
        words = shlex.split(line, comments=True)
        assert words[0] == "customs"
        done = CliRunner().invoke(app, words[1:])
        assert done.exit_code == (int(ends[1]) if ends else 0), f"{line}\n{done.output}"
