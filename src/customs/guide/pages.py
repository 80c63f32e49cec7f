"""The pages of the guide, their sections, and searching in them."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cache
from importlib import resources

ORDER = (
    "first-port", "destinations", "intake", "fit", "surface", "motion", "fittings", "grounds", "dispatch", "landing", "window", "origins",
    "sheets", "patterns", "recipes", "placements", "levels", "brushes", "figures", "plans", "voxels", "learning", "command-line", "installing",
    "stops", "rows", "sheet-keys",
)  # fmt: skip
MADE = ("stops", "rows", "sheet-keys")
"""Pages made from what the program knows of itself (`reference.py`)."""
HEADING = re.compile(r"^(#{1,4}) (.+?)\s*$")


@dataclass(frozen=True)
class Section:
    """A heading with what stands below it, up to the next one. `number` counts the headings of its page from 0."""

    page: str
    number: int
    title: str
    text: str

    @property
    def anchor(self) -> str:
        """What links to it name: what stands in backquotes in its heading, else its words."""
        named = re.search(r"`([^`]+)`", self.title)
        return anchor_of(named[1] if named else self.title)


@dataclass(frozen=True)
class Page:
    """A page by its id; `text` is Markdown, its first line the title."""

    id: str
    text: str

    @property
    def title(self) -> str:
        """What it is called."""
        return self.text.partition("\n")[0].lstrip("# ").strip()


def anchor_of(text: str) -> str:
    """Words as the name of a place on a page: small letters, figures, and - between them."""
    return re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-")


def folder() -> resources.abc.Traversable:
    """Where the pages and their pictures lie."""
    return resources.files("customs.guide") / "pages"


@cache
def pages() -> dict[str, Page]:
    """All pages by id, in their order."""
    return {id_: Page(id_, (folder() / f"{id_}.md").read_text("utf-8")) for id_ in ORDER}


@cache
def sections() -> tuple[Section, ...]:
    """All sections of all pages, in their order."""
    out = list[Section]()
    for page in pages().values():
        title, lines, number, code = "", list[str](), -1, False
        for line in [*page.text.splitlines(), "# "]:
            code ^= line.startswith("```")
            found = None if code else HEADING.match(line + "x" if line == "# " else line)
            if found is None:
                lines.append(line)
                continue
            if number >= 0:
                out.append(Section(page.id, number, title, "\n".join(lines).strip()))
            title, lines, number = found[2], [], number + 1
    return tuple(out)


def section(page: str, anchor: str) -> Section | None:
    """The section of a page that links name so, or None."""
    return next((s for s in sections() if s.page == page and s.anchor == anchor), None)


def search(words: str, most: int = 60) -> list[Section]:
    """Sections that hold every word, or its beginning, those with them in their heading first."""
    wanted = words.lower().split()
    if not wanted:
        return []
    found = list[tuple[int, int, Section]]()
    for k, (s, title, text) in enumerate(_small()):
        if all(w in text for w in wanted):
            hits = sum(w in title for w in wanted)
            whole = " ".join(wanted) in title
            found.append((-hits - 2 * whole, k, s))
    return [s for _, _, s in sorted(found, key=lambda f: f[:2])[:most]]


@cache
def _small() -> tuple[tuple[Section, str, str], ...]:
    return tuple((s, s.title.lower(), f"{s.title}\n{s.text}".lower()) for s in sections())
