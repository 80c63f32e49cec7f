"""Where the demo is kept, known without loading what makes it."""

from __future__ import annotations

from pathlib import Path

NAME = "Verdigris Glasshouse"
VERSION = "6"
"""Raised when the goods change, so a folder written before is written anew."""


def demo_path(data: Path) -> Path:
    """Where the demo shipment is kept."""
    return data / f"demo-{VERSION}" / f"{NAME}.customs"
