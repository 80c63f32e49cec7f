"""A file on its way in, and the folder it may lean on."""

from __future__ import annotations

import hashlib
import os
from pathlib import Path
from urllib.parse import unquote

from customs.errors import LimitError, ReadError
from customs.files import is_file, read_regular
from customs.scene.model import Remark
from customs.tolerances import FILE_BYTES


class Source:
    """The bytes of one file, and safe access to files beside it. Companions opened are remembered in `touched`."""

    def __init__(self, path: Path, root: Path | None = None) -> None:
        self.path = path
        self.root = (root or path.parent).resolve()
        self.touched: list[Path] = []
        self.absent: list[str] = []
        self.remarks: list[Remark] = []
        self._data: bytes | None = None

    @property
    def data(self) -> bytes:
        """The whole file. Raises ReadError, LimitError."""
        if self._data is None:
            self._data = read_file(self.path)
        return self._data

    @property
    def digest(self) -> str:
        """Twelve hex digits over the size and samples of the file: it names Keys, it does not prove content."""
        return quick_digest(self.data)

    def remark(self, text: str) -> None:
        """Note something that stops nothing."""
        self.remarks.append(Remark(text))

    def error(self, where: str, found: str, expected: str = "", todo: str = "") -> ReadError:
        """A ReadError about this file."""
        return ReadError(found, expected, todo, self.path, where)

    def companion(self, name: str, where: str, needed: bool = False) -> Path | None:
        """The file called `name` beside this one, or None when it is not there; it is noted as absent then.

        A path out of the folder is never followed: what the file cannot be read without (`needed`) raises ReadError, anything
        else is looked for beside the file by its bare name and is missing where it is not there. Spelling that differs only in
        case is found too, with a remark: many sources come from systems that do not care.
        """
        clean = cleaned(name)
        if not clean:
            return None
        found = self._found(clean, where, needed)
        if found is None:
            self.absent.append(clean)
        else:
            self.touched.append(found)
        return found

    def has(self, name: str) -> bool:
        """True when there is a file of that very name beside this one, inside the folder."""
        path = Path(os.path.normpath(self.path.parent / cleaned(name)))
        return bool(cleaned(name)) and self._inside(path) and is_file(path)

    def _found(self, clean: str, where: str, needed: bool) -> Path | None:
        target = self.path.parent / clean
        if clean.startswith("/") or (len(clean) > 1 and clean[1] == ":"):
            target = self.path.parent / Path(clean).name
            self.remark(f"{where}: absolute path {clean}; looked for {target.name} beside the file instead")
        resolved = Path(os.path.normpath(target))
        if not self._inside(resolved):
            found = f"path {clean} leaves the folder {self.root}"
            if needed:
                raise self.error(where, found, "a file inside it", "Put the file beside this one.")
            resolved = self.path.parent / Path(clean).name
            self.remark(f"{where}: {found} and is not followed; looked for {resolved.name} beside the file instead")
            if not self._inside(resolved):
                return None
        return resolved if is_file(resolved) else self._other_case(resolved)

    def _inside(self, path: Path) -> bool:
        return _within(path, self.root) and (not os.path.exists(path) or _within(path.resolve(), self.root))

    def _other_case(self, path: Path) -> Path | None:
        if not os.path.isdir(path.parent):
            return None
        wanted = path.name.lower()
        for entry in sorted(path.parent.iterdir()):
            if entry.name.lower() == wanted and is_file(entry) and self._inside(entry):
                self.remark(f"{path.name} found as {entry.name}")
                return entry
        return None


def cleaned(name: str) -> str:
    """A file name as it is looked for: percent signs undone, slashes one way; "" for what can be no name."""
    clean = unquote(name).replace("\\", "/").strip()
    return "" if "\0" in clean else clean


def _within(path: Path, root: Path) -> bool:
    # A path may come as a person wrote it, from another folder and with steps up in it.
    whole = Path(os.path.abspath(path))
    return path == root or root in path.parents or whole == root or root in whole.parents


def read_file(path: Path) -> bytes:
    """All bytes of `path`. Raises ReadError, LimitError. Never mapped: a mapping of a person's file could be cut short."""
    try:
        data = read_regular(path, FILE_BYTES)
    except OSError as problem:
        raise ReadError(f"cannot be read ({problem.strerror})", "a readable file", file=path) from None
    if data is None:
        raise LimitError("a larger file", f"at most {FILE_BYTES:,} bytes", "Split the file.", path)
    return data


def quick_digest(data: bytes) -> str:
    """Twelve hex digits over length, both ends and eight samples of `data`."""
    state = hashlib.sha256(len(data).to_bytes(8, "little"))
    state.update(data[:65536])
    state.update(data[-65536:])
    for k in range(1, 9):
        at = len(data) * k // 9
        state.update(data[at : at + 4096])
    return state.hexdigest()[:12]


def decode_text(data: bytes) -> str:
    """Text in UTF-8 or UTF-16 (by its mark), else in Latin-1, which cannot fail."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return data.decode("utf-16", "replace")
    if data[:3] == b"\xef\xbb\xbf":
        data = data[3:]
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError:
        return data.decode("latin-1")
