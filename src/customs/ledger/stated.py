"""Who said what an asset's numbers mean, in words."""

from __future__ import annotations

from collections.abc import Mapping

SAID_BY: Mapping[str, str] = {
    "person": "said by a person",
    "origin": "said by its origin",
    "file": "said by the file",
    "format": "said by its format",
    "assumed": "said by nobody",
}
"""By `Convention.stated`."""
