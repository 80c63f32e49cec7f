"""Donors from files: read, brought into the working frame, kept beside the shipment by digest."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from customs.changes.donor import Donor, make_donor
from customs.conventions.origin import Origin
from customs.errors import CustomsError, ReadError
from customs.intake.take import take
from customs.planning.plan import fresh_route
from customs.route.route import evaluate
from customs.work.selections import put_whole

FOLDER = "donors"


def read_donor(path: Path, origin: Origin | None = None) -> Donor:
    """The donor in a file, arriving as any asset of its origin does. Raises CustomsError."""
    taken = take(path)
    arrived = evaluate(taken.scene, taken.digest, fresh_route(origin))[0]
    if arrived.error is not None:
        raise arrived.error
    try:
        return make_donor(arrived.scene)
    except CustomsError as problem:
        raise type(problem)(problem.found, problem.expected, problem.todo, path, problem.where) from None


def keep_donor(store: Path, donor: Donor) -> None:
    """Write a donor into the store, once. Raises ShipmentError."""
    place = store / FOLDER / f"{donor.digest}.glb"
    if not place.is_file():
        put_whole(place, donor.data)


@lru_cache(maxsize=8)
def kept_donor(store: Path, digest: str, name: str) -> Donor:
    """The donor kept under `digest`. Raises ReadError when it has gone."""
    place = store / FOLDER / f"{digest}.glb"
    try:
        return Donor(name, digest, place.read_bytes())
    except OSError as problem:
        raise ReadError(
            f"the donor cannot be read ({problem.strerror})",
            "the shipment's own copy",
            "Choose the donor again.",
            place,
        ) from None
