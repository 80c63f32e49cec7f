"""Where things of a person's are kept."""

from __future__ import annotations

import os
from pathlib import Path

import platformdirs

from customs.preferences import config_folder, preferences


def data_folder() -> Path:
    """Shipments made without a place, and the demo."""
    home = os.environ.get("CUSTOMS_HOME")
    return Path(home) / "data" if home else Path(platformdirs.user_data_dir("customs"))


def origins_folder() -> Path:
    """A person's origins."""
    return Path(preferences().origins or config_folder() / "origins")


def sheets_folder() -> Path:
    """A person's sheets."""
    return Path(preferences().sheets or config_folder() / "sheets")


__all__ = ["config_folder", "data_folder", "origins_folder", "sheets_folder"]
