"""What changes the times of a clip, over all it holds: channels of nodes, and what its pointers animate."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any, cast

from customs.scene.model import Channel, Clip
from customs.scene.pointers import Pointer


def changed(clip: Clip, change: Callable[[Channel], Channel]) -> Clip:
    """The clip with `change` on every channel that has keys, and on every pointer that tells its time; a pointer that
    does not (its clip was cut by another program or step that knew nothing of it) stays behind.
    """
    channels = tuple(change(c) if len(c.times) else c for c in clip.channels)
    mine = [p for p in clip.pointers if p.tells(clip.seconds) and len(p.times)]
    out = replace(clip, channels=channels, pointers=tuple(_changed(p, change) for p in mine))
    return replace(out, pointers=tuple(replace(p, seconds=out.seconds) for p in out.pointers))


def _changed(pointer: Pointer, change: Callable[[Channel], Channel]) -> Pointer:
    """A pointer's keys changed as those of a channel are; values are taken as they are, never as rotations."""
    new = change(Channel(0, cast(Any, "pointer"), pointer.times, pointer.values, pointer.interpolation))
    return replace(pointer, times=new.times, values=new.values, interpolation=new.interpolation)
