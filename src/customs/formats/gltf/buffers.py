"""Getting at the bytes of a glTF: the GLB container, data URIs, files beside it."""

from __future__ import annotations

import base64
import binascii
import re
import struct
from typing import Any

from customs.errors import ReadError, UnsupportedError
from customs.formats.gltf.compressed import is_fallback
from customs.formats.gltf.document import Obj, parse_json
from customs.formats.source import Source

MAGIC = b"glTF"
HEADER = struct.Struct("<4sII")  # magic, version, length: glTF 2.0, 4.4.2
CHUNK = struct.Struct("<I4s")  # length, type: glTF 2.0, 4.4.3
DATA_URI = re.compile(r"^data:([^;,]*)((?:;[^,]*)?),", re.S)


def open_document(source: Source) -> tuple[Any, memoryview | None]:
    """(JSON, binary chunk or None) of a .glb or .gltf. Raises ReadError, UnsupportedError."""
    data = memoryview(source.data)
    if bytes(data[:4]) != MAGIC:
        if source.path.suffix.lower() in (".glb", ".vrm") and bytes(data[:64]).lstrip()[:1] != b"{":
            todo = "The file is cut off or no GLB: fetch it again."
            raise source.error(
                "header",
                f"it begins with the bytes {bytes(data[:4]).hex(' ')}",
                f"{MAGIC.hex(' ')}, which spells {MAGIC.decode()}",
                todo,
            )
        return parse_json(data, source), None
    if len(data) < HEADER.size:
        raise source.error(
            "header", f"{len(data)} bytes", "at least 12", "The file is cut off: fetch it again."
        )
    _, version, length = HEADER.unpack_from(data)
    if version != 2:
        raise UnsupportedError(
            f"GLB version {version}", "version 2", "Export as glTF 2.0.", source.path, "header"
        )
    if length > len(data):
        raise source.error(
            "header",
            f"length {length:,}",
            f"at most the {len(data):,} bytes there are",
            "The file is cut off.",
        )
    if length < len(data):
        source.remark(f"{len(data) - length:,} bytes after the end of the GLB ignored")
    chunks = _chunks(data[:length], source)
    if not chunks or chunks[0][0] != b"JSON":
        raise source.error("first chunk", "no JSON", "a JSON chunk first", "Export the file again.")
    binary = next((c for kind, c in chunks[1:] if kind == b"BIN\0"), None)
    return parse_json(chunks[0][1], source), binary


def _chunks(data: memoryview, source: Source) -> list[tuple[bytes, memoryview]]:
    out, at = [], HEADER.size
    while at + CHUNK.size <= len(data):
        size, kind = CHUNK.unpack_from(data, at)
        at += CHUNK.size
        if size > len(data) - at:
            raise source.error(
                f"byte {at - CHUNK.size}",
                f"chunk of {size:,} bytes",
                f"at most {len(data) - at:,}",
                "It is cut off.",
            )
        out.append((bytes(kind), data[at : at + size]))
        at += size
    return out


def decode_data_uri(uri: str, obj: Obj, name: str) -> tuple[bytes, str] | None:
    """(bytes, media type) of a data URI, or None when `uri` is a path. Raises ReadError."""
    match = DATA_URI.match(uri[:200])
    if not match:
        if uri.startswith("data:"):
            raise obj.fail(name, uri[:40], "a data URI with a comma")
        return None
    if ";base64" not in match[2]:
        raise obj.fail(name, uri[:40], "a base64 data URI")
    try:
        return base64.b64decode(uri[match.end() :], validate=False), match[1]
    except (binascii.Error, ValueError):
        raise obj.fail(name, uri[:40], "base64 data that is whole") from None


def load_buffer(obj: Obj, index: int, binary: memoryview | None, source: Source) -> memoryview:
    """The bytes of one buffer, at least its byteLength long. Raises ReadError."""
    length = obj.need_integer("byteLength", least=1)
    uri = obj.text("uri")
    if not uri:
        if is_fallback(obj) and (index != 0 or binary is None):
            return memoryview(b"")
        if index != 0 or binary is None:
            raise obj.fail("uri", "nothing", "a uri, or the binary chunk of a GLB for buffer 0")
        data = binary
    else:
        inline = decode_data_uri(uri, obj, "uri")
        data = memoryview(inline[0] if inline else _external(uri, obj, source))
    if length > len(data):
        raise obj.fail("byteLength", length, f"at most the {len(data):,} bytes there are")
    return data[:length]


def _external(uri: str, obj: Obj, source: Source) -> bytes:
    path = source.companion(uri, f"{obj.where}/uri", needed=True)
    if path is None:
        raise ReadError(
            f"buffer file {uri} is not there",
            f"it beside {source.path.name}",
            "Put the file there: the vertices are in it.",
            source.path,
            f"{obj.where}/uri",
        )
    return source.read(path)
