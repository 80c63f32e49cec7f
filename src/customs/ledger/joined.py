"""Other goods that joined an asset on its way or hang at its posts, with what is said of their rights."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from customs.route.route import At

BRINGING = ("from-goods", "regions")
"""Steps whose stops bring what is in another asset."""


@dataclass(frozen=True)
class Joined:
    """An asset that parts came from."""

    name: str
    author: str
    licence: str
    use: str


def joined(passed: Sequence[At]) -> tuple[Joined, ...]:
    """Those whose parts are in the asset, each once."""
    out = dict[Joined, None]()
    for at in passed:
        said = dict(at.stop.values)
        if at.stop.step in BRINGING and at.stop.on and at.error is None and said.get("part"):
            told = (str(said.get(name, "")) for name in ("name", "author", "licence", "use"))
            out[Joined(*told)] = None
        if at.stop.step == "posts" and at.stop.on and at.error is None:
            for _, _, *rights in said.get("things", ()):
                out[Joined(*(str(x) for x in rights))] = None
    return tuple(out)
