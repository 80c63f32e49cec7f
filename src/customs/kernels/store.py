"""Where compiled kernels lie, whether they are there, and getting one; nothing here imports the compiler
unless one is got.
"""

from __future__ import annotations

import functools
import hashlib
import importlib
import importlib.metadata
import os
import platform
import shutil
import subprocess
import sys
import time
from pathlib import Path
from types import ModuleType

from platformdirs import user_cache_dir

HERE = Path(__file__).parent
MARK, BEGUN = "ready", "begun"
PATIENCE = 300
"""Seconds after which a compiling that was begun and is not done is begun again."""
_children: list[subprocess.Popen[bytes]] = []
"""Kept, as a process nobody holds is complained of while it runs."""
OLD = 60 * 86400
"""Seconds after which a cache nobody has used is swept."""


def bounds_checked() -> bool:
    """True where the tests ask compiled code to check every index."""
    return os.environ.get("NUMBA_BOUNDSCHECK", "") not in ("", "0")


def names() -> list[str]:
    """Modules here that hold a kernel: a new one is one new file."""
    return [p.stem for p in sorted(HERE.glob("*.py")) if b"\nfrom numba import" in p.read_bytes()]


@functools.cache
def folder() -> Path:
    """The cache of these sources with this compiler on this processor.

    Times of the files are part of its name, as the compiler looks at them too: a cache that is there is never
    compiled again.
    """
    told = hashlib.sha256(
        f"{HERE}{importlib.metadata.version('numba')}{_processor()}{bounds_checked()}".encode()
    )
    for path in sorted(HERE.glob("*.py")):
        told.update(f"{path.name}{path.stat().st_mtime_ns}".encode() + path.read_bytes())
    return (
        Path(os.environ.get("CUSTOMS_CACHE") or user_cache_dir("customs")) / "kernels" / told.hexdigest()[:20]
    )


def _processor() -> str:
    try:
        text = Path("/proc/cpuinfo").read_text("utf-8", "replace").partition("\n\n")[0]
    except OSError:
        return platform.processor() or platform.machine()
    lines = [
        line for line in text.splitlines() if line.startswith(("model name", "flags", "Features", "CPU part"))
    ]
    return "\n".join(lines) or platform.machine()


def ready() -> bool:
    """True when all kernels are compiled for these sources, this compiler and this processor."""
    try:
        return (folder() / MARK).is_file()
    except (OSError, importlib.metadata.PackageNotFoundError):
        return False


def kernel(name: str) -> ModuleType | None:
    """The module of a kernel, or None where it is not compiled: then the caller goes the numpy way, which is
    slower.

    That it is asked for begins the compiling, in a process of its own.
    """
    if not ready():
        begin()
        return None
    return _loaded(name)


LARGE, WARM = 150_000, 15_000
"""Rows from which compiled code is worth loading the compiler's library, and worth loading once that is there. What is loaded itself is
always worth calling.
"""
_held: set[str] = set()


def kernel_for(name: str, count: int) -> ModuleType | None:
    """`kernel` where there are rows enough for it."""
    if name in _held:
        return _loaded(name)
    if count >= LARGE or (count >= WARM and "numba" in sys.modules):
        return kernel(name)
    return None


def expect(names: tuple[str, ...], count: int) -> None:
    """Many calls of a few rows each are to come, `count` in all: where that is worth it kernels are loaded for them."""
    for name in names if count >= LARGE else ():
        kernel(name)


@functools.cache
def _loaded(name: str) -> ModuleType:
    import numba

    numba.config.CACHE_DIR = str(folder())  # type: ignore[attr-defined]
    module = importlib.import_module(f"customs.kernels.{name}")
    _held.add(name)
    return module


def compile_all() -> float:
    """Compile what is not compiled yet, in this process, and say so; seconds it took. Raises OSError without
    a writable cache.

    Run as `python -m customs.kernels`, in a process of its own: never in one that shows a window.
    """
    began = time.perf_counter()
    place = folder()
    if not ready():
        place.mkdir(parents=True, exist_ok=True)
        for name in names():
            _loaded(name)
        (place / MARK).touch()
        _sweep(place)
    return time.perf_counter() - began


def _sweep(place: Path) -> None:
    """Caches of other sources that nobody has used for long."""
    for other in place.parent.iterdir():
        mark = other / MARK
        if other != place and mark.is_file() and time.time() - mark.stat().st_atime > OLD:
            shutil.rmtree(other, ignore_errors=True)


def begin() -> subprocess.Popen[bytes] | None:
    """Start compiling in a child process, where that is neither done nor begun; the caller goes on without
    waiting for it.
    """
    if ready():
        return None
    try:
        folder().mkdir(parents=True, exist_ok=True)
        mark = folder() / BEGUN
        if mark.is_file() and time.time() - mark.stat().st_mtime < PATIENCE:
            return None
        mark.touch()
        child = subprocess.Popen(
            [sys.executable, "-m", "customs.kernels"],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
        )
        _children.append(child)
        return child
    except (OSError, importlib.metadata.PackageNotFoundError):
        return None
