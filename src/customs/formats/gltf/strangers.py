"""Extensions nobody here understands, put back where they were kept in a document that is written."""

from __future__ import annotations

from typing import Any

from customs.scene.model import Scene
from customs.scene.strangers import extras_without, going, kept_of, strangers


def put_back(document: dict[str, Any], scene: Scene, used: set[str]) -> None:
    """Move what still goes from extras to `extensions`, adding its names to `used`; what does not, goes from the extras
    too: a number in it would point to another thing.
    """
    if strangers(scene):
        names = frozenset(going(scene))
        used.update(names)
        _within(document, names)


def _within(value: Any, names: frozenset[str]) -> None:
    if isinstance(value, list):
        for item in value:
            _within(item, names)
    elif isinstance(value, dict):
        if isinstance(extras := value.get("extras"), dict) and (kept := kept_of(extras)):
            if back := {name: said for name, said in kept.items() if name in names}:
                value["extensions"] = value.get("extensions", {}) | back
            value.pop("extras")
            value |= {"extras": dict(rest)} if (rest := extras_without(extras)) else {}
        for name, item in value.items():
            if name != "extras":
                _within(item, names)
