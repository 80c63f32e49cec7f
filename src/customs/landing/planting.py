"""Faults planted in a copy of a package, and of the kit it went into, to see that they are caught: what they are planted with."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from customs.sheet.documents import DocumentRules
from customs.sheet.known import for_asset, told_known
from customs.sheet.model import Sheet

Json = dict[str, Any]


@dataclass(frozen=True, eq=False)
class Copy:
    """A package that may be spoilt, the sheet it is read by (None where only the package itself is looked at), the kit it went into
    (a copy too), where it did.
    """

    folder: Path
    plain: Sheet | None = None
    kit: Path | None = None

    @property
    def body(self) -> Json:
        """The docket as it stands."""
        body: Json = json.loads((self.folder / "docket.json").read_text("utf-8"))
        return body

    @property
    def sheet(self) -> Sheet | None:
        """The sheet as it stands for this asset."""
        return for_asset(self.plain, told_known(self.body)) if self.plain is not None else None

    @property
    def model(self) -> Path:
        """The model's file, or the first floor plan where there is none."""
        return self.folder / next(iter([*self.files("model"), *self.files("floor plan")]))

    def files(self, *kinds: str) -> list[str]:
        """Paths of the files of some kinds."""
        return [str(f["path"]) for f in self.body["files"] if f["kind"] in kinds]

    def tell(self, change: Callable[[Json], object]) -> None:
        """Change the docket as somebody does who knows how: sizes, hashes and its digest of itself fit afterwards."""
        body = self.body
        change(body)
        for f in body["files"]:
            place = self.folder / f["path"]
            if place.is_file():
                data = place.read_bytes()
                f |= {"size": len(data), "sha256": hashlib.sha256(data).hexdigest()}
        rest = {k: v for k, v in body.items() if k != "digest"}
        text = json.dumps(rest, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
        body["digest"] = hashlib.sha256(text.encode()).hexdigest()
        (self.folder / "docket.json").write_text(json.dumps(body, ensure_ascii=False), "utf-8")

    def documents(self) -> list[tuple[DocumentRules, Path]]:
        """Documents of the package and of the kit, with their files."""
        sheet = self.sheet
        if sheet is None:
            return []
        asset = str(self.body["asset"])
        rows = [(r, self.folder / r.place(asset)) for r in sheet.documents if r.new]
        if self.kit is not None:
            rows += [(r, self.kit / r.path) for r in sheet.documents if not r.new]
        return [(r, p) for r, p in rows if p.is_file()]

    def change_json(self, path: str, change: Callable[[Json], object]) -> None:
        """One of the package's JSON files changed, as somebody does who knows how."""
        place = self.folder / path
        body = json.loads(place.read_bytes())
        change(body)
        self.write(place, json.dumps(body).encode())

    def write(self, place: Path, data: bytes) -> None:
        """A file anew; the docket fits it where it is one of the package's."""
        place.write_bytes(data)
        if self.folder in place.parents:
            self.tell(lambda body: None)


@dataclass(frozen=True)
class Mistake:
    """A kind of fault: its id, what a person reads, what plants it; False where there is nothing of the kind."""

    id: str
    title: str
    plant: Callable[[Copy], bool]


def last_bit(data: bytes) -> bytes:
    """Data whose last byte is another."""
    return data[:-1] + bytes([data[-1] ^ 1])
