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

    def part(self, begin: float, end: float) -> Job:
        """The same for a part of the work, whose own 0 to 1 is `begin` to `end` of the whole."""
        return Job(lambda share, text: self.progress(begin + (end - begin) * share, text), self.cancelled)
