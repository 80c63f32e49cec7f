"""Rules of the house: registries and documents agree, the core knows no interface, files and functions stay
small.
"""

from __future__ import annotations

import ast
import re
import subprocess
import sys
import tomllib
from pathlib import Path

import pytest

from customs.formats.registry import formats
from customs.ledger.row import requirements
from customs.route.step import steps
from customs.sheet.load import shipped_texts

ROOT = Path(__file__).parents[1]
MODULES = sorted((ROOT / "src").rglob("*.py"))
LONGEST_FILE, LONGEST_FUNCTION = 400, 60
"""Lines, as the design has them: files under 400 and a bit, functions under 60."""


def test_one_file_a_step_a_requirement_a_sheet() -> None:
    step_files = [p for p in MODULES if "route/steps/" in p.as_posix() and p.name != "__init__.py"]
    rule_files = [p for p in MODULES if "ledger/requirements/" in p.as_posix() and p.name != "__init__.py"]
    assert len(step_files) == len(steps()) and len(rule_files) == len(requirements())
    for path in [*step_files, *rule_files]:
        last = [
            line for line in path.read_text("utf-8").splitlines() if not line.startswith((" ", ")", "}"))
        ][-1]
        assert last.startswith("register("), path


def test_the_readme_names_what_there_is() -> None:
    text = (ROOT / "README.md").read_text("utf-8")
    assert all(f"`{s}`" in text for s in shipped_texts()) and all(f.title in text for f in formats().values())
    pictures = {f"docs/screenshots/{p.name}" for p in (ROOT / "docs" / "screenshots").glob("*.png")}
    assert pictures == set(re.findall(r"docs/screenshots/[\w-]+\.png", text)) and len(pictures) < 20


@pytest.mark.parametrize("path", MODULES, ids=lambda p: p.relative_to(ROOT / "src").as_posix())
def test_every_module_says_what_it_is_and_stays_small(path: Path) -> None:
    text = path.read_text("utf-8")
    tree = ast.parse(text)
    assert ast.get_docstring(tree), "a module begins with what it is for"
    assert len(text.splitlines()) <= LONGEST_FILE
    for node in ast.walk(tree):
        if isinstance(node, ast.FunctionDef):
            assert (node.end_lineno or 0) - node.lineno < LONGEST_FUNCTION, node.name
            if not node.name.startswith("_") and "customs_desktop" not in path.as_posix():
                assert ast.get_docstring(node) or any(
                    isinstance(p, ast.FunctionDef) and node in ast.walk(p) and p is not node
                    for p in ast.walk(tree)
                ), f"{node.name} has no docstring"


def test_what_is_asked_for_is_in_the_lock() -> None:
    """What is missing there is missing in a fresh clone, and tests that look whether it is there would pass it over."""
    asked = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))["project"]
    wanted = [
        *asked["dependencies"],
        *(d for extra in asked["optional-dependencies"].values() for d in extra),
    ]
    locked = {named(line) for line in (ROOT / "requirements.lock").read_text("utf-8").splitlines()}
    assert not {named(w) for w in wanted} - locked


def named(requirement: str) -> str:
    """A package's name as indices write it (Python Packaging User Guide, "Names and normalization")."""
    found = re.match(r"[\w.-]+", requirement)
    return re.sub(r"[-_.]+", "-", found[0]).lower() if found else ""


def test_the_core_loads_without_the_interface() -> None:
    code = "import sys, customs.cli, customs.command.goods, customs.command.landing, customs.demo.shipment, customs.picture.renderer; print([m for m in sys.modules if 'PyQt' in m])"
    out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout
    assert out.strip() == "[]"


def test_fonts_and_icons_have_their_licences() -> None:
    style = ROOT / "src" / "customs_desktop" / "style"
    assert (style / "fonts" / "LICENSE").is_file() and (style / "icons" / "LICENSE").is_file()
    assert len(list((style / "fonts").glob("*.ttf"))) == 4


def test_ci_calls_the_readmes_command_and_the_lock_is_pinned() -> None:
    assert (
        "scripts/test" in (ROOT / ".ci" / "run").read_text()
        and "scripts/test" in (ROOT / "README.md").read_text()
    )
    lock = (ROOT / "requirements.lock").read_text().split()
    assert len(lock) > 40 and all("==" in line for line in lock), [x for x in lock if "==" not in x]


def test_icons_that_are_named_exist_and_those_that_exist_are_named() -> None:
    icons = {p.stem for p in (ROOT / "src" / "customs_desktop" / "style" / "icons").glob("*.svg")}
    text = "\n".join(p.read_text("utf-8") for p in MODULES if "customs_desktop" in p.as_posix())
    unused = sorted(i for i in icons if f'"{i}"' not in text)
    assert not unused, f"icons nobody uses: {unused}"
