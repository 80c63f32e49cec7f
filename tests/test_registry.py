"""A new format, texture format, step or requirement is one new file: found by its registry, and gone again."""

from __future__ import annotations

import importlib
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from customs.formats.registry import FORMATS, recognise
from customs.ledger.row import REQUIREMENTS
from customs.registry import Registry
from customs.route.step import STEPS
from customs.surface.files.base import FORMATS as TEXTURE_FORMATS

TOYS: dict[str, tuple[Registry[Any], str]] = {
    "toy-format": (FORMATS, """
from customs.formats.registry import get_format, register
from dataclasses import replace
register(replace(get_format("ply"), id="toy-format", title="Toy", endings=(".toy",), looks_like=lambda head: head[:3] == b"TOY"))
"""),
    "toy-texture": (TEXTURE_FORMATS, """
from customs.surface.files.base import register, texture_format
from dataclasses import replace
register(replace(texture_format("png"), id="toy-texture", endings=(".toyt",), looks_like=lambda data: data[:4] == b"TOYT"))
"""),
    "toy-step": (STEPS, """
from customs.route.step import Outcome, Step, register
from customs.scene.settings import Settings
register(Step("toy-step", "Toy", "fit", 4321, "Does nothing.", Settings, lambda scene, settings, content, job: Outcome(scene)))
"""),
    "toy-rule": (REQUIREMENTS, """
from customs.ledger.row import Requirement, register
register(Requirement("toy-rule", "Toy", "fit", lambda rule, case: iter(())))
"""),
}  # fmt: skip


@pytest.fixture
def toy(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[tuple[Registry[Any], str]]:
    """A toy's file in a folder that joins its package for a while."""
    registry, text = TOYS[request.param]
    package = importlib.import_module(registry.package)
    name = request.param.replace("-", "_")
    (tmp_path / f"{name}.py").write_text(text)
    registry.all()
    package.__path__.append(str(tmp_path))
    yield registry, request.param
    package.__path__.remove(str(tmp_path))
    sys.modules.pop(f"{registry.package}.{name}", None)
    if registry.get(request.param) is not None:
        registry.drop(request.param)


@pytest.mark.parametrize("toy", TOYS, indirect=True)
def test_one_file_is_found_and_gone_again(toy: tuple[Registry[Any], str]) -> None:
    registry, id_ = toy
    entry = registry.all()[id_]
    assert registry[id_] is entry and registry.get(id_) is entry
    with pytest.raises(ValueError, match=id_):
        registry.add(entry)
    if id_ == "toy-format":
        assert recognise(Path("a.glb"), b"TOY and more") is entry and recognise(Path("a.toy"), b"\1\2") is entry
    registry.drop(id_)
    assert id_ not in registry.all() and registry.get(id_) is None
    with pytest.raises(KeyError):
        registry[id_]
