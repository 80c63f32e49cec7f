"""Libraries that are slow to import, imported when something of them is first asked for."""

from __future__ import annotations

import importlib
from types import ModuleType
from typing import Any


class _Later(ModuleType):
    """Stands for a module; what is asked of it is asked of the module itself."""

    def __getattr__(self, name: str) -> Any:
        value = getattr(importlib.import_module(self.__name__), name)
        # From now on it is found without coming here.
        setattr(self, name, value)
        return value


def later(name: str) -> Any:
    """The module `name`, which is imported at the first use of anything in it. Nothing is checked before."""
    return _Later(name)


Sparse = Any
"""A sparse matrix of SciPy, where an annotation is to say so."""
