"""COLLADA as a scene: the asset element says up and unit, the library reads the rest without turning it."""

from __future__ import annotations

import html
import io
import re
import struct
import zipfile
import zlib
from collections.abc import Mapping
from dataclasses import replace

from customs.formats.interchange.build import read_through, scene_of
from customs.formats.source import Source, decode_text
from customs.scene.convention import Axis, Convention
from customs.scene.model import Scene

PROPERTIES: Mapping[str, int] = {
    "IMPORT_COLLADA_IGNORE_UP_DIRECTION": 1,
    "IMPORT_COLLADA_IGNORE_UNIT_SIZE": 1,
    "IMPORT_COLLADA_USE_COLLADA_NAMES": 1,
    "AI_CONFIG_IMPORT_REMOVE_EMPTY_BONES": 0,
}
FRONTS: Mapping[str, tuple[Axis, Axis]] = {"X_UP": ("+X", "+Z"), "Y_UP": ("+Y", "+Z"), "Z_UP": ("+Z", "-Y")}
"""Up and front by the up_axis element (schema 1.4.1, "up_axis": right −Y, +X, +X; up +X, +Y, +Z; in +Z, +Z,
−Y).
"""
HEAD_BYTES = 1 << 20
MOST_UNPACKED = 1 << 30
BROKEN = (
    zipfile.BadZipFile, zlib.error, struct.error, RuntimeError, NotImplementedError, EOFError, ValueError, IndexError, OverflowError,
    OSError,
)  # fmt: skip
"""What opening a damaged archive may raise."""


def read_collada(source: Source) -> Scene:
    """The scene of a COLLADA document, or of one in an archive. Raises ReadError, LimitError, ToolError,
    UnsupportedError.
    """
    head = decode_text(_head(source))
    imported = read_through(source, PROPERTIES, "Collada")
    return _named(scene_of(imported, source, stated_convention(head, source)), source)


def _named(scene: Scene, source: Source) -> Scene:
    """Clips by the names the document gives them; the library makes up its own."""
    if source.data[:2] == b"PK":
        return scene
    said = re.findall(r"<animation_clip\b[^<>]*>", decode_text(source.data))
    names = [
        re.search(r"\bname\s*=\s*[\"']([^\"']+)", tag) or re.search(r"\bid\s*=\s*[\"']([^\"']+)", tag)
        for tag in said
    ]
    if len(names) != len(scene.clips) or not all(names):
        return scene
    clips = tuple(
        replace(c, name=html.unescape(n.group(1))) for c, n in zip(scene.clips, names) if n is not None
    )
    return replace(scene, clips=clips)


def _head(source: Source) -> bytes:
    """The beginning of the document, which holds its asset element."""
    if source.data[:2] != b"PK":
        return source.data[:HEAD_BYTES]
    try:
        with zipfile.ZipFile(io.BytesIO(source.data)) as archive:
            if sum(i.file_size for i in archive.infolist()) > MOST_UNPACKED:
                raise source.error(
                    "",
                    "unpacks to more than 1 GiB",
                    "a smaller archive",
                    "Unpack it yourself and take the .dae.",
                )
            names = [n for n in archive.namelist() if n.lower().endswith(".dae")]
            if not names:
                raise source.error(
                    "", "an archive without a .dae", "a COLLADA document in it", "Export it again."
                )
            with archive.open(names[0]) as f:
                return f.read(HEAD_BYTES)
    except BROKEN as problem:
        raise source.error(
            "", f"an archive that cannot be opened ({problem})", "a sound one", "Export it again."
        ) from None


def stated_convention(text: str, source: Source) -> Convention:
    """What the asset element says of up and unit; COLLADA is right-handed, Y up and in metres where it says
    nothing.
    """
    start = re.search(r"<asset\b", text)
    end = text.find("</asset>", start.start()) if start else -1
    body = text[start.start() : end] if start and end >= 0 else ""
    up = re.search(r"<up_axis>\s*([XYZ]_UP)\s*</up_axis>", body)
    tag = re.search(r"<unit\b[^<>]*>", body)
    unit = re.search(r"\bmeter\s*=\s*[\"']([^\"']+)[\"']", tag.group(0)) if tag else None
    size = 1.0
    if unit:
        try:
            size = float(unit.group(1).replace(",", "."))
        except ValueError:
            size = 0.0
        if not 1e-9 < size < 1e9:
            source.remark(f"a unit of {unit.group(1)} metres cannot be; read as one metre")
            size = 1.0
    axes = FRONTS[up.group(1) if up else "Y_UP"]
    return Convention(
        up=axes[0], faces=axes[1], metres_per_unit=size, v="up", stated="file" if body else "format"
    )
