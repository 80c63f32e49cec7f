"""Encoded bytes of a texture, read when they are needed. Compared by identity, so caches can hang on to it
weakly.
"""

from __future__ import annotations

import errno
from pathlib import Path

from customs.files import read_regular
from customs.tolerances import FILE_BYTES


class Encoded:
    """Encoded image bytes, in memory or in a file of the store. `mime` is a media type, or "" when
    unknown.
    """

    __slots__ = ("__weakref__", "_data", "_path", "mime")

    def __init__(self, data: bytes | memoryview | Path, mime: str = "") -> None:
        self._data = None if isinstance(data, Path) else data
        self._path = data if isinstance(data, Path) else None
        self.mime = mime

    def read(self) -> bytes:
        """All bytes. Raises OSError when the file has gone."""
        if self._path is not None:
            data = read_regular(self._path, FILE_BYTES)
            if data is None:
                raise OSError(errno.EFBIG, "larger than any file that is read", str(self._path))
            return data
        assert self._data is not None
        return bytes(self._data)

    def size(self) -> int:
        """Bytes; 0 when the file has gone."""
        if self._path is not None:
            return self._path.stat().st_size if self._path.is_file() else 0
        return len(self._data) if self._data is not None else 0

    @property
    def path(self) -> Path | None:
        """The file the bytes live in, when they have one of their own."""
        return self._path
