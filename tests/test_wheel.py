"""What is installed is what is here: every file a program reads beside its code is among those a wheel takes along."""

from __future__ import annotations

import tomllib
from pathlib import Path

ROOT = Path(__file__).parent.parent


def test_every_file_beside_the_code_is_packaged() -> None:
    told = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))["tool"]["setuptools"]["package-data"]
    missing = []
    for package in ("customs", "customs_desktop"):
        folder = ROOT / "src" / package
        taken = {p for pattern in told[package] for p in folder.glob(pattern)}
        for path in folder.rglob("*"):
            beside = path.is_file() and path.suffix not in (".py", ".pyc")
            if beside and path not in taken:
                missing.append(str(path.relative_to(ROOT)))
    assert not missing, "add them to package-data"


def test_every_folder_of_code_is_a_package() -> None:
    for package in ("customs", "customs_desktop"):
        for path in (ROOT / "src" / package).rglob("*.py"):
            assert (path.parent / "__init__.py").is_file(), path.parent
