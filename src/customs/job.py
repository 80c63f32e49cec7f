"""A running piece of work: where it tells progress and hears that it is to stop."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from customs.errors import Cancelled


@dataclass
class Job:
    """Progress as a share of 1 and what is done now; whether the person asked to stop."""

    progress: Callable[[float, str], None] = lambda share, text: None
    cancelled: Callable[[], bool] = lambda: False

    def check(self) -> None:
        """Raises Cancelled when the person asked to stop."""
        if self.cancelled():
            raise Cancelled
