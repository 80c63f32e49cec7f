"""A shipment as one file, and back."""

from __future__ import annotations

from pathlib import Path

from customs.command.printing import errors, say
from customs.errors import CustomsError, UsageError
from customs.shipment.file import Shipment
from customs.words import byte_text, many
from customs.work.shipments import is_packed, pack_up, unpack_here


def pack(path: Path, target: Path, replace: bool) -> int:
    """Pack a shipment with its sources; the exit code. Raises UsageError."""
    if not is_packed(target):
        raise UsageError(f"{target}: call it NAME.customs.zip")
    if target.exists() and not replace:
        raise UsageError(f"{target}: there is such a file; --replace writes over it")
    try:
        shipment = Shipment(path)
        try:
            size = pack_up(shipment, target)
        finally:
            shipment.close()
    except CustomsError as problem:
        say(str(problem), errors)
        return 3
    say(f"{target}: {many(len(shipment.state.goods), 'asset')}, {byte_text(size)}")
    return 0


def unpack(packed: Path, target: Path) -> int:
    """Lay a packed shipment out; the exit code. Raises UsageError."""
    if target.suffix != ".customs":
        raise UsageError(f"{target}: call it NAME.customs")
    try:
        _, told = unpack_here(packed, target)
    except CustomsError as problem:
        say(str(problem), errors)
        return 3
    say(f"{target}: unpacked")
    if told:
        say(told, errors)
    return 0
