"""A package as one archive, the same bytes each time: names in order, no times, no owners."""

from __future__ import annotations

import gzip
import io
import tarfile
import zipfile
from collections.abc import Mapping

EPOCH = (1980, 1, 1, 0, 0, 0)
"""The earliest time a ZIP can say (APPNOTE 4.4.6)."""


def bundled(files: Mapping[str, bytes], form: str) -> bytes:
    """An archive of files by their paths; `form` is zip, tar.gz or 7z. Raises ValueError for another."""
    if form not in BUNDLES:
        raise ValueError(f"no bundle is called {form!r}")
    return BUNDLES[form](dict(sorted(files.items())))


def compressed(data: bytes) -> bytes:
    """A file compressed alone (gzip, RFC 1952), without a name and a time."""
    return gzip.compress(data, 6, mtime=0)


def _zip(files: Mapping[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=6) as archive:
        for path, data in files.items():
            info = zipfile.ZipInfo(path, EPOCH)
            info.compress_type, info.create_system, info.external_attr = zipfile.ZIP_DEFLATED, 3, 0o644 << 16
            archive.writestr(info, data)
    return out.getvalue()


def _tar(files: Mapping[str, bytes]) -> bytes:
    out = io.BytesIO()
    with (
        gzip.GzipFile(fileobj=out, mode="wb", compresslevel=6, mtime=0, filename="") as packed,
        tarfile.open(fileobj=packed, mode="w", format=tarfile.PAX_FORMAT) as archive,
    ):
        for path, data in files.items():
            info = tarfile.TarInfo(path)
            info.size, info.mode = len(data), 0o644
            archive.addfile(info, io.BytesIO(data))
    return out.getvalue()


def _seven(files: Mapping[str, bytes]) -> bytes:
    import py7zr

    out = io.BytesIO()
    with py7zr.SevenZipFile(out, "w") as archive:
        for path, data in files.items():
            archive.writestr(data, path)
        for entry in archive.header.files_info.files:
            # It writes when each was added.
            for key in ("lastwritetime", "creationtime", "lastaccesstime"):
                if entry.get(key) is not None:
                    entry[key] = py7zr.helpers.ArchiveTimestamp.from_datetime(0.0)
    return out.getvalue()


BUNDLES = {"zip": _zip, "tar.gz": _tar, "7z": _seven}
"""Kinds of archives by their endings."""
