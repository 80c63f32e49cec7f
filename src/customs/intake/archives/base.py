"""What an archive holds, one interface for all kinds: a new kind is one new file beside this one."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import AbstractContextManager
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO, NamedTuple, Protocol

from customs.errors import ReadError, UnsupportedError
from customs.files import open_regular
from customs.intake.archives.limits import Readable, chunks, poured
from customs.intake.archives.names import apart, clean_name
from customs.intake.spill import Spill
from customs.job import Job
from customs.registry import Registry

HEAD = 1024
"""Bytes at the beginning of a file that tell what kind of archive it is."""

TYPE_IT = "Open it on the desk Intake and type its password in its row."


class Item(NamedTuple):
    """One file of an archive: its name with slashes, bytes unpacked and packed (0 where it shares a block), its
    place in the archive's own list, why it cannot be had (or ""), whether a password is asked for.
    """

    name: str
    size: int
    packed: int
    number: int
    problem: str = ""
    locked: bool = False


Into = Callable[[Item], AbstractContextManager[BinaryIO]]
"""Opens what an item is written to: there once it is left, and not at all where it is left by an error."""


class Archive(Protocol):
    """An open archive. Where it is `solid`, an item is not to be had without unpacking what shares its block."""

    solid: bool
    items: tuple[Item, ...]
    remarks: tuple[str, ...]

    def copy(self, wanted: Sequence[Item], into: Into, job: Job) -> None:
        """The bytes of items, each written to what `into` opens for it. Raises CustomsError, Cancelled."""

    def head(self, item: Item) -> bytes:
        """HEAD bytes of an item where they can be had without unpacking others, else none."""

    def close(self) -> None:
        """Let go of the file."""


@dataclass(frozen=True)
class Asked:
    """A file to be opened: where it lies on the disk, how it is called to a person, where bytes may be spilled
    meanwhile, and the password where there is one.
    """

    file: Path
    shown: str
    spill: Spill
    password: str | None = None


@dataclass(frozen=True)
class ArchiveKind:
    """One kind of archive, known by its first bytes."""

    id: str
    title: str
    looks_like: Callable[[bytes], bool]
    open: Callable[[Asked, Job], Archive]


class LockedError(ReadError):
    """Not even the list of an archive can be read without its password."""


KINDS = Registry[ArchiveKind]("kinds of archives", "customs.intake.archives")
register = KINDS.add


def kind_of_archive(head: bytes) -> ArchiveKind | None:
    """The kind of archive that begins with `head`, None for anything else."""
    return next((k for k in KINDS.all().values() if k.looks_like(head)), None)


def archive_at(file: Path) -> ArchiveKind | None:
    """The kind of archive a file of the disk is, by content; None for anything else and what cannot be read."""
    try:
        with open_regular(file) as f:
            return kind_of_archive(f.read(HEAD))
    except OSError:
        return None


def copied(source: AbstractContextManager[Readable], into: Into, item: Item, shown: str, job: Job) -> None:
    """All bytes of an item to where `into` opens. Raises ReadError where they are not as many as the list says,
    Cancelled, and what `source` raises.
    """
    with source as file, into(item) as out:
        done = poured(chunks(file), out, item.size, shown, job)
    if done != item.size:
        raise ReadError(f"{done:,} bytes", f"{item.size:,}", "The archive is damaged.", shown)


def refused(item: Item, shown: str) -> UnsupportedError:
    """That an item cannot be had, and why."""
    return UnsupportedError(item.problem, "an entry that can be unpacked", "", shown)


def named_items(found: Sequence[Item]) -> tuple[tuple[Item, ...], list[str]]:
    """(items with names that can be places, no two alike; what a person is to know)."""
    cleaned = [clean_name(item.name) for item in found]
    names, said = apart([name for name, _ in cleaned])
    out = tuple(
        item if name == item.name and not why else item._replace(name=name, problem=item.problem or why)
        for item, name, (_, why) in zip(found, names, cleaned)
    )
    return out, said
