"""Taking: the asset read from where its files lie, with everything it leans on."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path

from customs.intake.take import Taken, take
from customs.scene.renumber import Numbering, renumbered
from customs.shipment.state import Asset


@dataclass(frozen=True)
class Take:
    """Where an asset lies. `digest` and `absent` are of its sources, where `path` is the shipment's copy of
    them; `prefix` and `numbering` are of its Keys, where they are not the file's own; `given` are files a person
    chose for names the file says, `paired` those whose clips go along.
    """

    path: Path
    root: Path | None = None
    search: tuple[Path, ...] = ()
    digest: str = ""
    absent: tuple[str, ...] = ()
    prefix: str = ""
    numbering: Numbering = field(default_factory=dict)
    given: Mapping[str, str] = field(default_factory=dict)
    paired: tuple[str, ...] = ()

    def run(self) -> Taken:
        """The asset as received. Raises CustomsError."""
        taken = take(self.path, self.root, self.search, self.given, self.paired, self.digest or None)
        scene = renumbered(taken.scene, self.prefix or taken.scene.digest, self.numbering)
        taken = taken if scene is taken.scene else replace(taken, scene=scene)
        return replace(taken, digest=self.digest, absent=self.absent) if self.digest else taken


def kept_copy(asset: Asset, store: Path) -> Take:
    """An asset's own copy in the store of its shipment."""
    place = store / Path(asset.model).parts[0]
    at = lying_in(asset, place)
    return Take(
        store / asset.model,
        place,
        digest=asset.digest,
        absent=asset.absent,
        prefix=asset.prefix,
        numbering=asset.numbering,
        given={name: at(f) for name, f in asset.given.items() if f in asset.files},
        paired=tuple(at(f) for f in asset.paired if f in asset.files),
    )


def lying_in(asset: Asset, place: Path) -> Callable[[str], str]:
    """Says where one of an asset's own files lies in `place`, its folder of the store."""
    root = os.path.commonpath([os.path.dirname(f) for f in asset.files]) if asset.files else ""
    return lambda file: str(place / os.path.relpath(file, root))
