"""A file on its way in, and the tree of files it may lean on."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Iterator, Mapping
from pathlib import Path
from urllib.parse import unquote

from customs.errors import LimitError, ReadError
from customs.files import read_regular
from customs.formats.tree import Folder, Tree
from customs.job import Job
from customs.scene.content import Encoded
from customs.scene.model import Remark
from customs.tolerances import FILE_BYTES


class Source:
    """The bytes of one file, and safe access to files beside it: of `tree`, or of the folder `root` (its own
    unless given). Companions opened are remembered in `touched`; `given` are those a person chose for names the
    file says, files of the disk wherever they lie.
    """

    def __init__(
        self,
        path: Path,
        root: Path | None = None,
        tree: Tree | None = None,
        given: Mapping[str, Path] | None = None,
    ) -> None:
        self.path = path
        self.given = given or {}
        self.tree: Tree = tree if tree is not None else Folder(root or path.parent)
        self.touched: list[Path] = []
        self.absent: list[str] = []
        self.remarks: list[Remark] = []
        self.job = Job()
        """Hears how far a reader of many files is, and may stop it."""
        self._data: bytes | None = None

    @property
    def data(self) -> bytes:
        """The whole file. Raises ReadError, LimitError."""
        if self._data is None:
            self._data = self.read(self.path)
        return self._data

    @property
    def digest(self) -> str:
        """Twelve hex digits over the size and samples of the file: it names Keys, it does not prove
        content.
        """
        return quick_digest(self.data)

    def read(self, place: Path) -> bytes:
        """All bytes of this file, or of a companion. Raises ReadError, LimitError."""
        try:
            given = place in self.given.values()
            data = read_regular(place, FILE_BYTES) if given else self.tree.read(place, FILE_BYTES)
        except OSError as problem:
            raise ReadError(f"cannot be read ({problem.strerror})", "a readable file", file=place) from None
        if data is None:
            raise LimitError("a larger file", f"at most {FILE_BYTES:,} bytes", "Split the file.", place)
        return data

    def encoded(self, place: Path, mime: str = "") -> Encoded:
        """The bytes of a companion that is a texture, read when they are needed."""
        return Encoded(place, mime) if place in self.given.values() else self.tree.encoded(place, mime)

    def on_disk(self) -> Path:
        """This file for a program that opens it itself. Raises ReadError."""
        try:
            return self.tree.on_disk(self.path)
        except OSError as problem:
            raise ReadError(
                f"is no file of the disk ({problem.strerror})", "a file", "Unpack it first.", self.path
            ) from None

    def walk(self, root: Path, deep: bool = True) -> Iterator[tuple[str, list[str]]]:
        """Every folder of the tree from `root` on, or that alone, with the names of its files."""
        waiting = [root]
        while waiting:
            folder = waiting.pop()
            entries = self.tree.listing(folder)
            files = [e for e in entries if self.tree.is_file(e)]
            yield str(folder), [f.name for f in files]
            if deep:
                known = set(files)
                waiting += [e for e in entries if e not in known and self.tree.holds(e)]

    def at(self, place: Path) -> Source:
        """Another file of the same tree as a source."""
        return Source(place, tree=self.tree, given=self.given)

    def remark(self, text: str) -> None:
        """Note something that stops nothing."""
        self.remarks.append(Remark(text))

    def error(self, where: str, found: str, expected: str = "", todo: str = "") -> ReadError:
        """A ReadError about this file."""
        return ReadError(found, expected, todo, self.path, where)

    def companion(self, name: str, where: str, needed: bool = False) -> Path | None:
        """The file called `name` beside this one, or None when it is not there; it is noted as absent then.

        A path out of the folder is never followed: what the file cannot be read without (`needed`) raises
        ReadError, anything else is looked for beside the file by its bare name and is missing where it is not
        there. Spelling that differs only in case is found too, with a remark: many sources come from systems
        that do not care.
        """
        clean = cleaned(name)
        if not clean:
            return None
        found = self.given.get(clean) or self._found(clean, where, needed)
        if found is None:
            self.absent.append(clean)
        else:
            self.touched.append(found)
        return found

    def has(self, name: str) -> bool:
        """True when there is a file of that very name beside this one, inside the folder."""
        path = Path(os.path.normpath(self.path.parent / cleaned(name)))
        if cleaned(name) in self.given:
            return True
        return bool(cleaned(name)) and self.tree.holds(path) and self.tree.is_file(path)

    def _found(self, clean: str, where: str, needed: bool) -> Path | None:
        target = self.path.parent / clean
        if clean.startswith("/") or (len(clean) > 1 and clean[1] == ":"):
            target = self.path.parent / Path(clean).name
            self.remark(f"{where}: absolute path {clean}; looked for {target.name} beside the file instead")
        resolved = Path(os.path.normpath(target))
        if not self.tree.holds(resolved):
            found = f"path {clean} leaves the folder {self.tree.root}"
            if needed:
                raise self.error(where, found, "a file inside it", "Put the file beside this one.")
            resolved = self.path.parent / Path(clean).name
            self.remark(
                f"{where}: {found} and is not followed; looked for {resolved.name} beside the file instead"
            )
            if not self.tree.holds(resolved):
                return None
        return resolved if self.tree.is_file(resolved) else self._other_case(resolved)

    def _other_case(self, path: Path) -> Path | None:
        wanted = path.name.lower()
        for entry in self.tree.listing(path.parent):
            if entry.name.lower() == wanted and self.tree.is_file(entry) and self.tree.holds(entry):
                self.remark(f"{path.name} found as {entry.name}")
                return entry
        return None


def cleaned(name: str) -> str:
    """A file name as it is looked for: percent signs undone, slashes one way; "" for what can be no name."""
    clean = unquote(name).replace("\\", "/").strip()
    return "" if "\0" in clean else clean


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
