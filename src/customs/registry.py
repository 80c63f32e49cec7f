"""Things found by what their modules register: formats, texture formats, steps, requirements. A new one is
one new file.
"""

from __future__ import annotations

import importlib
import pkgutil
import sys
import threading
from collections.abc import Callable
from typing import Any, Generic, Protocol, TypeVar


class Named(Protocol):
    """What a registry holds."""

    @property
    def id(self) -> str:
        """What it is asked for by."""


Entry = TypeVar("Entry", bound=Named)


class Registry(Generic[Entry]):
    """Entries by id. The modules of a package (of packages in it too, where it is `deep`) are loaded when
    somebody first asks; each adds its own."""

    def __init__(
        self,
        what: str,
        package: str,
        order: Callable[[Entry], Any] = lambda entry: entry.id,
        deep: bool = False,
    ) -> None:
        self.what, self.package, self.order = what, package, order
        self._find = pkgutil.walk_packages if deep else pkgutil.iter_modules
        self._entries: dict[str, Entry] = {}
        self._loaded: tuple[str, ...] = ()
        self._lock, self._loading, self._alone = threading.RLock(), False, False

    def add(self, entry: Entry) -> None:
        """Called by each module at its end. Raises ValueError for an id that is there already."""
        if entry.id in self._entries:
            raise ValueError(f"two of {self.what} are called {entry.id!r}")
        self._entries[entry.id] = entry

    def drop(self, id_: str) -> None:
        """One that was added for a while is gone again. Raises KeyError."""
        del self._entries[id_]

    def all(self) -> dict[str, Entry]:
        """All by id, in order."""
        self._load()
        return dict(sorted(self._entries.items(), key=lambda pair: self.order(pair[1])))

    def __getitem__(self, id_: str) -> Entry:
        self._load_one(id_)
        return self._entries[id_]

    def get(self, id_: str) -> Entry | None:
        """The one called `id_`, or None."""
        self._load_one(id_)
        return self._entries.get(id_)

    def _places(self) -> tuple[str, ...]:
        # Asked for very often: what is loaded is looked up without the machinery of imports.
        package = sys.modules.get(self.package) or importlib.import_module(self.package)
        # Folders may join a package while it runs: they are looked through as well.
        return tuple(package.__path__)

    def _load_one(self, id_: str) -> None:
        """The module that is called as what it adds, alone: all of them where there is none. What is there is not waited for."""
        if id_ in self._entries or (places := self._places()) == self._loaded:
            return
        name = id_.replace("-", "_")
        with self._lock:
            if id_ not in self._entries and not self._loading:
                # Should it ask for all on its way, that lacks itself: it does not count as all for whoever asks next.
                before, self._alone = self._alone, True
                try:
                    for module in self._find(places, self.package + "."):
                        if module.name.rpartition(".")[2] == name:
                            importlib.import_module(module.name)
                finally:
                    self._alone = before
            if id_ in self._entries:
                return
        self._load()

    def _load(self) -> None:
        if (places := self._places()) == self._loaded:
            return
        # Whoever asks meanwhile waits: half of the requirements would make half a ledger. What is loaded may
        # ask for what came before it.
        with self._lock:
            if self._loading or places == self._loaded:
                return
            self._loading = True
            try:
                for module in self._find(places, self.package + "."):
                    importlib.import_module(module.name)
                if not self._alone:
                    self._loaded = places
            finally:
                self._loading = False
