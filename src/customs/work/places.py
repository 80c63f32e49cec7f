"""Where things of a person's are kept."""

from __future__ import annotations

import os
from pathlib import Path

import platformdirs


def config_folder() -> Path:
    """Origins, sheets and settings; `CUSTOMS_HOME` moves it, for tests."""
    home = os.environ.get("CUSTOMS_HOME")
    return Path(home) / "config" if home else Path(platformdirs.user_config_dir("customs"))


def data_folder() -> Path:
    """Shipments made without a place, and the demo."""
    home = os.environ.get("CUSTOMS_HOME")
    return Path(home) / "data" if home else Path(platformdirs.user_data_dir("customs"))


def origins_folder() -> Path:
    """A person's origins."""
    return config_folder() / "origins"


def sheets_folder() -> Path:
    """A person's sheets."""
    return config_folder() / "sheets"
