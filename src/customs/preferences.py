"""What a person prefers on this machine, kept as JSON in the folder for settings."""

from __future__ import annotations

import json
import math
import os
from collections.abc import Iterator, Mapping
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

import platformdirs

from customs.parts import write_whole


def config_folder() -> Path:
    """Origins, sheets and settings; `CUSTOMS_HOME` moves it, for tests."""
    home = os.environ.get("CUSTOMS_HOME")
    return Path(home) / "config" if home else Path(platformdirs.user_config_dir("customs"))


@dataclass(frozen=True)
class Preferences:
    """`unpacked`: bytes the cache of what is unpacked may take. `text`: how much larger than the desktop's the words are.
    `side`: assets worked on side by side, 0 for one a core. `memory`: gigabytes one asset may take, 0 for what the machine has, shared
    out. `out`, `sheets`, `origins`: folders, "" for the usual ones. `keys`: shortcuts by what they do, other than the usual ones.
    """

    unpacked: int = 20 << 30
    text: float = 1.0
    side: int = 0
    memory: float = 0.0
    out: str = ""
    sheets: str = ""
    origins: str = ""
    keys: Mapping[str, str] = field(default_factory=dict)


LEAST, MOST = 1 << 28, 1 << 42
"""Bytes `unpacked` may be."""
BOUNDS: Mapping[str, tuple[float, float]] = {
    "unpacked": (LEAST, MOST), "text": (0.8, 2.0), "side": (0, 64), "memory": (0, 4096),
}  # fmt: skip
"""Least and most of each number."""


def preferences() -> Preferences:
    """What is kept; what is usual for whatever is not kept, or cannot be read."""
    try:
        kept = json.loads((config_folder() / "preferences.json").read_text("utf-8"))
    except (OSError, ValueError):
        return Preferences()
    return Preferences(**dict(_read(kept))) if isinstance(kept, dict) else Preferences()  # fmt: skip


def _read(kept: dict[str, Any]) -> Iterator[tuple[str, Any]]:
    """(name, value) of each that could be meant."""
    for name, (least, most) in BOUNDS.items():
        value, whole = kept.get(name), name in ("unpacked", "side")
        if not isinstance(value, int | float) or isinstance(value, bool) or not math.isfinite(value):
            continue
        bound = min(max(value, least), most)
        yield name, int(bound) if whole else float(bound)
    for name in ("out", "sheets", "origins"):
        value = kept.get(name)
        if isinstance(value, str) and (not value or value.startswith("/")):
            yield name, value
    keys = kept.get("keys")
    pairs = keys.items() if isinstance(keys, dict) else ()
    yield "keys", {k: v for k, v in pairs if isinstance(k, str) and isinstance(v, str)}


def keep_preferences(wanted: Preferences) -> None:
    """Keep them, whole or not at all. Raises OSError."""
    write_whole(config_folder() / "preferences.json", json.dumps(asdict(wanted)).encode())
