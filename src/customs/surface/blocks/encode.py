"""Pixels to block-compressed bytes: quick or best, on all cores."""

from __future__ import annotations

import importlib.util
import multiprocessing
import os
import threading
from collections.abc import Callable, Mapping
from concurrent.futures import ProcessPoolExecutor
from functools import cache
from pathlib import Path
from types import ModuleType
from typing import Any, Literal

import numpy as np
import numpy.typing as npt

from customs.errors import WriteError
from customs.later import later
from customs.surface.blocks import WRITABLE_BLOCKS

etcpak = later("etcpak")
U8 = npt.NDArray[np.uint8]
Quality = Literal["quick", "best"]
BEST_LEVEL = 5
"""Level of the library for BC1 and BC3: above it the gain is under 0.1 dB for twice the time and more."""
SLAB_PIXELS = 128 * 1024
"""A process gets at least so many pixels at once; fewer would cost more to send than to compress."""


def encode_level(pixels: U8, block: str, quality: Quality = "quick") -> bytes:
    """The blocks of one level; pixels (H, W, 4) uint8. Edges that are no multiple of four repeat their last
    pixels.

    BC4 takes red; BC5 red and green. Raises WriteError for a block Customs does not write.
    """
    if block not in WRITABLE_BLOCKS:
        raise WriteError(
            f"{block.upper()} cannot be written", "one of " + ", ".join(b.upper() for b in WRITABLE_BLOCKS)
        )
    padded = _padded(pixels)
    if block == "bc7":
        return _bc7(padded, quality)
    if quality == "best":
        return _thorough(padded, block)
    return _quick(padded, block)


def _padded(pixels: U8) -> U8:
    height, width = pixels.shape[:2]
    extra = (-height % 4, -width % 4)
    if extra != (0, 0):
        pixels = np.pad(pixels, ((0, extra[0]), (0, extra[1]), (0, 0)), mode="edge")
    return np.ascontiguousarray(pixels)


@cache
def fast_library() -> ModuleType:
    """The fastest build of the codec this processor runs: the package picks its plain one on recent Pythons.

    Loaded by its path, tried on one block and left alone where it does not answer as the plain build does.
    """
    features = set(etcpak.local_host.features)
    wanted = [("_etcpak_avx2", "avx2"), ("_etcpak_sse41", "sse4_1")]
    for name, feature in wanted:
        if feature not in features:
            continue
        for path in sorted(Path(etcpak.__file__).parent.glob(f"{name}.*")):
            found = _load(name, path)
            if found is not None:
                return found
    return etcpak


def _load(name: str, path: Path) -> ModuleType | None:
    spec = importlib.util.spec_from_file_location(f"etcpak.{name}", path)
    if spec is None or spec.loader is None:
        return None
    try:
        module = importlib.util.module_from_spec(spec)
        spec.loader.exec_module(module)
        flat = bytes([200, 100, 50, 255] * 256)
        same = bool(module.compress_bc1(flat, 16, 16) == etcpak.compress_bc1(flat, 16, 16))
    except (ImportError, AttributeError, TypeError, ValueError):
        return None
    return module if same else None


def _quick(pixels: U8, block: str) -> bytes:
    height, width = pixels.shape[:2]
    library = fast_library()
    if block == "bc4":
        pixels = np.repeat(pixels[:, :, :1], 4, axis=2)
    data = pixels.tobytes()
    make: Callable[[bytes, int, int], bytes] = getattr(library, f"compress_{block}")
    return make(data, width, height)


def _thorough(pixels: U8, block: str) -> bytes:
    from quicktex import RawTexture
    from quicktex.s3tc.bc1 import BC1Encoder
    from quicktex.s3tc.bc3 import BC3Encoder
    from quicktex.s3tc.bc4 import BC4Encoder
    from quicktex.s3tc.bc5 import BC5Encoder

    height, width = pixels.shape[:2]
    makers: Mapping[str, Callable[[], Any]] = {
        "bc1": lambda: BC1Encoder(BEST_LEVEL),
        "bc3": lambda: BC3Encoder(BEST_LEVEL),
        "bc4": lambda: BC4Encoder(0),
        "bc5": lambda: BC5Encoder(0, 1),
    }
    texture = RawTexture.frombytes(pixels.tobytes(), width, height)
    return bytes(makers[block]().encode(texture).tobytes())


_pool: ProcessPoolExecutor | None = None
_pool_lock = threading.Lock()


def _workers() -> ProcessPoolExecutor:
    """Spawned processes, started once: BC7 holds the interpreter's lock for seconds."""
    global _pool
    with _pool_lock:
        if _pool is None:
            _pool = ProcessPoolExecutor(os.cpu_count() or 1, mp_context=multiprocessing.get_context("spawn"))
        return _pool


def close_workers() -> None:
    """End the processes; the next use starts them again."""
    global _pool
    with _pool_lock:
        if _pool is not None:
            _pool.shutdown(cancel_futures=True)
            _pool = None


def _bc7(pixels: U8, quality: Quality) -> bytes:
    height, width = pixels.shape[:2]
    cores = os.cpu_count() or 1
    inside = multiprocessing.parent_process() is not None
    if height * width < 2 * SLAB_PIXELS or cores == 1 or inside:
        return bc7_slab(pixels.tobytes(), width, height, quality)
    # More slabs than cores, so that a hard part of the picture does not keep one core alone busy at the end.
    rows = max(4, -(-height // (cores * 4)) // 4 * 4)
    slabs = [pixels[y : y + rows] for y in range(0, height, rows)]
    jobs = [_workers().submit(bc7_slab, s.tobytes(), width, len(s), quality) for s in slabs]
    return b"".join(j.result() for j in jobs)


def bc7_slab(data: bytes, width: int, height: int, quality: Quality) -> bytes:
    """BC7 blocks of RGBA bytes, width and height multiples of four. Run in a process of its own."""
    library = fast_library()
    params = library.BC7CompressBlockParams()
    if quality == "best":
        params.m_max_partitions, params.m_uber_level = 64, 2
    else:
        params.m_max_partitions, params.m_uber_level = 16, 0
    return bytes(library.compress_bc7(data, width, height, params))
