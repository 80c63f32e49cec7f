"""Files sent along with an asset to a worker that does not see them, each known by its digest; its package on the way back."""

from __future__ import annotations

import hashlib
import io
import json
import tarfile
import tempfile
from collections.abc import Mapping
from contextlib import ExitStack
from dataclasses import dataclass, replace
from pathlib import Path

from customs.dispatch.standing import check_free
from customs.dispatch.unchanged import standing_package
from customs.dispatch.writer import put_in_place
from customs.errors import UsageError
from customs.intake.closure import Names, closures
from customs.intake.heap import Heap
from customs.parts import part_folder
from customs.work.asset import Request


@dataclass(frozen=True)
class Parcel:
    """Files by their paths below the asset's root, each with its SHA-256, and their bytes by that."""

    files: Mapping[str, str]
    held: Mapping[str, bytes]
    given: Mapping[str, str]

    def laid_out(self, request: Request, stack: ExitStack) -> Request:
        """The same request on a copy of its files, which goes with `stack`. Raises UsageError where a file did not come whole."""
        place = Path(stack.enter_context(tempfile.TemporaryDirectory(prefix="customs-worker-")))
        root = place / "goods"
        for path, digest in self.files.items():
            data = self.held[digest]
            if hashlib.sha256(data).hexdigest() != digest:
                raise UsageError(f"{path} did not come as it was sent")
            target = root / path
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(data)
        given = {name: str(root / path) for name, path in self.given.items()}
        return replace(
            request,
            path=root / request.path,
            root=root,
            out=place / "out" if request.out is not None else None,
            given=given,
        )

    def back(self, folder: Path) -> bytes:
        """A package as a tar archive."""
        out = io.BytesIO()
        with tarfile.open(fileobj=out, mode="w") as packed_:
            packed_.add(folder, folder.name)
        return out.getvalue()


class Packing:
    """Makes parcels; what lies in a folder is listed once."""

    def __init__(self) -> None:
        self._heaps: dict[tuple[Path, ...], tuple[Heap, Names]] = {}

    def packed(self, request: Request) -> Parcel:
        """The parcel of a request. Raises UsageError for one that goes into a kit, which no worker sees; OSError."""
        if request.kit is not None:
            raise UsageError(
                "a kit's folder that workers do not see: share it with them, or run without --cluster"
            )
        files, held = dict[str, str](), dict[str, bytes]()
        for place in self.needed(request):
            data = place.read_bytes()
            digest = hashlib.sha256(data).hexdigest()
            held[digest] = data
            files[_below(place, request.root)] = digest
        given = {name: _below(Path(p), request.root) for name, p in request.given.items()}
        return Parcel(files, held, given)

    def close(self) -> None:
        """Archives that were looked into are let go of."""
        for heap, _ in self._heaps.values():
            heap.close()
        self._heaps.clear()

    def needed(self, request: Request) -> list[Path]:
        """The model and all it leans on, archives whole."""
        places = tuple(dict.fromkeys([request.root, *map(Path, request.given.values())]))
        if places not in self._heaps:
            heap = Heap()
            for place in places:
                heap.add(place)
            self._heaps[places] = heap, Names(heap.entries)
        heap, names = self._heaps[places]
        entry = heap.entry(str(request.path))
        found = closures(heap, [entry], request.given, names=names)[0].places if entry is not None else []
        return list(
            dict.fromkeys(_on_disk(Path(p)) for p in (str(request.path), *found, *request.given.values()))
        )


def _on_disk(place: Path) -> Path:
    """The file itself, or the archive it lies in."""
    return next((p for p in (place, *place.parents) if p.is_file()), place)


def lent(request: Request) -> Request:
    """The request as a worker gets it with its parcel: its path below the root, and nothing of this machine."""
    return replace(request, path=Path(_below(request.path, request.root)), root=Path(), given={})


def _below(place: Path, root: Path) -> str:
    """Where a file lies below a root; those that lie elsewhere go into a folder of their own."""
    try:
        return place.relative_to(root).as_posix()
    except ValueError:
        return f"elsewhere/{hashlib.sha256(str(place.parent).encode()).hexdigest()[:12]}/{place.name}"


def unpacked(data: bytes, request: Request) -> Path:
    """A package that came back, put in its place in one step; one that stands there made of the same stays. Raises WriteError, OSError."""
    assert request.out is not None
    with tarfile.open(fileobj=io.BytesIO(data)) as archive:
        name = archive.getnames()[0]
        target = request.out / name
        with part_folder(target) as staging:
            archive.extractall(staging, filter="data")
            made_of = json.loads((staging / name / "docket.json").read_bytes()).get("made_of", "")
            if standing_package(target, made_of) is None:
                check_free(target, request.replace_existing)
                put_in_place(staging / name, target)
    return target
