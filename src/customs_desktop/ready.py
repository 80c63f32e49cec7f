"""Modules that are asked for later, imported by a thread while nobody needs them yet: whoever asks first does not wait for them."""

from __future__ import annotations

import importlib
import threading

from customs_desktop.desk import DESKS

SOON = (
    "customs_desktop.queue_page",
    "customs_desktop.learning_page",
    "customs.picture.renderer",
    "customs.picture.pick",
    "customs.picture.thumbnail",
    "customs.work.mixing",
    "customs.work.requests.dispatch",
    "customs.work.requests.land",
    "customs.work.requests.withdraw",
    "customs.work.kits",
    "customs.work.expected",
    "customs.work.fittings",
    "customs.recipes.recipe",
    "customs.work.recipes",
    "customs.landing.mistakes",
    "customs.runs.run",
    "customs.runs.children",
    "customs.runs.report",
)
"""What the window asks for at the press of a button; a test compares."""


def import_soon() -> threading.Thread:
    """The thread that imports the panels of the desks and `SOON`."""
    panels = tuple(f"customs_desktop.desks.{desk}.panel" for desk in DESKS.all())
    thread = threading.Thread(target=_import, args=(panels + SOON,), name="imports", daemon=True)
    thread.start()
    return thread


def _import(names: tuple[str, ...]) -> None:
    for name in names:
        importlib.import_module(name)
