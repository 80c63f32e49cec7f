"""What a person prefers on this machine, kept as JSON in the folder for settings."""

from __future__ import annotations

import contextlib
import json
import os
import tempfile
from dataclasses import asdict, dataclass
from pathlib import Path

import platformdirs


def config_folder() -> Path:
    """Origins, sheets and settings; `CUSTOMS_HOME` moves it, for tests."""
    home = os.environ.get("CUSTOMS_HOME")
    return Path(home) / "config" if home else Path(platformdirs.user_config_dir("customs"))


@dataclass(frozen=True)
class Preferences:
    """`unpacked`: bytes the cache of what is unpacked may take."""

    unpacked: int = 20 << 30


LEAST, MOST = 1 << 28, 1 << 42
"""Bytes `unpacked` may be."""


def preferences() -> Preferences:
    """What is kept; what is usual where nothing is, or nothing that can be read."""
    try:
        kept = json.loads((config_folder() / "preferences.json").read_text())
        return Preferences(min(max(int(kept["unpacked"]), LEAST), MOST))
    except (OSError, ValueError, KeyError, TypeError):
        return Preferences()


def keep_preferences(wanted: Preferences) -> None:
    """Keep them, whole or not at all. Raises OSError."""
    folder = config_folder()
    folder.mkdir(parents=True, exist_ok=True)
    number, partial = tempfile.mkstemp(dir=folder)
    try:
        with os.fdopen(number, "w") as out:
            json.dump(asdict(wanted), out)
        os.replace(partial, folder / "preferences.json")
    finally:
        with contextlib.suppress(OSError):
            os.unlink(partial)
